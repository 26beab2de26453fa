"""`overlays`: pools of sweepers, voiceovers and links, and what will lie over the coming hours."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import SetOverlay, SetTag, SwitchOverlays
from nightly_spindle.cli.base.begun_sequencer import begin
from nightly_spindle.cli.base.common import answer, checked_length, now_us, print_json
from nightly_spindle.core.base.declared import changed_group
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import clock
from nightly_spindle.core.overlays.overlay_pools import Member, Pool, PoolUse, pool_values
from nightly_spindle.core.playout.overlay_wishes import wish_values
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.programme.running_order import OverlayWish, Wish
from nightly_spindle.core.reports.json_views import finding_view, overlay_view
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.overlays.pools import find_pool, order_pools, remove_pool, save_pool
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.overlay_board import OverlaySheet, PoolSheet, overlay_sheet

if TYPE_CHECKING:
    import argparse

# the findings of a rehearsal that are about overlays
CODES = frozenset(
    {
        "overlays-off",
        "pool-empty",
        "pool-never",
        "overlay-missing",
        "intro-too-short",
        "overlay-over-vocal",
        "voice-too-low",
        "overlays-touch",
        "overlay-too-soon",
        "overlay-left-out",
    }
)


def list_pools(options: argparse.Namespace) -> int:
    """List the pools, each with its sentence, its members and whose turn it is."""
    sheet = _sheet(options)
    if options.json:
        print_json([_view(one) for one in sheet.pools])
        return 0
    for one in sheet.pools:
        _print(one)
    if not sheet.pools:
        print("No pools yet; `nightly-spindle overlays pool --help` says how to make one.")
    return 0


def _sheet(options: argparse.Namespace) -> OverlaySheet:
    snapshot = open_station(Path(options.folder))
    snapshot.look_for_files()
    return overlay_sheet(snapshot, load_state(snapshot.connection), now_us())


def _view(one: PoolSheet) -> dict[str, Any]:
    following = one.next_up
    return {
        **pool_values(one.pool),
        "sentence": one.sentence,
        "open": one.is_open,
        "next": following.cart if following else None,
        "members": [
            {
                "cart": member.cart,
                "weight": member.weight,
                "title": member.title,
                "length_s": round(member.length_s, 3),
                "aired_24h": member.aired,
                "problem": member.problem or None,
            }
            for member in one.members
        ],
        "findings": [finding.text for finding in one.findings],
    }


def _print(one: PoolSheet) -> None:
    print(f"{one.pool.id}  {one.pool.name}{'' if one.is_open else ' (closed now)'}: {one.sentence}")
    following = one.next_up
    for member in one.members:
        mark = ">" if following is not None and member.cart == following.cart else " "
        wrong = f"  {member.problem}" if member.problem else ""
        print(f"  {mark} {member.cart}  {member.length_s:5.1f} s  {member.title}{wrong}")
    for finding in one.findings:
        print(f"    {finding.severity}: {finding.text} {finding.mend}")


def plan(options: argparse.Namespace) -> int:
    """Say which overlays will lie on what, and why."""
    hours = checked_length(options.hours, "hours")
    snapshot, sequencer, begun = begin(options.folder, options.from_, hours, watching=True)
    night = rehearse(snapshot.programme, sequencer, begun, hours)
    tz, state = snapshot.programme.settings.tz, sequencer.state
    if options.json:
        print_json([overlay_view(row, state, tz) for row in night.overlays])
        return 0
    for row in night.overlays:
        at = clock(state.clock.instant_of(row.start), tz)
        one = row.overlay
        print(f"{at}  {one.item.title} over {one.over} ({one.origin}). {one.why}")
    print(f"{len(night.overlays)} overlays in {hours:g} h.")
    return 0


def check(options: argparse.Namespace) -> int:
    """Say what is wrong with the coming overlays."""
    hours = checked_length(options.hours, "hours")
    snapshot, sequencer, begun = begin(options.folder, options.from_, hours, watching=True)
    night = rehearse(snapshot.programme, sequencer, begun, hours)
    tz, state = snapshot.programme.settings.tz, sequencer.state
    found = [finding for finding in night.findings if finding.code in CODES]
    if options.json:
        print_json([finding_view(finding, state, tz) for finding in found])
        return 0
    for finding in found:
        print(f"{finding.severity}: {finding.text} {finding.mend}")
    if not found:
        print("Nothing is wrong with the overlays of this stretch.")
    return 0


def pool(options: argparse.Namespace) -> int:
    """Make a pool, or change the one of that name or number."""
    folder = Path(options.folder)
    known = open_station(folder).programme.pools
    was = next((one for one in known if options.name in {one.name, str(one.id)}), None)
    made = was or Pool(0, options.name, PoolUse(options.use or PoolUse.SWEEPERS))
    if was is not None and options.use and PoolUse(options.use) is not was.use:
        raise InputFault(f"the pool “{was.name}” is for {was.use}; make another one instead")
    made = replace(made, options=changed_group(made.options, "pool", options.set))
    if options.members is not None:
        made = replace(made, members=tuple(_member(text) for text in options.members))
    if options.rename:
        made = replace(made, name=options.rename)
    with LibraryTransaction(folder) as library:
        number, _ = save_pool(library, made)
    one = next(one for one in _sheet(options).pools if one.pool.id == number)
    if options.json:
        print_json(_view(one))
    else:
        _print(one)
    return 0


def _member(text: str) -> Member:
    cart, _, weight = text.partition(":")
    try:
        return Member(int(cart), float(weight or 1))
    except ValueError:
        raise InputFault(
            f"'{text}' is not a valid member; write CART or CART:WEIGHT, as 1034:2"
        ) from None


def remove(options: argparse.Namespace) -> int:
    """Take a pool out."""
    folder = Path(options.folder)
    found = find_pool(open_station(folder).programme.pools, options.pool)
    with LibraryTransaction(folder) as library:
        remove_pool(library, found.id)
    return answer(
        options,
        {"removed": found.id, "name": found.name},
        f"The pool “{found.name}” is gone; its members stay in the library.",
    )


def order(options: argparse.Namespace) -> int:
    """Say in which order the pools are asked."""
    folder = Path(options.folder)
    known = open_station(folder).programme.pools
    wanted = [find_pool(known, name) for name in options.pools]
    left = [one.name for one in known if one not in wanted]
    if left or len(set(wanted)) < len(wanted):
        said = f"“{left[0]}” is left out" if left else "one stands there twice"
        raise InputFault(f"name every pool once, the first to be asked first: {said}")
    with LibraryTransaction(folder) as library:
        order_pools(library, [one.id for one in wanted])
    return list_pools(options)


def lay(options: argparse.Namespace) -> int:
    """Have the running engine lay something over a line, this time alone."""
    folder = Path(options.folder)
    if options.at is not None and options.this is None:
        raise InputFault("--at says where the overlay of --this begins; name one")
    wish = None
    if options.none:
        wish = OverlayWish(Wish.NONE)
    elif options.this is not None:
        wish = OverlayWish(Wish.THIS, options.this, at_s=options.at)
    elif options.pool:
        number = 0
        if options.pool != "any":
            number = find_pool(open_station(folder).programme.pools, options.pool).id
        wish = OverlayWish(Wish.POOL, pool=number)
    former = ask(folder, SetOverlay(options.line, wish))
    return answer(
        options,
        {"line_id": options.line, "wish": wish_values(wish), "was": wish_values(former.was)},
        f"Line {options.line}: {wish.wish if wish else 'automatic, from the pools'}.",
    )


def tag(options: argparse.Namespace) -> int:
    """Give a line of the running order a word that pools can go by."""
    answer = ask(Path(options.folder), SetTag(options.line, options.word))
    if options.json:
        print_json({"line_id": options.line, "tag": options.word, "was": answer.was})
    else:
        print(
            f"Line {options.line} is tagged “{options.word}”."
            if options.word
            else f"Line {options.line} has no tag any more."
        )
    return 0


def switch(options: argparse.Namespace) -> int:
    """Let overlays sound in the running engine, or not."""
    ask(Path(options.folder), SwitchOverlays(options.to == "on"))
    return answer(options, {"overlays": options.to == "on"}, f"Overlays are {options.to}.")

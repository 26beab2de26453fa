"""`log check`, `log expect`, `log load`, `log export`, `log settle`."""

from __future__ import annotations

from collections import Counter
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import Forget, Load, State
from nightly_spindle.cli.base.common import instant, print_json
from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.base.plain_files import replace_file
from nightly_spindle.core.base.timebase import US, iso, length, parse_instant
from nightly_spindle.core.logs.log_matching import Match, MatchStatus, settle_key
from nightly_spindle.core.logs.log_reading import LogFormat, read_bytes
from nightly_spindle.core.logs.log_writers import write_log
from nightly_spindle.core.segues.list_length import running_time
from nightly_spindle.core.station.log_sources import LogDrop, LogReading, ReadingState
from nightly_spindle.store.logs.log_export import export_entries
from nightly_spindle.store.logs.log_lookup import parse_as, proposals
from nightly_spindle.store.programme.snapshot import Snapshot, open_station

if TYPE_CHECKING:
    import argparse
    from collections.abc import Sequence

    from nightly_spindle.core.logs.log_line import Log

_FORMATS = {
    ".m3u": LogFormat.M3U,
    ".m3u8": LogFormat.M3U,
    ".xspf": LogFormat.XSPF,
    ".pls": LogFormat.PLS,
    ".csv": LogFormat.CSV,
    ".txt": LogFormat.COLUMNS,
}


def check(options: argparse.Namespace) -> int:
    """Match a log file to the library; exit status 0 even when lines are missing."""
    snapshot = open_station(Path(options.folder))
    log, matches = _matched(snapshot, Path(options.file), options.drop)
    counts = Counter(match.status for match in matches)
    near = proposals(snapshot.connection, matches) if options.propose else {}
    if options.json:
        print_json(
            {
                "lines": [
                    _line_view(match)
                    | (
                        {"proposed": [{"cart": p.cart, "score": p.score} for p in near[match.key]]}
                        if match.key in near
                        else {}
                    )
                    for match in matches
                ],
                **{str(status): counts[status] for status in MatchStatus},
                "charset": log.charset,
                "duration_s": round(_duration(snapshot, matches), 3),
            }
        )
        return 0
    snapshot.reach(proposal.cart for found in near.values() for proposal in found)
    for match in matches:
        if match.status is not MatchStatus.MATCHED:
            print(f"line {match.line.number}: {match.status}: {match.line.raw}: {match.how}")
        for proposal in near.get(match.key, ()):
            item = snapshot.programme.items[proposal.cart]
            print(f"    perhaps {item.cart} {item.label} ({proposal.score:.0f} of 100)")
    named = len(matches) - sum(
        counts[s]
        for s in (MatchStatus.BREAK, MatchStatus.MARK, MatchStatus.COMMENT, MatchStatus.IGNORED)
    )
    print(
        f"{log.name}: {counts[MatchStatus.MATCHED]} of {named} lines found, "
        f"{length(_duration(snapshot, matches))} of programme."
    )
    return 0


def _matched(snapshot: Snapshot, file: Path, drop: str | None) -> tuple[Log, list[Match]]:
    known = drop_named(snapshot, drop) if drop is not None else None
    folder = known.folder if known else str(file.absolute().parent)
    reads_as = known or LogDrop(0, "", folder, file.name)
    log = parse_as(snapshot.connection, read_bytes(file), file.name, reads_as)
    return log, snapshot.logs.match(log, folder, known)


def settle(options: argparse.Namespace) -> int:
    """Remember which item a line of a log means, in every log."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.logs.log_source_edits import settle as remember

    folder = Path(options.folder)
    snapshot = open_station(folder)
    _, matches = _matched(snapshot, Path(options.file), options.drop)
    match = next((m for m in matches if m.line.number == options.line), None)
    if match is None:
        raise SettingRefused(f"{options.file} has no line {options.line} that says anything")
    snapshot.reach([options.cart])
    item = snapshot.programme.items.get(options.cart)
    if options.cart and item is None:
        raise InputFault(f"no item has the cart number {options.cart}")
    with LibraryTransaction(folder) as library:
        remember(library, {settle_key(match.line): options.cart})
    if options.json:
        print_json({"line": options.line, "raw": match.line.raw, "cart": options.cart or None})
    elif item is None:
        print(f"“{match.line.raw}” is matched by the rules again.")
    else:
        print(f"“{match.line.raw}” means {item.cart} {item.label} from now on.")
    return 0


def expect(options: argparse.Namespace) -> int:
    """See whether the coming logs are there; exit status 1 when one is not."""
    if not 0 < options.days <= 400:
        raise SettingRefused(f"{options.days} days is not within 1 and 400")
    snapshot = open_station(Path(options.folder))
    programme = snapshot.programme
    settings = programme.settings
    at = instant(options.from_, settings.tz)
    wanted = []
    for drop in programme.drops.values():
        if drop.options.enabled:
            until = programme.slot(drop, at).start_us + round((options.days * 24 - 0.5) * 3600 * US)
            wanted += [(drop, slot) for slot in programme.coming(drop, at, until)]
    readings = snapshot.logs.look(wanted)
    found = [
        _expected(snapshot, drop, reading)
        for (drop, _), reading in zip(wanted, readings, strict=True)
    ]
    if options.json:
        print_json(found)
    else:
        for log in found:
            near = f"; close: {'; '.join(log['differs'])}" if log["differs"] else ""
            print(
                f"{log['slot']}  {log['file']}: {log['problem'] or log['state']}{near}, "
                f"{log['matched']} lines found, {log['missing']} missing, "
                f"{length(log['duration_s'])} of {length(log['slot_s'])}"
            )
    return 0 if all(log["state"] == ReadingState.READ for log in found) else 1


def _expected(snapshot: Snapshot, drop: LogDrop, reading: LogReading) -> dict[str, Any]:
    tz = snapshot.programme.settings.tz
    counts = Counter(match.status for match in reading.matches)
    change = reading.change
    return {
        "drop": drop.name,
        "day": reading.slot.day.isoformat(),
        "slot": reading.slot.text,
        "at": iso(reading.slot.start_us, tz),
        "file": str(Path(drop.folder) / reading.file),
        "state": str(reading.state),
        "problem": reading.problem or None,
        "nearest": [near.name for near in reading.nearest],
        "differs": [near.text for near in reading.slips],
        "written": iso(reading.written_us, tz) if reading.written_us else None,
        "changed": change.sentence() if change else None,
        **{str(status): counts[status] for status in MatchStatus},
        "duration_s": round(_duration(snapshot, reading.matches), 3),
        "slot_s": reading.slot.seconds,
    }


def load(options: argparse.Namespace) -> int:
    """Have the running engine load a log, now or at a time."""
    folder = Path(options.folder)
    snapshot = open_station(folder)
    tz = snapshot.programme.settings.tz
    if options.forget is not None or options.later:
        return _later(options, snapshot)
    drops = snapshot.programme.drops
    drop = drop_named(snapshot, options.drop) if options.drop else next(iter(drops.values()), None)
    if drop is None and not options.file:
        raise SettingRefused("the station has no log drop; name a file with --file")
    file = str(Path(options.file).absolute()) if options.file else ""
    wanted = Load(
        drop.id if drop else 0,
        file,
        slot_us=parse_instant(options.log, tz) if options.log else 0,
        at_us=parse_instant(options.at, tz) if options.at else 0,
        entry=options.entry,
        placement=options.placement or "",
    )
    answer = ask(folder, wanted)
    if options.json:
        print_json(msgspec.to_builtins(answer) | {"at": iso(answer.at_us, tz)})
        return 0
    when = f"at {iso(answer.at_us, tz)}" if options.at else "now"
    print(
        f"{answer.file} loads {when}: {answer.matched} lines, {answer.lost} not found."
        if answer.usable
        else f"{answer.file} is to load {when}, but {answer.why_not}."
    )
    return 0


def _later(options: argparse.Namespace, snapshot: Snapshot) -> int:
    """List what is to be loaded later by hand, or forget one of it."""
    folder, tz = Path(options.folder), snapshot.programme.settings.tz
    orders = ask(folder, State()).state.logs.orders
    if options.forget is not None:
        orders = [ask(folder, Forget(options.forget))]
    drops = snapshot.programme.drops
    views = [
        {
            "order": order.id,
            "at": iso(order.at_us, tz),
            "drop": drops[order.drop].name if order.drop in drops else None,
            "file": order.file or None,
            "forgotten": options.forget is not None,
        }
        for order in orders
    ]
    if options.json:
        print_json(views)
        return 0
    for view in views:
        what = view["file"] or f"the log of “{view['drop']}”"
        gone = "  forgotten" if view["forgotten"] else ""
        print(f"{view['order']}  {view['at']}  {what}{gone}")
    return 0


def export(options: argparse.Namespace) -> int:
    """Write a log as it would air, edits and all, to a file."""
    snapshot = open_station(Path(options.folder))
    programme = snapshot.programme
    drop = drop_named(snapshot, options.drop)
    slot = programme.slot(drop, instant(options.log, programme.settings.tz))
    reading = snapshot.logs.refresh(drop, slot)
    if not reading.usable:
        raise InputFault(f"{reading.why_not(drop.folder)}: there is nothing to export")
    out = Path(options.out)
    form = _FORMATS.get(out.suffix.lower())
    if form is None:
        raise InputFault(f"{out}: the name must end in {', '.join(_FORMATS)}")
    entries = export_entries(reading, programme.items, programme.settings, programme.segues)
    replace_file(out, write_log(entries, form, f"{drop.name} {slot.text}"))
    if options.json:
        print_json({"out": str(out), "lines": len(entries)})
    return 0


def drop_named(snapshot: Snapshot, wanted: str) -> LogDrop:
    """Return the drop of that number or name; SettingRefused names those that there are."""
    for drop in snapshot.programme.drops.values():
        if wanted in {str(drop.id), drop.name}:
            return drop
    names = ", ".join(f"{drop.id} ({drop.name})" for drop in snapshot.programme.drops.values())
    raise SettingRefused(f"there is no log drop '{wanted}'; there are {names or 'none'}")


def _duration(snapshot: Snapshot, matches: Sequence[Match]) -> float:
    """Return the seconds from the first cue in to the last segue point, segues counted."""
    programme = snapshot.programme
    items = [programme.items[m.cart] for m in matches if m.cart is not None]
    return running_time(items, programme.segues, programme.settings.rate).next_s


def _line_view(match: Match) -> dict[str, Any]:
    return {
        "line": match.line.number,
        "raw": match.line.raw,
        "status": str(match.status),
        "how": match.how,
        "cart": match.cart,
    }

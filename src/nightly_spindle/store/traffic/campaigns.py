"""Reading and editing campaigns and break patterns."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.base.short_texts import words_of
from nightly_spindle.core.traffic.break_patterns import (
    BreakPattern,
    break_from,
    break_values,
    check_break,
    renamed,
)
from nightly_spindle.core.traffic.campaigns import (
    Campaign,
    Key,
    campaign_from,
    campaign_values,
    check_campaign,
)
from nightly_spindle.core.traffic.spot_plan import Booking, SpotPlan
from nightly_spindle.store.base.named import Before, Row, new_number, put_rows
from nightly_spindle.store.events.event_sources import in_folder

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Mapping, Sequence
    from pathlib import Path

    from nightly_spindle.store.base.patience import Patience
    from nightly_spindle.store.base.transaction import LibraryTransaction

_JSON = ("copies", "options", "pins")


def values_of(row: sqlite3.Row | Mapping[str, Any]) -> Row:
    """Return one row as plain values (`campaigns`, `break_patterns`)."""
    plain = dict(row)
    return {name: json.loads(v) if name in _JSON else v for name, v in plain.items()}


def row_of(values: Mapping[str, Any]) -> Row:
    """Return a campaign's or break pattern's plain values as a row."""
    return {
        name: json.dumps(value, ensure_ascii=False) if name in _JSON else value
        for name, value in values.items()
    }


def read_campaigns(
    connection: sqlite3.Connection, folder: Path, patience: Patience | None = None
) -> dict[int, Campaign]:
    """Read the campaigns by number, with what lies in their folders."""
    found = {}
    for row in connection.execute("SELECT * FROM campaign ORDER BY id"):
        campaign = campaign_from(values_of(row))
        if campaign.options.folder.strip():
            inside, _ = in_folder(connection, folder, campaign.options.folder.strip(), patience)
            campaign = replace(campaign, in_folder=inside or ())
        found[campaign.id] = campaign
    return found


def read_breaks(connection: sqlite3.Connection) -> dict[int, BreakPattern]:
    """Read the break patterns by number, in their order."""
    rows = connection.execute("SELECT * FROM break_pattern ORDER BY place, id")
    patterns = [break_from(values_of(row)) for row in rows]
    return {pattern.id: pattern for pattern in patterns}


def read_spots(
    connection: sqlite3.Connection, folder: Path, patience: Patience | None = None
) -> SpotPlan:
    """Read campaigns, break patterns, and what is placed."""
    made = connection.execute("SELECT * FROM placing").fetchone()
    rows = connection.execute("SELECT * FROM spot_placed ORDER BY at_us, break_id, seat")
    campaigns = read_campaigns(connection, folder, patience)
    bookings = [
        Booking(row["at_us"], row["break_id"], row["seat"], row["campaign_id"], bool(row["fixed"]))
        for row in rows
    ]
    if made is None:
        return SpotPlan(campaigns, read_breaks(connection), bookings)
    settled = frozenset((a, b, c) for a, b, c in json.loads(made["settled"]))
    return SpotPlan(
        campaigns,
        read_breaks(connection),
        bookings,
        settled,
        made["from_us"],
        made["until_us"],
        made["made_us"],
    )


def carts_of(plan: SpotPlan) -> set[int]:
    """Return the cart numbers of all that campaigns and breaks can air."""
    own = {cart for campaign in plan.campaigns.values() for cart in campaign.carts}
    return own | {cart for pattern in plan.patterns.values() for cart in pattern.carts}


def fillers_of(plan: SpotPlan) -> list[str]:
    """Return the categories that breaks without a spot take from."""
    return [p.options.empty.strip() for p in plan.patterns.values() if p.options.empty.strip()]


# -- editing ---------------------------------------------------------------------------------------


def save_campaigns(
    library: LibraryTransaction, campaigns: Sequence[Campaign]
) -> tuple[list[int], Before]:
    """Write campaigns, new ones where the id is 0.

    Returns their numbers, and what was there, for `restore_campaigns`. SettingRefused says what
    cannot be, InputFault when a name is taken, or a copy is no item of the library.
    """
    from nightly_spindle.store.base import tables as t

    known = library.rows(t.campaign.select())
    numbers, wanted = [], {}
    for given in campaigns:
        campaign = replace(given, name=" ".join(given.name.split()))
        check_campaign(campaign)
        _check_campaign(library, campaign)
        number = new_number(known, campaign.name, "campaign", campaign.id)
        row = row_of(campaign_values(replace(campaign, id=number)))
        known = [*(one for one in known if one["id"] != number), row]
        numbers.append(number)
        wanted[number] = [row]
    return numbers, restore_campaigns(library, wanted)


def _check_campaign(library: LibraryTransaction, campaign: Campaign) -> None:
    from nightly_spindle.store.base import tables as t

    carts = [copy.cart for copy in campaign.copies]
    there = {r["cart"] for r in library.rows(t.item.select().where(t.item.c.cart.in_(carts)))}
    wrong = [f"no item has the cart number {cart}" for cart in carts if cart not in there]
    names = {row["name"].casefold() for row in library.rows(t.break_pattern.select())}
    wrong += [
        f"there is no break pattern “{name}”"
        for name in words_of(campaign.options.breaks)
        if name not in names
    ]
    if wrong:
        raise InputFault(f"campaign “{campaign.name}”: {'; '.join(wrong[:4])}")


def remove_campaigns(library: LibraryTransaction, numbers: Iterable[int]) -> Before:
    """Take campaigns out; what aired of them stays in the as-run log."""
    return restore_campaigns(library, {number: [] for number in numbers})


def restore_campaigns(library: LibraryTransaction, wanted: Mapping[int, Sequence[Row]]) -> Before:
    """Make campaigns what their rows say, or take them out; returns what was there."""
    from nightly_spindle.store.base import tables as t

    return put_rows(library, t.campaign, wanted)


def save_break(library: LibraryTransaction, pattern: BreakPattern) -> tuple[int, Before]:
    """Write a break pattern, a new one where its id is 0, behind the others then.

    Returns its number, and what was there, for `restore_breaks`.
    """
    from nightly_spindle.store.base import tables as t

    pattern = renamed(pattern, pattern.name)
    check_break(pattern)
    known = library.rows(t.break_pattern.select())
    number = new_number(known, pattern.name, "break pattern", pattern.id)
    if not pattern.id:
        place = max((row["place"] for row in known), default=0) + 1
        pattern = replace(pattern, id=number, place=place)
    carts = {
        r["cart"] for r in library.rows(t.item.select().where(t.item.c.cart.in_(pattern.carts)))
    }
    lost = [cart for cart in pattern.carts if cart not in carts]
    if lost:
        raise InputFault(f"break pattern “{pattern.name}”: no item has the cart number {lost[0]}")
    return number, restore_breaks(library, {number: [row_of(break_values(pattern))]})


def remove_break(library: LibraryTransaction, number: int) -> Before:
    """Take a break pattern out."""
    return restore_breaks(library, {number: []})


def restore_breaks(library: LibraryTransaction, wanted: Mapping[int, Sequence[Row]]) -> Before:
    """Make break patterns what their rows say, or take them out; returns what was there."""
    from nightly_spindle.store.base import tables as t

    return put_rows(library, t.break_pattern, wanted)


Moved = tuple[Before, dict[Key, list[Row]]]  # campaigns, and the spots of breaks, as they were


def pin(
    library: LibraryTransaction, number: int, to: Key | None, from_: Key | None = None
) -> Moved:
    """Set a spot by hand: into break `to`, out of break `from_`; returns what was there.

    Without `to` the place by hand is given up. What is placed follows at once; the next placing
    puts the others right. InputFault when there is no such campaign or break.
    """
    from nightly_spindle.store.base import tables as t

    rows = library.rows(t.campaign.select().where(t.campaign.c.id == number))
    if not rows:
        raise InputFault(f"there is no campaign {number}; it was removed meanwhile")
    campaign = campaign_from(values_of(rows[0]))
    if to is not None and not library.rows(
        t.break_pattern.select().where(t.break_pattern.c.id == to[0])
    ):
        raise InputFault(f"there is no break pattern {to[0]}; it was removed meanwhile")
    placed = {key: _spots_of(library, key) for key in (from_, to) if key is not None}
    if to is not None and to != from_ and any(r["campaign_id"] == number for r in placed[to]):
        raise InputFault(f"“{campaign.name}” stands in that break already")
    pins = {key for key in campaign.pins if key != from_}
    pins |= {to} if to is not None else set()
    moved = replace(campaign, pins=tuple(sorted(pins, key=lambda key: (key[1], key[0]))))
    before = restore_campaigns(library, {number: [row_of(campaign_values(moved))]})
    after = {key: [r for r in spots if r["campaign_id"] != number] for key, spots in placed.items()}
    if to is not None:
        seat = max((row["seat"] for row in after[to]), default=-1) + 1
        after[to].append(
            {"at_us": to[1], "break_id": to[0], "seat": seat, "campaign_id": number, "fixed": True}
        )
    _put_spots(library, after)
    return before, placed


def unpin(library: LibraryTransaction, was: Moved) -> None:
    """Take back what `pin` did."""
    restore_campaigns(library, was[0])
    _put_spots(library, was[1])


def _spots_of(library: LibraryTransaction, key: Key) -> list[Row]:
    from nightly_spindle.store.base import tables as t

    same = (t.spot_placed.c.break_id == key[0]) & (t.spot_placed.c.at_us == key[1])
    return library.rows(t.spot_placed.select().where(same))


def _put_spots(library: LibraryTransaction, breaks: Mapping[Key, Sequence[Row]]) -> None:
    from nightly_spindle.store.base import tables as t

    for key, rows in breaks.items():
        same = (t.spot_placed.c.break_id == key[0]) & (t.spot_placed.c.at_us == key[1])
        library.run(t.spot_placed.delete().where(same))
        for row in rows:
            library.run(t.spot_placed.insert().values(**row))


Placed = tuple[list[Row], list[Row]]  # spots, and the row that says when they were placed


def placed_rows(library: LibraryTransaction) -> Placed:
    """Return all that is placed, for `put_placed`."""
    from nightly_spindle.store.base import tables as t

    return library.rows(t.spot_placed.select()), library.rows(t.placing.select())


def put_placed(library: LibraryTransaction, was: Placed) -> None:
    """Place everything as it was."""
    from nightly_spindle.store.base import tables as t

    library.version()
    for table, rows in zip((t.spot_placed, t.placing), was, strict=True):
        library.run(table.delete())
        if rows:
            library.run(table.insert(), rows)


# -- the station book ------------------------------------------------------------------------------


def wrong_spots(
    campaigns: Iterable[Mapping[str, Any]],
    breaks: Iterable[Mapping[str, Any]],
    kinds: Mapping[int, str],
) -> list[str]:
    """Return what cannot be of the campaigns and breaks of a station book."""
    wrong, carts = [], []
    for section, entries in (("break_patterns", breaks), ("campaigns", campaigns)):
        for entry in entries:
            place = f"{section}/{entry['id']}"
            read = break_from if section == "break_patterns" else campaign_from
            try:
                found: BreakPattern | Campaign = read(entry)
            except SettingRefused as error:
                wrong.append(f"{place}: {error}")
                continue
            carts += [(place, cart) for cart in found.carts]
    return wrong + [f"{p}: no item has the cart {cart}" for p, cart in carts if cart not in kinds]

"""Hours that the station made itself: reading, writing, and as logs that the engine loads."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.logs.log_line import LogLine
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.music.made_logs import (
    MadeHour,
    Note,
    line_from,
    line_values,
    note_values,
)
from nightly_spindle.core.station.log_sources import LogReading, ReadingState
from nightly_spindle.core.station.made_hour_source import OWN_DROP
from nightly_spindle.store.base.named import Before, put_rows

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Mapping

    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.store.base.transaction import LibraryTransaction

_PLAIN = ("clock_name", "comes_from", "lands_s", "fixed", "cost")


def made_row(hour: MadeHour) -> dict[str, Any]:
    """Return a made hour as a row."""
    body = {
        **{name: getattr(hour, name) for name in _PLAIN},
        "lines": [line_values(line) for line in hour.lines],
        "notes": [note_values(note) for note in hour.notes],
    }
    return {
        "id": hour.start_us,
        "clock_id": hour.clock,
        "made_us": hour.made_us,
        "body": json.dumps(body, ensure_ascii=False),
    }


def made_from(row: sqlite3.Row | Mapping[str, Any]) -> MadeHour:
    """Return the made hour of a row."""
    body = json.loads(row["body"])
    return MadeHour(
        row["id"],
        row["clock_id"],
        body["clock_name"],
        body["comes_from"],
        tuple(line_from(one) for one in body["lines"]),
        tuple(Note(**one) for one in body["notes"]),
        body["lands_s"],
        body["fixed"],
        body["cost"],
        row["made_us"],
    )


def read_made(connection: sqlite3.Connection, from_us: int, until_us: int) -> list[MadeHour]:
    """Read the made hours with from <= start < until, by time."""
    rows = connection.execute(
        "SELECT * FROM made_hour WHERE id >= ? AND id < ? ORDER BY id", (from_us, until_us)
    )
    return [made_from(row) for row in rows]


def made_instants(connection: sqlite3.Connection, from_us: int, until_us: int) -> set[int]:
    """Return the starts (µs) of the hours that are made already, from <= start < until."""
    rows = connection.execute(
        "SELECT id FROM made_hour WHERE id >= ? AND id < ?", (from_us, until_us)
    )
    return {row["id"] for row in rows}


def write_made(
    library: LibraryTransaction, hours: Iterable[MadeHour], clear: Iterable[int] = ()
) -> Before:
    """Write made hours, and take those out that start at the instants of `clear`.

    Returns what was there, for `put_made`.
    """
    wanted: dict[int, list[dict[str, Any]]] = {start: [] for start in clear}
    wanted |= {hour.start_us: [made_row(hour)] for hour in hours}
    return put_made(library, wanted)


def stretch_rows(library: LibraryTransaction, starts: Iterable[int]) -> Before:
    """Return what is made for hours that start at these instants, for `put_made`."""
    from nightly_spindle.store.base import tables as t

    found: Before = {start: [] for start in starts}
    if found:
        between = (t.made_hour.c.id >= min(found)) & (t.made_hour.c.id <= max(found))
        for row in library.rows(t.made_hour.select().where(between)):
            if row["id"] in found:
                found[row["id"]] = [row]
    return found


def put_made(library: LibraryTransaction, wanted: Mapping[int, list[dict[str, Any]]]) -> Before:
    """Make hours what their rows say, or take them out; returns what was there."""
    from nightly_spindle.store.base import tables as t

    return put_rows(library, t.made_hour, wanted)


def made_reading(connection: sqlite3.Connection, slot: Slot) -> LogReading:
    """Return a made hour as the reading of a log; where there is none, why."""
    row = connection.execute("SELECT * FROM made_hour WHERE id = ?", (slot.start_us,)).fetchone()
    name = f"formats {slot.local:%H:%M}"
    blank = LogReading(OWN_DROP, slot, name, ReadingState.UNREADABLE)
    if row is None:
        return replace(blank, problem=f"the hour from {slot.text} was not made")
    hour = made_from(row)
    if not hour.lines:
        return replace(blank, problem=f"the hour from {slot.text} holds nothing")
    file = f"{hour.clock_name} {slot.local:%H:%M}"
    matches = tuple(_match(number, hour, slot) for number in range(1, len(hour.lines) + 1))
    return replace(
        blank, file=file, state=ReadingState.READ, matches=matches, written_us=hour.made_us
    )


def _match(number: int, hour: MadeHour, slot: Slot) -> Match:
    made = hour.lines[number - 1]
    key = f"{slot.start_us}/{number}"
    line = LogLine(number, f"cart {made.cart}", cart=made.cart, key=key, mark=made.mark)
    why = f"{hour.comes_from[0].upper()}{hour.comes_from[1:]}: {made.why}"
    if made.pattern:
        return Match(line, MatchStatus.BREAK, why, pattern=made.pattern)
    return Match(line, MatchStatus.MATCHED, why, made.cart)

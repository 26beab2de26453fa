"""Reading and editing timed events."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.events.event_values import event_values, events_from, joined
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    OffsetRule,
    TimedEvent,
    WhenOver,
    check_event,
)
from nightly_spindle.core.reports.event_week import next_firings
from nightly_spindle.store.base.named import Row, find, put_rows

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Mapping, Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.store.base.transaction import LibraryTransaction

_JSON = ("steps", "rule", "options")


def values_of(row: sqlite3.Row | Mapping[str, Any]) -> Row:
    """Return one row of the table as an event's plain values (`event_values`)."""
    return {
        **{
            name: row[name]
            for name in ("id", "name", "start", "rrule", "entry", "priority", "grace_s")
        },
        "exdates": [text for text in row["exdates"].split(",") if text],
        "enabled": bool(row["enabled"]),
        **{name: json.loads(row[name]) for name in _JSON},
    }


def row_of(values: Mapping[str, Any]) -> Row:
    """Return an event's plain values as a row."""
    texts = {name: json.dumps(values[name], ensure_ascii=False) for name in _JSON}
    return {**values, "exdates": ",".join(values["exdates"]), **texts}


def read_timed_events(connection: sqlite3.Connection) -> list[TimedEvent]:
    """Read all timed events by number; SettingRefused names one that cannot be read."""
    rows = connection.execute("SELECT * FROM timed_event ORDER BY id")
    return events_from(values_of(row) for row in rows)


def save_events(
    library: LibraryTransaction, events: Sequence[TimedEvent]
) -> tuple[list[int], dict[int, list[Row]]]:
    """Write events, new ones where the id is 0; SettingRefused says what is wrong with one.

    Returns their ids, and what was there of each, for `restore_events`.
    """
    from nightly_spindle.store.base import tables as t

    others = events_from(values_of(row) for row in library.rows(t.timed_event.select()))
    by_id = {event.id: event for event in others}
    number = max(by_id, default=0)
    ids, rows = [], {}
    for event in events:
        name = " ".join(event.name.split())
        one = joined(replace(event, name=name), by_id)
        check_event(one)
        if isinstance(one.rule, OffsetRule) and one.rule.other is None:
            raise InputFault(
                f"“{name}” would depend on itself in a circle, or on an event that is gone"
            )
        if not one.id:
            number += 1
            one = replace(one, id=number)
        by_id[one.id] = one
        ids.append(one.id)
        rows[one.id] = [row_of(event_values(one))]
    return ids, restore_events(library, rows)


def remove_events(library: LibraryTransaction, ids: Iterable[int]) -> dict[int, list[Row]]:
    """Take events out; returns what was there of each, for `restore_events`."""
    return restore_events(library, {number: [] for number in ids})


def restore_events(
    library: LibraryTransaction, rows: Mapping[int, Sequence[Row]]
) -> dict[int, list[Row]]:
    """Make events what their rows say, or take them out; returns what was there."""
    from nightly_spindle.store.base import tables as t

    return put_rows(library, t.timed_event, rows)


def find_event(events: Iterable[TimedEvent], wanted: str) -> TimedEvent:
    """Return the event of that number or name; InputFault names those that there are."""
    return find(events, wanted, "timed event")


def over_and_done(events: Iterable[TimedEvent], tz: ZoneInfo, now_us: int) -> list[TimedEvent]:
    """Return the events that are to be switched off or removed: they have no firing left."""
    return [
        event
        for event in events
        if (event.enabled or event.options.over is WhenOver.REMOVE)
        and event.options.over is not WhenOver.KEEP
        and not isinstance(event.rule, AfterSongs)
        and not next_firings(event.rule, tz, now_us, 1)
        and event.rule.firings(tz, 0, now_us)
    ]


def retire(library: LibraryTransaction, events: Iterable[TimedEvent]) -> None:
    """Switch events off, or remove them, as they say for after their last firing."""
    for event in events:
        if event.options.over is WhenOver.REMOVE:
            remove_events(library, [event.id])
        else:
            save_events(library, [replace(event, enabled=False)])

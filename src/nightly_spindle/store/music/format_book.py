"""The formats of a station in its book: clocks, day plans, the week, the calendar, the rules."""

from __future__ import annotations

import json
from datetime import date, timedelta
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.calendar.day_plans import day_from
from nightly_spindle.core.music.format_clocks import clock_from
from nightly_spindle.core.music.rotation_rules import rule_from
from nightly_spindle.store.music.formats import EPOCH_DAY, day_id, row_of, values_of

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Mapping

    from sqlalchemy import Table

# what a book of an older format has of them
NONE: dict[str, list[Any]] = {
    "format_clocks": [],
    "day_plans": [],
    "week": [],
    "calendar": [],
    "rotation_rules": [],
}


def format_sections(connection: sqlite3.Connection) -> dict[str, list[dict[str, Any]]]:
    """Return the sections of the book that are about formats."""

    def rows(table: str) -> list[sqlite3.Row]:
        return connection.execute(f"SELECT * FROM {table} ORDER BY id").fetchall()

    return {
        "format_clocks": [values_of(row) for row in rows("format_clock")],
        "day_plans": [values_of(row) for row in rows("day_plan")],
        "week": [{"hour": row["id"], "clock": row["clock_id"]} for row in rows("week_hour")],
        "calendar": [
            {"day": (EPOCH_DAY + timedelta(days=row["id"])).isoformat(), "plan": row["plan_id"]}
            for row in rows("calendar_day")
        ],
        "rotation_rules": [
            {"place": row["id"], **json.loads(row["body"])} for row in rows("rotation_rule")
        ],
    }


def format_rows(book: Mapping[str, Any]) -> list[tuple[Table, list[dict[str, Any]]]]:
    """Return the tables that the book fills, and their rows."""
    from nightly_spindle.store.base import tables as t

    return [
        (t.format_clock, [row_of(entry) for entry in book["format_clocks"]]),
        (t.day_plan, [row_of(entry) for entry in book["day_plans"]]),
        (t.week_hour, [{"id": one["hour"], "clock_id": one["clock"]} for one in book["week"]]),
        (
            t.calendar_day,
            [
                {"id": day_id(date.fromisoformat(one["day"])), "plan_id": one["plan"]}
                for one in book["calendar"]
            ],
        ),
        (
            t.rotation_rule,
            [
                {"id": one["place"], "body": json.dumps(_rule(one), ensure_ascii=False)}
                for one in book["rotation_rules"]
            ],
        ),
        (t.made_hour, []),  # they are made anew
    ]


def _rule(entry: Mapping[str, Any]) -> dict[str, Any]:
    return {name: value for name, value in entry.items() if name != "place"}


def wrong_formats(book: Mapping[str, Any]) -> list[str]:
    """Return what cannot be of the formats of a station book."""
    wrong = []
    for section, read in (("format_clocks", clock_from), ("day_plans", day_from)):
        for entry in book[section]:
            try:
                read(entry)
            except SettingRefused as error:
                wrong.append(f"{section}/{entry['id']}: {error}")
    for entry in book["rotation_rules"]:
        try:
            rule_from(_rule(entry))
        except SettingRefused as error:
            wrong.append(f"rotation_rules/{entry['place']}: {error}")
    for entry in book["calendar"]:
        try:
            date.fromisoformat(entry["day"])
        except ValueError:
            wrong.append(f"calendar: '{entry['day']}' is not a valid day")
    return wrong

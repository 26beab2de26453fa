"""How items, their measures and what was set by hand stand in a row of the item table."""

from __future__ import annotations

import json
from dataclasses import fields
from datetime import UTC, datetime
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.library.items import Ending, Measure
from nightly_spindle.core.library.markers import (
    AS_USUAL,
    UNMARKED,
    Marks,
    Shaping,
    marks_from,
    marks_values,
    shaping_from,
    shaping_values,
)
from nightly_spindle.core.library.rotation_card import (
    ANY_TURN,
    RotationCard,
    card_from,
    card_values,
)

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Mapping

MEASURE = tuple(spec.name for spec in fields(Measure))


def measure_of(row: Mapping[str, Any] | sqlite3.Row) -> Measure:
    """Return the measure in a row."""
    values = {name: row[name] for name in MEASURE}
    values["ending"] = Ending(values["ending"])
    values["fall"] = tuple(ms / 1000 for ms in json.loads(values["fall"] or "[]"))
    return Measure(**values)


def measure_values(measure: Measure) -> dict[str, Any]:
    """Return a measure as the values of its columns; the fall as whole milliseconds."""
    values = {name: getattr(measure, name) for name in MEASURE}
    return {**values, "ending": str(measure.ending), "fall": fall_text(measure.fall)}


def fall_text(fall: tuple[float, ...]) -> str:
    """Return the fall of an ending as it is stored."""
    return json.dumps([round(at * 1000) for at in fall], separators=(",", ":")) if fall else ""


def marks_of(row: Mapping[str, Any] | sqlite3.Row) -> Marks:
    """Return the marks set by hand in a row."""
    return marks_from(json.loads(row["marks"])) if row["marks"] else UNMARKED


def shaping_of(row: Mapping[str, Any] | sqlite3.Row) -> Shaping:
    """Return how the item of a row wants to be played."""
    return shaping_from(json.loads(row["shaping"])) if row["shaping"] else AS_USUAL


def turn_of(row: Mapping[str, Any] | sqlite3.Row) -> RotationCard:
    """Return what the item of a row says of its own turns in rotation."""
    return card_from(json.loads(row["turn"])) if row["turn"] else ANY_TURN


def turn_text(card: RotationCard) -> str:
    """Return an item's own limits as they are stored; nothing where there is none."""
    values = card_values(card)
    return json.dumps(values, sort_keys=True, ensure_ascii=False) if values else ""


def marks_text(marks: Marks) -> str:
    """Return marks as they are stored; nothing where none is set."""
    values = marks_values(marks)
    return json.dumps(values, sort_keys=True) if values else ""


def shaping_text(shaping: Shaping) -> str:
    """Return how an item wants to be played as it is stored; nothing where it is as usual."""
    values = shaping_values(shaping)
    return json.dumps(values, sort_keys=True) if values else ""


def iso_utc(us: int) -> str:
    """Return an instant as it stands in the station book: ISO 8601, UTC, to the microsecond."""
    return datetime.fromtimestamp(us / 1e6, UTC).isoformat(timespec="microseconds")


def us_of(text: str) -> int:
    """Return the instant that `iso_utc` wrote; ValueError when it is none."""
    return round(datetime.fromisoformat(text).timestamp() * 1e6)

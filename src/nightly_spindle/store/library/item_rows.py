"""How items, their measures and what was set by hand stand in a row of the item table."""

from __future__ import annotations

import json
from dataclasses import fields
from datetime import UTC, datetime
from functools import lru_cache
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
_ENDING, _FALL = MEASURE.index("ending"), MEASURE.index("fall")
_MOST_KNOWN = 4096  # texts that are remembered: those of many items are the same


def measure_of(row: Mapping[str, Any] | sqlite3.Row) -> Measure:
    """Return the measure in a row."""
    values = [row[name] for name in MEASURE]
    values[_ENDING] = Ending(values[_ENDING])
    values[_FALL] = _fall(values[_FALL])
    return Measure(*values)


@lru_cache(maxsize=_MOST_KNOWN)
def _fall(text: str) -> tuple[float, ...]:
    return tuple(ms / 1000 for ms in json.loads(text or "[]"))


def measure_values(measure: Measure) -> dict[str, Any]:
    """Return a measure as the values of its columns; the fall as whole milliseconds."""
    values = {name: getattr(measure, name) for name in MEASURE}
    return {**values, "ending": str(measure.ending), "fall": fall_text(measure.fall)}


def fall_text(fall: tuple[float, ...]) -> str:
    """Return the fall of an ending as it is stored."""
    return json.dumps([round(at * 1000) for at in fall], separators=(",", ":")) if fall else ""


def marks_of(row: Mapping[str, Any] | sqlite3.Row) -> Marks:
    """Return the marks set by hand in a row."""
    return _marks(row["marks"]) if row["marks"] else UNMARKED


@lru_cache(maxsize=_MOST_KNOWN)
def _marks(text: str) -> Marks:
    return marks_from(json.loads(text))


def shaping_of(row: Mapping[str, Any] | sqlite3.Row) -> Shaping:
    """Return how the item of a row wants to be played."""
    return _shaping(row["shaping"]) if row["shaping"] else AS_USUAL


@lru_cache(maxsize=_MOST_KNOWN)
def _shaping(text: str) -> Shaping:
    return shaping_from(json.loads(text))


def turn_of(row: Mapping[str, Any] | sqlite3.Row) -> RotationCard:
    """Return what the item of a row says of its own turns in rotation."""
    return _card(row["turn"]) if row["turn"] else ANY_TURN


@lru_cache(maxsize=_MOST_KNOWN)
def _card(text: str) -> RotationCard:
    return card_from(json.loads(text))


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

"""Logs that the station has made for itself: what an hour holds, and what could not be kept."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from collections.abc import Mapping


class Mode(StrEnum):
    """What becomes of hours that are made already."""

    KEEP = "keep"
    FILL = "fill"
    ANEW = "anew"


@dataclass(frozen=True, slots=True)
class MadeLine:
    """One line of a made hour: an item, or a break of a pattern.

    `at_s` is its planned start from the hour's, `slot` its slot in the strip (`hour_needs`), `mark`
    the timed mark in front of it. `broken` are the rules that it breaks, in words, `by_hand` that
    the operator put it there.
    """

    cart: int
    at_s: float
    slot: int
    why: str
    category: str = ""
    pattern: int = 0
    mark: str = ""
    broken: tuple[str, ...] = ()
    by_hand: bool = False


@dataclass(frozen=True, slots=True)
class Note:
    """What could not be as it was wanted, and where: `line` is a place in the hour, -1 for all.

    `firm`: a firm rule was broken, or the hour does not land where it is fixed.
    """

    line: int
    text: str
    firm: bool = False


@dataclass(frozen=True, slots=True)
class MadeHour:
    """One hour's log. Instants are µs; `lands_s` is by how much it lands late (early: below 0).

    `cost` is what its soft rules come to. `comes_from` says why it has this clock.
    """

    start_us: int
    clock: int
    clock_name: str
    comes_from: str
    lines: tuple[MadeLine, ...]
    notes: tuple[Note, ...] = ()
    lands_s: float = 0.0
    fixed: bool = False
    cost: float = 0.0
    made_us: int = 0

    @property
    def broken(self) -> int:
        """How many of its notes are of firm rules."""
        return sum(note.firm for note in self.notes)


def line_values(line: MadeLine) -> dict[str, Any]:
    """Return a line as JSON values, what is as usual left out."""
    values: dict[str, Any] = {
        "cart": line.cart,
        "at_s": round(line.at_s, 3),
        "slot": line.slot,
        "why": line.why,
    }
    for name in ("category", "pattern", "mark", "by_hand"):
        if getattr(line, name):
            values[name] = getattr(line, name)
    return {**values, "broken": list(line.broken)} if line.broken else values


def line_from(values: Mapping[str, Any]) -> MadeLine:
    """Read a line of `line_values`."""
    return MadeLine(**{**values, "broken": tuple(values.get("broken", ()))})


def note_values(note: Note) -> dict[str, Any]:
    """Return a note as JSON values."""
    return {"line": note.line, "text": note.text, "firm": note.firm}

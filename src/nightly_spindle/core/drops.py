"""Log drops: where an outside music scheduler leaves its logs, and their file names."""

from __future__ import annotations

import difflib
from dataclasses import dataclass, field
from datetime import date, datetime, time
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.matching import Match

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence


@dataclass(frozen=True, slots=True)
class LogDrop:
    """A folder (absolute) and a file-name pattern in strftime codes."""

    id: int
    name: str
    folder: str
    pattern: str

    def file_name(self, day: date) -> str:
        """Return the name of that broadcast day's log."""
        return datetime.combine(day, time()).strftime(self.pattern)


class ReadingState(StrEnum):
    """What is known of a log file."""

    READ = "read"
    MISSING = "missing"
    UNREADABLE = "unreadable"
    GROWING = "still being written"
    EMPTY = "empty"


@dataclass(frozen=True, slots=True)
class LogReading:
    """One day's log as it was found: its lines matched, or why there are none.

    `nearest` are the names in the folder that come closest to the one looked for.
    """

    drop: int
    day: date
    file: str
    state: ReadingState
    matches: tuple[Match, ...] = ()
    problem: str = ""
    nearest: tuple[str, ...] = field(default=())

    @property
    def carts(self) -> list[int]:
        """The cart numbers of the lines that were found, in order."""
        return [m.cart for m in self.matches if m.cart is not None]


def same_name(wanted: str, names: Iterable[str]) -> str | None:
    """Return the name that equals `wanted` but for capitals; the exact one first."""
    names = list(names)
    if wanted in names:
        return wanted
    folded = wanted.casefold()
    return next((name for name in sorted(names) if name.casefold() == folded), None)


def nearest_names(wanted: str, names: Sequence[str], most: int = 3) -> tuple[str, ...]:
    """Return the names that come closest to the one looked for."""
    return tuple(difflib.get_close_matches(wanted, names, n=most, cutoff=0.6))

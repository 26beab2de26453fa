"""What airs when, in the order of time, as columns that rules look through."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Iterable

_ROOM = 256


class PlayColumns:
    """Rows of a `TurnTable` by the instant (s) at which each starts. `at` and `row` are views."""

    def __init__(self, lines: Iterable[tuple[float, int]] = ()) -> None:
        ordered = sorted(lines)
        self.count = len(ordered)
        self._at = np.empty(self.count + _ROOM)
        self._row = np.zeros(self.count + _ROOM, np.int64)
        self._at[: self.count] = [at for at, _ in ordered]
        self._row[: self.count] = [row for _, row in ordered]

    @property
    def at(self) -> np.ndarray:
        """The instants, ascending."""
        return self._at[: self.count]

    @property
    def row(self) -> np.ndarray:
        """The rows, in the same order."""
        return self._row[: self.count]

    def place(self, at_s: float) -> int:
        """Return the place that a line at this instant would have, behind those of the same."""
        return int(self.at.searchsorted(at_s, "right"))

    def insert(self, at_s: float, row: int) -> int:
        """Put a line in; returns its place."""
        place = self.place(at_s)
        if self.count == len(self._at):
            self._at = np.concatenate([self._at, np.empty(self.count + _ROOM)])
            self._row = np.concatenate([self._row, np.zeros(self.count + _ROOM, np.int64)])
        for column in (self._at, self._row):
            column[place + 1 : self.count + 1] = column[place : self.count]
        self._at[place], self._row[place] = at_s, row
        self.count += 1
        return place

    def remove(self, at_s: float, row: int) -> None:
        """Take a line out that is there."""
        place = int(self.at.searchsorted(at_s, "left"))
        while self._row[place] != row:
            place += 1
        for column in (self._at, self._row):
            column[place : self.count - 1] = column[place + 1 : self.count]
        self.count -= 1

    def within(self, from_s: float, to_s: float) -> slice:
        """Return the places of the lines with from < at < to."""
        at = self.at
        return slice(int(at.searchsorted(from_s, "right")), int(at.searchsorted(to_s, "left")))

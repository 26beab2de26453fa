"""What airs when, in the order of time, as columns that rules look through."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Iterable

_ROOM = 256
_LATELY = 128  # lines behind the place that is asked about which may change yet


class PlayColumns:
    """Rows of a `TurnTable` by the instant (s) at which each starts. `at` and `row` are views."""

    def __init__(self, lines: Iterable[tuple[float, int]] = ()) -> None:
        ordered = sorted(lines)
        self.count = len(ordered)
        self._at = np.empty(self.count + _ROOM)
        self._row = np.zeros(self.count + _ROOM, np.int64)
        self._instants = [at for at, _ in ordered]  # the same as `at`: sooner looked through
        self._at[: self.count] = self._instants
        self._row[: self.count] = [row for _, row in ordered]
        # the starts of rows among the first lines, so many of them, and before all lines
        self._starts = self._before = np.empty(0)
        self._settled = 0

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
        return bisect_right(self._instants, at_s)

    def insert(self, at_s: float, row: int) -> int:
        """Put a line in; returns its place."""
        place = self.place(at_s)
        if self.count == len(self._at):
            self._at = np.concatenate([self._at, np.empty(self.count + _ROOM)])
            self._row = np.concatenate([self._row, np.zeros(self.count + _ROOM, np.int64)])
        for column in (self._at, self._row):
            column[place + 1 : self.count + 1] = column[place : self.count]
        self._at[place], self._row[place] = at_s, row
        self._instants.insert(place, at_s)
        self._unsettle(place)
        self.count += 1
        return place

    def remove(self, at_s: float, row: int) -> None:
        """Take a line out that is there."""
        place = bisect_left(self._instants, at_s)
        while self._row[place] != row:
            place += 1
        for column in (self._at, self._row):
            column[place : self.count - 1] = column[place + 1 : self.count]
        del self._instants[place]
        self.count -= 1
        self._unsettle(place)

    def within(self, from_s: float, to_s: float) -> slice:
        """Return the places of the lines with from < at < to."""
        at = self._instants
        return slice(bisect_right(at, from_s), bisect_left(at, to_s))

    def last_starts(self, place: int, before: np.ndarray) -> np.ndarray:
        """Return when each row started last before a place (s), `before` where it did not.

        What is long past is remembered, so that the last of many days is as soon told as the first.
        """
        if self._before is not before or place < self._settled:
            self._before, self._starts, self._settled = before, before.copy(), 0
        if place - self._settled > 2 * _LATELY:
            self._note(self._starts, self._settled, place - _LATELY)
            self._settled = place - _LATELY
        found = self._starts.copy()
        self._note(found, self._settled, place)
        return found

    def _note(self, starts: np.ndarray, begin: int, end: int) -> None:
        starts[self._row[begin:end]] = self._at[begin:end]  # of one row's the last is kept

    def _unsettle(self, place: int) -> None:
        if place < self._settled:
            self._before = np.empty(0)

"""One segment of an hour while it is being filled: seats in order, and what sits in them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.music.hour_segments import Need

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from nightly_spindle.core.music.hour_segments import Segment
    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_columns import RotationColumns

EMPTY = -1


@dataclass(slots=True)
class Seat:
    """One line of a segment: its row in the table (0: a break, below: still empty).

    `expected_s` is how long it is taken to last while it is empty.
    """

    need: Need
    expected_s: float
    row: int = EMPTY
    length_s: float = 0.0
    at_s: float = 0.0
    why: str = ""

    @property
    def lasts_s(self) -> float:
        """How long it is on air, expected or known."""
        return self.expected_s if self.row == EMPTY else self.length_s


class SegmentDraft:
    """The seats of a segment. What sits in one stands in the line-up as well."""

    def __init__(
        self,
        table: RotationColumns,
        lines: PlayColumns,
        segment: Segment,
        begin_s: float,
        seats: Sequence[Seat],
    ) -> None:
        self.table = table
        self.lines = lines
        self.segment = segment
        self.begin_s = begin_s
        self.bias_s = 0.0  # by how much the real joins of what is chosen now will differ
        self.ruled = 0.0  # what rules cost when it was filled
        self.seats = list(seats)
        self._set_times(0)

    @property
    def music(self) -> list[int]:
        """The places of the seats that rotation fills."""
        return [place for place, seat in enumerate(self.seats) if seat.need.music]

    @property
    def end_s(self) -> float:
        """When the last seat is over."""
        last = self.seats[-1] if self.seats else None
        return last.at_s + last.lasts_s if last else self.begin_s

    @property
    def off_s(self) -> float:
        """By how much it ends late (early: below 0)."""
        return self.end_s + self.bias_s - self.segment.until_s

    def put(self, place: int, row: int, length_s: float | None = None) -> None:
        """Seat a row in an empty seat; the seats after it move on."""
        seat = self.seats[place]
        seat.row = row
        seat.length_s = float(self.table.length_s[row]) if length_s is None else length_s
        if row:
            self.lines.insert(seat.at_s, row)
        self._set_times(place + 1)

    def take(self, place: int) -> int:
        """Empty a seat; returns its row. The seats after it stay where they are till the next."""
        seat = self.seats[place]
        row = seat.row
        if row > 0:
            self.lines.remove(seat.at_s, row)
        seat.expected_s, seat.row = seat.length_s, EMPTY
        return row

    def seat_times(self) -> None:
        """Work the starts out again, from the first on."""
        self._set_times(0)

    def clear(self) -> None:
        """Take everything out of the line-up again."""
        for place, seat in enumerate(self.seats):
            if seat.row != EMPTY:
                self.take(place)

    def rows(self) -> list[int]:
        """Return what sits where."""
        return [seat.row for seat in self.seats]

    def seat_all(self, rows: Iterable[int]) -> None:
        """Make the music seats what the rows say (other seats stay)."""
        for place, row in enumerate(rows):
            if self.seats[place].need.music and self.seats[place].row != row:
                self.take(place)
                self.put(place, row)

    def retime(self, lengths: Sequence[float]) -> None:
        """Give the seats these lengths: those of the real joins."""
        for place, length in enumerate(lengths):
            self.seats[place].length_s = length
        self._set_times(0)

    def _set_times(self, start: int) -> None:
        """Work out when each seat begins, from a place on."""
        before = self.seats[start - 1] if start else None
        at = before.at_s + before.lasts_s if before else self.begin_s
        for seat in self.seats[start:]:
            if seat.at_s != at:
                if seat.row > 0:
                    self.lines.remove(seat.at_s, seat.row)
                    self.lines.insert(at, seat.row)
                seat.at_s = at
            at += seat.lasts_s

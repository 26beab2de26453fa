"""The units that have a break while breaks are being filled, and the free places near an ideal."""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.traffic.coming_breaks import BreakCalendar
from nightly_spindle.core.traffic.placement_room import Room, Seeker, Unit

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator
    from collections.abc import Set as AbstractSet


_MANY = 48  # a longer stretch is looked through at once


@dataclass(slots=True)
class PlacedUnits:
    """The units in the breaks of a calendar, in the order in which they were put in."""

    calendar: BreakCalendar
    room: Room
    units: dict[Unit, None] = field(default_factory=dict)
    _own: dict[int, dict[Unit, None]] = field(default_factory=dict)  # by campaign
    _seats: Counter[int] = field(default_factory=Counter)  # that are left, by day

    def __post_init__(self) -> None:
        """Count the seats of what is still to come."""
        for place in self.calendar.places[self.calendar.now :]:
            self._seats[place.day] += place.spots

    def __iter__(self) -> Iterator[Unit]:
        """Go through the units, those put in first before others."""
        return iter(self.units)

    def __len__(self) -> int:
        """Return how many have a break."""
        return len(self.units)

    def put(self, unit: Unit, at: int) -> None:
        """Put a unit into the break at a place of its seeker's `open`."""
        self.room.put(unit, at)
        self._seats[self.calendar.places[unit.place].day] -= 1
        self.units[unit] = None
        self._own.setdefault(unit.seeker.id, {})[unit] = None

    def of(self, seeker: Seeker) -> list[Unit]:
        """Return the units of an order."""
        return list(self._own.get(seeker.id, ()))

    def take(self, unit: Unit) -> int:
        """Take a unit out of its break; returns the place of `open` that it had."""
        self._seats[self.calendar.places[unit.place].day] += 1
        del self.units[unit], self._own[unit.seeker.id][unit]
        return self.room.take(unit)

    def best(
        self, unit: Unit, under: float = float("inf"), but: AbstractSet[int] = frozenset()
    ) -> int | None:
        """Return the cheapest place that is free for a unit, None when none costs less."""
        seeker, room = unit.seeker, self.room
        if self.is_full(unit):
            return None
        best, found = under, None
        open_ = seeker.open
        for at in self._with_seats(unit, under):
            index = open_[at]
            if unit.off(at) >= best:
                break
            if index in but or not room.free(seeker, index):
                continue
            cost = room.cost(unit, at)
            if cost < best:
                best, found = cost, at
        return found

    def _with_seats(self, unit: Unit, under: float) -> Iterable[int]:
        """Return the places within a cost at which a seat is left, the nearest to the ideal first.

        Where nearly all are sold most of a long stretch would be walked through in vain.
        """
        seats, open_ = self.room.seats, unit.seeker.open
        begin, end = within(unit, under)
        left = (
            np.flatnonzero(self.room.left[unit.seeker.indices[begin:end]] > 0)
            if (end - begin > _MANY)
            else None
        )
        if left is None:
            return (at for at in outwards(unit, under) if seats[open_[at]] > 0)
        found: list[int] = in_order(unit, left + begin).tolist()
        return found

    def is_full(self, unit: Unit) -> bool:
        """Whether no seat at all is left on the day that a unit must lie on."""
        places, open_ = self.calendar.places, unit.seeker.open
        first = places[open_[unit.window.begin]].day
        last = places[open_[unit.window.end - 1]].day
        return first == last and self._seats[first] <= 0


def within(unit: Unit, under: float) -> tuple[int, int]:
    """Return the places of a unit's window that lie less than so far off: begin and end."""
    begin, end = unit.window.begin, unit.window.end
    if under == math.inf:
        return begin, end
    reach, middle = under * unit.spacing + 0.5, unit.ideal - 0.5
    return (
        max(begin, math.ceil(middle - reach)),
        min(end, math.floor(middle + reach) + 1),
    )


def in_order(unit: Unit, places: np.ndarray) -> np.ndarray:
    """Return places as `outwards` does: of two that are as far off the later comes first."""
    return places[np.lexsort((-places, np.abs(places + 0.5 - unit.ideal)))]


def outwards(unit: Unit, under: float = math.inf) -> Iterator[int]:
    """Return the places of a unit's window, those nearest to its ideal first.

    `under`: only those that lie less than so far off, in spacings (one at the very edge may come).
    """
    begin, end = within(unit, under)
    if begin >= end:
        return
    centre = min(max(int(unit.ideal), begin), end - 1)
    yield centre
    low, high = centre - 1, centre + 1
    while low >= begin or high < end:
        up = high < end and (low < begin or high + 0.5 - unit.ideal <= unit.ideal - low - 0.5)
        if up:
            yield high
            high += 1
        else:
            yield low
            low -= 1

"""What stands in the coming breaks while they are being filled, and what may still go where.

Spots are told from each other by `Unit`s, breaks by their index in the calendar.
"""

from __future__ import annotations

from bisect import bisect_left, insort
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.traffic.campaigns import Campaign
from nightly_spindle.core.traffic.coming_breaks import BreakPlace
from nightly_spindle.core.traffic.order_quotas import QuotaWindow
from nightly_spindle.core.traffic.separation import too_near

if TYPE_CHECKING:
    from collections.abc import Iterable


_UNLIKED = 0.5  # what a break costs that prefers other categories, in spacings
_NEXT_LIKED = 0.05  # each place further down in the list of those that it prefers
_PLAIN = 0.25  # a break that prefers none, where others prefer the category


class Stops(StrEnum):
    """What keeps a spot out of a break."""

    COUNT = "no seat is left"
    LENGTH = "no time is left"
    SAME = "it is in that break already"
    APART = "it would come too near to itself"
    RIVAL = "a competitor is too near"


_ROOM = frozenset({Stops.COUNT, Stops.LENGTH})


@dataclass(slots=True, eq=False)
class Seeker:
    """A campaign that looks for breaks. Times in µs; `open` are the breaks open to it."""

    campaign: Campaign
    open: Sequence[int]
    length_us: int
    apart_us: int
    rivals_us: int
    rank: int
    group: str
    category: str
    id: int = 0
    indices: np.ndarray = field(init=False)  # the same as `open`
    _where: dict[int, int] = field(init=False)

    def __post_init__(self) -> None:
        """Keep what is asked for all the time at hand."""
        self.id = self.campaign.id
        self.indices = np.array(self.open, np.int64)
        self._where = {index: at for at, index in enumerate(self.open)}

    def where(self, index: int) -> int:
        """Return the place of a break in `open`, -1 where it is not open."""
        return self._where.get(index, -1)


@dataclass(slots=True, eq=False)
class Unit:
    """One spot that is wanted, anywhere in its window.

    `ideal` is where in them it lies best, `spacing` how far its fellows lie apart, both in places
    of `open`. `place` is the break that it is in, -1 for none.
    """

    seeker: Seeker
    window: QuotaWindow
    ideal: float
    spacing: float
    place: int = -1
    at: int = -1  # its place in `open`
    fixed: bool = False

    def off(self, at: int) -> float:
        """Return how far a place of `open` lies from the ideal, in spacings; 0 within the place."""
        away = abs(at + 0.5 - self.ideal) - 0.5
        return away / self.spacing if away > 0 else 0.0


@dataclass(slots=True)
class Room:
    """The breaks and the spots in them."""

    places: Sequence[BreakPlace]
    liked: frozenset[str]
    inside: list[list[Unit]] = field(default_factory=list)
    seats: list[int] = field(default_factory=list)  # that are left in each break
    left: np.ndarray = field(default_factory=lambda: np.zeros(0, np.int64))  # the same
    touched: set[int] = field(default_factory=set)  # breaks in which something changed
    _time: list[int] = field(default_factory=list)  # taken in each break, µs
    _own: dict[int, list[int]] = field(default_factory=dict)  # instants, by campaign
    _groups: dict[str, list[tuple[int, int]]] = field(default_factory=dict)  # instant, campaign

    def __post_init__(self) -> None:
        """Begin with empty breaks."""
        self.inside = [[] for _ in self.places]
        self.seats = [place.spots for place in self.places]
        self.left = np.array(self.seats, np.int64)
        self._time = [0] * len(self.places)

    def heard(self, seeker: Seeker, instants: Iterable[int]) -> None:
        """Remember what has aired: spots to come keep away from it."""
        own = self._own.setdefault(seeker.id, [])
        for at_us in instants:
            insort(own, at_us)
            if seeker.group:
                insort(self._groups.setdefault(seeker.group, []), (at_us, seeker.id))

    def put(self, unit: Unit, at: int) -> None:
        """Put a unit into the break at a place of its seeker's `open`."""
        seeker = unit.seeker
        unit.at, unit.place = at, seeker.open[at]
        place = self.places[unit.place]
        self.inside[unit.place].append(unit)
        self.seats[unit.place] -= 1
        self.left[unit.place] -= 1
        self.touched.add(unit.place)
        self._time[unit.place] += seeker.length_us
        insort(self._own.setdefault(seeker.id, []), place.at_us)
        if seeker.group:
            insort(self._groups.setdefault(seeker.group, []), (place.at_us, seeker.id))

    def take(self, unit: Unit) -> int:
        """Take a unit out of its break; returns where in `open` it was."""
        seeker, place = unit.seeker, self.places[unit.place]
        self.inside[unit.place].remove(unit)
        self.seats[unit.place] += 1
        self.left[unit.place] += 1
        self.touched.add(unit.place)
        self._time[unit.place] -= seeker.length_us
        own = self._own[seeker.id]
        del own[bisect_left(own, place.at_us)]
        if seeker.group:
            group = self._groups[seeker.group]
            del group[bisect_left(group, (place.at_us, seeker.id))]
        was, unit.at, unit.place = unit.at, -1, -1
        return was

    def fits(self, length_us: int, index: int) -> bool:
        """Whether there is a seat and time for so long a spot in a break."""
        place = self.places[index]
        return self.seats[index] > 0 and self._time[index] + length_us <= place.length_us

    def free(self, seeker: Seeker, index: int) -> bool:
        """Whether a spot may go into a break as it is."""
        place = self.places[index]
        return (
            self.seats[index] > 0
            and self._time[index] + seeker.length_us <= place.length_us
            and self.keeps_off(seeker, index) is None
        )

    def stops(self, seeker: Seeker, index: int) -> Stops | None:
        """Return what keeps a spot out of a break, None when nothing does."""
        apart = self.keeps_off(seeker, index)
        if apart is not None:
            return apart
        if self.seats[index] <= 0:
            return Stops.COUNT
        if self._time[index] + seeker.length_us > self.places[index].length_us:
            return Stops.LENGTH
        return None

    def keeps_off(self, seeker: Seeker, index: int) -> Stops | None:
        """Return what of separation keeps a spot out of a break, whatever room there is."""
        at_us = self.places[index].at_us
        own = self._own.get(seeker.id)
        if own:
            after = bisect_left(own, at_us)
            if after < len(own):
                gap = own[after] - at_us
                if too_near(gap, seeker.apart_us):
                    return Stops.APART if gap else Stops.SAME
            if after and too_near(at_us - own[after - 1], seeker.apart_us):
                return Stops.APART
        if seeker.group:
            group = self._groups.get(seeker.group)
            if group and self._rival(seeker, group, at_us):
                return Stops.RIVAL
        return None

    @staticmethod
    def _rival(seeker: Seeker, group: list[tuple[int, int]], at_us: int) -> bool:
        at = bisect_left(group, (at_us - seeker.rivals_us, 0))
        while at < len(group) and group[at][0] <= at_us + seeker.rivals_us:
            if group[at][1] != seeker.id and too_near(group[at][0] - at_us, seeker.rivals_us):
                return True
            at += 1
        return False

    def rivals(self, seeker: Seeker, index: int) -> list[Seeker]:
        """Return the competitors whose spots are too near a break, one for each spot."""
        at_us, reach = self.places[index].at_us, seeker.rivals_us
        found: list[Seeker] = []
        for step in (-1, 1):
            near = index if step > 0 else index - 1
            while 0 <= near < len(self.places):
                gap = abs(self.places[near].at_us - at_us)
                if not too_near(gap, reach):
                    break
                found += [
                    unit.seeker
                    for unit in self.inside[near]
                    if unit.seeker.group == seeker.group and unit.seeker is not seeker
                ]
                near += step
        return found

    def dislike(self, seeker: Seeker, index: int) -> float:
        """Return what it costs that a break prefers other categories, in spacings."""
        place = self.places[index]
        if place.seats:
            return self._in_seats(seeker, index, place.seats)
        likes = place.likes
        if not likes:
            return _PLAIN if seeker.category in self.liked else 0.0
        if seeker.category in likes:
            return _NEXT_LIKED * likes.index(seeker.category)
        return _UNLIKED

    def _in_seats(self, seeker: Seeker, index: int, seats: Sequence[str]) -> float:
        """Return the same of a break that names a category for each of its places."""
        others = Counter(
            unit.seeker.category for unit in self.inside[index] if unit.seeker is not seeker
        )
        named = Counter(seats)
        if seeker.category and others[seeker.category] < named[seeker.category]:
            return 0.0
        # places for any, beyond those that are named too, are taken by what has no place of its own
        free = self.places[index].spots - sum(many for name, many in named.items() if name)
        without = sum(max(0, many - (named[name] if name else 0)) for name, many in others.items())
        return _PLAIN if without < free else _UNLIKED

    def cost(self, unit: Unit, at: int) -> float:
        """Return what it costs a unit to lie at a place of its seeker's `open`."""
        return unit.off(at) + self.dislike(unit.seeker, unit.seeker.open[at])


def room_only(stops: Stops | None) -> bool:
    """Whether only room is lacking."""
    return stops in _ROOM

"""Which spots could change places so that both together lie better: all pairs of one spot at once.

What a pair would gain is reckoned on columns; whether the two may change is asked for each pair
that would gain, the place nearest to the ideal first.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from nightly_spindle.core.traffic.placed_units import in_order, within

if TYPE_CHECKING:
    from collections.abc import Collection, Iterator

    from nightly_spindle.core.traffic.placed_units import PlacedUnits
    from nightly_spindle.core.traffic.placement_room import Seeker, Unit


_FIRST = 48  # places that are looked at first: one of the nearest will do mostly


class Pair(NamedTuple):
    """A spot that another could change places with, or push away.

    `at` is the place (of the first one's `open`) that it would have, `back` the place of the other
    one's `open` where that would go; `gain` is what the first gains by it alone. `both` says that
    the two gain together, `push` that it is worth while to see where else the other could go.
    """

    other: Unit
    at: int
    back: int
    gain: float
    both: bool
    push: bool


class Swaps:
    """The pairs of units that are placed. `fresh` are those that may be moved.

    Less than `worth` is no gain. Of those that one may push away only the first `pushes` are given.
    """

    def __init__(
        self, placed: PlacedUnits, fresh: Collection[Unit], worth: float, pushes: int
    ) -> None:
        self._room, self._worth, self._pushes = placed.room, worth, pushes
        self._units = [unit for unit in placed if unit in fresh]
        self._row = {unit: row for row, unit in enumerate(self._units)}
        self._seekers = list(dict.fromkeys(unit.seeker for unit in self._units))
        number = {seeker: n for n, seeker in enumerate(self._seekers)}
        places = self._room.places
        # where each break stands in what is open to each order, -1 where it is not
        self._where = np.full((len(self._seekers), len(places)), -1, np.int32)
        for n, seeker in enumerate(self._seekers):
            self._where[n, seeker.indices] = np.arange(len(seeker.open))
        self._seeker = np.array([number[unit.seeker] for unit in self._units], np.int64)
        self._ideal = np.array([unit.ideal for unit in self._units])
        self._spacing = np.array([unit.spacing for unit in self._units])
        self._begin = np.array([unit.window.begin for unit in self._units], np.int64)
        self._end = np.array([unit.window.end for unit in self._units], np.int64)
        self._cost = np.zeros(len(self._units))
        most = max((len(inside) for inside in self._room.inside), default=0)
        # who is in each break, as rows in their order, -1 for nobody
        self._inside = np.full((len(places), most + 1), -1, np.int64)
        self._dislikes: dict[Seeker, np.ndarray] = {}
        self._of_break: dict[int, np.ndarray] = {}
        # what is disliked of a break that names a category for each place depends on who is inside
        self._named = {index for index, place in enumerate(places) if place.seats}
        self._room.touched.update(range(len(places)))

    def pairs(self, unit: Unit, cost: float, from_gain: float) -> Iterator[Pair]:
        """Return the pairs of a unit, which lies at so much cost, that gain together.

        Besides those by which it alone gains more than `from_gain`, the first of them.
        """
        self._follow()
        begin, end = within(unit, cost)
        places = in_order(unit, np.arange(begin, end))
        pushes, at, many = self._pushes, 0, _FIRST
        while at < len(places):
            for pair in self._among(unit, cost, places[at : at + many], from_gain, pushes):
                pushes -= pair.push
                yield pair
            at, many = at + many, 4 * many

    def _among(
        self, unit: Unit, cost: float, places: np.ndarray, from_gain: float, pushes: int
    ) -> Iterator[Pair]:
        """Return the pairs of a unit at some of the places, in their order."""
        seeker, own = unit.seeker, self._row[unit]
        away = _off(places, unit.ideal, unit.spacing)
        gains = cost - (away + self._dislike(seeker)[places])
        indices = seeker.indices[places]
        if self._named:
            for at, place in enumerate(places.tolist()):
                if seeker.open[place] in self._named:
                    gains[at] = cost - self._room.cost(unit, place)
        worth = (away < cost) & (gains > self._worth) & (indices != unit.place)
        places, gains = places[worth], gains[worth]
        inside = self._inside[indices[worth]]
        of, _ = np.nonzero(inside >= 0)
        others = inside[inside >= 0]
        strange = self._seeker[others] != self._seeker[own]
        of, others = of[strange], others[strange]
        gain = gains[of]
        back = self._where[self._seeker[others], unit.place]
        there = (back >= self._begin[others]) & (back < self._end[others])
        cost_back = _off(back, self._ideal[others], self._spacing[others])
        cost_back += self._disliked(unit.place)[self._seeker[others]]
        both = there & (cost_back - self._cost[others] < gain - self._worth)
        push = np.zeros(len(gain), bool)
        push[np.flatnonzero(gain > from_gain)[:pushes]] = True
        for at in np.flatnonzero(both | push).tolist():
            yield Pair(
                self._units[others[at]],
                int(places[of[at]]),
                int(back[at]),
                float(gain[at]),
                bool(both[at]),
                bool(push[at]),
            )

    def _follow(self) -> None:
        """Take up what was moved since."""
        room, touched = self._room, self._room.touched
        while touched:
            index = touched.pop()
            inside = room.inside[index]
            rows = [row for other in inside if (row := self._row.get(other)) is not None]
            self._inside[index] = -1
            self._inside[index, : len(rows)] = rows
            for row in rows:
                unit = self._units[row]
                self._cost[row] = room.cost(unit, unit.at)
            if index in self._named:
                self._of_break.pop(index, None)

    def _dislike(self, seeker: Seeker) -> np.ndarray:
        """Return what an order dislikes of each break that is open to it."""
        found = self._dislikes.get(seeker)
        if found is None:
            found = np.array([self._room.dislike(seeker, index) for index in seeker.open])
            self._dislikes[seeker] = found
        return found

    def _disliked(self, index: int) -> np.ndarray:
        """Return what each order dislikes of one break."""
        found = self._of_break.get(index)
        if found is None:
            found = np.array([self._room.dislike(seeker, index) for seeker in self._seekers])
            self._of_break[index] = found
        return found


def _off(places: np.ndarray, ideal: np.ndarray | float, spacing: np.ndarray | float) -> np.ndarray:
    """Return how far places lie from the ideal, in spacings, as `Unit.off`."""
    away: np.ndarray = np.maximum(np.abs(places + 0.5 - ideal) - 0.5, 0.0) / spacing
    return away

"""What is tried for orders that are short when all others have their places.

First each by itself: its spots of that day are taken out and put into the earliest breaks that may
be, one after the other. For one order that keeps its spots apart no way finds more: whichever break
another way takes first, the earliest leaves no less room behind it (the exchange argument of
interval scheduling: J. Kleinberg, E. Tardos, "Algorithm Design", 2005, section 4.1; from memory).
Where the days beside it are in the way they are set anew as well, in the end all of the flight.

Then by exchange: the orders that stand in its way are set anew together with it. How much is tried
is counted, so that the same orders give the same plan.
"""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING, NamedTuple

from nightly_spindle.core.traffic.placement_room import Stops

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from nightly_spindle.core.traffic.order_quotas import QuotaWindow
    from nightly_spindle.core.traffic.placed_units import PlacedUnits
    from nightly_spindle.core.traffic.placement_room import Seeker, Unit

_LOOKS = 300_000  # breaks that are looked at in all, for every order that is short
_PUT = 4  # what putting a spot in, or taking it out, counts against looking at a break
_OTHERS = 6  # orders that one is exchanged with


_Stretch = tuple[int, "QuotaWindow"]  # of which order, by its number


class _Part(NamedTuple):
    """The spots of one order that are set anew: those that stand, with their places, and others."""

    seeker: Seeker
    stand: list[tuple[Unit, int]]
    lacking: list[Unit]


class Retries:
    """Tries again for the units that are `left`; `moved` are those that were set anew."""

    def __init__(self, placed: PlacedUnits, left: Iterable[Unit]) -> None:
        self._placed = placed
        self._left: dict[_Stretch, list[Unit]] = {}
        for unit in left:
            self._left.setdefault((unit.seeker.id, unit.window), []).append(unit)
        self.moved: set[Unit] = set()
        self._looks = _LOOKS

    @property
    def left(self) -> list[Unit]:
        """The units for which there is still no room."""
        return [unit for units in self._left.values() for unit in units]

    def run(self) -> None:
        """Try everything, for each stretch of each order that is short."""
        stretches = [units[0] for units in self._left.values()]
        for unit in sorted(stretches, key=lambda one: -one.seeker.rank):
            if not self._placed.is_full(unit) and self._may_gain(unit.seeker, unit.window):
                self._for_itself(unit.seeker, unit.window)
                self._by_exchange(unit.seeker, unit.window)

    def _may_gain(self, seeker: Seeker, window: QuotaWindow) -> bool:
        """Whether more would fit if the order were alone, and anything may be tried yet."""
        there = sum(unit.window == window for unit in self._placed.of(seeker))
        last, most = -(10**18), 0
        places = self._placed.calendar.places
        for index in seeker.open[window.begin : window.end]:
            at_us = places[index].at_us
            if at_us - last >= max(1, seeker.apart_us):
                last, most = at_us, most + 1
        self._looks -= window.end - window.begin
        return most > there and self._looks > 0

    # -- by itself -----

    def _for_itself(self, seeker: Seeker, window: QuotaWindow) -> None:
        """Set the order anew in a stretch, with those beside it, and in all."""
        all_ = sorted({unit.window for unit in self._placed.of(seeker)} | {window}, key=_by_time)
        at = all_.index(window)
        tried: set[frozenset[QuotaWindow]] = set()
        for windows in (
            frozenset({window}),
            frozenset(all_[max(0, at - 1) : at + 2]),
            frozenset(all_),
        ):
            if self._lacks(seeker, window) and windows not in tried:
                tried.add(windows)
                self._set_anew(seeker, [self._part(seeker, windows)])

    # -- by exchange -----

    def _by_exchange(self, seeker: Seeker, window: QuotaWindow) -> None:
        """Set the order anew with those that stand in its way: with each, then with all."""
        others = self._in_the_way(seeker, window)
        for some in [*([one] for one in others), others]:
            while some and self._lacks(seeker, window) and self._looks > 0:
                theirs = [self._part(one, self._there(one, seeker, window)) for one in some]
                mine = self._part(seeker, {window})
                if not any(
                    self._set_anew(seeker, parts) for parts in ([mine, *theirs], [*theirs, mine])
                ):
                    break

    def _there(self, other: Seeker, seeker: Seeker, window: QuotaWindow) -> set[QuotaWindow]:
        """Return the stretches of another order whose spots lie where this one looks."""
        first, last = seeker.open[window.begin], seeker.open[window.end - 1]
        return {unit.window for unit in self._placed.of(other) if first <= unit.place <= last}

    def _in_the_way(self, seeker: Seeker, window: QuotaWindow) -> list[Seeker]:
        """Return the orders that keep it out of most breaks."""
        room, many = self._placed.room, Counter[int]()
        seekers: dict[int, Seeker] = {}
        for index in seeker.open[window.begin : window.end]:
            stops = room.stops(seeker, index)
            self._looks -= 1
            if stops is None:
                continue
            inside = (unit.seeker for unit in room.inside[index] if not unit.fixed)
            for other in room.rivals(seeker, index) if stops is Stops.RIVAL else inside:
                if other is not seeker:
                    many[other.id] += 1
                    seekers[other.id] = other
        return [seekers[number] for number, _ in many.most_common(_OTHERS)]

    # -- setting anew -----

    def _set_anew(self, mine: Seeker, parts: Sequence[_Part]) -> bool:
        """Put the spots of these orders in from the earliest break on, one order after the other.

        Stays if all together have more than before, and neither `mine` nor one that weighs more has
        fewer.
        """
        before = [len(part.stand) for part in parts]
        for part in parts:
            for unit, _ in part.stand:
                self._placed.take(unit)
            self._looks -= _PUT * len(part.stand)
        without = [self._filled(part) for part in parts]
        after = [
            len(part.stand) + len(part.lacking) - len(rest)
            for part, rest in zip(parts, without, strict=True)
        ]
        fewer = [
            part.seeker
            for part, a, b in zip(parts, after, before, strict=True)
            if a < b and (part.seeker is mine or part.seeker.rank > mine.rank)
        ]
        if sum(after) > sum(before) and not fewer:
            for part, rest in zip(parts, without, strict=True):
                self._note(part, rest)
                self.moved.update(unit for unit, _ in part.stand)
                self.moved.update(part.lacking)
            return True
        for part, rest in zip(parts, without, strict=True):
            there = {unit for unit, _ in part.stand} | set(part.lacking)
            for unit in there - set(rest):
                self._placed.take(unit)
        for part in parts:
            for unit, at in part.stand:
                self._placed.put(unit, at)
        return False

    def _filled(self, part: _Part) -> list[Unit]:
        """Put the spots of a part in, each stretch from its beginning on; returns those left."""
        waiting: dict[QuotaWindow, list[Unit]] = {}
        for unit in sorted(
            [*part.lacking, *(unit for unit, _ in part.stand)], key=lambda one: one.ideal
        ):
            waiting.setdefault(unit.window, []).append(unit)
        rest: list[Unit] = []
        for window in sorted(waiting, key=_by_time):
            units = waiting[window]
            for at in range(window.begin, window.end):
                if not units:
                    break
                self._looks -= 1
                if self._placed.room.free(part.seeker, part.seeker.open[at]):
                    self._placed.put(units.pop(0), at)
                    self._looks -= _PUT
            rest += units
        return rest

    def _part(self, seeker: Seeker, windows: Iterable[QuotaWindow]) -> _Part:
        windows = dict.fromkeys(windows)
        own = [
            unit for unit in self._placed.of(seeker) if unit.window in windows and not unit.fixed
        ]
        lacking = [one for window in windows for one in self._left.get((seeker.id, window), ())]
        return _Part(seeker, [(unit, unit.at) for unit in own], lacking)

    def _note(self, part: _Part, rest: Sequence[Unit]) -> None:
        """Remember which spots of a part are left now."""
        for unit in part.lacking:
            self._left.pop((unit.seeker.id, unit.window), None)
        for unit in rest:
            self._left.setdefault((unit.seeker.id, unit.window), []).append(unit)

    def _lacks(self, seeker: Seeker, window: QuotaWindow) -> bool:
        return (seeker.id, window) in self._left


def _by_time(window: QuotaWindow) -> tuple[bool, int, int]:
    """Return what stretches are filled by: as they end, what is owed after all others."""
    return window.soon, window.end, window.begin

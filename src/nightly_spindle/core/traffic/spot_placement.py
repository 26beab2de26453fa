"""The placing: which spots air in which of the coming breaks.

Every order becomes units, each with the stretch of breaks that serves it and an ideal place in
that: the balanced rhythm, whose k-th of n over m places is (k + phase) * m / n. The phase of an
order moves on by the golden ratio from day to day, so that it does not come at the same hour every
day, and orders do not all want the same break. What a unit costs is how far it lies from its ideal,
in spacings, and whether the break prefers other categories; not placing one costs more than that
ever could, by importance.

What stands already stays where it may (a small change of orders moves few spots); what is fixed by
hand stays in any case. Units are put in by importance; where there is no room, others are moved
(augmenting paths, as in bipartite matching), and only then is what weighs less given up. At the end
units and pairs of them are moved as long as that lowers the cost.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.traffic.coming_breaks import BreakCalendar
from nightly_spindle.core.traffic.order_quotas import QuotaWindow, shut_out
from nightly_spindle.core.traffic.placed_units import PlacedUnits, outwards
from nightly_spindle.core.traffic.placement_retries import Retries
from nightly_spindle.core.traffic.placement_room import Room, Seeker, Unit, room_only
from nightly_spindle.core.traffic.placement_shortfalls import Shortfall, why_short
from nightly_spindle.core.traffic.placement_swaps import Swaps
from nightly_spindle.core.traffic.placement_wants import covers, ideals, missing, spacing, standing
from nightly_spindle.core.traffic.spot_demand import Demand
from nightly_spindle.core.traffic.spot_order import seated
from nightly_spindle.core.traffic.spot_plan import Booking

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator


_TRIES = 12  # full breaks that are looked at for one that could be moved out of them
_DEPTH = 2  # how many are moved at most to make room for one
_MOVES = 60_000  # tries in all to move one: where all is sold out nearly all of them are in vain
_VISITS = 12_000  # of units at the end, to lower the cost; a count, so that it is repeatable
_PUSH_FROM = 0.15  # a gain from which on it is tried to push another away for it
_WORTH = 1e-6


@dataclass(frozen=True, slots=True)
class SpotPlacement:
    """The outcome. `cost` is the mean cost of a placed spot (0: each where it lies best).

    `moved` counts spots that stood and stand elsewhere now, or not at all.
    """

    bookings: tuple[Booking, ...]
    short: tuple[Shortfall, ...]
    cost: float
    moved: int


def place_spots(
    calendar: BreakCalendar, orders: Iterable[Demand], stands: Iterable[Booking] = ()
) -> SpotPlacement:
    """Place what is wanted over the breaks of a calendar that are still to come."""
    return _Placer(calendar, list(orders), list(stands)).run()


@dataclass(slots=True)
class _Placer:
    calendar: BreakCalendar
    orders: list[Demand]
    stands: list[Booking]
    room: Room = field(init=False)
    placed: PlacedUnits = field(init=False)
    waiting: list[Unit] = field(default_factory=list)
    left: list[Unit] = field(default_factory=list)  # those for which there is no room
    fresh: set[Unit] = field(default_factory=set)  # those that did not stand before
    _moves: int = _MOVES
    _hopeless: set[tuple[int, QuotaWindow]] = field(default_factory=set)

    def run(self) -> SpotPlacement:
        """Place all units."""
        places = self.calendar.places
        liked = {word for place in places for word in (*place.likes, *place.seats)}
        self.room = Room(places, frozenset(liked - {""}))
        self.placed = PlacedUnits(self.calendar, self.room)
        seekers = self._seekers()
        stood = self._keep(seekers)
        self._want(seekers)
        self.waiting.sort(key=_first_served)
        at = 0
        while at < len(self.waiting):  # what is given up for another waits anew
            self._insert(self.waiting[at])
            at += 1
        retries = Retries(self.placed, self.left)
        retries.run()
        self.left = retries.left
        self.fresh |= retries.moved
        self._improve()
        self._use_what_was_freed()
        return self._outcome(seekers, stood)

    # -- what there is, what is wanted ---

    def _seekers(self) -> list[Seeker]:
        apart: dict[str, int] = defaultdict(int)
        for order in self.orders:
            group = order.campaign.group
            apart[group] = max(apart[group], round(order.campaign.options.rivals_s * US))
        found = []
        for order in self.orders:
            campaign = order.campaign
            seeker = Seeker(
                campaign,
                order.quota.open,
                round(order.length_s * US),
                round(campaign.options.apart_s * US),
                apart[campaign.group],
                campaign.rank,
                campaign.group,
                campaign.category,
            )
            self.room.heard(seeker, (*order.heard[-20:], *order.given))
            found.append(seeker)
        return found

    def _keep(self, seekers: list[Seeker]) -> dict[int, set[int]]:
        """Put what stands already back where it may stay; returns where it stood."""
        stood: dict[int, set[int]] = defaultdict(set)
        index_of, now = self.calendar.index, self.calendar.now
        for booking in self.stands:
            index = index_of.get(booking.key)
            if index is not None and index >= now:
                stood[booking.campaign].add(index)
        kept: list[tuple[Unit, int]] = []
        for order, seeker in zip(self.orders, seekers, strict=True):
            pins = [at for key in order.campaign.pins if (at := index_of.get(key, -1)) >= now]
            kept += standing(order.quota, seeker, self.calendar, stood[seeker.id], pins)
        kept.sort(key=lambda one: (not one[0].fixed, -one[0].seeker.rank))
        for unit, at in kept:
            if unit.fixed or self.room.free(unit.seeker, unit.seeker.open[at]):
                self.placed.put(unit, at)
        return stood

    def _want(self, seekers: list[Seeker]) -> None:
        """Make the units that are still to be placed."""
        there: dict[tuple[int, QuotaWindow], list[Unit]] = defaultdict(list)
        for unit in self.placed:
            there[unit.seeker.id, unit.window].append(unit)
        for order, seeker in zip(self.orders, seekers, strict=True):
            given = list(order.given)
            for window in order.quota.windows:
                lack = window.wanted - len(there[seeker.id, window])
                if lack <= 0:
                    continue
                free = ideals(seeker, window, self.calendar)
                free = missing(free, there[seeker.id, window])
                for instant in list(given):
                    if free and covers(seeker, window, self.calendar, instant):
                        given.remove(instant)
                        free.pop()
                apart = spacing(seeker, window, self.calendar)
                made = [Unit(seeker, window, ideal, apart) for ideal in free]
                self.waiting += made
                self.fresh.update(made)

    # -- putting in ---

    def _insert(self, unit: Unit) -> None:
        """Put a unit into the best break there is, making room where there is none."""
        mark = (unit.seeker.id, unit.window)
        at = self.placed.best(unit)
        if at is not None:
            self.placed.put(unit, at)
        elif mark in self._hopeless or not (self._move_over(unit, _DEPTH) or self._give_up(unit)):
            self._hopeless.add(mark)
            self.left.append(unit)

    def _move_over(self, unit: Unit, depth: int, seen: set[int] | None = None) -> bool:
        """Put a unit into a full break by moving another out of it."""
        seen = set() if seen is None else seen
        for at, index in self._full(unit, seen):
            seen.add(index)
            for other in list(self.room.inside[index]):
                if other.fixed or other.seeker is unit.seeker:
                    continue
                if self._moves <= 0:
                    return False
                self._moves -= 1
                was = self.placed.take(other)
                to = None
                if self.room.fits(unit.seeker.length_us, index):
                    to = self.placed.best(other, but=seen)  # none may slip into a seat just freed
                    if to is None and depth > 1 and self._move_over(other, depth - 1, seen):
                        to = other.at
                        self.placed.take(other)
                if to is not None:
                    self.placed.put(other, to)
                    if self.room.free(unit.seeker, index):
                        self.placed.put(unit, at)
                        return True
                    self.placed.take(other)
                self.placed.put(other, was)
        return False

    def _full(self, unit: Unit, seen: set[int]) -> Iterator[tuple[int, int]]:
        """Return the nearest breaks that a unit is kept out of by room alone."""
        tries = 0
        for at in outwards(unit):
            index = unit.seeker.open[at]
            if index in seen or not room_only(self.room.stops(unit.seeker, index)):
                continue
            yield at, index
            tries += 1
            if tries >= _TRIES:
                return

    def _give_up(self, unit: Unit) -> bool:
        """Put a unit in place of one that weighs less, which waits anew."""
        best: tuple[int, Unit, int] | None = None
        for at in outwards(unit):
            index = unit.seeker.open[at]
            if self.room.keeps_off(unit.seeker, index) is not None:
                continue
            for other in self.room.inside[index]:
                weighs = other.seeker.rank
                if other.fixed or weighs >= unit.seeker.rank or (best and weighs >= best[0]):
                    continue
                if self._frees(other, unit, index):
                    best = (weighs, other, at)
        if best is None:
            return False
        _, other, at = best
        self.placed.take(other)
        self.placed.put(unit, at)
        self.waiting.append(Unit(other.seeker, other.window, other.ideal, other.spacing))
        return True

    def _frees(self, other: Unit, unit: Unit, index: int) -> bool:
        """Whether a unit would fit if another went."""
        was = self.placed.take(other)
        fits = self.room.free(unit.seeker, index)
        self.placed.put(other, was)
        return fits

    def _use_what_was_freed(self) -> None:
        """Put units that are left into breaks that others moved out of meanwhile."""
        self.left.sort(key=_first_served)
        still = []
        for unit in self.left:
            at = self.placed.best(unit)
            if at is None:
                still.append(unit)
            else:
                self.placed.put(unit, at)
        self.left = still

    # -- lowering the cost ---

    def _improve(self) -> None:
        """Move units, and swap pairs, as long as that lowers the cost; what stood is left alone."""
        visits, gained = 0, True
        swaps = Swaps(self.placed, self.fresh, _WORTH, _TRIES)
        while gained and visits < _VISITS:
            gained = False
            costly = [
                unit
                for unit in self.placed
                if unit in self.fresh and self.room.cost(unit, unit.at) > _WORTH
            ]
            costly.sort(key=lambda unit: -self.room.cost(unit, unit.at))
            visits += len(costly) + 1
            for unit in costly:
                gained |= self._move(unit) or self._swap(unit, swaps)

    def _move(self, unit: Unit) -> bool:
        """Move a unit to where it costs less."""
        cost = self.room.cost(unit, unit.at)
        was = self.placed.take(unit)
        at = self.placed.best(unit, cost - _WORTH)
        self.placed.put(unit, was if at is None else at)
        return at is not None

    def _swap(self, unit: Unit, swaps: Swaps) -> bool:
        """Swap a unit with one nearer to its ideal, where both together cost less then."""
        cost = self.room.cost(unit, unit.at)
        for other, at, back, gain, both, push in swaps.pairs(unit, cost, _PUSH_FROM):
            if both and self._swapped(unit, other, at, back):
                return True
            if push and self._pushed(unit, other, at, gain):
                return True
        return False

    def _pushed(self, unit: Unit, other: Unit, at: int, gain: float) -> bool:
        """Give a unit the place of another, which goes where it is cheapest, if that pays."""
        room = self.room
        under = room.cost(other, other.at) + gain - _WORTH
        mine, theirs = self.placed.take(unit), self.placed.take(other)
        if room.free(unit.seeker, unit.seeker.open[at]):
            self.placed.put(unit, at)
            to = self.placed.best(other, under)
            if to is not None:
                self.placed.put(other, to)
                return True
            self.placed.take(unit)
        self.placed.put(other, theirs)
        self.placed.put(unit, mine)
        return False

    def _swapped(self, unit: Unit, other: Unit, at: int, back: int) -> bool:
        """Let two units change places, if they may."""
        room = self.room
        mine, theirs = self.placed.take(unit), self.placed.take(other)
        if room.free(unit.seeker, unit.seeker.open[at]):
            self.placed.put(unit, at)
            if room.free(other.seeker, other.seeker.open[back]):
                self.placed.put(other, back)
                return True
            self.placed.take(unit)
        self.placed.put(other, theirs)
        self.placed.put(unit, mine)
        return False

    # -- the outcome ---

    def _outcome(self, seekers: list[Seeker], stood: dict[int, set[int]]) -> SpotPlacement:
        places = self.calendar.places
        bookings = [
            booking
            for index, units in enumerate(self.room.inside)
            if units
            for booking in seated(places[index], units)
        ]
        now_in: dict[int, set[int]] = defaultdict(set)
        cost = 0.0
        for unit in self.placed:
            now_in[unit.seeker.id].add(unit.place)
            cost += self.room.cost(unit, unit.at)
        moved = sum(len(was - now_in[number]) for number, was in stood.items())
        lacking: dict[int, list[Unit]] = defaultdict(list)
        for unit in self.left:
            lacking[unit.seeker.id].append(unit)
        short = [
            why_short(order, seeker, lacking[seeker.id], self.room)
            for order, seeker in zip(self.orders, seekers, strict=True)
            if lacking[seeker.id]
            or order.quota.wanted > sum(w.wanted for w in order.quota.windows)
            or (not seeker.open and shut_out(order.campaign, self.calendar))
        ]
        return SpotPlacement(tuple(bookings), tuple(short), cost / max(1, len(self.placed)), moved)


def _first_served(unit: Unit) -> tuple[int, bool, float, int]:
    """Return what decides who is placed first: weight, then who has little choice."""
    return (
        -unit.seeker.rank,
        unit.spacing >= 3.0,
        (unit.ideal - unit.window.begin) / max(1, unit.window.end - unit.window.begin),
        unit.seeker.id,
    )

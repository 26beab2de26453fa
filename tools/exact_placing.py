"""The exact optimum of placing spots, by SciPy's mixed-integer optimiser, for cases small enough.

The cost is the placing's own (`placement_room`): how far each spot lies from its ideal place,
what breaks prefer, and 50 for one that is not placed.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import csr_array

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.traffic.placement_room import Room, Seeker, Unit
from nightly_spindle.core.traffic.placement_wants import ideals, spacing

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence

    from nightly_spindle.core.traffic.campaigns import Campaign
    from nightly_spindle.core.traffic.coming_breaks import BreakCalendar
    from nightly_spindle.core.traffic.spot_demand import Demand

UNPLACED = 50.0
Variable = tuple[int, "Campaign", int]  # a unit, its campaign, a break


def exact_cost(calendar: BreakCalendar, orders: Sequence[Demand], seats: int) -> tuple[float, int]:
    """Return the least cost there is, and how many spots are wanted."""
    room = Room(calendar.places, frozenset(w for p in calendar.places for w in p.likes))
    variables: list[Variable] = []
    cost: list[float] = []
    units = 0
    for order in orders:
        one = order.campaign
        apart = round(one.options.apart_s * US)
        seeker = Seeker(one, order.quota.open, 0, apart, 0, 1, one.group, one.category)
        for window in order.quota.windows:
            for ideal in ideals(seeker, window, calendar):
                unit = Unit(seeker, window, ideal, spacing(seeker, window, calendar))
                for at in range(window.begin, window.end):
                    variables.append((units, one, seeker.open[at]))
                    cost.append(room.cost(unit, at) - UNPLACED)
                units += 1
    if not variables:  # no break is open to any of them
        return UNPLACED * units, units
    matrix, limits = _rules(calendar, orders, seats, units, variables)
    found = milp(
        np.array(cost),
        constraints=LinearConstraint(matrix, ub=limits),
        integrality=np.ones(len(cost), np.int64),
        bounds=Bounds(0, 1),
    )
    if not found.success:
        raise ArithmeticError(found.message)
    return float(found.fun) + UNPLACED * units, units


def _rules(
    calendar: BreakCalendar,
    orders: Sequence[Demand],
    seats: int,
    units: int,
    variables: Sequence[Variable],
) -> tuple[np.ndarray, np.ndarray]:
    """Return the rules that may not be broken, as rows of sums and what each may come to."""
    rows: list[list[float]] = []
    limits: list[float] = []

    def at_most(limit: float, counts: Callable[[Variable], bool]) -> None:
        rows.append([float(counts(variable)) for variable in variables])
        limits.append(limit)

    for number in range(units):
        at_most(1, lambda v, n=number: v[0] == n)  # type: ignore[misc]
    groups = {order.campaign.group for order in orders} - {""}
    for index, place in enumerate(calendar.places):
        at_most(seats, lambda v, i=index: v[2] == i)  # type: ignore[misc]
        for group in groups:
            at_most(1, lambda v, i=index, g=group: v[2] == i and v[1].group == g)  # type: ignore[misc]
        for order in orders:
            apart = max(1, order.campaign.options.apart_s * US)
            near = {i for i, p in enumerate(calendar.places) if 0 <= p.at_us - place.at_us < apart}
            at_most(1, lambda v, c=order.campaign, n=near: v[1] is c and v[2] in n)  # type: ignore[misc]
            if order.campaign.group:
                _keep_off_rivals(calendar, orders, order.campaign, index, at_most)
    return np.array(rows), np.array(limits)


def _keep_off_rivals(
    calendar: BreakCalendar,
    orders: Sequence[Demand],
    one: Campaign,
    index: int,
    at_most: Callable[[float, Callable[[Variable], bool]], None],
) -> None:
    """Keep competitors of a campaign in one break off from the breaks that are too near.

    The larger of what the two ask for holds, as the longest of a group does for all of it.
    """
    group = [order.campaign for order in orders if order.campaign.group == one.group]
    apart = max(rival.options.rivals_s for rival in group) * US
    here = calendar.places[index].at_us
    near = [
        other
        for other, place in enumerate(calendar.places)
        if other != index and abs(place.at_us - here) < apart
    ]
    for rival in group:
        for other in near if rival is not one else ():
            there = {(one.id, index), (rival.id, other)}
            at_most(1, lambda v, t=there: (v[1].id, v[2]) in t)  # type: ignore[misc]


def most_spots(
    calendar: BreakCalendar, orders: Sequence[Demand], seats: int, seconds: float
) -> float:
    """Return what no placing has more spots than, as far as that is known after so long.

    Many orders at once: what an order wants is counted by its windows, so that there is one
    variable for each order and break. Competitors are kept out of one break; how far they are to be
    from one another is left out, so with competitors the answer may be more than there can be.
    """
    columns = [(order, index) for order in orders for index in order.quota.open]
    rows = list(_sums(calendar, columns, seats))
    sides = [(row, column) for row, (found, _) in enumerate(rows) for column in found]
    where = ([row for row, _ in sides], [column for _, column in sides])
    matrix = csr_array((np.ones(len(sides)), where), shape=(len(rows), len(columns)))
    found = milp(
        -np.ones(len(columns)),
        constraints=LinearConstraint(matrix, ub=np.array([limit for _, limit in rows])),
        integrality=np.ones(len(columns), np.int64),
        bounds=Bounds(0, 1),
        options={"time_limit": seconds},
    )
    assert found.mip_dual_bound is not None
    return float(np.floor(-found.mip_dual_bound + 1e-6))


def _sums(
    calendar: BreakCalendar, columns: Sequence[tuple[Demand, int]], seats: int
) -> Iterator[tuple[list[int], float]]:
    """Give the columns of each sum, and what it may come to at most."""
    by_break: dict[int, list[int]] = {}
    by_order: dict[int, list[int]] = {}
    for column, (order, index) in enumerate(columns):
        by_break.setdefault(index, []).append(column)
        by_order.setdefault(order.campaign.id, []).append(column)
    for found in by_break.values():
        yield found, seats
        groups: dict[str, list[int]] = {}
        for column in found:
            groups.setdefault(columns[column][0].campaign.group, []).append(column)
        yield from ((rivals, 1) for group, rivals in groups.items() if group)
    at = [place.at_us for place in calendar.places]
    for found in by_order.values():
        order = columns[found[0]][0]
        yield from (
            (found[window.begin : window.end], window.wanted) for window in order.quota.windows
        )
        apart = max(1, order.campaign.options.apart_s * US)
        for first, column in enumerate(found):
            begins = at[columns[column][1]]
            yield [c for c in found[first:] if at[columns[c][1]] - begins < apart], 1

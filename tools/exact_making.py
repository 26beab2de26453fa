"""The least that soft distances can cost, found exactly: SciPy's mixed-integer programming."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import lil_matrix

if TYPE_CHECKING:
    from collections.abc import Callable


def least_cost(
    seats: int, items: int, alike: Callable[[int, int], list[tuple[float, list[set[int]]]]]
) -> float:
    """Return the least sum of costs of pairs when every seat gets one of the items.

    `alike(p, q)` gives for two seats a list of (cost, groups): sets of items that must not sit in
    both; each pair of seats with two items of one group costs that much.
    """
    pairs = [
        (p, q, cost, group)
        for p in range(seats)
        for q in range(p + 1, seats)
        for cost, groups in alike(p, q)
        for group in groups
    ]
    size = seats * items + len(pairs)
    costs = np.zeros(size)
    rules = lil_matrix((seats + len(pairs), size))
    low, high = np.full(seats + len(pairs), -np.inf), np.ones(seats + len(pairs))
    for p in range(seats):
        rules[p, p * items : (p + 1) * items] = 1
        low[p] = 1
    for at, (p, q, cost, group) in enumerate(pairs):
        costs[seats * items + at] = cost
        for item in group:
            rules[seats + at, p * items + item] = 1
            rules[seats + at, q * items + item] = 1
        rules[seats + at, seats * items + at] = -1
    found = milp(
        costs,
        constraints=LinearConstraint(rules.tocsr(), low, high),
        integrality=np.ones(size, np.int64),
        bounds=Bounds(0, 1),
        options={"time_limit": 300},
    )
    assert found.status == 0, found.message
    return float(found.fun)

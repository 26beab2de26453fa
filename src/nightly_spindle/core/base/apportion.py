"""Sharing places out by weights: how many each gets, and whose turn it is next.

The number of places each gets is Sainte-Laguë's (Webster's) apportionment: divide by 1, 3, 5 ...
(A. Sainte-Laguë, 1910). Whose turn is next comes from R. Tijdeman, "The chairman assignment
problem", Discrete Mathematics 32 (1980): at every moment each has had its exact share to within
less than one place, so any stretch, an hour among them, is even to within less than two.
Both from memory; the tests check the bounds.
"""

from __future__ import annotations

from heapq import heapify, heapreplace
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence


def sainte_lague(weights: Sequence[float], places: int) -> list[int]:
    """Return how many of the places each weight gets; ties go to the first.

    Weights are 0 or more; all zero gives nothing to anybody.
    """
    shares = [0] * len(weights)
    heap = [(-weight, at) for at, weight in enumerate(weights) if weight > 0]
    heapify(heap)
    for _ in range(places if heap else 0):
        at = heap[0][1]
        shares[at] += 1
        heapreplace(heap, (-weights[at] / (2 * shares[at] + 1), at))
    return shares


def next_turn(weights: Sequence[float], had: Sequence[int]) -> int | None:
    """Return whose turn it is after each has `had` so many places; None when all weights are 0.

    Of those that are due without getting ahead of their share, the one that must come soonest.
    """
    total = sum(weights)
    sharing = [at for at, weight in enumerate(weights) if weight > 0]
    if not sharing:
        return None
    if len(sharing) == 1:
        return sharing[0]
    slack = 1 / (2 * len(sharing) - 2)
    number = sum(had[at] for at in sharing) + 1
    lacks = {at: weights[at] / total * number - had[at] for at in sharing}
    due = [at for at in sharing if lacks[at] >= slack - 1e-9]
    if not due:  # what was had was not shared out by these weights: the one that lacks most
        return max(sharing, key=lambda at: (lacks[at], -at))
    return min(due, key=lambda at: ((1 - slack - lacks[at]) * total / weights[at], at))

"""Landing on time: which pieces to leave out and which to add, so that a sum comes out right.

Given the lengths of what may be left out and of what may be added, choose the cheapest change
whose sum comes within a tolerance of a target. It is a 0/1 knapsack with an exact sum, solved
by dynamic programming over a grid of tenths of a second (Bellman; Kellerer, Pferschy and
Pisinger, Knapsack Problems, 2004, chapter 2): exact but for the rounding of each length to the
grid, at most 0.05 s for each piece.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

GRID_S = 0.1
_MOST_OUT_S = 1500.0  # more than this is not left out
_OFF_COST = 1 / 20  # per second beside the target: what landing nearer is worth


@dataclass(frozen=True, slots=True)
class Piece:
    """Something to leave out or to add: how long it is, and what doing so costs."""

    length_s: float
    cost: float


@dataclass(frozen=True, slots=True)
class Fit:
    """What is to be left out (places), what is added (group, place in it), and how it comes out.

    `off_s` is the sum's distance from the target, by the true lengths; positive is too long.
    """

    out: tuple[int, ...]
    added: tuple[tuple[int, int], ...]
    cost: float
    off_s: float


def fit(
    target_s: float,
    tolerance_s: float,
    removable: Sequence[Piece],
    groups: Sequence[Sequence[Piece]],
) -> Fit:
    """Return the cheapest change of length by `target_s`, within the tolerance if there is one.

    Any of `removable` may be left out; of each group at most one piece is added (pieces of one
    artist, say). Where nothing comes within the tolerance, the nearest that is worth its cost.
    """
    least = -min(_MOST_OUT_S, sum(piece.length_s for piece in removable))
    low = _cells(min(least, target_s - tolerance_s))
    high = _cells(max(0.0, target_s + tolerance_s) - least) + 1
    width = high - low + 1
    costs = np.full(width, np.inf, dtype=np.float64)
    costs[-low] = 0.0
    taken: list[NDArray[np.int16]] = []
    for piece in removable:
        costs, choice = _step(costs, [piece], -1)
        taken.append(choice)
    for group in groups:
        costs, choice = _step(costs, group, 1)
        taken.append(choice)
    at = _best(costs, low, target_s, tolerance_s)
    return _traced(at, low, costs, taken, removable, groups, target_s)


def _cells(seconds: float) -> int:
    return round(seconds / GRID_S)


def _step(
    costs: NDArray[np.float64], pieces: Sequence[Piece], sign: int
) -> tuple[NDArray[np.float64], NDArray[np.int16]]:
    """Allow one of the pieces on top of every sum; returns costs and which was taken (0: none)."""
    best = costs.copy()
    choice = np.zeros(len(costs), dtype=np.int16)
    for number, piece in enumerate(pieces, 1):
        by = _cells(piece.length_s)
        if by <= 0 or by >= len(costs):
            continue
        source, goal = (slice(None, -by), slice(by, None))
        if sign < 0:
            source, goal = goal, source
        reached = costs[source] + piece.cost
        better = reached < best[goal]
        best[goal][better] = reached[better]
        choice[goal][better] = number
    return best, choice


def _best(costs: NDArray[np.float64], low: int, target_s: float, tolerance_s: float) -> int:
    """Return the cell to end in: the cheapest within the tolerance, the nearer of equals."""
    off = np.abs((np.arange(len(costs)) + low) * GRID_S - target_s)
    # a tenth for the rounding of the last piece: it is the true sum that has to fit
    inside = np.flatnonzero((off <= max(tolerance_s - GRID_S, GRID_S)) & np.isfinite(costs))
    if len(inside):
        return int(inside[np.argmin(costs[inside] + off[inside] * 1e-3)])
    return int(np.argmin(costs + off * _OFF_COST))


def _traced(
    at: int,
    low: int,
    costs: NDArray[np.float64],
    taken: Sequence[NDArray[np.int16]],
    removable: Sequence[Piece],
    groups: Sequence[Sequence[Piece]],
    target_s: float,
) -> Fit:
    cost = float(costs[at])
    out: list[int] = []
    added: list[tuple[int, int]] = []
    total = 0.0
    for step in range(len(taken) - 1, -1, -1):
        number = int(taken[step][at])
        if not number:
            continue
        if step < len(removable):
            piece = removable[step]
            out.append(step)
            total -= piece.length_s
            at += _cells(piece.length_s)
        else:
            group = step - len(removable)
            piece = groups[group][number - 1]
            added.append((group, number - 1))
            total += piece.length_s
            at -= _cells(piece.length_s)
    assert at == -low
    return Fit(tuple(reversed(out)), tuple(reversed(added)), cost, total - target_s)

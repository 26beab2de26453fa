"""Landing on time: which lines to leave out and what to add, so that an event comes at its time.

Lines follow each other; the event may come behind any of some of them. Given the lengths of the
lines and of what may be added, the changes are sought that bring the event within a tolerance of
its time, the cheapest first. Small changes are all looked at, with the true lengths: any four lines
left out, two with something added, one with two added. Larger ones come from a 0/1 knapsack with an
exact sum, solved by dynamic programming over a grid of tenths of a second (Bellman; Kellerer,
Pferschy and Pisinger, Knapsack Problems, 2004, chapter 2): exact but for the rounding of each
length, at most 0.05 s a piece.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import combinations
from math import comb, inf

import numpy as np
from numpy.typing import NDArray

GRID_S = 0.1
STAYS = inf  # the cost of a line that may not be left out
_OFF_COST = 1 / 20  # per second beside the time: what landing nearer is worth
_MOST_OUT, _MOST_SETS = 4, 40_000  # lines left out together, and sets of them, that are looked at
_OUT_WITH = (_MOST_OUT, 2, 1)  # lines left out with nothing, one, and two added
_ENOUGH = 3  # changes that land: dearer ones need not be looked at
_TIE = 1e-3  # for a second: of two that cost the same the nearer one


@dataclass(frozen=True, slots=True)
class Piece:
    """A line, or something to add: how long it is, and what leaving it out or adding it costs."""

    length_s: float
    cost: float


@dataclass(frozen=True, slots=True)
class Stretch:
    """The lines up to an event, and beyond, in order; `total_s` is how long it is till its time.

    `ends` says behind how many lines it may come, and what each costs; `groups` what may be added,
    at most one piece of each group (songs of one artist, say).
    """

    total_s: float
    tolerance_s: float
    lines: Sequence[Piece]
    ends: Sequence[tuple[int, float]]
    groups: Sequence[Sequence[Piece]] = ()

    def free(self, end: int) -> int:
        """Return of how many first lines any may be left out where the event comes behind `end`.

        Not of the last: that is another end, unless there is none before.
        """
        return end if end == min(self.ends)[0] else end - 1

    def length_s(self, end: int) -> float:
        """Return how long its first lines are."""
        return sum(line.length_s for line in self.lines[:end])


@dataclass(frozen=True, slots=True)
class Fit:
    """What is left out (places), what is added (group, place in it), and how it comes out.

    The event comes behind the first `end` lines, without those left out. `off_s` is how late it
    comes (early: below 0), by the true lengths.
    """

    out: tuple[int, ...]
    added: tuple[tuple[int, int], ...]
    cost: float
    off_s: float
    end: int = 0


def fits(stretch: Stretch, most: int) -> list[Fit]:
    """Return up to so many changes that bring the event within its tolerance, cheapest first.

    Where none does: the nearest that are worth their cost.
    """
    found = _small_changes(stretch, most)
    least = min((one.cost for one in found if abs(one.off_s) <= stretch.tolerance_s), default=inf)
    if least > _least_of_large(stretch):
        found += _large_changes(stretch)
    inside = [one for one in found if abs(one.off_s) <= stretch.tolerance_s]
    if inside:
        inside.sort(key=lambda one: one.cost + abs(one.off_s) * _TIE)
        return inside[:most]
    found.sort(key=lambda one: one.cost + abs(one.off_s) * _OFF_COST)
    return found[:most]


# -- small changes: all of them ----------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class _Sets:
    """Sets of lines or pieces: their numbers (rows padded with -1), lengths, costs, the last."""

    members: NDArray[np.int64]
    length_s: NDArray[np.float64]
    cost: NDArray[np.float64]
    last: NDArray[np.int64]
    size: NDArray[np.int64]


def _sets(places: Sequence[int], pieces: Sequence[Piece], most: int) -> _Sets:
    """Return all sets of up to so many of some pieces."""
    known = np.array(places, np.int64)
    members = np.full((1, most), -1, np.int64)
    for many in range(1, min(most, len(known)) + 1):
        if many == 2:  # there may be many pairs
            chosen = np.stack(np.triu_indices(len(known), 1), axis=1)
        else:
            chosen = np.array(list(combinations(range(len(known)), many)))
        more = np.full((len(chosen), most), -1, np.int64)
        more[:, :many] = known[chosen]
        members = np.concatenate([members, more])
    lengths = np.array([*(one.length_s for one in pieces), 0.0])
    costs = np.array([*(one.cost for one in pieces), 0.0])
    return _Sets(
        members,
        lengths[members].sum(axis=1),
        costs[members].sum(axis=1),
        members.max(axis=1, initial=-1),
        (members >= 0).sum(axis=1),
    )


def _outs(stretch: Stretch) -> _Sets:
    places = [at for at, line in enumerate(stretch.lines) if line.cost < STAYS]
    many = _MOST_OUT
    while many > 1 and comb(len(places), many) > _MOST_SETS:
        many -= 1
    return _sets(places, stretch.lines, many)


def _small_changes(stretch: Stretch, most: int) -> list[Fit]:
    """Return the best of all small changes; within the tolerance, or the nearest."""
    flat = [
        (group, place) for group, some in enumerate(stretch.groups) for place in range(len(some))
    ]
    pieces = [stretch.groups[group][place] for group, place in flat]
    outs = _outs(stretch)
    adds = _sets(range(len(pieces)), pieces, 2 if len(pieces) < 300 else 1)
    if adds.members.shape[1] == 2:
        # of each group only one
        of = np.array([*(group for group, _ in flat), -1])
        alike = (adds.size == 2) & (of[adds.members[:, 0]] == of[adds.members[:, 1]])
        adds = _picked(adds, ~alike)
    found: list[Fit] = []
    for many_out, many_in in _classes(stretch, outs, adds):
        out, add = _picked(outs, outs.size == many_out), _picked(adds, adds.size == many_in)
        enough = sorted(one.cost for one in found if abs(one.off_s) <= stretch.tolerance_s)[
            :_ENOUGH
        ]
        if len(enough) == _ENOUGH and enough[-1] < _least(out) + _least(add):
            break  # all that is left costs more
        for end, extra in stretch.ends:
            free = _picked(out, out.last < stretch.free(end))
            off = (stretch.length_s(end) - stretch.total_s) - free.length_s[:, None]
            off = off + add.length_s[None, :]
            cost = extra + free.cost[:, None] + add.cost[None, :]
            for row, column in _best_of(off, cost, stretch.tolerance_s, most):
                found.append(
                    Fit(
                        tuple(int(n) for n in free.members[row] if n >= 0),
                        tuple(flat[n] for n in add.members[column] if n >= 0),
                        float(cost[row, column]),
                        float(off[row, column]),
                        end,
                    )
                )
    return found


def _classes(stretch: Stretch, outs: _Sets, adds: _Sets) -> list[tuple[int, int]]:
    """Return the sizes of changes (left out, added), those that may cost least first."""
    out = min((line.cost for line in stretch.lines), default=inf)
    add = min((piece.cost for group in stretch.groups for piece in group), default=inf)
    sizes = [
        (many_out, many_in)
        for many_in in range(adds.members.shape[1] + 1)
        for many_out in range(min(_OUT_WITH[many_in], outs.members.shape[1]) + 1)
        if (not many_out or out < inf) and (not many_in or add < inf)
    ]
    return sorted(sizes, key=lambda size: (size[0] and size[0] * out) + (size[1] and size[1] * add))


def _least(sets: _Sets) -> float:
    return float(sets.cost.min(initial=inf))


def _picked(sets: _Sets, which: NDArray[np.bool_]) -> _Sets:
    return _Sets(
        sets.members[which],
        sets.length_s[which],
        sets.cost[which],
        sets.last[which],
        sets.size[which],
    )


def _best_of(
    off: NDArray[np.float64], cost: NDArray[np.float64], tolerance_s: float, most: int
) -> list[tuple[int, int]]:
    """Return the places of the cheapest within the tolerance, else of the nearest alone."""
    if not off.size:
        return []
    far = np.abs(off)
    inside = np.flatnonzero(far <= tolerance_s)
    if len(inside):
        worth = cost.ravel()[inside] + far.ravel()[inside] * _TIE
        many = min(most, len(worth))
        best = inside[np.argpartition(worth, many - 1)[:many]]
    else:
        best = np.array([np.argmin(cost + far * _OFF_COST)])
    return [divmod(int(place), off.shape[1]) for place in best]


# -- large changes -----------------------------------------------------------------------------


def _least_of_large(stretch: Stretch) -> float:
    """Return what a change costs at least that is none of the small ones."""
    out = min((line.cost for line in stretch.lines), default=inf)
    add = min((piece.cost for group in stretch.groups for piece in group), default=inf)
    more = [many + 1 for many in _OUT_WITH]
    return min(more[0] * out, more[1] * out + add, more[2] * out + 2 * add, 3 * add)


def _large_changes(stretch: Stretch) -> list[Fit]:
    """Return the cheapest change of any size for each end, where one may be within the tolerance.

    One table for all ends: what may be added first, then the lines in order, each kept or left out.
    """
    width = round((stretch.total_s + stretch.tolerance_s) / GRID_S) + 2
    costs = np.full(max(width, 1), np.inf)
    costs[0] = 0.0
    taken: list[_Taken] = []
    for number, group in enumerate(stretch.groups):
        costs, choice = _with_one(costs, group)
        taken.append(_Taken(choice, [_cells(piece.length_s) for piece in group], number))
    extras, found = dict(stretch.ends), []
    if 0 in extras:
        found += _read(stretch, 0, extras[0], costs, taken)
    at_s = 0.0
    for place, line in enumerate(stretch.lines):
        # where it ends, not how long it is, is rounded: so kept lines add up without an error
        by = _cells(at_s + line.length_s) - _cells(at_s)
        at_s += line.length_s
        kept = np.full(len(costs), np.inf)
        kept[by:] = costs[: max(0, len(costs) - by)]
        out = costs + line.cost
        costs, choice = np.minimum(kept, out), (kept <= out).astype(np.int16)
        taken.append(_Taken(choice, [by], -1))
        if place + 1 in extras:
            found += _read(stretch, place + 1, extras[place + 1], costs, taken)
    return found


@dataclass(frozen=True, slots=True)
class _Taken:
    """A step of the table: which piece was taken to come to each sum (0: none), its cells.

    `group` is -1 for a line, which is taken where it is kept.
    """

    choice: NDArray[np.int16]
    cells: Sequence[int]
    group: int


def _cells(seconds: float) -> int:
    return round(seconds / GRID_S)


def _with_one(
    costs: NDArray[np.float64], pieces: Sequence[Piece]
) -> tuple[NDArray[np.float64], NDArray[np.int16]]:
    """Allow one of the pieces on top of every sum; returns costs and which was taken."""
    best = costs.copy()
    choice = np.zeros(len(costs), dtype=np.int16)
    for number, piece in enumerate(pieces, 1):
        by = _cells(piece.length_s)
        if 0 < by < len(costs):
            reached = costs[:-by] + piece.cost
            better = reached < best[by:]
            best[by:][better] = reached[better]
            choice[by:][better] = number
    return best, choice


def _read(
    stretch: Stretch, end: int, extra: float, costs: NDArray[np.float64], taken: Sequence[_Taken]
) -> list[Fit]:
    """Return the cheapest change whose sum is within the tolerance, if there is one."""
    off = np.abs(np.arange(len(costs)) * GRID_S - stretch.total_s)
    # a tenth for rounding: it is the true sum that has to fit
    reach = max(stretch.tolerance_s - GRID_S, GRID_S)
    inside = np.flatnonzero((off <= reach) & np.isfinite(costs))
    if not len(inside):
        return []
    at = int(inside[np.argmin(costs[inside] + off[inside] * _TIE)])
    cost = float(costs[at]) + extra
    out: list[int] = []
    added: list[tuple[int, int]] = []
    for step in range(len(taken) - 1, -1, -1):
        one = taken[step]
        number = int(one.choice[at])
        if one.group < 0 and not number:
            out.append(step - len(stretch.groups))
        elif one.group >= 0 and number:
            added.append((one.group, number - 1))
        at -= one.cells[number - 1] if number else 0
    total = stretch.length_s(end) - sum(stretch.lines[place].length_s for place in out)
    total += sum(stretch.groups[group][place].length_s for group, place in added)
    return [Fit(tuple(reversed(out)), tuple(reversed(added)), cost, total - stretch.total_s, end)]

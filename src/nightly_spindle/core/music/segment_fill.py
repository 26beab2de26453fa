"""Filling the seats of a segment: one after the other, the last two together so that it lands.

The last two songs are chosen as a pair: of all pairs of the best candidates the one whose lengths
add up to what is left, at the least cost. Then the segment is improved by local search: songs are
replaced, swapped, and now and then put aside for others, as long as the sum gets less.
"""

from __future__ import annotations

from itertools import combinations
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.music.rule_costs import FIRM
from nightly_spindle.core.music.scarcity import DEAR, SPARE

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.music.candidate_costs import CandidateCosts, Judged
    from nightly_spindle.core.music.segment_draft import SegmentDraft

_BEST = 32  # candidates for each of a pair: by cost alone, and by cost and length
_NEAR_S = 20.0  # so far from the length that is wanted costs as much as a soft rule of weight 1
_EASY_S = 12.0  # a song so much longer or shorter than the mean is easily found
_ASIDE = 0.1  # what a length costs that is `_NEAR_S` aside, while others are to come
_EDGE = 0.9  # of the tolerance: nearer to its edge a segment is landed again
_SEATS = 40  # seats that may get another song so that a segment lands
_OTHERS = 10  # songs looked at for each
_TRIES = 40  # pairs of them that are tried
_PAIRS = 16  # pairs looked at exactly
_INSIDE = 0.3  # what landing at the very edge of the tolerance costs
_OUTSIDE = 10.0  # what landing outside costs besides, for each tolerance that it is off
_GAIN = 1e-6
_WORTH_WHILE = _INSIDE + 0.1  # what rules and landing may cost and nothing is improved
_LOOK = 0.3  # what looking at one song counts, against looking at a category
_FIRM_EFFORT = 6  # looks more for each song where a firm rule would be broken
_MENDS = 4  # times that what breaks firm rules is gone through
_ASIDE_MOST = 4  # songs that are put aside together, 2 at least
_ASIDE_IN_TURN = 1.0  # the same where few may come next
TOGETHER = 6  # last seats of a scarce category that are filled together
_SETS = 16  # choices of songs for them that are looked at exactly
_PARTINGS = 16  # swaps that are tried so that a song does not stand next to its like
_ALIKE = 30.0  # what two of a group next to each other count, in a choice of songs
_IN_ORDER = 0.01  # what a place in the turn counts, against a soft rule of weight 1
_AGAIN = 6  # a seat that is put aside gets one of so many of the next best


def landing_cost(off_s: np.ndarray | float, tolerance_s: float) -> np.ndarray:
    """Return what landing off by so much (s) costs, against a soft rule of weight 1."""
    far = np.abs(off_s) / tolerance_s
    return np.where(far <= 1, _INSIDE * far, _INSIDE + _OUTSIDE * far)


class Filler:
    """Fills and improves one draft; `effort`: looks at a category that it has for each song."""

    def __init__(
        self, draft: SegmentDraft, choice: CandidateCosts, rng: np.random.Generator, effort: float
    ) -> None:
        self.draft = draft
        self.choice = choice
        self._rng = rng
        self._effort = effort
        self._left = 0.0
        self._ruled = 0.0  # what rules came to when songs were chosen

    @property
    def _scarce(self) -> bool:
        """Whether all its music has to come in turn: then there is little to search."""
        draft = self.draft
        return all(draft.seats[at].need.category in self.choice.scarcity for at in draft.music)

    def fill(self) -> float:
        """Fill every empty music seat, then improve; returns what rules cost, about."""
        empty = [place for place in self.draft.music if self.draft.seats[place].row < 0]
        for at, place in enumerate(empty):
            if self._may_end_here(empty[at:]):
                self._fill_end(empty[at:])
                break
            if len(empty) - at == 2:
                self._fill_pair(place, empty[at + 1])
                break
            self._fill_one(place, len(empty) - at)
        self._land_by_two()
        off = float(landing_cost(self.draft.off_s, self.draft.segment.tolerance_s))
        if self._ruled + off > _WORTH_WHILE:
            self._left = self._effort * len(empty)
            if self._ruled >= FIRM or (off > _INSIDE and not self._scarce):
                self._left += _FIRM_EFFORT * len(self.draft.music)
            self._improve()
            self._land_by_two()
            self._shake()
            if self._ruled >= FIRM:
                self.mend()
            self._land_by_two()
        if self._scarce:
            self._part_neighbours()
        return self._ruled

    # -- one and two seats -----

    def _judged(self, place: int) -> Judged:
        """Return what may sit in an empty seat, and what each costs there."""
        seat = self.draft.seats[place]
        self._left -= 1
        return self.choice.judged(self.draft.lines, seat.at_s, seat.need.category)

    def _with_landing(self, place: int, rows: np.ndarray, costs: np.ndarray) -> np.ndarray:
        draft = self.draft
        change = draft.table.length_s[rows] - draft.seats[place].lasts_s
        total: np.ndarray = costs + landing_cost(draft.off_s + change, draft.segment.tolerance_s)
        return total

    def _seat(self, place: int, row: int, ruled: float) -> None:
        self.draft.put(place, row)
        self._ruled += ruled

    def _fill_one(self, place: int, left: int) -> None:
        """Fill one seat of so many that are left; what is too long or short is shared by all."""
        found = self._judged(place)
        if left == 1:
            costs = self._with_landing(place, found.rows, found.costs)
        else:
            costs = found.costs + self._aside(place, left, found.rows)
        best = int(costs.argmin())
        self._seat(place, int(found.rows[best]), float(found.ruled[best]))

    def _aside(self, place: int, left: int, rows: np.ndarray) -> np.ndarray:
        """Return what lengths cost that leave too much to the songs that are still to come."""
        draft = self.draft
        change = -draft.off_s / left
        if abs(change) < _EASY_S:
            return np.zeros(len(rows))
        wanted = draft.seats[place].lasts_s + change
        weight = (
            _ASIDE_IN_TURN if draft.seats[place].need.category in self.choice.scarcity else _ASIDE
        )
        found: np.ndarray = weight * np.abs(draft.table.length_s[rows] - wanted) / _NEAR_S
        return found

    def _fill_pair(self, first: int, second: int) -> None:
        draft, lengths = self.draft, self.draft.table.length_s
        one, two = self._judged(first), self._judged(second)
        known = draft.seats[first].lasts_s + draft.seats[second].lasts_s
        half = (known - draft.off_s) / 2
        best_a, best_b = self._offered(one, half), self._offered(two, half)
        a, b = one.rows[best_a], two.rows[best_b]
        off = draft.off_s - known + lengths[a][:, None] + lengths[b][None, :]
        total = one.costs[best_a][:, None] + two.costs[best_b][None, :]
        total = total + landing_cost(off, draft.segment.tolerance_s)
        total[a[:, None] == b[None, :]] = np.inf
        found: tuple[float, int, int, float] | None = None
        for place in _smallest(total.ravel(), _PAIRS):
            at_a, at_b = divmod(int(place), len(b))
            if found is not None and total[at_a, at_b] >= found[0]:
                break
            ruled = float(one.ruled[best_a][at_a])
            cost, more = self._exact(first, second, int(a[at_a]), int(b[at_b]))
            cost += float(one.costs[best_a][at_a])
            if found is None or cost < found[0]:
                found = (cost, int(a[at_a]), int(b[at_b]), ruled + more)
        assert found is not None
        self._seat(first, found[1], found[3])
        self._seat(second, found[2], 0.0)

    # -- the last seats of a category that is scarce -----

    def _may_end_here(self, empty: Sequence[int]) -> bool:
        """Whether these are the last seats, to be filled together, of what has to be in turn."""
        category = self.draft.seats[empty[0]].need.category
        alike = all(self.draft.seats[at].need.category == category for at in empty)
        return 1 < len(empty) <= TOGETHER and alike and category in self.choice.scarcity

    def _fill_end(self, empty: Sequence[int]) -> None:
        """Fill the last seats with those whose turn it is, as many as there are seats and a few.

        Where only a few may come next, a pair of them seldom lands; of all the choices of six out
        of ten one nearly always does.
        """
        draft, lengths = self.draft, self.draft.table.length_s
        seat = draft.seats[empty[0]]
        turn = self.choice.scarcity.in_turn(draft.lines, seat.at_s, seat.need.category)
        turn = turn[: len(empty) + SPARE]
        if len(turn) < len(empty):
            for at, place in enumerate(empty):
                self._fill_one(place, len(empty) - at)
            return
        sets = np.array(list(combinations(range(len(turn)), len(empty))))
        known = sum(draft.seats[place].lasts_s for place in empty)
        off = draft.off_s - known + lengths[turn][sets].sum(axis=1)
        ahead = landing_cost(off, draft.segment.tolerance_s) + _IN_ORDER * sets.sum(axis=1)
        ahead += _ALIKE * self.choice.scarcity.alike(seat.need.category, turn[sets])
        best: tuple[float, list[int]] | None = None
        for at in _smallest(ahead, _SETS):
            cost, rows = self._in_best_order(empty, turn[sets[at]])
            if best is None or cost < best[0]:
                best = cost, rows
        assert best is not None
        for place, row in zip(empty, best[1], strict=True):
            draft.put(place, row)

    def _in_best_order(self, empty: Sequence[int], rows: np.ndarray) -> tuple[float, list[int]]:
        """Return what rows cost in these seats, how they land too, and in which order."""
        draft, left = self.draft, list(map(int, rows))
        expected = [draft.seats[place].expected_s for place in empty]
        chosen: list[int] = []
        cost = 0.0
        for place in empty:
            found = self._judged(place)
            costs = dict(zip(found.rows.tolist(), found.costs.tolist(), strict=True))
            row = min(left, key=costs.__getitem__)
            cost += costs[row]
            left.remove(row)
            chosen.append(row)
            draft.put(place, row)
        cost += float(landing_cost(draft.off_s, draft.segment.tolerance_s))
        for place, seconds in zip(empty, expected, strict=True):
            draft.take(place)
            draft.seats[place].expected_s = seconds
        draft.seat_times()
        return cost, chosen

    def _part_neighbours(self) -> None:
        """Swap two songs where one stands next to its like, or out of its turn, if that is less.

        Where most are of one artist much of that cannot be helped: only so many swaps are tried.
        """
        draft, tries = self.draft, _PARTINGS
        dear = [at for at in draft.music if self._here(at)[0] >= DEAR]
        if not dear:
            return
        rows = np.array([[draft.seats[at].row for at in draft.music]])
        together = self.choice.scarcity.alike(draft.seats[dear[0]].need.category, rows)[0]
        if len(dear) <= 2 * together:
            return  # so many have to stand together
        for first in dear:
            before = self.total()
            for second in draft.music:
                a, b = draft.seats[first], draft.seats[second]
                if a.need.category != b.need.category or a.row == b.row:
                    continue
                if tries <= 0:
                    return
                tries -= 1
                if self._swapped(first, second, before):
                    break

    def _here(self, place: int) -> tuple[float, float]:
        """Return what the song in a seat costs there, and how much of that are rules."""
        draft, seat = self.draft, self.draft.seats[place]
        draft.lines.remove(seat.at_s, seat.row)
        found = self.choice.one(draft.lines, seat.at_s, seat.need.category, seat.row)
        draft.lines.insert(seat.at_s, seat.row)
        return found

    def _offered(self, judged: Judged, length_s: float) -> np.ndarray:
        """Return the places of the cheapest, and of the cheapest that are about so long."""
        far = np.abs(self.draft.table.length_s[judged.rows] - length_s) / _NEAR_S
        near = _smallest(judged.costs + far, _BEST)
        return np.unique(np.concatenate([_smallest(judged.costs, _BEST), near]))

    def _exact(self, first: int, second: int, row_a: int, row_b: int) -> tuple[float, float]:
        """Return what the second of a pair costs with the first one seated; rules of it apart."""
        draft = self.draft
        expected = draft.seats[first].lasts_s
        draft.put(first, row_a)
        seat = draft.seats[second]
        cost, ruled = self.choice.one(draft.lines, seat.at_s, seat.need.category, row_b)
        rows, costs = np.array([row_b]), np.array([cost])
        found = float(self._with_landing(second, rows, costs)[0])
        draft.take(first)
        draft.seats[first].expected_s = expected
        draft.seat_times()
        return found, ruled

    def _land_by_two(self) -> None:
        """Put others into any two seats so that the segment lands, where it does not."""
        draft = self.draft
        tolerance = draft.segment.tolerance_s
        if abs(draft.off_s) <= tolerance * _EDGE or len(draft.music) < 2 or self._scarce:
            return
        places, rows, costs = self._others(draft.music[-_SEATS:])
        longer = draft.table.length_s[rows] - [draft.seats[at].length_s for at in places]
        off = draft.off_s + longer[:, None] + longer[None, :]
        total = costs[:, None] + costs[None, :] + landing_cost(off, tolerance)
        total[(places[:, None] == places[None, :]) | (rows[:, None] == rows[None, :])] = np.inf
        stays = float(landing_cost(draft.off_s, tolerance))
        for pair in _smallest(total.ravel(), _TRIES):
            one, two = divmod(int(pair), len(rows))
            if total[one, two] >= stays - _GAIN:
                return
            seats = int(places[one]), int(places[two])
            if self._exchanged(seats, (int(rows[one]), int(rows[two]))):
                return

    def _exchanged(self, places: tuple[int, int], rows: tuple[int, int]) -> bool:
        """Put other songs into two seats where that is better; returns whether it is."""
        draft = self.draft
        were = tuple(draft.seats[place].row for place in places)
        lasted = tuple(draft.seats[place].length_s for place in places)
        before = self._cost_of(places, were, lasted)
        if self._cost_of(places, rows, (None, None)) < before - _GAIN:
            return True
        self._cost_of(places, were, lasted)
        return False

    def _cost_of(
        self, places: Sequence[int], rows: Sequence[int], lengths: Sequence[float | None]
    ) -> float:
        """Seat rows, whatever sat there; returns what they cost there, and how all lands."""
        draft, cost = self.draft, 0.0
        for place in places:
            draft.take(place)
        for place, row, length in zip(places, rows, lengths, strict=True):
            seat = draft.seats[place]
            cost += self.choice.one(draft.lines, seat.at_s, seat.need.category, row)[0]
            draft.put(place, row, length)
        self._left -= _LOOK * len(places)
        return cost + float(landing_cost(draft.off_s, draft.segment.tolerance_s))

    def _others(self, places: Sequence[int]) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
        """Return what else may sit in seats: seat, row, and how much more it costs there."""
        draft = self.draft
        seats, rows, costs = [], [], []
        for place in places:
            lasted, row = draft.seats[place].length_s, draft.take(place)
            found = self._judged(place)
            seat = draft.seats[place]
            own, _ = self.choice.one(draft.lines, seat.at_s, seat.need.category, row)
            best = _smallest(found.costs, _OTHERS)
            best = best[found.ruled[best] < FIRM]
            seats.append(np.full(len(best), place))
            rows.append(found.rows[best])
            costs.append(found.costs[best] - own)
            draft.put(place, row, lasted)
        return np.concatenate(seats), np.concatenate(rows), np.concatenate(costs)

    # -- local search -----

    def total(self) -> float:
        """Return what the music of the segment costs, and how it lands."""
        self._left -= _LOOK * len(self.draft.music)
        draft, music, cost = self.draft, self.draft.music, 0.0
        rows = {place: draft.seats[place].row for place in music}
        for place in music:
            draft.lines.remove(draft.seats[place].at_s, rows[place])
        for place in music:
            seat = draft.seats[place]
            cost += self.choice.one(draft.lines, seat.at_s, seat.need.category, rows[place])[0]
            draft.lines.insert(seat.at_s, rows[place])
        return cost + float(landing_cost(draft.off_s, draft.segment.tolerance_s))

    def _improve(self) -> None:
        """Replace and swap songs until nothing gets better, or the effort is over."""
        better = True
        while better and self._left > 0:
            better = False
            for place in self.draft.music:
                better |= self._left > 0 and self._replace(place)
            if not better and self._left > 0:
                better = self._swap_any()

    def _replace(self, place: int) -> bool:
        """Put the best song into a seat; returns whether it is another one."""
        draft = self.draft
        here = draft.seats[place]
        lasted = here.length_s
        row = draft.take(place)
        found = self._judged(place)
        rows, costs = found.rows, self._with_landing(place, found.rows, found.costs)
        seat = draft.seats[place]
        own, _ = self.choice.one(draft.lines, seat.at_s, seat.need.category, row)
        stays = float(self._with_landing(place, np.array([row]), np.array([own]))[0])
        best = int(costs.argmin())
        if costs[best] >= stays - _GAIN:
            draft.put(place, row, lasted)
            return False
        draft.put(place, int(rows[best]))
        return True

    def mend(self) -> bool:
        """Replace whatever breaks a firm rule still, whatever effort is left.

        Returns whether anything was replaced.
        """
        done = False
        for _ in range(_MENDS):
            broken = [place for place, ruled in self._costs_of_rules() if ruled >= FIRM]
            mended = False
            for place in broken:
                mended |= self._replace(place)
            done |= mended
            if not mended:
                break
        return done

    def _swap_any(self) -> bool:
        """Swap a song that breaks a rule with another of its category, where that is better."""
        draft = self.draft
        before = self.total()
        for first in self._costly():
            for second in draft.music:
                a, b = draft.seats[first], draft.seats[second]
                if a.need.category != b.need.category or a.row == b.row:
                    continue
                if self._left <= 0:
                    return False
                if self._swapped(first, second, before):
                    return True
        return False

    def _costly(self) -> list[int]:
        """Return the seats whose songs break a rule where they are."""
        self._left -= _LOOK * len(self.draft.music)
        return [place for place, ruled in self._costs_of_rules() if ruled > 0]

    def _costs_of_rules(self) -> list[tuple[int, float]]:
        """Return for each music seat what rules cost there now."""
        return [(place, self._here(place)[1]) for place in self.draft.music]

    def _swapped(self, first: int, second: int, before: float) -> bool:
        draft = self.draft
        rows = draft.rows()
        wanted = list(rows)
        wanted[first], wanted[second] = rows[second], rows[first]
        draft.seat_all(wanted)
        if self.total() < before - _GAIN:
            return True
        draft.seat_all(rows)
        return False

    def _shake(self) -> None:
        """Put a few songs aside for others now and then, and keep what gets better by it."""
        music = self.draft.music
        while self._left > 0 and len(music) > 2:
            before, rows = self.total(), self.draft.rows()
            many = int(self._rng.integers(2, min(len(music), _ASIDE_MOST) + 1))
            for place in self._rng.choice(music, many, replace=False):
                self._put_another(int(place))
            self._improve()
            if self.total() > before - _GAIN:
                self.draft.seat_all(rows)

    def _put_another(self, place: int) -> None:
        self.draft.take(place)
        found = self._judged(place)
        best = _smallest(self._with_landing(place, found.rows, found.costs), _AGAIN)
        self.draft.put(place, int(found.rows[self._rng.choice(best)]))


def _smallest(values: np.ndarray, many: int) -> np.ndarray:
    """Return the places of the smallest values, smallest first."""
    many = min(many, len(values))
    found = np.argpartition(values, many - 1)[:many]
    return found[np.argsort(values[found], kind="stable")]

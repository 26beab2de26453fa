"""What it costs to put items at an instant: every rule, over many items at once.

The one place that says when a rule is broken. A pair of plays that are too near counts once for
each rule, whichever of the two is asked about, so that what is gained by taking one out and
putting another in is the difference of two answers. Firm rules cost `FIRM` each.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Protocol

import numpy as np

from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_columns import NEVER
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.music.rotation_columns import RotationColumns

FIRM = 1e6
_NEARLY = 2e-6  # what a play within the margin of a firm time costs, against one within the time
_STEEP = 3  # how much faster what a shortfall counts grows than the shortfall
_MOST_SHORT = 1e6
_REACH = 8  # songs on each side that are looked at for rows of a trait, at least


@dataclass(slots=True)
class View:
    """An instant (s) among what else airs, the line asked about not among it."""

    lines: PlayColumns
    at_s: float
    wall: LocalHours
    music: np.ndarray
    places: dict[float, slice] = field(default_factory=dict)
    known: dict[tuple[int, int], list[int]] = field(default_factory=dict)

    def songs(self, step: int, many: int) -> list[int]:
        """Return the rows of the songs before (-1) or after (1), nearest first."""
        found = self.known.get((step, many))
        if found is None:
            place = self.lines.place(self.at_s)
            # links and breaks lie between: twice as many lines are enough
            part = (
                self.lines.row[max(0, place - 2 * many) : place][::-1]
                if step < 0
                else (self.lines.row[place : place + 2 * many])
            )
            found = self.known[step, many] = part[self.music[part]][:many].tolist()
        return found

    def near(self, reach_s: float) -> slice:
        """Return the places of the lines that start within less than so long of it."""
        found = self.places.get(reach_s)
        if found is None:
            found = self.lines.within(self.at_s - reach_s, self.at_s + reach_s)
            self.places[reach_s] = found
        return found


class Judge(Protocol):
    """Says how often each row would break a rule; None for none of them."""

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        """Return how often, one number a row."""
        ...


@dataclass(frozen=True, slots=True)
class Term:
    """One rule as it is judged. `own` says that it is the item's own, not the station's."""

    rule: RotationRule
    judge: Judge
    cost: float
    own: str = ""

    @property
    def words(self) -> str:
        """What it says, in words."""
        return self.own or self.rule.sentence()


class RuleCosts:
    """Judges items by rules. Plays less than `margin_s` over a firm time apart cost a little."""

    def __init__(
        self,
        table: RotationColumns,
        rules: Sequence[RotationRule],
        wall: LocalHours,
        margin_s: float = 0.0,
    ) -> None:
        self.wall = wall
        self.table = table
        self.terms = [_own_hours(table)]
        self.terms += _own_counts(table)
        for rule in rules:
            margin = margin_s if rule.firm else 0.0
            cost = FIRM if rule.firm else rule.weight
            self.terms.append(Term(rule, _judge(table, rule, margin), cost))

    def costs(self, lines: PlayColumns, at_s: float, rows: np.ndarray) -> np.ndarray:
        """Return what each row costs at an instant (s)."""
        view = View(lines, at_s, self.wall, self.table.music)
        total = np.zeros(len(rows))
        for term in self.terms:
            found = term.judge(view, rows)
            if found is not None:
                total += found * term.cost
        return total

    def told(self, lines: PlayColumns, at_s: float, row: int) -> list[tuple[Term, float]]:
        """Return the rules that a row breaks at an instant, and what each costs."""
        view, rows = View(lines, at_s, self.wall, self.table.music), np.array([row])
        broken = []
        for term in self.terms:
            found = term.judge(view, rows)
            if found is not None and found[0] > 0:
                broken.append((term, float(found[0]) * term.cost))
        return broken


def _judge(table: RotationColumns, rule: RotationRule, margin_s: float) -> Judge:
    if rule.apart:
        return _Apart(table, rule, margin_s)
    if rule.kind is RuleSubject.PLAYS:
        return _PlaysADay(table, rule)
    if rule.kind is RuleSubject.YESTERDAY:
        return _Yesterday(table, rule, np.full(table.size, rule.seconds))
    return _Run(table, rule)


def _category(table: RotationColumns, rule: RotationRule) -> np.ndarray | None:
    """Return which rows a rule is about, None for all."""
    name = rule.category.strip().casefold()
    return table.inside.get(name, np.zeros(table.size, bool)) if name else None


def _outside(inside: np.ndarray | None, rows: np.ndarray) -> bool:
    """Whether a rule of a category is about none of these rows."""
    return inside is not None and not inside[rows].any()


def _of_category(found: np.ndarray, inside: np.ndarray | None, rows: np.ndarray) -> np.ndarray:
    """Return what was found, nothing for rows that a rule of a category is not about."""
    if inside is not None:
        found = found * inside[rows]
    return found


def shortfall(far_s: np.ndarray, wanted_s: float) -> np.ndarray:
    """Return what two plays that are alike count, so far apart (s) where a firm rule wants more.

    1 just under what is wanted, the more the nearer: one play next to another of the same artist is
    worse than many that are apart by half of what is wanted.
    """
    found: np.ndarray = np.minimum(_MOST_SHORT, (wanted_s / np.maximum(far_s, 1.0)) ** _STEEP)
    return found


class _Apart:
    """Two plays that are alike in something, nearer than a time."""

    def __init__(self, table: RotationColumns, rule: RotationRule, margin_s: float) -> None:
        self._groups = table.groups[rule.kind]
        self._columns = [np.ascontiguousarray(column) for column in self._groups.T]
        self._asked: np.ndarray | None = None
        self._own: list[np.ndarray] = []
        self._counts = np.zeros(int(self._groups.max(initial=0)) + 1)
        self._inside = _category(table, rule)
        self._seconds = rule.seconds
        self._margin_s = margin_s
        self._firm = rule.firm

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        if len(self._counts) == 1 or _outside(self._inside, rows):
            return None
        places = view.near(self._seconds + self._margin_s)
        near = view.lines.row[places]
        if not near.size:
            return None
        often: np.ndarray | float = 1.0
        if self._firm:
            far_s = np.abs(view.lines.at[places] - view.at_s)
            often = np.where(far_s >= self._seconds, _NEARLY, shortfall(far_s, self._seconds))
        if self._inside is not None:
            often = often * self._inside[near]
        counts = self._counts
        if len(self._columns) == 1:
            marks = self._columns[0][near]
        else:
            marks = self._groups[near]
            often = often if isinstance(often, float) else often[:, None]
        np.add.at(counts, marks, often)
        counts[0] = 0.0
        if rows is not self._asked:  # the same rows are asked for again and again
            self._asked, self._own = rows, [column[rows] for column in self._columns]
        found = counts[self._own[0]]
        for own in self._own[1:]:
            # artists in common with one other play count once, however many they are
            np.maximum(found, counts[own], out=found)
        counts[marks] = 0.0
        return _of_category(found, self._inside, rows)


class _PlaysADay:
    """More plays on a broadcast day than are allowed."""

    def __init__(self, table: RotationColumns, rule: RotationRule | None) -> None:
        self._most = table.most_a_day if rule is None else np.full(table.size, rule.amount)
        self._inside = _category(table, rule) if rule is not None else None
        self._counts = np.zeros(table.size)

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        if _outside(self._inside, rows):
            return None
        begin, end = view.wall.broadcast_day(view.at_s)
        today = view.lines.row[view.lines.within(begin - 1e-3, end)]
        np.add.at(self._counts, today, 1.0)
        most = self._most[rows]
        found = (self._counts[rows] >= most) & (most > 0)
        self._counts[today] = 0.0
        return _of_category(found * 1.0, self._inside, rows)


class _Yesterday:
    """Plays near the same time of the day before, or after."""

    def __init__(
        self, table: RotationColumns, rule: RotationRule | None, seconds: np.ndarray
    ) -> None:
        self._seconds = seconds
        self._reach_s = float(seconds.max(initial=0.0))
        self._inside = _category(table, rule) if rule is not None else None
        self._counts = np.zeros(table.size)

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        if _outside(self._inside, rows):
            return None
        near: list[np.ndarray] = []
        for days in (-1, 1):
            there = view.wall.same_time(view.at_s, days)
            places = view.lines.within(there - self._reach_s, there + self._reach_s)
            found = view.lines.row[places]
            near.append(found[np.abs(view.lines.at[places] - there) < self._seconds[found]])
        both = np.concatenate(near)
        if not both.size:
            return None
        np.add.at(self._counts, both, 1.0)
        counted = self._counts[rows]
        self._counts[both] = 0.0
        return _of_category(counted, self._inside, rows)


class _Rest:
    """An item that has not rested as long as it says itself."""

    def __init__(self, table: RotationColumns) -> None:
        self._table = table
        self._reach_s = float(table.rest_s.max(initial=0.0))
        self._counts = np.zeros(table.size)

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        places, rest = view.near(self._reach_s), self._table.rest_s
        near = view.lines.row[places]
        near = near[np.abs(view.lines.at[places] - view.at_s) < rest[near]]
        np.add.at(self._counts, near, 1.0)
        counted = self._counts[rows]
        self._counts[near] = 0.0
        # what aired before everything that is looked at
        early: np.ndarray = (view.at_s - self._table.heard_s[rows] < rest[rows]) * 1.0
        found: np.ndarray = np.maximum(counted, early)
        return found


class _Run:
    """Songs in a row with the same trait; only music counts as one after the other."""

    def __init__(self, table: RotationColumns, rule: RotationRule) -> None:
        name, _, value = (part.strip().casefold() for part in rule.trait.partition("="))
        none: tuple[np.ndarray, dict[str, int]] = (np.zeros(table.size, np.int64), {})
        column, numbers = table.traits.get(name, none)
        if value:
            column = (column == numbers.get(value, -1)).astype(np.int64)
        self._column, self._most = column, round(rule.amount)
        self._values = [int(one) for one in column]  # single ones are asked for one by one
        self._extra = np.zeros(int(column.max(initial=0)) + 1)
        self._inside = _category(table, rule)

    def _next_to(self, rows: Sequence[int]) -> tuple[int, int]:
        """Return the value of the songs next to an instant, and how many have it in a row."""
        value = run = 0
        for row in rows:
            if self._inside is not None and not self._inside[row]:
                continue
            found = self._values[row]
            if not found or (run and found != value):
                break
            value, run = found, run + 1
        return value, run

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        if len(self._extra) == 1 or _outside(self._inside, rows):
            return None
        reach = max(_REACH, 2 * self._most)
        before, m = self._next_to(view.songs(-1, reach))
        after, n = self._next_to(view.songs(1, reach))
        extra, most = self._extra, self._most
        extra[before] = max(0, m + 1 - most) - max(0, m - most)
        extra[after] = max(0, n + 1 - most) - max(0, n - most)
        if before == after:
            extra[before] = max(0, m + n + 1 - most) - max(0, m - most) - max(0, n - most)
        extra[0] = 0.0
        found = extra[self._column[rows]]
        extra[before] = extra[after] = 0.0
        return _of_category(found, self._inside, rows)


class _OwnHours:
    """An item outside of its own hours and days."""

    def __init__(self, table: RotationColumns) -> None:
        self._table = table
        self._known: dict[tuple[int, int], np.ndarray] = {}
        self._needed = bool(table.closed) or bool(
            (np.abs(table.first_day) < 10**6).any() or (np.abs(table.last_day) < 10**6).any()
        )

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        if not self._needed:
            return None
        hour, day = view.wall.hour_of_week(view.at_s), view.wall.calendar_day(view.at_s)
        found = self._known.get((hour, day))
        if found is None:
            table = self._table
            closed = (table.first_day > day) | (table.last_day < day)
            for row, bits in table.closed.items():
                closed[row] |= not bits >> hour & 1
            found = self._known[hour, day] = closed * 1.0
        closed_rows: np.ndarray = found[rows]
        return closed_rows


def _own_hours(table: RotationColumns) -> Term:
    return Term(
        RotationRule(), _OwnHours(table), FIRM, "It may not air at this hour or on this day."
    )


def _own_counts(table: RotationColumns) -> list[Term]:
    """Return what items say themselves of how often they come, where any does."""
    found = []
    if table.most_a_day.any():
        own = "It aired as often today as it may."
        found.append(Term(RotationRule(), _PlaysADay(table, None), FIRM, own))
    if table.rest_s.any():
        found.append(
            Term(RotationRule(), _Rest(table), FIRM, "It has not rested as long as it is to.")
        )
    if table.yesterday_s.any():
        own = "It aired near this time yesterday."
        found.append(Term(RotationRule(), _Yesterday(table, None, table.yesterday_s), FIRM, own))
    return found


def turn_costs(
    lines: PlayColumns, table: RotationColumns, at_s: float, rows: np.ndarray, wanted_s: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Return how much too early each row comes round, 0 to 2, and how long it has rested (s).

    `wanted_s` is for each row the time between two plays that would be even. Plays before and
    after count; what they would cost each other without it between is taken off, so that the sum
    over all plays is one figure.
    """
    reach_s = float(wanted_s.max(initial=0.0))
    reach = lines.within(at_s - reach_s, at_s + reach_s)
    middle = lines.place(at_s)
    last = table.heard_s.copy()
    last[lines.row[reach.start : middle]] = lines.at[reach.start : middle]
    after = np.full(table.size, -2.0 * NEVER)
    after[lines.row[middle : reach.stop][::-1]] = lines.at[middle : reach.stop][::-1]
    before_s, after_s = at_s - last[rows], after[rows] - at_s
    early = np.maximum(0.0, 1 - before_s / wanted_s) + np.maximum(0.0, 1 - after_s / wanted_s)
    return early - np.maximum(0.0, 1 - (before_s + after_s) / wanted_s), before_s

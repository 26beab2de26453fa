"""What it costs to put items at an instant: every rule, over many items at once.

The one place that says when a rule is broken. A pair of plays that are too near counts once for
each rule, whichever of the two is asked about, so that what is gained by taking one out and
putting another in is the difference of two answers. Firm rules cost `FIRM` each.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Protocol

import numpy as np

from nightly_spindle.core.music.plays_apart import PlaysApart
from nightly_spindle.core.music.rotation_columns import NEVER
from nightly_spindle.core.music.rotation_rules import (
    HEARD_OFTEN,
    NOT_NOW,
    NOT_RESTED,
    YESTERDAY_TOO,
    RotationRule,
    RuleSubject,
)

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.calendar.local_hours import LocalHours
    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_columns import RotationColumns

FIRM = 1e6
_LATELY = 6  # sets of rows that are remembered
_REACH = 8  # songs on each side that are looked at for rows of a trait, at least


class View:
    """An instant (s) among what else airs, the line asked about not among it.

    What several rules look at is worked out once.
    """

    def __init__(
        self, lines: PlayColumns, at_s: float, wall: LocalHours, music: np.ndarray
    ) -> None:
        self.lines, self.at_s, self.wall = lines, at_s, wall
        self.at, self.row = lines.at, lines.row
        self._music = music
        self._near: dict[float, tuple[slice, np.ndarray]] = {}
        self._songs: dict[tuple[int, int, int], list[int]] = {}

    def songs(self, step: int, many: int, inside: np.ndarray | None) -> list[int]:
        """Return the rows of the songs before (-1) or after (1), nearest first.

        `inside` says which rows count, None for all songs.
        """
        key = step, many, id(inside)
        found = self._songs.get(key)
        if found is None:
            place = self.lines.place(self.at_s)
            rows = self.row[:place][::-1] if step < 0 else self.row[place:]
            among = self._music if inside is None else inside & self._music
            # links and breaks lie between: twice as many lines are enough, mostly
            found, reach = [], 2 * many
            while len(found) < many:
                part = rows[:reach]
                found = part[among[part]][:many].tolist()
                if reach >= len(rows):
                    break
                reach *= 4
            self._songs[key] = found
        return found

    def near(self, reach_s: float) -> tuple[slice, np.ndarray]:
        """Return the places and rows of the lines that start within less than so long of it."""
        found = self._near.get(reach_s)
        if found is None:
            places = self.lines.within(self.at_s - reach_s, self.at_s + reach_s)
            found = self._near[reach_s] = places, self.row[places]
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
    own: str = ""

    @property
    def cost(self) -> float:
        """What breaking it once costs."""
        return _cost(self.rule)

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
        self._wall = wall
        self._table = table
        self._apart = tuple(rule for rule in rules if rule.apart)
        self._apart_costs = np.array([_cost(rule) for rule in self._apart])
        self._too_near = PlaysApart(table, self._apart, margin_s)
        self._terms = [_own_hours(table), *_own_counts(table)]
        self._terms += [Term(rule, _judge(table, rule)) for rule in rules if not rule.apart]

    def costs(self, lines: PlayColumns, at_s: float, rows: np.ndarray) -> np.ndarray:
        """Return what each row costs at an instant (s)."""
        view = View(lines, at_s, self._wall, self._table.music)
        near = self._too_near.counts(lines, at_s, rows)
        total: np.ndarray = np.zeros(len(rows)) if near is None else self._apart_costs @ near
        for term in self._terms:
            found = term.judge(view, rows)
            if found is not None:
                total += found * term.cost
        return total

    def told(self, lines: PlayColumns, at_s: float, row: int) -> list[tuple[str, float]]:
        """Return the rules that a row breaks at an instant, in words, and what each costs."""
        view, rows = View(lines, at_s, self._wall, self._table.music), np.array([row])
        broken = []
        near = self._too_near.counts(lines, at_s, rows)
        for rule, often in zip(self._apart, () if near is None else near[:, 0], strict=False):
            if often > 0:
                broken.append((rule.sentence(), float(often) * _cost(rule)))
        for term in self._terms:
            found = term.judge(view, rows)
            if found is not None and found[0] > 0:
                broken.append((term.words, float(found[0]) * term.cost))
        return broken


def _cost(rule: RotationRule) -> float:
    return FIRM if rule.firm else rule.weight


def _judge(table: RotationColumns, rule: RotationRule) -> Judge:
    if rule.kind is RuleSubject.PLAYS:
        return _PlaysADay(table, rule)
    if rule.kind is RuleSubject.YESTERDAY:
        return _Yesterday(table, rule, np.full(table.size, rule.seconds))
    return _Run(table, rule)


def _category(table: RotationColumns, rule: RotationRule) -> np.ndarray | None:
    """Return which rows a rule is about, None for all."""
    name = rule.category.strip().casefold()
    return table.inside.get(name, np.zeros(table.size, bool)) if name else None


@dataclass(slots=True)
class _Rows:
    """Rows that are asked about, as a rule sees them: their marks, and which it is about."""

    marks: np.ndarray
    inside: np.ndarray | None

    def of(self, found: np.ndarray) -> np.ndarray:
        """Return what was found, nothing for rows that the rule is not about."""
        return found if self.inside is None else found * self.inside


class _Asked:
    """The rows that were asked about lately: the same few are, again and again."""

    def __init__(self, marks: np.ndarray, inside: np.ndarray | None) -> None:
        self._marks, self._inside = marks, inside
        self._lately: list[tuple[np.ndarray, _Rows | None]] = []

    def about(self, rows: np.ndarray) -> _Rows | None:
        """Return the rows as the rule sees them, None where it is about none of them."""
        for known, found in self._lately:
            if known is rows:
                return found
        found = None
        inside = None if self._inside is None else self._inside[rows]
        if inside is None or inside.any():
            found = _Rows(self._marks[rows], inside)
        if len(rows) > 1:  # a single one comes but once
            self._lately = [(rows, found), *self._lately[: _LATELY - 1]]
        return found


class _PlaysADay:
    """More plays on a broadcast day than are allowed."""

    def __init__(self, table: RotationColumns, rule: RotationRule | None) -> None:
        self._most = table.most_a_day if rule is None else np.full(table.size, rule.amount)
        self._asked = _Asked(self._most, _category(table, rule) if rule is not None else None)
        self._counts = np.zeros(table.size)

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        asked = self._asked.about(rows)
        if asked is None:
            return None
        begin, end = view.wall.broadcast_day(view.at_s)
        today = view.lines.row[view.lines.within(begin - 1e-3, end)]
        np.add.at(self._counts, today, 1.0)
        most = asked.marks
        found = (self._counts[rows] >= most) & (most > 0)
        self._counts[today] = 0.0
        return asked.of(found * 1.0)


class _Yesterday:
    """Plays near the same time of the day before, or after."""

    def __init__(
        self, table: RotationColumns, rule: RotationRule | None, seconds: np.ndarray
    ) -> None:
        self._seconds = seconds
        self._reach_s = float(seconds.max(initial=0.0))
        self._asked = _Asked(seconds, _category(table, rule) if rule is not None else None)
        self._counts = np.zeros(table.size)

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        asked = self._asked.about(rows)
        if asked is None:
            return None
        found: np.ndarray | None = None
        for days in (-1, 1):
            there = view.wall.same_time(view.at_s, days)
            places = view.lines.within(there - self._reach_s, there + self._reach_s)
            near = view.row[places]
            if near.size:
                near = near[np.abs(view.at[places] - there) < self._seconds[near]]
                np.add.at(self._counts, near, 1.0)
                counted = self._counts[rows]
                self._counts[near] = 0.0
                found = counted if found is None else found + counted
        return None if found is None else asked.of(found)


class _Rest:
    """An item that has not rested as long as it says itself."""

    def __init__(self, table: RotationColumns) -> None:
        self._table = table
        self._reach_s = float(table.rest_s.max(initial=0.0))
        self._counts = np.zeros(table.size)

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        (places, near), rest = view.near(self._reach_s), self._table.rest_s
        near = near[np.abs(view.at[places] - view.at_s) < rest[near]]
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
        self._most = round(rule.amount)
        self._values: list[int] = column.tolist()  # single ones are asked for one by one
        self._extra = np.zeros(int(column.max(initial=0)) + 1)
        self._inside = _category(table, rule)
        self._asked = _Asked(column, self._inside)

    def _next_to(self, rows: Sequence[int]) -> tuple[int, int]:
        """Return the value of the songs next to an instant, and how many have it in a row."""
        value = run = 0
        for row in rows:
            found = self._values[row]
            if not found or (run and found != value):
                break
            value, run = found, run + 1
        return value, run

    def __call__(self, view: View, rows: np.ndarray) -> np.ndarray | None:
        asked = self._asked.about(rows) if len(self._extra) > 1 else None
        if asked is None:
            return None
        reach = max(_REACH, 2 * self._most)
        before, m = self._next_to(view.songs(-1, reach, self._inside))
        after, n = self._next_to(view.songs(1, reach, self._inside))
        extra, most = self._extra, self._most
        if m < most > n and (before != after or m + n < most):
            return None  # whatever comes here, no row gets too long
        extra[before] = max(0, m + 1 - most) - max(0, m - most)
        extra[after] = max(0, n + 1 - most) - max(0, n - most)
        if before == after:
            extra[before] = max(0, m + n + 1 - most) - max(0, m - most) - max(0, n - most)
        extra[0] = 0.0
        found = extra[asked.marks]
        extra[before] = extra[after] = 0.0
        return asked.of(found)


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
    return Term(RotationRule(), _OwnHours(table), NOT_NOW)


def _own_counts(table: RotationColumns) -> list[Term]:
    """Return what items say themselves of how often they come, where any does."""
    found = []
    if table.most_a_day.any():
        found.append(Term(RotationRule(), _PlaysADay(table, None), HEARD_OFTEN))
    if table.rest_s.any():
        found.append(Term(RotationRule(), _Rest(table), NOT_RESTED))
    if table.yesterday_s.any():
        near = _Yesterday(table, None, table.yesterday_s)
        found.append(Term(RotationRule(), near, YESTERDAY_TOO))
    return found


def turn_costs(
    lines: PlayColumns,
    table: RotationColumns,
    at_s: float,
    rows: np.ndarray,
    wanted_s: np.ndarray | float,
) -> tuple[np.ndarray, np.ndarray]:
    """Return how much too early each row comes round, 0 to 2, and how long it has rested (s).

    `wanted_s` is the time between two plays that would be even, of each row or of all. Plays before
    and after count; what they would cost each other without it between is taken off, so that the
    sum over all plays is one figure.
    """
    middle = lines.place(at_s)
    reach_s = wanted_s if isinstance(wanted_s, float) else float(wanted_s.max(initial=0.0))
    last = lines.last_starts(middle, table.heard_s)[rows]
    # beyond an even round it is due, the same as what nobody remembers: else the lengths that are
    # left for the end of a round would be the odd ones, and nothing would land
    before_s = at_s - np.where(last > at_s - reach_s, last, table.heard_s[rows])
    rested = np.maximum(0.0, 1 - before_s / wanted_s)
    if middle == lines.count:  # nothing comes after, as always when logs are made ahead
        return rested, before_s
    reach = lines.within(at_s, at_s + reach_s)
    after = np.full(table.size, -2.0 * NEVER)
    after[lines.row[middle : reach.stop][::-1]] = lines.at[middle : reach.stop][::-1]
    after_s = after[rows] - at_s
    early = rested + np.maximum(0.0, 1 - after_s / wanted_s)
    return early - np.maximum(0.0, 1 - (before_s + after_s) / wanted_s), before_s

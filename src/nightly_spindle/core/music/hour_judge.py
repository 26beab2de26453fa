"""Which rules the songs of a finished hour break, among all that airs around it.

Written apart from what makers go by (`rule_costs`): a second look that shares only the rules with
first. It goes by pairs of plays, all songs of the hour at once.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from nightly_spindle.core.music.rotation_rules import (
    HEARD_OFTEN,
    NOT_NOW,
    NOT_RESTED,
    YESTERDAY_TOO,
    RotationRule,
    RuleSubject,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence

    from nightly_spindle.core.calendar.local_hours import LocalHours
    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_columns import RotationColumns

_DAYS = (-1, 1)
_MOMENT_S = 1.0
_FAR_DAYS = 10**6 - 1  # an item without dates has days beyond these
_FEW = 16  # rows that are looked at together


class Broken(NamedTuple):
    """A rule that a song breaks where it is, in words; what that costs where it is a soft one."""

    words: str
    firm: bool
    cost: float


class Plays(NamedTuple):
    """The songs asked about, their instants (s) and places in the line-up, and the line-up."""

    at: np.ndarray
    row: np.ndarray
    place: np.ndarray
    lines: PlayColumns


class HourJudge:
    """Judges songs by rules."""

    def __init__(
        self, table: RotationColumns, rules: Sequence[RotationRule], wall: LocalHours
    ) -> None:
        self._table, self._rules, self._wall = table, rules, wall
        any_day = (table.first_day < -_FAR_DAYS) & (table.last_day > _FAR_DAYS)
        self._dated = not any_day.all()

    def judged(self, lines: PlayColumns, songs: Sequence[tuple[float, int]]) -> list[list[Broken]]:
        """Return what each song (instant in s, row) breaks; `lines` hold the songs as well."""
        found: list[list[Broken]] = [[] for _ in songs]
        if not songs:
            return found
        at, row = np.array([one[0] for one in songs]), np.array([one[1] for one in songs])
        plays = Plays(at, row, _places(lines, at, row), lines)
        for words, check in self._own():
            for song in np.flatnonzero(check(plays)):
                found[song].append(Broken(words, firm=True, cost=0.0))
        for rule in self._rules:
            counts = self._often(rule, plays)
            for song in np.flatnonzero(counts):
                cost = 0.0 if rule.firm else float(counts[song]) * rule.weight
                found[song].append(Broken(rule.sentence(), rule.firm, cost))
        return found

    def _often(self, rule: RotationRule, plays: Plays) -> np.ndarray:
        """Return how often each song breaks a rule."""
        inside = None
        if name := rule.category.strip().casefold():
            inside = self._table.inside.get(name, np.zeros(self._table.size, bool))
            if not inside[plays.row].any():
                return np.zeros(len(plays.row), int)
        if rule.apart:
            counts = self._too_near(rule, plays, inside)
        elif rule.kind is RuleSubject.PLAYS:
            counts = self._too_often(plays, np.full(self._table.size, rule.amount))
        elif rule.kind is RuleSubject.YESTERDAY:
            counts = self._same_hour(plays, np.full(self._table.size, rule.seconds))
        else:
            counts = self._in_a_row(rule, plays, inside)
        return counts if inside is None else counts * inside[plays.row]

    # -- rules of the station -----

    def _too_near(self, rule: RotationRule, plays: Plays, inside: np.ndarray | None) -> np.ndarray:
        """Return how many plays that are alike are nearer than they may be."""
        groups = self._table.groups[rule.kind]
        part = plays.lines.within(plays.at.min() - rule.seconds, plays.at.max() + rule.seconds)
        others = plays.lines.row[part]
        pairs = np.abs(plays.at[:, None] - plays.lines.at[part][None, :]) < rule.seconds
        pairs &= plays.place[:, None] != np.arange(part.start, part.stop)[None, :]
        if inside is not None:
            pairs &= inside[others][None, :]
        song, other = np.nonzero(pairs)
        mine, theirs = groups[plays.row[song]], groups[others[other]]
        alike = ((mine[:, :, None] == theirs[:, None, :]) & (mine[:, :, None] > 0)).any(axis=(1, 2))
        return np.bincount(song[alike], minlength=len(plays.row))

    def _too_often(self, plays: Plays, most: np.ndarray) -> np.ndarray:
        """Return 1 for each song that airs more often on its broadcast day than it may."""
        found = np.zeros(len(plays.row), int)
        days = [self._wall.broadcast_day(float(at)) for at in plays.at]
        for begin, end in set(days):
            near = plays.lines.within(begin - _MOMENT_S, end)
            day = plays.lines.row[near][plays.lines.at[near] >= begin]
            often = (day[:, None] == plays.row[None, :]).sum(axis=0)
            mine = np.array([one == (begin, end) for one in days])
            found[mine & (often > most[plays.row])] = 1
        found[most[plays.row] == 0] = 0
        return found

    def _same_hour(self, plays: Plays, seconds: np.ndarray) -> np.ndarray:
        """Return how often each song airs near its time the day before or after."""
        found = np.zeros(len(plays.row), int)
        wanted = seconds[plays.row]
        for days in _DAYS if wanted.any() else ():
            there = np.array([self._wall.same_time(float(at), days) for at in plays.at])
            part = plays.lines.within(there.min() - wanted.max(), there.max() + wanted.max())
            pairs = np.abs(there[:, None] - plays.lines.at[part][None, :]) < wanted[:, None]
            pairs &= plays.row[:, None] == plays.lines.row[part][None, :]
            found += pairs.sum(axis=1)
        return found

    def _in_a_row(self, rule: RotationRule, plays: Plays, inside: np.ndarray | None) -> np.ndarray:
        """Return by how much each song lengthens a row that is longer than it may be."""
        name, _, value = (part.strip().casefold() for part in rule.trait.partition("="))
        column, numbers = self._table.traits.get(name, (None, {}))
        found = np.zeros(len(plays.row), int)
        if column is None:
            return found
        most = round(rule.amount)

        def run(songs: Iterator[int], mine: int) -> int:
            """Count how many of these songs, one after the other, have it too."""
            many = 0
            for row in songs:
                if not self._table.music[row] or (inside is not None and not inside[row]):
                    continue
                if column[row] != mine:
                    break
                many += 1
            return many

        for song, (place, row) in enumerate(zip(plays.place, plays.row, strict=True)):
            mine = column[row]
            if not mine or (value and mine != numbers.get(value)):
                continue
            before = run(_from(plays.lines.row[:place][::-1]), mine)
            after = run(_from(plays.lines.row[place + 1 :]), mine)
            whole = max(0, before + 1 + after - most)
            found[song] = whole - max(0, before - most) - max(0, after - most)
        return found

    # -- what items say themselves -----

    def _own(self) -> list[tuple[str, Callable[[Plays], np.ndarray]]]:
        """Return what items say themselves that any of them does: in words, and who breaks it."""
        table = self._table
        checks: list[tuple[str, Callable[[Plays], np.ndarray]]] = [(NOT_NOW, self._closed)]
        if table.most_a_day.any():
            checks.append((HEARD_OFTEN, lambda plays: self._too_often(plays, table.most_a_day)))
        if table.rest_s.any():
            checks.append((NOT_RESTED, self._tired))
        if table.yesterday_s.any():
            checks.append((YESTERDAY_TOO, lambda plays: self._same_hour(plays, table.yesterday_s)))
        return checks

    def _closed(self, plays: Plays) -> np.ndarray:
        """Return 1 for each song outside of its own hours and days."""
        table, found = self._table, np.zeros(len(plays.row), int)
        if not table.closed and not self._dated:
            return found
        for song, (at, row) in enumerate(zip(plays.at, plays.row, strict=True)):
            day, hour = self._wall.calendar_day(float(at)), self._wall.hour_of_week(float(at))
            open_ = table.first_day[row] <= day <= table.last_day[row]
            bits = table.closed.get(int(row))
            found[song] = not open_ or (bits is not None and not bits >> hour & 1)
        return found

    def _tired(self, plays: Plays) -> np.ndarray:
        """Return 1 for each song that aired, or airs again, sooner than it wants."""
        found = np.zeros(len(plays.row), int)
        for song, (at, row) in enumerate(zip(plays.at, plays.row, strict=True)):
            rest = self._table.rest_s[row]
            if rest:
                part = plays.lines.within(at - rest, at + rest)
                again = (plays.lines.row[part] == row).sum() > 1
                found[song] = again or at - self._table.heard_s[row] < rest
        return found


def _from(rows: np.ndarray) -> Iterator[int]:
    """Give the rows one by one; seldom more than a few are wanted."""
    for at in range(0, len(rows), _FEW):
        yield from rows[at : at + _FEW].tolist()


def _places(lines: PlayColumns, at: np.ndarray, rows: np.ndarray) -> np.ndarray:
    """Return where in the line-up each song stands."""
    found = []
    for start, row in zip(at, rows, strict=True):
        place = int(lines.at.searchsorted(start))
        while lines.row[place] != row:
            place += 1
        found.append(place)
    return np.array(found)

"""Rules that keep plays apart: how often items would come too near what else airs.

All such rules are looked at together: each is some columns of marks (its artists, its title ...),
and what airs near an instant is added up by mark.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_columns import RotationColumns
    from nightly_spindle.core.music.rotation_rules import RotationRule

_NEARLY = 2e-6  # what a play within the margin of a firm time counts, against one within the time
_MOST_SHORT = 1e6
_LATELY = 6  # sets of rows that are remembered
_NEAREST_S = 1.0


class PlaysApart:
    """Judges rows by such rules. `margin_s` is added to the times of firm ones."""

    def __init__(
        self, table: RotationColumns, rules: Sequence[RotationRule], margin_s: float
    ) -> None:
        self._rules = len(rules)
        columns: list[np.ndarray] = []
        wanted: list[float] = []
        self._of: list[tuple[int, int, int]] = []  # a rule, the first of its columns and the next
        marks = 1  # mark 0 is no mark, of any rule
        # the columns of firm rules come first
        for at, rule in sorted(enumerate(rules), key=lambda one: not one[1].firm):
            begin = len(columns)
            for column in table.groups[rule.kind].T:
                own = column * _inside(table, rule)
                if own.any():
                    columns.append(np.where(own > 0, own + marks, 0))
                    wanted.append(rule.seconds)
            marks += 1 + int(table.groups[rule.kind].max(initial=0))
            if len(columns) > begin:
                self._of.append((at, begin, len(columns)))
        self._firm = sum(end - begin for at, begin, end in self._of if rules[at].firm)
        self._marks = np.array(columns, np.int64).reshape(len(columns), table.size).T.copy()
        self._wanted_s = np.array(wanted, float)
        self._reach_s = self._wanted_s.copy()
        self._reach_s[: self._firm] += margin_s
        self._most_s = float(self._reach_s.max(initial=0.0))
        self._counts = np.zeros(marks)
        self._lately: list[tuple[np.ndarray, np.ndarray]] = []

    def counts(self, lines: PlayColumns, at_s: float, rows: np.ndarray) -> np.ndarray | None:
        """Return how often each rule (first axis) is broken by each row at an instant (s).

        None where none is. The line asked about is not among `lines`.
        """
        near = lines.within(at_s - self._most_s, at_s + self._most_s)
        if near.start == near.stop or not self._of:
            return None
        theirs, mine = self._marks[lines.row[near]], self._asked(rows)
        if len(rows) == 1 and not ((theirs == mine) & (mine > 0)).any():
            return None
        counts, theirs = self._counts, theirs.ravel()
        np.add.at(counts, theirs, self._weights(np.abs(lines.at[near] - at_s)).ravel())
        counts[0] = 0.0
        by_column = counts[mine].T
        counts[theirs] = 0.0
        found = np.zeros((self._rules, len(rows)))
        for rule, begin, end in self._of:
            if end == begin + 1:
                found[rule] = by_column[begin]
            else:
                # artists in common with one other play count once, however many they are
                by_column[begin:end].max(axis=0, out=found[rule])
        return found

    def _weights(self, far_s: np.ndarray) -> np.ndarray:
        """Return what plays so far off (s) count in each column if they are alike."""
        far, firm = far_s[:, None], slice(self._firm)
        found: np.ndarray = (far < self._reach_s).astype(float)
        found[:, firm] *= shortfall(far, self._wanted_s[firm])
        return found

    def _asked(self, rows: np.ndarray) -> np.ndarray:
        """Return the marks of rows: the same few are asked about again and again."""
        for known, found in self._lately:
            if known is rows:
                return found
        mine: np.ndarray = self._marks[rows]
        if len(rows) > 1:  # a single one comes but once
            self._lately = [(rows, mine), *self._lately[: _LATELY - 1]]
        return mine


def shortfall(far_s: np.ndarray, wanted_s: np.ndarray) -> np.ndarray:
    """Return what two plays that are alike count, so far apart (s) where a firm rule wants more.

    1 just under what is wanted, the more the nearer: one play next to another of the same artist is
    worse than many that are apart by half of what is wanted. Next to nothing from there on.
    """
    found: np.ndarray = wanted_s / np.maximum(far_s, _NEAREST_S)
    found *= found * found
    np.minimum(found, _MOST_SHORT, out=found)
    found[far_s >= wanted_s] = _NEARLY
    return found


def _inside(table: RotationColumns, rule: RotationRule) -> np.ndarray:
    """Return which rows a rule is about."""
    name = rule.category.strip().casefold()
    none = np.zeros(table.size, bool)
    return table.inside.get(name, none) if name else np.ones(table.size, bool)

"""Categories that hold too little for the firm rules, and how their songs are spread instead.

Where a rule asks for more than there is, keeping it as often as can be would play the rest back to
back. There the songs of a category come round in turn, each after nearly all the others, and the
songs of an artist (of a title, of an album) as evenly among them as they go.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_columns import RotationColumns
    from nightly_spindle.core.music.rotation_rules import RotationRule

# a song comes back after all but so many of the others, and is at most so many plays overdue
SPARE = 4
# against a soft rule of weight 1: a play too soon; two of a group as far apart as they go
_OUT_OF_TURN = 1e5
_CROWDED = 2.0
_KEPT = 1000.0  # less than coming a play too soon, more than any soft rule is likely to weigh
_SLACK = 1.15  # rules that leave less room than this cannot be kept in practice
_STEEP = 3  # one play next to another is worse than many that are half as far apart as can be
_MOST = 1e4
_NEAREST_S = 1.0
_OVERDUE = 1.5e-4  # what each play that another is overdue counts, against coming a play too soon
_TWICE = 500.0  # twice running
DEAR = _TWICE * _CROWDED  # from here on a song stands next to its like, or out of its turn
_LINKS = 8  # lines among which the song next to another is found


class Spread(NamedTuple):
    """How evenly a group can come round: the marks of each row, and for each mark its gap (s)."""

    marks: np.ndarray
    even_s: np.ndarray


class Scarcity:
    """What is scarce by some rules. `even_s` is the even gap of a category's items (s)."""

    def __init__(
        self,
        table: RotationColumns,
        rules: Sequence[RotationRule],
        even_s: Mapping[str, float],
    ) -> None:
        self._table = table
        self._spreads: dict[str, list[Spread]] = {}
        self._kept: dict[str, tuple[RotationRule, ...]] = {}
        for name in even_s:
            short = [(rule, _short_of(table, rule, name, even_s)) for rule in rules]
            found = [spread for _, spread in short if spread is not None]
            if found:
                self._spreads[name] = found
                self._kept[name] = tuple(rule for rule, spread in short if spread is None)

    def __contains__(self, category: object) -> bool:
        return category in self._spreads

    def costs(self, lines: PlayColumns, at_s: float, category: str, rows: np.ndarray) -> np.ndarray:
        """Return what each row costs at an instant (s): out of its turn, near its like."""
        out = self._out_of_turn(lines, at_s, category, rows)
        crowded = self._crowded(lines, at_s, category, rows)
        return _OUT_OF_TURN * out + _CROWDED * crowded

    def kept(self, category: str) -> tuple[RotationRule, ...]:
        """Return the rules that a scarce category can keep: all but those it holds too little for.

        Firm ones among them that keep plays apart weigh as soft ones here, `_KEPT` each: so that
        rules which could be kept one by one, but not together, never drive songs back to back.
        """
        return tuple(
            replace(rule, firm=False, weight=_KEPT) if rule.firm and rule.apart else rule
            for rule in self._kept[category]
        )

    def in_turn(self, lines: PlayColumns, at_s: float, category: str) -> np.ndarray:
        """Return the rows of a category, the longest unheard first."""
        members = self._table.category_rows(category)
        place = lines.place(at_s)
        early = max(0, place - 4 * len(members) - 60)
        last = self._table.heard_s.copy()
        last[lines.row[early:place]] = lines.at[early:place]
        found: np.ndarray = members[np.argsort(last[members], kind="stable")]
        return found

    def alike(self, category: str, sets: np.ndarray) -> np.ndarray:
        """Return how often two of a group have to stand together in each set of rows, a row a set.

        Of k songs more than half of which are of one group, so many: 2 n - k - 1.
        """
        worst = np.zeros(len(sets))
        for marks, _ in self._spreads[category]:
            own = marks[sets, 0]
            same = (own[:, :, None] == own[:, None, :]) & (own[:, :, None] > 0)
            worst = np.maximum(worst, 2 * same.sum(axis=2).max(axis=1) - sets.shape[1] - 1)
        return worst

    def _out_of_turn(
        self, lines: PlayColumns, at_s: float, category: str, rows: np.ndarray
    ) -> np.ndarray:
        """Return by how many plays each row would come too soon; a little where others are due."""
        table = self._table
        inside, members = table.inside[category], table.category_rows(category)
        many = len(members)
        place, reach = lines.place(at_s), 4 * many + 60
        before = lines.row[max(0, place - reach) : place]
        after = lines.row[place : place + reach][::-1]
        total = np.zeros(len(rows))
        past, future = before[inside[before]], after[inside[after]]
        for part in (past, future):
            since = np.full(table.size, 4 * many)
            since[part] = np.arange(len(part) - 1, -1, -1)  # the nearest is written last
            total += np.maximum(0, many - 1 - SPARE - since[rows])
            if part is past and (late := since[members].max() - many - SPARE + 2) > 0:
                total += _OVERDUE * min(late, many) * (since[rows] < many - 1 + SPARE)
        return total

    def _crowded(
        self, lines: PlayColumns, at_s: float, category: str, rows: np.ndarray
    ) -> np.ndarray:
        """Return how near the like of each row are: 1 or so as far off as can be, else more."""
        place = lines.place(at_s)
        beside = self._beside(lines, place)
        total = np.zeros(len(rows))
        for marks, even_s in self._spreads[category]:
            reach_s = 2.0 * float(even_s.max())
            part = lines.within(at_s - reach_s, at_s + reach_s)
            own = marks[rows]
            # each piece with the nearest line last: that is what stays
            before, after = slice(part.start, place), slice(place, part.stop)
            for at, row in (
                (lines.at[before], lines.row[before]),
                (lines.at[after][::-1], lines.row[after][::-1]),
            ):
                near = np.full(len(even_s), np.inf)
                far_s = np.maximum(np.abs(at - at_s), _NEAREST_S)
                for column in marks.T:
                    near[column[row]] = far_s
                near[0] = np.inf
                short = np.minimum(_MOST, (even_s / near) ** _STEEP)
                total += short[own].max(axis=1)
            for other in beside:
                twice = (own[:, :, None] == marks[other]) & (own[:, :, None] > 0)
                total += _TWICE * twice.any(axis=(1, 2))
        return total

    def _beside(self, lines: PlayColumns, place: int) -> list[int]:
        """Return the rows of the songs next to a place, before and after it."""
        found = []
        before, after = lines.row[max(0, place - _LINKS) : place], lines.row[place : place + _LINKS]
        for part in (before[::-1], after):
            found += part[self._table.music[part]][:1].tolist()
        return found


def _short_of(
    table: RotationColumns, rule: RotationRule, category: str, even_s: Mapping[str, float]
) -> Spread | None:
    """Return how a rule's groups are to be spread, None where the rule can be kept."""
    within = rule.category.strip().casefold()
    if not (rule.firm and rule.apart) or within not in {"", category}:
        return None
    marks = table.groups[rule.kind]
    often = np.zeros(int(marks.max(initial=0)) + 1)  # plays a second of each group
    for name, gap_s in even_s.items():
        if gap_s > 0 and within in {"", name}:
            for column in marks[table.category_rows(name)].T:
                np.add.at(often, column, 1 / gap_s)
    often[0] = 0.0
    own = np.unique(marks[table.category_rows(category)])
    if not often[own].max(initial=0.0) * rule.seconds * _SLACK > 1:
        return None
    with np.errstate(divide="ignore"):
        gaps = np.where(often > 0, 1 / np.maximum(often, 1e-12), 0.0)
    return Spread(marks, gaps)

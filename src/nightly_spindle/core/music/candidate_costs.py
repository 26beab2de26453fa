"""What each item of a category would cost in a seat: the rules, and whose turn it is."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.music.formats import Rotating, Turn
from nightly_spindle.core.music.rule_costs import FIRM, RuleCosts, turn_costs
from nightly_spindle.core.music.scarcity import Scarcity

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from nightly_spindle.core.calendar.local_hours import LocalHours
    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_columns import RotationColumns
    from nightly_spindle.core.music.rotation_rules import RotationRule

# Starts on air differ from the planned ones by some seconds: firm times get so much more where
# that can be had.
MARGIN_S = 60.0
_EARLY = 0.5  # what coming round at once again costs, against a soft rule of weight 1
_OVERDUE = 0.5  # what each further even gap without a play is worth, as part of `_EARLY`
_MOST_OVERDUE = 4.0
_ORDER = 0.05  # what decides among those that have rested enough
_MIX = 0.3  # by how much a shuffled category is mixed
_NEAR = 240  # items of a category that are looked at first, those whose turn is nearest


@dataclass(frozen=True, slots=True)
class Judged:
    """Rows for a seat, what each costs there, and how much of that are rules."""

    rows: np.ndarray
    costs: np.ndarray
    ruled: np.ndarray


class CandidateCosts:
    """Judges the items of categories at instants. `ideal_s` is the even gap by category (s).

    `rng` mixes what is shuffled; the same seed gives the same answer.
    """

    def __init__(
        self,
        table: RotationColumns,
        wall: LocalHours,
        rules: Sequence[RotationRule],
        categories: Mapping[str, Rotating],
        ideal_s: Mapping[str, float],
        rng: np.random.Generator,
    ) -> None:
        self.table = table
        self._wide = RuleCosts(table, rules, wall, MARGIN_S)
        self.scarcity = Scarcity(table, rules, ideal_s)
        self._spread = {
            name: RuleCosts(table, self.scarcity.kept(name), wall, MARGIN_S)
            for name in ideal_s
            if name in self.scarcity
        }
        self._by_rules = table, rules, wall
        self._categories = categories
        self._ideal_s = ideal_s
        self._rng = rng
        self._mixed: dict[str, np.ndarray] = {}
        self._near: dict[str, np.ndarray] = {}

    @cached_property
    def tight(self) -> RuleCosts:
        """What judges without margins: only asked where something could not be kept."""
        return RuleCosts(*self._by_rules)

    def begin_hour(self) -> None:
        """Mix shuffled categories anew, and look anew whose turn is near."""
        self._mixed.clear()
        self._near.clear()

    def rows(self, category: str) -> np.ndarray:
        """Return the rows of a category."""
        return self.table.category_rows(category)

    def judged(self, lines: PlayColumns, at_s: float, category: str) -> Judged:
        """Return what may sit in a seat of a category at an instant (s), and what each costs.

        Of a large category only those whose turn is near, as long as any of them breaks no firm
        rule.
        """
        if category in self.scarcity:
            rows = self.table.category_rows(category)
            ruled = self._spread[category].costs(lines, at_s, rows)
            return Judged(rows, ruled + self._turn(lines, at_s, category, rows), ruled)
        near = self._near_turn(lines, at_s, category)
        ruled = self._wide.costs(lines, at_s, near)
        if ruled.size and ruled.min() < FIRM:
            return Judged(near, ruled + self._turn(lines, at_s, category, near), ruled)
        rows = self.table.category_rows(category)
        if len(rows) > len(near):
            ruled = self._wide.costs(lines, at_s, rows)
        return Judged(rows, ruled + self._turn(lines, at_s, category, rows), ruled)

    def _near_turn(self, lines: PlayColumns, at_s: float, category: str) -> np.ndarray:
        """Return the rows of a category whose turn is nearest, found once an hour."""
        found = self._near.get(category)
        if found is None:
            found = self.table.category_rows(category)
            if len(found) > _NEAR:
                turn = self._turn(lines, at_s, category, found)
                found = np.sort(found[np.argpartition(turn, _NEAR)[:_NEAR]])
            self._near[category] = found
        return found

    def one(self, lines: PlayColumns, at_s: float, category: str, row: int) -> tuple[float, float]:
        """Return what one row costs in a seat, and how much of that are rules, with margins."""
        rows = np.array([row])
        judge = self._spread.get(category, self._wide)
        ruled = float(judge.costs(lines, at_s, rows)[0])
        return ruled + float(self._turn(lines, at_s, category, rows)[0]), ruled

    def _turn(self, lines: PlayColumns, at_s: float, category: str, rows: np.ndarray) -> np.ndarray:
        known = self._categories.get(category) or Rotating(category)
        wanted: np.ndarray | float = float(self._ideal_s.get(category, 3600.0))
        if known.turn is Turn.WEIGHTED:
            wanted = wanted / self.table.weight[rows]
        early, rested = turn_costs(lines, self.table, at_s, rows, wanted)
        if category in self.scarcity:
            early = early + self.scarcity.costs(lines, at_s, category, rows) / _EARLY
        # whatever its length, an item's time comes: else the odd lengths would never air
        late = np.minimum(np.maximum(rested / wanted - 1, 0.0), _MOST_OVERDUE)
        early = early - _OVERDUE * late
        if known.turn is Turn.SHUFFLED:
            mixed: np.ndarray = _EARLY * early + _MIX * self._mix(category)[rows]
            return mixed
        # the longest unheard first: among all that have rested enough too
        order = 1 / (1 + np.maximum(rested, 0.0) / wanted)
        found: np.ndarray = _EARLY * early + _ORDER * order
        return found

    def _mix(self, category: str) -> np.ndarray:
        found = self._mixed.get(category)
        if found is None:
            found = self._mixed[category] = self._rng.random(self.table.size)
        return found

"""Which category a song by weights comes from next."""

from __future__ import annotations

from collections import Counter, defaultdict
from typing import TYPE_CHECKING

from nightly_spindle.core.base.apportion import next_turn
from nightly_spindle.core.music.formats import ALL_SONGS

if TYPE_CHECKING:
    from collections.abc import Mapping

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.core.music.formats import FormatPlan
    from nightly_spindle.core.music.rotation_columns import RotationColumns


class CategoryTurns:
    """Counts what each category had, for each set of weights on its own.

    `means` are the mean lengths by category (s).
    """

    def __init__(
        self, formats: FormatPlan, table: RotationColumns, means: Mapping[str, float]
    ) -> None:
        self._formats, self._table, self._means = formats, table, means
        self._had: dict[tuple[tuple[str, float], ...], Counter[str]] = defaultdict(Counter)
        self._weights: dict[int, dict[str, float]] = {}  # of plays, by clock

    def next(self, clock: FormatClock) -> str:
        """Return which category has its turn in a clock, and give it that."""
        weights = self._of(clock)
        names = [name for name in sorted(weights) if self._table.category_rows(name).size]
        had = self._counted(clock)
        turn = next_turn([weights[name] for name in names], [had[name] for name in names])
        found = ALL_SONGS if turn is None else names[turn]
        had[found] += 1
        return found

    def take(self, clock: FormatClock, category: str) -> None:
        """Let a category have a turn."""
        self._counted(clock)[category] += 1

    def give_back(self, clock: FormatClock, category: str) -> None:
        """Let a category that was asked for and not used have its turn again."""
        self._counted(clock)[category] -= 1

    def _counted(self, clock: FormatClock) -> Counter[str]:
        return self._had[tuple(sorted(self._of(clock).items()))]

    def _of(self, clock: FormatClock) -> dict[str, float]:
        """Return what part of the plays each category has in a clock's hours."""
        found = self._weights.get(clock.id)
        if found is None:
            found = self._formats.play_weights(clock, self._means)
            self._weights[clock.id] = found
        return found

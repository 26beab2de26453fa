"""A station's own music scheduling: clocks, plans, rules and categories, as one value."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.day_plans import Plans
from nightly_spindle.core.music.format_clocks import FormatClock, SlotKind
from nightly_spindle.core.music.rotation_rules import RotationRule, with_own
from nightly_spindle.core.music.weight_shares import Shares, play_weights

if TYPE_CHECKING:
    from nightly_spindle.core.calendar.day_plans import HourGets
    from nightly_spindle.core.calendar.log_periods import Slot


class Turn(StrEnum):
    """In which order the items of a category come round."""

    OLDEST = "oldest first"
    SHUFFLED = "shuffled"
    WEIGHTED = "weighted"


@dataclass(frozen=True, slots=True)
class Rotating:
    """A category that rotates: its name as written, its weight, its turn, its carts.

    `music` says whether it holds songs: only then it has a part in what weights fill.
    """

    name: str
    weight: float = 1.0
    turn: Turn = Turn.OLDEST
    carts: tuple[int, ...] = ()
    music: bool = True


ALL_SONGS = ""  # in place of a category's name: every song of the library


@dataclass(frozen=True, slots=True)
class FormatPlan:
    """All that a station says of its own scheduling. `categories` stand by their folded name."""

    clocks: Mapping[int, FormatClock] = field(default_factory=dict)
    plans: Plans = field(default_factory=Plans)
    rules: tuple[RotationRule, ...] = ()
    categories: Mapping[str, Rotating] = field(default_factory=dict)
    lists: Mapping[str, tuple[int, ...]] = field(default_factory=dict)

    def clock_of(self, slot: Slot) -> tuple[FormatClock | None, HourGets]:
        """Return the clock of an hour, None where another source covers it, and why."""
        gets = self.plans.hour(slot)
        return self.clocks.get(gets.clock), gets

    def weights_of(self, clock: FormatClock | None) -> dict[str, float]:
        """Return the weights (by folded category) that fill what a clock does not fix.

        Without any of its own, those of the categories of the station that hold songs; without
        categories, all songs.
        """
        own = clock.weights if clock is not None else ()
        if own:
            return {name.casefold(): weight for name, weight in own if weight > 0}
        found = {
            name: one.weight
            for name, one in self.categories.items()
            if name != ALL_SONGS and one.music and one.weight > 0
        }
        return found or {ALL_SONGS: 1.0}

    def named_weights(self, clock: FormatClock | None) -> dict[str, float]:
        """Return the weights by the categories' names as they are written."""
        return {
            self.categories[name].name if name in self.categories else name: weight
            for name, weight in self.weights_of(clock).items()
        }

    def play_weights(
        self, clock: FormatClock | None, song_s: Mapping[str, float]
    ) -> dict[str, float]:
        """Return the same weights to go by in plays, where a clock shares out time.

        `song_s` is how long a song of each category lasts (s).
        """
        shares = clock.options.shares if clock is not None else Shares.PLAYS
        return play_weights(self.weights_of(clock), song_s, shares)

    def rules_of(self, clock: FormatClock | None) -> tuple[RotationRule, ...]:
        """Return the rules of an hour: the station's, the clock's own over them."""
        return with_own(self.rules, clock.rules) if clock is not None else self.rules

    @property
    def link_pools(self) -> frozenset[str]:
        """The pools that clocks take links from, folded."""
        found = {clock.options.link_pool for clock in self.clocks.values()}
        found |= {
            slot.name
            for clock in self.clocks.values()
            for slot in clock.slots
            if slot.kind is SlotKind.LINK
        }
        return frozenset(name.strip().casefold() for name in found)

    def where_used(self, clock: int) -> str:
        """Return where a clock is used, in words."""
        hours = sum(one == clock for one in self.plans.week)
        said = [f"{hours} h of the week plan"] if hours else []
        for plan in self.plans.days.values():
            hours = sum(one == clock for one in plan.hours)
            said += [f"{hours} h of “{plan.name}”"] if hours else []
        return ", ".join(said) or "nowhere yet"


NO_FORMATS = FormatPlan()

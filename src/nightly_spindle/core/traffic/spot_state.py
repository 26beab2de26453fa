"""What the sequencer remembers of spots: what is lined up, what is owed, what was filled."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING

from nightly_spindle.core.overlays.pool_turn import PoolTurn

if TYPE_CHECKING:
    from nightly_spindle.core.traffic.campaigns import Key


@dataclass(frozen=True, slots=True)
class BreakRef:
    """What a line that is a break still to be filled says: whose, when it was due, for how many.

    `at_us` is 0 where nothing said when; `spots` 0 is as its pattern says.
    """

    pattern: int
    at_us: int = 0
    spots: int = 0


@dataclass(frozen=True, slots=True)
class Booked:
    """What a line that is a campaign's spot says: whose, and for which break it was planned.

    `pattern` is 0 for a spot that a log brought. `good` means that it makes good for one that was
    missed, `pattern` and `at_us` then say which.
    """

    campaign: int
    pattern: int = 0
    at_us: int = 0
    good: bool = False

    @property
    def key(self) -> Key:
        """The break that it was planned for."""
        return (self.pattern, self.at_us)


@dataclass(frozen=True, slots=True)
class LinedUp:
    """A spot that was put into the running order, under that line, and has not been heard yet."""

    spot: Booked
    line_id: int


@dataclass(slots=True)
class SpotState:
    """Of spots: `lined` wait to be heard, `owed` were not and are to be made good.

    `filled` are the breaks (pattern, instant) that came, the newest last, `swept_us` up to when it
    was seen to that those came that were planned. `turns` says where the turn of a campaign's
    copies stands, `last` at which station frame each aired or will air last, by number.
    """

    lined: list[LinedUp] = field(default_factory=list)
    owed: list[Booked] = field(default_factory=list)
    filled: list[tuple[int, int]] = field(default_factory=list)
    swept_us: int = 0
    turns: dict[int, PoolTurn] = field(default_factory=dict)
    last: dict[int, int] = field(default_factory=dict)

    def copy(self) -> SpotState:
        """Return an independent copy."""
        return replace(
            self,
            lined=list(self.lined),
            owed=list(self.owed),
            filled=list(self.filled),
            turns=dict(self.turns),
            last=dict(self.last),
        )

"""What drills come to, beside the night in which nothing is broken, and which is the worst."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.wording import counted, span_text
from nightly_spindle.core.playout.drills import OFF_S, Drill, DrillResult

if TYPE_CHECKING:
    from collections.abc import Sequence

_HEARD_S = 1.0  # less of anything is no difference
_MINUTE_S = 60


@dataclass(frozen=True, slots=True)
class Drilled:
    """One drill: what was broken, when (us), and the seconds of what listeners would hear.

    `longest_s` is the longest silence.
    """

    drill: Drill
    what: str
    at_us: int
    longest_s: float
    tone_s: float
    net_s: float
    lost: int

    def beyond(self, calm: Drilled | None) -> Drilled:
        """Return what it adds to the night in which nothing is broken."""
        if calm is None:
            return self
        return Drilled(
            self.drill,
            self.what,
            self.at_us,
            self.longest_s if self.longest_s > calm.longest_s + _HEARD_S else 0.0,
            max(0.0, self.tone_s - calm.tone_s),
            max(0.0, self.net_s - calm.net_s),
            max(0, self.lost - calm.lost),
        )

    @property
    def sentence(self) -> str:
        """What listeners would hear, in a few words."""
        said = [
            f"{_span(seconds)} of {what}"
            for seconds, what in (
                (self.longest_s, "silence"),
                (self.net_s, "the safety net"),
                (self.tone_s, "the station tone"),
            )
            if seconds >= _HEARD_S
        ]
        if said:
            return ", ".join(said)
        if self.lost:
            return f"{counted(self.lost, 'line')} left out, no silence"
        return "no difference"

    @property
    def weight(self) -> tuple[float, float, float, int]:
        """How bad it is: silence first. While the power is out nothing can sound: not counted."""
        silent = self.longest_s - (OFF_S if self.drill is Drill.POWER else 0.0)
        return max(0.0, silent), self.tone_s, self.net_s, self.lost


def drilled_of(result: DrillResult) -> Drilled:
    """Return what is told of a drill."""
    return Drilled(
        result.drill,
        result.what,
        result.at_us,
        result.longest_s,
        result.tone_s,
        result.net_s,
        result.lost,
    )


def compared(found: Sequence[Drilled]) -> list[Drilled]:
    """Return the drills, what each adds to the undisturbed night where that is among them."""
    calm = next((one for one in found if one.drill is Drill.NOTHING), None)
    return [one.beyond(calm) for one in found if one.drill is not Drill.NOTHING]


def worst_sentence(found: Sequence[Drilled]) -> str:
    """Return what the worst drill would sound like, empty where there is none."""
    added = compared(found)
    if not added:
        return ""
    worst = max(added, key=lambda one: one.weight)
    if not any(worst.weight):
        return "Whatever drill breaks something, listeners hear no difference."
    return f"Worst drill: if {worst.what}, listeners hear {worst.sentence}."


def _span(seconds: float) -> str:
    """Return a length; beyond some minutes without the seconds."""
    if seconds < 10 * _MINUTE_S:
        return span_text(seconds)
    return span_text(_MINUTE_S * round(seconds / _MINUTE_S))

"""How hours that the station made itself take the air: as logs of a drop of its own."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import time
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.log_periods import Period, slots
from nightly_spindle.core.events.steps import LoadLog, Placement
from nightly_spindle.core.events.timed_events import Entry, EventOptions, TimedEvent
from nightly_spindle.core.music.formats import FormatPlan
from nightly_spindle.core.music.hour_segments import FIXED_S
from nightly_spindle.core.station.log_sources import DropOptions, LogDrop, Rest, WhenShort

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo


OWN_DROP = 2**31 - 1  # its number: no drop of an outside scheduler has it
_EVENTS = -30_000_000  # the numbers of its events, below those of breaks
# an hour that has run out so shortly before the next (about half a song) is followed by it at once
_EARLY_S = 100.0
_HOUR_US = 3_600_000_000


@dataclass(frozen=True, slots=True)
class ClockHours:
    """The time rule "at every hour that has a format clock".

    `fixed` takes those whose hour before ends to the second, else all the others.
    """

    formats: FormatPlan
    day_start: time
    fixed: bool

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the instants (µs) with `after_us < instant <= until_us`, ascending."""
        found = []
        before = after_us - 2 * _HOUR_US
        ends_fixed = False
        for slot in slots(Period.HOUR, tz, self.day_start, before, until_us):
            clock, _ = self.formats.clock_of(slot)
            if clock is not None and slot.start_us > after_us and ends_fixed is self.fixed:
                found.append(slot.start_us)
            ends_fixed = clock is not None and clock.options.fixed_end
        return found

    def check(self) -> None:
        """Nothing can be wrong with it."""

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        return "At every hour that has a format clock"


def own_drop(*, alone: bool) -> LogDrop:
    """Return the drop that made hours are logs of; `alone`: no outside scheduler leaves any."""
    options = DropOptions(
        period=Period.HOUR,
        placement=Placement.FRONT,
        entry=Entry.NEXT,
        rest=Rest.DROPPED if alone else Rest.GOES_ON,
        short=WhenShort.ROTATION,
        expected="",
        early_s=_EARLY_S,
    )
    return LogDrop(OWN_DROP, "Formats", "", "", options)


def own_events(formats: FormatPlan, day_start: time) -> list[TimedEvent]:
    """Return the timed events that load made hours: after the item on air, or landing on time."""
    if not formats.plans.used:
        return []
    steps = (LoadLog(OWN_DROP, Placement.FRONT),)
    free = ClockHours(formats, day_start, fixed=False)
    fixed = ClockHours(formats, day_start, fixed=True)
    lands = EventOptions(tolerance_s=FIXED_S)
    return [
        TimedEvent(_EVENTS, "Formats", free, Entry.NEXT, steps, 1),
        TimedEvent(_EVENTS + 1, "Formats", fixed, Entry.LAND, steps, 1, options=lands),
    ]

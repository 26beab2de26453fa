"""How hours that the station made itself take the air: as logs of a drop of its own."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import time
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.log_periods import Period, slots
from nightly_spindle.core.events.steps import GoToMark, LoadLog, Placement
from nightly_spindle.core.events.timed_events import Entry, EventOptions, TimedEvent
from nightly_spindle.core.music.format_clocks import HOUR_S, ClockSlot, SlotKind
from nightly_spindle.core.music.formats import FormatPlan
from nightly_spindle.core.music.hour_segments import FIXED_S, mark_label
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


@dataclass(frozen=True, slots=True)
class ClockMarks:
    """The time rule "at this mark of every hour whose format clock has it"."""

    formats: FormatPlan
    day_start: time
    mark: ClockSlot

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the instants (µs) with `after_us < instant <= until_us`, ascending."""
        into_us = round(self.mark.at_s * US)
        found = []
        before = after_us - 2 * _HOUR_US
        for slot in slots(Period.HOUR, tz, self.day_start, before, until_us):
            clock, _ = self.formats.clock_of(slot)
            at = slot.start_us + into_us
            if clock is not None and self.mark in clock.slots and after_us < at <= until_us:
                found.append(at)
        return found

    def check(self) -> None:
        """Nothing can be wrong with it."""

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        return f"At {self.mark.words} of every hour that has it"


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
    """Return the timed events that load made hours, after the item on air or landing on time.

    Marks of clocks have events of their own: a fixed one lands, any other comes after an item.
    """
    if not formats.plans.used:
        return []
    steps = (LoadLog(OWN_DROP, Placement.FRONT),)
    free = ClockHours(formats, day_start, fixed=False)
    fixed = ClockHours(formats, day_start, fixed=True)
    lands = EventOptions(tolerance_s=FIXED_S)
    return [
        TimedEvent(_EVENTS, "Formats", free, Entry.NEXT, steps, 1),
        TimedEvent(_EVENTS + 1, "Formats", fixed, Entry.LAND, steps, 1, options=lands),
        *_marks(formats, day_start),
    ]


def _marks(formats: FormatPlan, day_start: time) -> list[TimedEvent]:
    marks = {
        slot
        for clock in formats.clocks.values()
        for slot in clock.slots
        if slot.kind is SlotKind.MARK and 0 < slot.at_s < HOUR_S
    }
    return [
        TimedEvent(
            _EVENTS - 1 - number,
            mark_label(mark),
            ClockMarks(formats, day_start, mark),
            Entry.LAND if mark.fixed else Entry.NEXT,
            (GoToMark(mark_label(mark)),),
            1,
            options=EventOptions(tolerance_s=FIXED_S) if mark.fixed else EventOptions(),
        )
        for number, mark in enumerate(sorted(marks, key=lambda one: (one.at_s, one.name)))
    ]

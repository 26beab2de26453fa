"""The state of every log of the coming days: what the place Logs shows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import length, resolve_local
from nightly_spindle.core.calendar.log_periods import Slot
from nightly_spindle.core.events.steps import LoadLog
from nightly_spindle.core.logs.log_matching import ITEM_LINES, MatchStatus
from nightly_spindle.core.station.log_age import is_before
from nightly_spindle.core.station.log_sources import Loads, LogDrop, LogReading, ReadingState

if TYPE_CHECKING:
    from collections.abc import Iterable
    from datetime import time
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.station.settings import StationSettings


# a log that ends so close to its slot's end is neither short nor long
FITS_S = 60.0


class LogState(StrEnum):
    """What is known of one log, from waiting for it to having aired it."""

    EXPECTED = "expected"
    ARRIVING = "being written"
    WHOLE = "whole"
    GAPS = "with gaps"
    UNUSABLE = "cannot be used"
    OVERDUE = "not here yet"
    MISSED = "did not come"
    OVER = "did not air"
    LOADED = "loaded"
    AIRED = "aired"


ALARMS = frozenset({LogState.UNUSABLE, LogState.OVERDUE, LogState.MISSED})
WARNINGS = frozenset({LogState.GAPS})


@dataclass(frozen=True, slots=True)
class LoadedLog:
    """A log in the as-run log: when it was loaded, how many lines, how many were lost."""

    at_us: int
    file: str
    note: str
    ok: bool


@dataclass(frozen=True, slots=True)
class BoardLog:
    """One log of the board. `duration_s` counts segues; 0 when it cannot be read."""

    drop: LogDrop
    slot: Slot
    reading: LogReading
    state: LogState
    duration_s: float
    loaded: LoadedLog | None = None

    @property
    def found(self) -> int:
        """How many lines were found."""
        return sum(match.status is MatchStatus.MATCHED for match in self.reading.matches)

    @property
    def named(self) -> int:
        """How many lines name an item."""
        return sum(match.status in ITEM_LINES for match in self.reading.matches)

    @property
    def lost(self) -> int:
        """How many lines cannot air."""
        return self.named - self.found

    @property
    def over_s(self) -> float:
        """By how much it is longer than its slot (below zero: shorter)."""
        return self.duration_s - self.slot.seconds

    def fits(self) -> str:
        """How it fits its hour or day, in words; empty when it cannot be read."""
        if not self.duration_s:
            return ""
        if abs(self.over_s) < 1:
            return "to the second"
        how = "over" if self.over_s > 0 else "short"
        return f"{length(abs(self.over_s))} {how}"

    @property
    def short(self) -> bool:
        """Whether it ends well before its slot does."""
        return bool(self.duration_s) and self.over_s < -FITS_S

    def sentence(self) -> str:
        """The log in one plain sentence."""
        reading, file = self.reading, self.reading.file
        if self.state in {LogState.LOADED, LogState.AIRED} and self.loaded is not None:
            return f"{self.loaded.file} was loaded: {self.loaded.note}."
        if reading.usable:
            lost = f", {self.lost} of {self.named} lines are missing" if self.lost else ""
            return f"{file}: {length(self.duration_s)} of programme, {self.fits()}{lost}."
        if self.state is LogState.EXPECTED:
            by = self.drop.options.expected.strip()
            return f"{file} is not there yet" + (f"; it is expected by {by}." if by else ".")
        why = reading.why_not(self.drop.folder)
        if reading.close is not None:
            why += f", but this one is close: {reading.close.text}"
        return f"{why[:1].upper()}{why[1:]}."


def is_waited_for(drop: LogDrop, events: Iterable[TimedEvent]) -> bool:
    """Whether anything loads a drop's logs by itself: it is amiss when they are not there."""
    if not drop.options.enabled:
        return False
    if drop.options.loads is not Loads.OTHERWISE:
        return True
    steps = [step for event in events if event.enabled for step in event.steps]
    return any(isinstance(step, LoadLog) and step.drop == drop.id for step in steps)


def state_of(
    drop: LogDrop,
    reading: LogReading,
    loaded: LoadedLog | None,
    now_us: int,
    settings: StationSettings,
    *,
    waited_for: bool = True,
) -> LogState:
    """Return the state of a log at an instant."""
    slot = reading.slot
    if loaded is not None and loaded.ok:
        return LogState.AIRED if slot.end_us <= now_us else LogState.LOADED
    if slot.end_us <= now_us:
        return LogState.OVER
    if reading.usable:
        return LogState.GAPS if reading.lost else LogState.WHOLE
    if reading.state is not ReadingState.MISSING:
        growing = reading.state is ReadingState.GROWING
        return LogState.ARRIVING if growing else LogState.UNUSABLE
    if not waited_for or is_before(drop, slot):
        return LogState.EXPECTED
    due = deadline_us(drop, slot, settings.tz, settings.day_start)
    waits = LogState.OVERDUE if due is not None and due <= now_us else LogState.EXPECTED
    return LogState.MISSED if slot.start_us <= now_us else waits


def deadline_us(drop: LogDrop, slot: Slot, tz: ZoneInfo, day_start: time) -> int | None:
    """Return by when a log should be there: the set hour before its broadcast day begins."""
    at = drop.options.expected_at
    if at is None:
        return None
    begins = resolve_local(datetime.combine(slot.day, day_start), tz)
    due = resolve_local(datetime.combine(slot.day, at), tz)
    return due if due < begins else resolve_local(datetime.combine(_before(slot.day), at), tz)


def _before(day: date) -> date:
    return day - timedelta(days=1)

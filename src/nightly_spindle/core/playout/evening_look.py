"""The evening's look for tomorrow's logs: what is missing is told while there is time.

A log drop says by when the next broadcast day's logs should be there; at that time they are
looked at, and one that is missing or has lost lines is an alarm that names the close files.
"""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import resolve_local
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.core.station.log_age import too_old
from nightly_spindle.core.station.log_sources import ReadingState

if TYPE_CHECKING:
    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.events.steps import ExpectLog
    from nightly_spindle.core.events.timed_events import Firing
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.sequencer_actions import Action
    from nightly_spindle.core.station.log_sources import LogDrop, LogReading


def look_for(
    programme: Programme, state: AirState, firing: Firing, step: ExpectLog, actions: list[Action]
) -> None:
    """Say which of the next day's logs are not there, or not whole: one alarm for a log drop."""
    drop = programme.drop(step.drop)
    if drop is None:
        return
    faults = [
        (slot, reading, fault)
        for slot in next_day(programme, drop, firing.at_us)
        if (fault := wanting(programme, reading := programme.logs.reading(drop, slot), drop))
    ]
    if not faults:
        return
    slot, reading, fault = faults[0]
    more = f", and {len(faults) - 1} more logs are not whole" if len(faults) > 1 else ""
    near = f" Close to it: {reading.close.text}." if reading.close is not None else ""
    missing = not reading.usable
    actions.append(
        Finding(
            "log-not-here" if missing else "log-not-whole",
            Severity.ALARM if missing else Severity.WARNING,
            state.clock.frame,
            f"“{drop.name}” for {slot.text}: {fault}{more}.{near}",
            f"Ask for {reading.file}, or open the log and settle what is missing.",
        )
    )


def next_day(programme: Programme, drop: LogDrop, at_us: int) -> list[Slot]:
    """Return the slots of the broadcast day that follows the one of an instant."""
    tz, start = programme.settings.tz, programme.settings.day_start
    day = broadcast_day(at_us, tz, start) + timedelta(days=1)
    begin, end = (
        resolve_local(datetime.combine(one, start), tz) for one in (day, day + timedelta(days=1))
    )
    return drop.slots(tz, start, begin - 1, end - 1)


def wanting(programme: Programme, reading: LogReading, drop: LogDrop) -> str:
    """Return in words what a log lacks, empty when it is whole."""
    settings = programme.settings
    if not reading.usable:
        if reading.state is ReadingState.MISSING:
            return f"{reading.file} is not in {drop.folder} yet"
        return reading.why_not(drop.folder)
    lost = len(reading.lost)
    if lost:
        return f"{lost} of its lines cannot air"
    return too_old(drop, reading, settings.tz, settings.day_start)

"""Logs that are older than they should be, and logs that nobody could have left yet.

A weekday's file is written anew every week: one that has not changed since that weekday last had
its log is last week's. What was due before a drop was made is not missed by it.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.base.wording import date_text
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.core.calendar.log_periods import Period, Slot, slots

if TYPE_CHECKING:
    from datetime import time
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.station.log_sources import LogDrop, LogReading

_LOOK_BACK_US = 8 * 86_400 * US


def too_old(drop: LogDrop, reading: LogReading, tz: ZoneInfo, day_start: time) -> str:
    """Return in words that a weekday's log is last week's, empty where it is not or may be."""
    options, slot = drop.options, reading.slot
    if options.period is not Period.WEEKDAY or not options.old_told or not reading.usable:
        return ""
    past = slots(Period.WEEKDAY, tz, day_start, slot.start_us - _LOOK_BACK_US, slot.start_us - 1)
    before = [one for one in past if one.day.weekday() == slot.day.weekday()]
    if not before or not 0 < reading.written_us < before[-1].end_us:
        return ""
    day = date_text(broadcast_day(reading.written_us, tz, day_start))
    return f"{reading.file} was last written on {day}, before that weekday last had its log"


def is_before(drop: LogDrop, slot: Slot) -> bool:
    """Whether a slot had begun when its drop was made: its log is not missed."""
    return slot.start_us < drop.made_us

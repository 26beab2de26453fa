"""What happened in a stretch of time, read from the as-run log and the alarms."""

from __future__ import annotations

from contextlib import closing
from datetime import datetime, time, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, local_from, resolve_local
from nightly_spindle.core.reports.morning import Morning, morning_of
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.playout.journal import alarms_between, as_run_between
from nightly_spindle.store.reports.handovers import last_handover

if TYPE_CHECKING:
    from pathlib import Path
    from zoneinfo import ZoneInfo

_EVENING = time(18, 0)
_LATELY_US = 36 * 3600 * US
_JUST_BEFORE_US = 60 * US


def since_the_evening(now_us: int, tz: ZoneInfo) -> int:
    """Return the last 18:00 by the station's clock, that of an instant (µs) at the latest."""
    local = local_from(now_us, tz)
    day = local.date() if local.time() >= _EVENING else local.date() - timedelta(days=1)
    return resolve_local(datetime.combine(day, _EVENING), tz)


def read_morning(folder: Path, from_us: int, until_us: int) -> Morning:
    """Return what was not as it was meant in a stretch, by the plan if one was handed over."""
    with closing(connect(folder)) as connection:
        lines = as_run_between(connection, from_us, until_us)
        alarms = alarms_between(connection, from_us, until_us)
    handover = last_handover(folder, from_us - _JUST_BEFORE_US, until_us)
    return morning_of(lines, alarms, from_us, until_us, handover)


def since_the_handover(folder: Path, now_us: int, tz: ZoneInfo) -> int:
    """Return when the last handover was, of a day and a half; else when the evening began."""
    one = last_handover(folder, now_us - _LATELY_US, now_us)
    return one.at_us if one is not None else since_the_evening(now_us, tz)

"""The broadcast day of an instant; local days as numbers (days since 1970); hours of the week."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from functools import lru_cache
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import EPOCH, US, local_from, resolve_local
from nightly_spindle.core.calendar.week_grid import hour_of_week

if TYPE_CHECKING:
    from datetime import date
    from zoneinfo import ZoneInfo

_DAY_0 = EPOCH.toordinal()


def broadcast_day(us: int, tz: ZoneInfo, day_start: time) -> date:
    """Return the date of the broadcast day that the instant belongs to."""
    local = local_from(us, tz)
    day = local.date()
    return day if local.time() >= day_start else day - timedelta(days=1)


def day_number(day: date) -> int:
    """Return a date as days since 1970."""
    return day.toordinal() - _DAY_0


def day_of(number: int) -> date:
    """Return the date of that many days since 1970."""
    return (EPOCH + timedelta(days=number)).date()


def day_and_hour(us: int, tz: ZoneInfo) -> tuple[int, int]:
    """Return the local date of an instant (days since 1970) and its hour of the week."""
    return _of_minute(us // (60 * US), tz)


@lru_cache(maxsize=65_536)
def _of_minute(minute: int, tz: ZoneInfo) -> tuple[int, int]:
    local = local_from(minute * 60 * US, tz)
    return local.toordinal() - _DAY_0, hour_of_week(local.weekday(), local.hour)


def local_day(us: int, tz: ZoneInfo) -> int:
    """Return the local date of an instant, as days since 1970."""
    return day_and_hour(us, tz)[0]


def local_hour(us: int, tz: ZoneInfo) -> int:
    """Return the hour of the week of an instant."""
    return day_and_hour(us, tz)[1]


def day_start(number: int, tz: ZoneInfo) -> int:
    """Return the instant (µs) at which a local day begins."""
    return resolve_local(datetime.combine(day_of(number), time()), tz)

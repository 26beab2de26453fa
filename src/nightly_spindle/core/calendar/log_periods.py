"""The stretches of time that logs are made for: broadcast days and clock hours.

A day's log runs from the station's day start to the next one: 23, 24 or 25 hours. An hour's
log runs from one full hour of local time to the next. On the night that the clocks go back an
hour comes twice, and its one log serves both; on the night they go forward one hour is not.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from enum import StrEnum
from itertools import pairwise
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US, local_from, resolve_local
from nightly_spindle.core.calendar.local_days import broadcast_day

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

# every offset in use today is a multiple of a quarter of an hour (IANA database)
_QUARTER_US = 900 * US
_DAY = 24
AHEAD_US = 50 * 3600 * US  # how far logs are read ahead: tomorrow's, to their last hour
ALL_HOURS = frozenset(range(_DAY))


class Period(StrEnum):
    """How much one log holds."""

    DAY = "day"
    HOUR = "hour"
    WEEKDAY = "weekday"


@dataclass(frozen=True, slots=True)
class Slot:
    """The stretch of one log: instants in µs, its start in local time, its broadcast day."""

    start_us: int
    end_us: int
    local: datetime
    day: date
    hourly: bool = False

    @property
    def key(self) -> str:
        """What tells this log from others of its drop; the same for an hour that comes twice."""
        return f"{self.local:%Y-%m-%dT%H}" if self.hourly else self.day.isoformat()

    @property
    def text(self) -> str:
        """The slot as operators read it: "Tue 24 Nov" or "Tue 24 Nov 13:00"."""
        shown = self.local.date() if self.hourly else self.day
        day = f"{shown:%a} {shown.day} {shown:%b}"
        return f"{day} {self.local:%H:%M}" if self.hourly else day

    def among(self, hours: frozenset[int]) -> bool:
        """Whether a log is meant for it when only these hours of the day have one."""
        return not self.hourly or self.local.hour in hours

    @property
    def seconds(self) -> float:
        """How long the slot is."""
        return (self.end_us - self.start_us) / US


def slots(
    period: Period, tz: ZoneInfo, day_start: time, after_us: int, until_us: int
) -> list[Slot]:
    """Return the slots whose start lies in after < start <= until, in order."""
    if period is Period.HOUR:
        return _hours(tz, day_start, after_us, until_us)
    found: list[Slot] = []
    day = broadcast_day(after_us, tz, day_start)
    while True:
        start = _day_begins(day, day_start, tz)
        if start > until_us:
            return found
        if start > after_us:
            end = _day_begins(day + timedelta(days=1), day_start, tz)
            found.append(Slot(start, end, local_from(start, tz), day))
        day += timedelta(days=1)


def slot_at(period: Period, tz: ZoneInfo, day_start: time, at_us: int) -> Slot:
    """Return the slot that an instant lies in."""
    back = 2 * 3600 if period is Period.HOUR else 50 * 3600
    return slots(period, tz, day_start, at_us - back * US, at_us)[-1]


def _day_begins(day: date, day_start: time, tz: ZoneInfo) -> int:
    return resolve_local(datetime.combine(day, day_start), tz)


def _hours(tz: ZoneInfo, day_start: time, after_us: int, until_us: int) -> list[Slot]:
    starts: list[int] = []
    at = (after_us // _QUARTER_US + 1) * _QUARTER_US
    while at <= until_us or (starts and starts[-1] <= until_us):
        if local_from(at, tz).minute == 0:
            starts.append(at)
        at += _QUARTER_US
    return [
        Slot(start, end, local_from(start, tz), broadcast_day(start, tz, day_start), hourly=True)
        for start, end in pairwise(starts)
    ]


def hours_from(text: str) -> frozenset[int]:
    """Read hours of the day, such as "22-5, 12"; all when nothing is said. SettingRefused."""
    if not text.strip():
        return ALL_HOURS
    found: set[int] = set()
    for part in text.split(","):
        first, dash, last = (piece.strip() for piece in part.partition("-"))
        ends = [first, last] if dash else [first, first]
        if not all(end.isdecimal() and int(end) < _DAY for end in ends):
            raise SettingRefused(f"'{text}' is not like 22-5 or 6, 12, 18 (hours 0 to 23)")
        begin, end = map(int, ends)
        found |= {hour % _DAY for hour in range(begin, end + 1 + _DAY * (end < begin))}
    return frozenset(found)


def hours_text(hours: frozenset[int]) -> str:
    """Return hours of the day as they are read: runs joined, past midnight too."""
    if hours == ALL_HOURS or not hours:
        return "0-23"
    starts = [hour for hour in sorted(hours) if (hour - 1) % _DAY not in hours]
    runs = []
    for start in starts:
        end = start
        while (end + 1) % _DAY in hours:
            end = (end + 1) % _DAY
        runs.append(str(start) if end == start else f"{start}-{end}")
    return ", ".join(runs)


@dataclass(frozen=True, slots=True)
class SlotRule:
    """The time rule "when each log begins". Fires at every hour that there is, or each day."""

    period: Period
    day_start: time
    hours: frozenset[int] = ALL_HOURS

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the instants (µs) with `after_us < instant <= until_us`, ascending."""
        found = slots(self.period, tz, self.day_start, after_us, until_us)
        return [slot.start_us for slot in found if slot.among(self.hours)]

    def check(self) -> None:
        """Nothing can be wrong with it."""

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        if self.period is Period.HOUR and self.hours == ALL_HOURS:
            return "Every hour on the hour"
        if self.period is Period.HOUR:
            return f"On the hours {hours_text(self.hours)}"
        return f"Every day at {self.day_start:%H:%M}"

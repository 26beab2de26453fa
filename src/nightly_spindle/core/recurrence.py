"""Time rules: RFC 5545 recurrence in local time, fired as instants."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, time, timedelta
from functools import lru_cache
from typing import TYPE_CHECKING

from dateutil.rrule import rrulestr

from nightly_spindle.core.errors import SettingRefused
from nightly_spindle.core.timebase import local_from, resolve_local

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from dateutil.rrule import rrule, rruleset

# Offsets in the IANA database change by at most a few hours at once; a day either
# side of the window finds every local time whose instant lies inside it.
_MARGIN = timedelta(days=1)


@dataclass(frozen=True, slots=True)
class TimeRule:
    """When something happens: a start in local time and an RFC 5545 RRULE.

    `rrule` is the value of an RRULE property ("FREQ=DAILY"), or empty for once.
    `exdates` are local times (EXDATE) on which it does not fire.
    """

    start: datetime
    rrule: str = ""
    exdates: tuple[datetime, ...] = ()

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the instants (µs) with `after_us < instant <= until_us`, ascending.

        A local time that does not exist is read with the offset before the gap, so
        two local times can fall on one instant: it fires once.
        """
        low = local_from(after_us, tz) - _MARGIN
        high = local_from(until_us, tz) + _MARGIN
        if self.rrule:
            start = _moved_up(self.rrule, self.start, low)
            locals_ = _expansion(self.rrule, start).between(low, high, inc=True)
        else:
            locals_ = [self.start] if low <= self.start <= high else []
        instants = {resolve_local(local, tz) for local in locals_ if local not in self.exdates}
        return sorted(us for us in instants if after_us < us <= until_us)

    def check(self) -> None:
        """SettingRefused when the rule cannot be read."""
        if self.rrule:
            _expansion(self.rrule, self.start)

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        at = self.start.strftime("%H:%M" if self.start.second == 0 else "%H:%M:%S")
        if not self.rrule:
            return f"Once, on {self.start:%A %d %B %Y} at {at}"
        if self.rrule == "FREQ=DAILY":
            return f"Every day at {at}"
        return f"By the rule {self.rrule}, from {self.start:%Y-%m-%d} at {at}"


def _moved_up(rule: str, start: datetime, low: datetime) -> datetime:
    """Return a later start with the same firings from `low` on, so that old rules stay fast.

    Whole weeks keep the weekday; rules that count from their start are left alone.
    """
    parts = rule.upper().split(";")
    counts = any(part.startswith(("COUNT=", "INTERVAL=")) for part in parts)
    if counts or not {"FREQ=DAILY", "FREQ=WEEKLY"} & set(parts):
        return start
    weeks = (low - start).days // 7 - 1
    return start + timedelta(weeks=max(0, weeks))


@lru_cache(maxsize=512)
def _expansion(rule: str, start: datetime) -> rrule | rruleset:
    try:
        return rrulestr(rule, dtstart=start, cache=False)
    except (ValueError, KeyError, TypeError) as error:
        raise SettingRefused(f"'{rule}' is not a recurrence rule (RFC 5545): {error}") from error


def every_day_at(at: time) -> TimeRule:
    """Return the rule 'every day at that local time'."""
    return TimeRule(datetime.combine(datetime(2020, 1, 1), at), "FREQ=DAILY")  # noqa: DTZ001

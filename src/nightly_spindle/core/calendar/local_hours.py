"""Local days and hours of instants, asked for very often: remembered by quarters of an hour."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, moment_from

if TYPE_CHECKING:
    from datetime import time
    from zoneinfo import ZoneInfo

_QUARTER_S = 900  # every offset in use today is a multiple of it (IANA database)
_DAY_S = 86_400.0
_EPOCH_HOUR = 3 * 24  # 1970-01-01 was a Thursday


class LocalHours:
    """The station's local time. Instants are seconds since 1970, days are numbered from 1970."""

    def __init__(self, tz: ZoneInfo, day_start: time) -> None:
        self._tz = tz
        self._begins_s = day_start.hour * 3600 + day_start.minute * 60 + day_start.second
        self._offsets: dict[int, float] = {}
        self._shifts: dict[tuple[int, int], float] = {}

    def offset_s(self, at_s: float) -> float:
        """Return the offset from UTC at an instant."""
        quarter = int(at_s // _QUARTER_S)
        found = self._offsets.get(quarter)
        if found is None:
            moment = moment_from(quarter * _QUARTER_S * US, self._tz)
            away = moment.utcoffset()
            assert away is not None
            found = self._offsets[quarter] = away.total_seconds()
        return found

    def hour_of_week(self, at_s: float) -> int:
        """Return the hour of the week of an instant, 0 for Monday 00:00 (`week_grid`)."""
        return (int((at_s + self.offset_s(at_s)) // 3600) + _EPOCH_HOUR) % 168

    def calendar_day(self, at_s: float) -> int:
        """Return the day by the calendar on the wall."""
        return int((at_s + self.offset_s(at_s)) // _DAY_S)

    def broadcast_day(self, at_s: float) -> tuple[float, float]:
        """Return the instants at which the broadcast day of an instant begins and ends."""
        day = (at_s + self.offset_s(at_s) - self._begins_s) // _DAY_S
        begin = self._instant(day * _DAY_S + self._begins_s)
        return begin, self._instant((day + 1) * _DAY_S + self._begins_s)

    def same_time(self, at_s: float, days: int) -> float:
        """Return the instant at which the clock on the wall shows the same, days later."""
        quarter = int(at_s // _QUARTER_S), days
        found = self._shifts.get(quarter)
        if found is None:
            there = self._instant(at_s + self.offset_s(at_s) + days * _DAY_S)
            found = self._shifts[quarter] = there - at_s
        return at_s + found

    def _instant(self, local_s: float) -> float:
        """Return the instant of a local time; of one that is not, that of the offset before."""
        guess = local_s - self.offset_s(local_s)
        return local_s - self.offset_s(guess)

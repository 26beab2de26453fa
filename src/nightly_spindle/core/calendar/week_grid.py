"""The hours of a week as one grid of 7 by 24: read, written, painted, told in words.

Hours are local by the clock on the wall. A grid is written like "mon-fri 06-10, 16-19; sat 09-12":
whole hours, the end exclusive, past midnight on the day after. An empty text is every hour,
"none" is no hour.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import weekdays_of
from nightly_spindle.core.base.wording import days_text, listed

if TYPE_CHECKING:
    from collections.abc import Iterable

HOURS = 168
_ALL = (1 << HOURS) - 1
_SPAN = re.compile(r"(\d{1,2})(?::00)?\s*-\s*(\d{1,2})(?::00)?")
_PART = re.compile(r"([a-z][a-z,\s-]*?)?\s*([\d:,\s-]*)")


def hour_of_week(weekday: int, hour: int) -> int:
    """Return the number of an hour: 0 is Monday 00:00, 167 Sunday 23:00."""
    return weekday * 24 + hour


@dataclass(frozen=True, slots=True)
class WeekGrid:
    """Some hours of the week. Bit `hour_of_week(day, hour)` of `bits` says whether one is in it."""

    bits: int = _ALL

    def __contains__(self, hour: int) -> bool:
        """Whether the hour of that number is in it."""
        return bool(self.bits >> hour & 1)

    def __len__(self) -> int:
        """How many hours are in it."""
        return self.bits.bit_count()

    def painted(self, hours: Iterable[int], *, on: bool) -> WeekGrid:
        """Return the grid with these hours in it, or out of it."""
        mask = 0
        for hour in hours:
            mask |= 1 << hour
        return WeekGrid(self.bits | mask if on else self.bits & ~mask)

    def text(self) -> str:
        """Return the grid as `grid_from` reads it."""
        if self.bits == _ALL:
            return ""
        if not self.bits:
            return "none"
        return "; ".join(
            f"{_days_code(days)}{' ' if spans else ''}{spans}" for days, spans in self._alike("-")
        )

    def words(self) -> str:
        """Return the grid in words: "every weekday 06:00 to 10:00"."""
        if self.bits == _ALL:
            return "at any hour"
        if not self.bits:
            return "at no hour"
        said = []
        for days, spans in self._alike(":"):
            said.append(f"{days_text(days)} {spans}".strip())
        return "; ".join(said)

    def _alike(self, style: str) -> list[tuple[tuple[int, ...], str]]:
        """Return the days with hours, those with the same hours together, and these as text."""
        by_hours: dict[int, list[int]] = {}
        for day in range(7):
            row = self.bits >> day * 24 & 0xFFFFFF
            if row:
                by_hours.setdefault(row, []).append(day)
        return [(tuple(days), _spans_text(row, style)) for row, days in by_hours.items()]


EVERY_HOUR = WeekGrid()
NO_HOUR = WeekGrid(0)


def _spans_text(row: int, style: str) -> str:
    if row == 0xFFFFFF:
        return ""
    spans, begin = [], None
    for hour in range(25):
        inside = hour < 24 and bool(row >> hour & 1)
        if inside and begin is None:
            begin = hour
        elif not inside and begin is not None:
            spans.append((begin, hour))
            begin = None
    if style == ":":
        return listed([f"{a:02}:00 to {b:02}:00" for a, b in spans])
    return ", ".join(f"{a:02}-{b:02}" for a, b in spans)


def _days_code(days: tuple[int, ...]) -> str:
    """Return weekdays as "mon-fri" or "mon, wed"."""
    names = [("mon", "tue", "wed", "thu", "fri", "sat", "sun")[day] for day in days]
    if len(days) > 2 and days[-1] - days[0] == len(days) - 1:
        return f"{names[0]}-{names[-1]}"
    return ", ".join(names)


@lru_cache(maxsize=1024)
def grid_from(written: str) -> WeekGrid:
    """Read a grid; SettingRefused says which part cannot be read."""
    folded = written.strip().casefold()
    if not folded:
        return EVERY_HOUR
    if folded == "none":
        return NO_HOUR
    grid = NO_HOUR
    for part in folded.split(";"):
        match = _PART.fullmatch(part.strip())
        if match is None or not part.strip():
            raise _refused(part)
        days = weekdays_of((match[1] or "").strip(" ,"))
        for begin, end in _spans(match[2] or "", part):
            hours = range(begin, end if end > begin else end + 24)
            grid = grid.painted(((day * 24 + h) % HOURS for day in days for h in hours), on=True)
    return grid


def _spans(written: str, part: str) -> list[tuple[int, int]]:
    if not written.strip(" ,"):
        return [(0, 24)]
    found = []
    for word in written.split(","):
        match = _SPAN.fullmatch(word.strip())
        begin, end = (int(match[1]), int(match[2])) if match else (99, 99)
        if begin > 23 or end > 24 or begin == end:
            raise _refused(part)
        found.append((begin, end))
    return found


def _refused(part: str) -> SettingRefused:
    return SettingRefused(
        f"'{part.strip()}' is not a valid part of the week; write it like mon-fri 06-10, 16-19 "
        "(24-hour clock, whole hours), with ; between parts"
    )


def _hours(weekdays: Iterable[int], hours: Iterable[int]) -> tuple[int, ...]:
    chosen = list(hours)
    return tuple(hour_of_week(day, hour) for day in weekdays for hour in chosen)


# One click each, added to what is painted already. Where a part of the day begins is ours.
QUICK: dict[str, tuple[int, ...]] = {
    "Weekdays": _hours(range(5), range(24)),
    "Weekend": _hours((5, 6), range(24)),
    "Mornings": _hours(range(7), range(6, 10)),
    "Daytime": _hours(range(7), range(10, 16)),
    "Evenings": _hours(range(7), range(16, 22)),
    "Nights": _hours(range(7), (22, 23, 0, 1, 2, 3, 4, 5)),
}

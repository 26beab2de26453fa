"""Which local times a recurrence names: days by mask, times by list.

An RFC 5545 RRULE of the kinds that people write (daily, weekly, certain weekdays of the month,
certain months, chosen hours and minutes) is read into a `DayRule`, which is quick to expand over
years, can be said in a sentence and edited in a form. Anything else stays a text that dateutil
expands.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import date, datetime, time
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.base.wording import CODES, WEEKDAYS

if TYPE_CHECKING:
    from numpy.typing import NDArray

DAY_S = 86_400
_EPOCH = date(1970, 1, 1).toordinal()
_BYDAY = re.compile(r"([+-]?[1-5])?(MO|TU|WE|TH|FR|SA|SU)")
_KNOWN = {
    "FREQ",
    "INTERVAL",
    "BYDAY",
    "BYMONTH",
    "BYMONTHDAY",
    "BYHOUR",
    "BYMINUTE",
    "UNTIL",
    "WKST",
}


@dataclass(frozen=True, slots=True)
class DayRule:
    """Days and times of the day.

    `weekdays` (0 is Monday), `weeks` of the month (1 to 5, -1 the last), `months` and
    `month_days` narrow where they are not empty; `every` takes each n-th day, or week when
    `weekly`, counted from the first. `hours` and `minutes` are those of the start where they are
    empty. `until` is the last local time, inclusive.
    """

    weekdays: tuple[int, ...] = ()
    weeks: tuple[int, ...] = ()
    months: tuple[int, ...] = ()
    month_days: tuple[int, ...] = ()
    hours: tuple[int, ...] = ()
    minutes: tuple[int, ...] = ()
    every: int = 1
    weekly: bool = False
    until: datetime | None = None

    def rrule(self) -> str:
        """Return the rule as the value of an RRULE property."""
        freq = "DAILY"
        days = [CODES[day] for day in self.weekdays]
        if self.weeks:
            freq = "MONTHLY"
            week_days = self.weekdays or tuple(range(7))
            days = [f"{week}{CODES[day]}" for week in self.weeks for day in week_days]
        elif self.weekdays or self.weekly:
            freq = "WEEKLY"
        elif self.month_days:
            freq = "MONTHLY"
        parts = [f"FREQ={freq}"]
        parts += [f"INTERVAL={self.every}"] if self.every > 1 else []
        for name, values in (
            ("BYMONTH", self.months),
            ("BYMONTHDAY", self.month_days),
            ("BYDAY", days),
            ("BYHOUR", self.hours),
            ("BYMINUTE", self.minutes),
        ):
            if values:
                parts.append(f"{name}={','.join(map(str, values))}")
        if self.until is not None:
            parts.append(f"UNTIL={self.until:%Y%m%dT%H%M%S}")
        return ";".join(parts)

    def days(self, start: date, low: int, high: int) -> NDArray[np.int64]:
        """Return the days (since 1970-01-01) with low <= day <= high that the rule names."""
        first = start.toordinal() - _EPOCH
        if self.until is not None:
            high = min(high, self.until.toordinal() - _EPOCH)
        low = max(low, first)
        if low > high:
            return np.empty(0, dtype=np.int64)
        day, weekday, month, month_day, left = calendar(low, high)
        fits = np.ones(len(day), dtype=bool)
        if self.weekdays:
            fits &= np.isin(weekday, self.weekdays)
        if self.months:
            fits &= np.isin(month, self.months)
        if self.month_days:
            wanted = np.isin(month_day, [d for d in self.month_days if d > 0])
            fits &= wanted | np.isin(-1 - left, [d for d in self.month_days if d < 0])
        if self.weeks:
            week = (month_day - 1) // 7 + 1
            from_end = -1 - left // 7
            fits &= np.isin(week, self.weeks) | np.isin(from_end, self.weeks)
        if self.every > 1:
            if self.weekly:
                monday = first - (first + 3) % 7
                fits &= (day - monday) // 7 % self.every == 0
            else:
                fits &= (day - first) % self.every == 0
        return day[fits]

    def times(self, start: time) -> list[int]:
        """Return the times of the day in seconds, ascending."""
        hours, minutes = self.hours or (start.hour,), self.minutes or (start.minute,)
        return sorted(h * 3600 + m * 60 + start.second for h in hours for m in minutes)


@lru_cache(maxsize=64)
def calendar(low: int, high: int) -> tuple[NDArray[np.int64], ...]:
    """Return for each day: itself, weekday (0 Monday), month, day of the month, days left in it."""
    day = np.arange(low, high + 1, dtype=np.int64)
    dates = day.astype("datetime64[D]")
    months = dates.astype("datetime64[M]")
    month_day = (dates - months).astype(np.int64) + 1
    left = ((months + 1).astype("datetime64[D]") - dates).astype(np.int64) - 1
    return day, (day + 3) % 7, months.astype(np.int64) % 12 + 1, month_day, left


@lru_cache(maxsize=2048)
def day_rule_from(rrule: str, start: datetime) -> DayRule | None:
    """Read an RRULE; None when it is of another kind than a `DayRule` can say."""
    values: dict[str, str] = {}
    for part in rrule.upper().split(";"):
        name, equals, value = part.partition("=")
        if not equals or name in values or name not in _KNOWN:
            return None
        values[name] = value
    try:
        rule = _with_times(values)
    except ValueError:
        return None
    return None if rule is None else _with_days(rule, values, start)


def _with_times(values: dict[str, str]) -> DayRule | None:
    until = None
    if "UNTIL" in values:
        text = values["UNTIL"]
        if text.endswith("Z"):
            return None
        until = datetime.strptime(text, "%Y%m%dT%H%M%S" if "T" in text else "%Y%m%d")  # noqa: DTZ007
    rule = DayRule(
        months=_numbers(values, "BYMONTH", 1, 12),
        month_days=_numbers(values, "BYMONTHDAY", -31, 31),
        hours=_numbers(values, "BYHOUR", 0, 23),
        minutes=_numbers(values, "BYMINUTE", 0, 59),
        every=int(values.get("INTERVAL", "1")),
        until=until,
    )
    return rule if rule.every >= 1 and 0 not in rule.month_days else None


def _with_days(rule: DayRule, values: dict[str, str], start: datetime) -> DayRule | None:
    freq = values.get("FREQ", "")
    found = [_BYDAY.fullmatch(text) for text in values.get("BYDAY", "").split(",") if text]
    if not all(found) or freq not in {"DAILY", "WEEKLY", "MONTHLY"}:
        return None
    pairs = [(match[1], CODES.index(match[2])) for match in found if match]
    weekdays = tuple(sorted({day for _, day in pairs}))
    weeks = tuple(sorted({int(week) for week, _ in pairs if week}, key=lambda w: (w < 0, w)))
    if freq == "WEEKLY":
        if weeks or rule.month_days or (rule.every > 1 and values.get("WKST", "MO") != "MO"):
            return None
        return replace(rule, weekdays=weekdays or (start.weekday(),), weekly=True)
    if freq == "DAILY":
        return None if weeks else replace(rule, weekdays=weekdays)
    if not weeks and not weekdays and not rule.month_days:
        rule = replace(rule, month_days=(start.day,))
    # each of the weeks with each of the weekdays, and nothing besides
    whole = len({(int(w), d) for w, d in pairs if w}) == len(weeks) * len(weekdays)
    only = not weeks or (all(week for week, _ in pairs) and not rule.month_days)
    fits = whole and only and rule.every == 1 and all(week == -1 or week > 0 for week in weeks)
    return replace(rule, weekdays=weekdays, weeks=weeks) if fits else None


def _numbers(values: dict[str, str], name: str, low: int, high: int) -> tuple[int, ...]:
    if name not in values:
        return ()
    numbers = sorted({int(text) for text in values[name].split(",")})
    if not numbers or not low <= numbers[0] <= numbers[-1] <= high:
        raise ValueError(name)
    return tuple(numbers)


__all__ = ["DAY_S", "WEEKDAYS", "DayRule", "calendar", "day_rule_from"]

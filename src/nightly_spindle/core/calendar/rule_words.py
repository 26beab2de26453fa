"""Time rules as plain sentences."""

from __future__ import annotations

from typing import TYPE_CHECKING, Protocol

from nightly_spindle.core.base.wording import (
    MONTHS,
    WEEKDAYS,
    WEEKS,
    date_text,
    days_text,
    listed,
    span_text,
    time_text,
)

if TYPE_CHECKING:
    from collections.abc import Iterable
    from datetime import date, datetime

    from nightly_spindle.core.calendar.day_rules import DayRule
    from nightly_spindle.core.calendar.dayparts import Repeat

_MOST = 4  # dates and times that are named one by one
_SINCE_ALWAYS = 2020  # the year that rules without a first date begin in


class Recurring(Protocol):
    """A time rule, as far as it is told in words: see `recurrence.TimeRule`."""

    @property
    def start(self) -> datetime: ...
    @property
    def days(self) -> DayRule | None: ...
    @property
    def repeat(self) -> Repeat | None: ...
    @property
    def rrule(self) -> str: ...
    @property
    def rdates(self) -> tuple[datetime, ...]: ...
    @property
    def exdates(self) -> tuple[datetime, ...]: ...
    @property
    def not_on(self) -> tuple[date, ...]: ...
    @property
    def most(self) -> int: ...


def rule_sentence(rule: Recurring) -> str:
    """Return when a rule fires, as one phrase with a capital letter."""
    days = rule.days
    if days is not None:
        times = _times(rule, days)
        comma = "," if times.startswith("every") else ""
        said = f"{_days(days, rule.start)}{comma} {times}"
        if rule.start.year > _SINCE_ALWAYS:
            said += f", from {date_text(rule.start.date())}"
        if days.until is not None:
            said += f", until {date_text(days.until.date())}"
    elif rule.rrule:
        said = f"by the rule {rule.rrule}, from {rule.start:%Y-%m-%d} {_times(rule, None)}"
    elif rule.rdates:
        shown = _some(
            date_text(day)
            for day in sorted({rule.start.date(), *(local.date() for local in rule.rdates)})
        )
        said = f"on {shown} {_times(rule, None)}"
    else:
        day = rule.start
        said = f"once, on {WEEKDAYS[day.weekday()]} {date_text(day.date())} {_times(rule, None)}"
    if rule.not_on:
        said += f", not on {_some(date_text(day) for day in rule.not_on)}"
    if rule.exdates:
        said += f", not on {_some(f'{local:%d %b %Y %H:%M}' for local in rule.exdates)}"
    if rule.most:
        said += ", once only" if rule.most == 1 else f", {rule.most} times in all"
    return said[0].upper() + said[1:]


def _some(words: Iterable[str]) -> str:
    """Return up to a few of the words, and how many more there are."""
    known = list(words)
    if len(known) <= _MOST:
        return listed(known)
    return f"{', '.join(known[:_MOST])} and {len(known) - _MOST} more"


def _days(days: DayRule, start: datetime) -> str:
    if days.weeks:
        week = listed([WEEKS.get(week, str(week)) for week in days.weeks])
        names = listed([WEEKDAYS[d] for d in days.weekdays]) if days.weekdays else "seven days"
        said = f"on the {week} {names} of the month"
    elif days.month_days:
        in_order = sorted(days.month_days, key=lambda day: (day < 0, day))
        said = f"on {listed([_month_day(day) for day in in_order])} of the month"
        if days.weekdays:
            said += f" if it is {listed([WEEKDAYS[day] for day in days.weekdays], 'or')}"
    elif days.every > 1 and days.weekly:
        names = listed([WEEKDAYS[d] for d in days.weekdays or (start.weekday(),)])
        said = f"every {_nth(days.every)} week on {names}"
    elif days.every > 1:
        said = f"every {_nth(days.every)} day"
    else:
        said = days_text(days.weekdays)
    if days.months:
        said += f" in {listed([MONTHS[month - 1] for month in days.months])}"
    return said


def _month_day(day: int) -> str:
    if day < -1:
        return f"the {_ordinal(-day)} day from the end"
    return "the last day" if day == -1 else f"the {_ordinal(day)}"


def _nth(number: int) -> str:
    return {2: "second", 3: "third", 4: "fourth"}.get(number, _ordinal(number))


def _ordinal(number: int) -> str:
    tail = (
        "th" if number % 100 in {11, 12, 13} else {1: "st", 2: "nd", 3: "rd"}.get(number % 10, "th")
    )
    return f"{number}{tail}"


def _times(rule: Recurring, days: DayRule | None) -> str:
    start = rule.start
    if rule.repeat is not None and rule.repeat.every_s:
        every = span_text(rule.repeat.every_s)
        if rule.repeat.until == start.time():
            return f"every {every} round the clock from {time_text(start)}"
        return f"every {every} from {time_text(start)} to {time_text(rule.repeat.until)}"
    if rule.repeat is not None:
        return f"from {time_text(start)} to {time_text(rule.repeat.until)}"
    if days is None or not (days.hours or days.minutes):
        return f"at {time_text(start)}"
    if len(days.hours) == 24:
        minutes = listed([f":{minute:02}" for minute in days.minutes or (start.minute,)])
        return f"at {minutes} of every hour"
    times = [f"{s // 3600:02}:{s // 60 % 60:02}" for s in days.times(start.time())]
    return f"at {_some(times)}"

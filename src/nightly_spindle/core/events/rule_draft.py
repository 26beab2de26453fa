"""Time rules as people write them: texts of a form or of a command, and the rule they make."""

from __future__ import annotations

import re
from dataclasses import dataclass, replace
from datetime import date, datetime, time, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.wording import MONTHS, WEEKDAYS, WEEKS, time_text
from nightly_spindle.core.calendar.day_rules import DayRule, day_rule_from
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.timed_events import AfterSongs, OffsetRule

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.events.timed_events import FiringRule

SINCE = date(2020, 1, 1)  # the first day of rules that have none
_MOST_DATES = 400


class DraftKind(StrEnum):
    """What brings an event about."""

    DAYS = "on days"
    DATES = "on dates"
    BESIDE = "beside another event"
    SONGS = "after songs"
    RRULE = "by a rule of RFC 5545"


@dataclass(frozen=True, slots=True)
class RuleDraft:
    """A rule as texts; those that do not belong to its kind are passed over.

    `at` is a time of day, `until` the end of the daypart, `every_min` the minutes between two
    firings in it. `days`, `weeks`, `months`, `hours` and `minutes` are lists as `parse_numbers`
    and `parse_days` read them. `dates` and `not_on` are dates (YYYY-MM-DD), commas between.
    """

    kind: DraftKind = DraftKind.DAYS
    at: str = "12:00"
    days: str = ""
    weeks: str = ""
    months: str = ""
    month_days: str = ""
    every: str = "1"
    hours: str = ""
    minutes: str = ""
    every_min: str = ""
    until: str = ""
    first: str = ""
    last: str = ""
    dates: str = ""
    not_on: str = ""
    most: str = ""
    other: int = 0
    offset_min: str = "-5"
    songs: str = "4"
    rrule: str = ""


def rule_of(draft: RuleDraft) -> FiringRule:
    """Return the rule that a draft makes; SettingRefused says what cannot be read."""
    if draft.kind is DraftKind.BESIDE:
        return OffsetRule(draft.other, _number(draft.offset_min, "minutes", -10_080, 10_080) * 60)
    if draft.kind is DraftKind.SONGS:
        songs = int(_number(draft.songs, "songs", 1, 500))
        narrowed = draft.until.strip() or draft.days.strip()
        return AfterSongs(songs, _daypart(draft) if narrowed else None)
    not_on = parse_dates(draft.not_on)
    most = int(_number(draft.most, "firings", 1, 100_000)) if draft.most.strip() else 0
    at = parse_time(draft.at)
    if draft.kind is DraftKind.DATES:
        days = parse_dates(draft.dates)
        if not days:
            raise SettingRefused("give at least one date, such as 2026-12-24")
        times = [datetime.combine(day, at) for day in days]
        return TimeRule(times[0], "", (), tuple(times[1:]), not_on, _repeat(draft), most)
    first = _date(draft.first) if draft.first.strip() else SINCE
    start = datetime.combine(first, at)
    if draft.kind is DraftKind.RRULE:
        return TimeRule(start, draft.rrule.strip(), (), (), not_on, _repeat(draft), most)
    return TimeRule(start, _day_rule(draft).rrule(), (), (), not_on, _repeat(draft), most)


def unused_at(draft: RuleDraft) -> str:
    """Say that the time of day does not count where hours and minutes are given; empty if not."""
    given = draft.kind is DraftKind.DAYS and draft.hours.strip() and draft.minutes.strip()
    if not given or not draft.at.strip():
        return ""
    return (
        f"It fires at the hours and minutes that are given: {draft.at.strip()} under At does not "
        "count."
    )


def _day_rule(draft: RuleDraft) -> DayRule:
    last = None
    if draft.last.strip():
        last = datetime.combine(_date(draft.last), time(23, 59, 59))
    every = int(_number(draft.every or "1", "weeks", 1, 52))
    weekdays = parse_days(draft.days)
    weeks = parse_weeks(draft.weeks)
    if every > 1 and not weekdays:
        raise SettingRefused("every N weeks needs a weekday, such as fri")
    if weeks and not weekdays:
        raise SettingRefused("weeks of the month need a weekday, such as fri")
    if weeks and every > 1:
        raise SettingRefused("give weeks of the month, or every N weeks, not both")
    return DayRule(
        weekdays,
        weeks,
        parse_months(draft.months),
        parse_numbers(draft.month_days, "days of the month", -31, 31),
        parse_numbers(draft.hours, "hours", 0, 23),
        parse_numbers(draft.minutes, "minutes", 0, 59),
        every,
        weekly=bool(weekdays) and not weeks,
        until=last,
    )


def _repeat(draft: RuleDraft) -> Repeat | None:
    if not draft.every_min.strip():
        return None
    every = round(_number(draft.every_min, "minutes", 1, 1440) * 60)
    return Repeat(every, parse_time(draft.until or draft.at))


def _daypart(draft: RuleDraft) -> TimeRule:
    rule = replace(_day_rule(draft), hours=(), minutes=())
    start = datetime.combine(SINCE, parse_time(draft.at))
    return TimeRule(start, rule.rrule(), repeat=Repeat(0, parse_time(draft.until or draft.at)))


def draft_of(rule: FiringRule) -> RuleDraft:
    """Return a rule as texts; `rule_of` makes it again."""
    if isinstance(rule, OffsetRule):
        return RuleDraft(
            DraftKind.BESIDE, other=rule.other_id, offset_min=f"{rule.offset_s / 60:g}"
        )
    if isinstance(rule, AfterSongs):
        if rule.within is None:
            return RuleDraft(DraftKind.SONGS, songs=str(rule.songs))
        return replace(_of_times(rule.within), kind=DraftKind.SONGS, songs=str(rule.songs))
    if not isinstance(rule, TimeRule):
        raise TypeError(rule)  # a log drop's own rule is edited with its drop
    return _of_times(rule)


def _of_times(rule: TimeRule) -> RuleDraft:
    start = rule.start
    draft = RuleDraft(
        at=time_text(start),
        not_on=", ".join(day.isoformat() for day in rule.not_on),
        most=str(rule.most) if rule.most else "",
    )
    if rule.repeat is not None:
        every = f"{rule.repeat.every_s / 60:g}" if rule.repeat.every_s else ""
        draft = replace(draft, every_min=every, until=time_text(rule.repeat.until))
    if not rule.rrule:
        every_day = sorted({start.date(), *(local.date() for local in rule.rdates)})
        dates = ", ".join(day.isoformat() for day in every_day)
        return replace(draft, kind=DraftKind.DATES, dates=dates)
    first = "" if start.date() <= SINCE else start.date().isoformat()
    days = day_rule_from(rule.rrule, start)
    nth_day = days is not None and days.every > 1 and not days.weekdays  # no field says that
    if days is None or nth_day or rule.exdates or rule.rdates:
        return replace(draft, kind=DraftKind.RRULE, first=first, rrule=rule.rrule)
    return replace(
        draft,
        first=first,
        last=days.until.date().isoformat() if days.until else "",
        days=", ".join(WEEKDAYS[day][:3].lower() for day in days.weekdays),
        weeks=", ".join(WEEKS[week] for week in days.weeks),
        months=", ".join(MONTHS[month - 1][:3].lower() for month in days.months),
        month_days=", ".join(map(str, days.month_days)),
        every=str(days.every),
        hours=spans_text(days.hours),
        minutes=spans_text(days.minutes),
    )


# -- reading texts ---------------------------------------------------------------------------------


def parse_time(text: str) -> time:
    """Read a time of day on the 24-hour clock: 7, 07:00, 19:30:15; SettingRefused if it is none."""
    match = re.fullmatch(r"(\d{1,2})(?:[:.](\d{2}))?(?:[:.](\d{2}))?", text.strip())
    if match is not None:
        hour, minute, second = (int(part or 0) for part in match.groups())
        if hour < 24 and minute < 60 and second < 60:
            return time(hour, minute, second)
    raise SettingRefused(
        f"'{text.strip()}' is not a time of day; write it like 07:00 or 19:30:00 (24-hour clock)"
    )


def parse_days(text: str) -> tuple[int, ...]:
    """Read weekdays: mon, tue-fri, weekdays, weekend; empty or daily means every day."""
    named = {"daily": "", "every day": "", "weekdays": "mon-fri", "weekend": "sat-sun"}
    known = named.get(text.strip().casefold(), text)
    return _named(known, [day.casefold() for day in WEEKDAYS], "weekday", "mon, fri or mon-thu")


def parse_months(text: str) -> tuple[int, ...]:
    """Read months: jan, jun-aug; empty means every month."""
    found = _named(text, [month.casefold() for month in MONTHS], "month", "dec or jun-aug")
    return tuple(number + 1 for number in found)


def parse_weeks(text: str) -> tuple[int, ...]:
    """Read weeks of the month: first, third, last, or 1 to 5 and -1."""
    words = {word: number for number, word in WEEKS.items()}
    found = set()
    for part in _parts(text):
        number = words.get(part.casefold())
        if number is None and part in {str(week) for week in WEEKS}:
            number = int(part)
        if number is None:
            raise SettingRefused(
                f"'{part}' is not a valid week of the month; write first, second or last"
            )
        found.add(number)
    return tuple(sorted(found, key=lambda week: (week < 0, week)))


def _named(text: str, names: Sequence[str], what: str, like: str) -> tuple[int, ...]:
    def number(part: str) -> int:
        word = part.strip().casefold()
        fits = [n for n, name in enumerate(names) if len(word) >= 3 and name.startswith(word)]
        if len(fits) != 1:
            raise SettingRefused(f"'{part.strip()}' is no {what}; write {like}")
        return fits[0]

    found: set[int] = set()
    for part in _parts(text):
        first, dash, last = part.partition("-")
        begin = number(first)
        end = number(last) if dash else begin
        found |= {(begin + n) % len(names) for n in range((end - begin) % len(names) + 1)}
    return tuple(sorted(found))


def parse_numbers(text: str, what: str, low: int, high: int) -> tuple[int, ...]:
    """Read numbers and ranges: 6-9, 12, 18; empty means all."""
    found: set[int] = set()
    for part in _parts(text):
        match = re.fullmatch(r"(-?\d+)(?:\s*-\s*(\d+))?", part)
        first = int(match[1]) if match else low - 1
        last = int(match[2]) if match and match[2] else first
        if not low <= first <= last <= high:
            raise SettingRefused(f"'{part}' is none of the {what} from {low} to {high}")
        found |= set(range(first, last + 1)) - ({0} if low < 0 else set())
    return tuple(sorted(found))


def spans_text(numbers: Sequence[int]) -> str:
    """Return numbers as `parse_numbers` reads them: 6-9, 12."""
    spans: list[list[int]] = []
    for number in numbers:
        if spans and number == spans[-1][1] + 1:
            spans[-1][1] = number
        else:
            spans.append([number, number])
    return ", ".join(f"{a}-{b}" if b > a else str(a) for a, b in spans)


def parse_dates(text: str) -> tuple[date, ...]:
    """Read dates and spans of dates: 2026-12-24, 2026-12-24..2026-12-26."""
    found: set[date] = set()
    for part in _parts(text):
        first, dots, last = part.partition("..")
        begin = _date(first)
        end = _date(last) if dots else begin
        if not begin <= end <= begin + timedelta(days=_MOST_DATES):
            raise SettingRefused(
                f"'{part}' is not a valid span of dates of up to {_MOST_DATES} days"
            )
        found |= {begin + timedelta(days=n) for n in range((end - begin).days + 1)}
    return tuple(sorted(found))


def _date(text: str) -> date:
    try:
        return date.fromisoformat(text.strip())
    except ValueError as error:
        raise SettingRefused(f"'{text.strip()}' is not a date; write it like 2026-12-24") from error


def _parts(text: str) -> list[str]:
    return [part.strip() for part in re.split(r"[,;]", text) if part.strip()]


def _number(text: str, what: str, low: float, high: float) -> float:
    try:
        found = float(text)
    except ValueError:
        found = float("nan")
    if not low <= found <= high:
        raise SettingRefused(f"'{text}' is not a number of {what} from {low:g} to {high:g}")
    return found

"""Moving, stretching and copying the firings of an event, as one does by hand in the week."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, datetime, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.base.wording import WEEKDAYS
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.timed_events import AfterSongs, OffsetRule

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.calendar.day_rules import DayRule
    from nightly_spindle.core.events.timed_events import TimedEvent


def moved(event: TimedEvent, from_us: int, to_us: int, tz: ZoneInfo) -> TimedEvent:
    """Return the event with one of its firings at another time; what repeats moves along.

    InputFault says why it cannot be moved there.
    """
    rule = event.rule
    if isinstance(rule, OffsetRule):
        offset = rule.offset_s + (to_us - from_us) / US
        return replace(event, rule=replace(rule, offset_s=offset))
    if isinstance(rule, AfterSongs) or not isinstance(rule, TimeRule):
        raise InputFault(f"“{event.name}” has no time of its own that could be moved")
    was, new = local_from(from_us, tz), local_from(to_us, tz)
    if not rule.rrule:
        return replace(event, rule=_date_moved(rule, was, new))
    days = rule.days
    if days is None:
        raise InputFault(f"“{event.name}” has the rule {rule.rrule}: change it in the editor")
    if days.hours or days.minutes:
        raise InputFault(f"“{event.name}” fires at several times: change them in the editor")
    by_days = (new.date() - was.date()).days
    if rule.repeat is not None and rule.repeat.every_s:
        # one of a row was taken hold of: the whole row moves
        new = rule.start + (new - was) - timedelta(days=by_days)
        was = rule.start
        if new.date() != was.date():
            raise InputFault(f"“{event.name}” would begin on another day: change it in the editor")
    else:
        was = was.replace(hour=rule.start.hour, minute=rule.start.minute, second=rule.start.second)
    if by_days:
        days = _day_moved(event, days, was.date(), was.date() + timedelta(days=by_days))
    at = new.time()
    start = datetime.combine(rule.start.date(), at)
    moved_rule = replace(rule, start=start, rrule=days.rrule())
    if rule.repeat is not None:
        end = datetime.combine(start.date(), rule.repeat.until) + (start - rule.start)
        moved_rule = replace(moved_rule, repeat=replace(rule.repeat, until=end.time()))
    return replace(event, rule=moved_rule)


def _date_moved(rule: TimeRule, was: datetime, new: datetime) -> TimeRule:
    every = sorted({rule.start, *rule.rdates})
    if was not in every:
        return replace(rule, start=rule.start + (new - was))
    every = sorted({*(local for local in every if local != was), new})
    return replace(rule, start=every[0], rdates=tuple(every[1:]))


def _day_moved(event: TimedEvent, days: DayRule, was: date, new: date) -> DayRule:
    if days.weeks or days.month_days or not days.weekdays or days.every > 1:
        raise InputFault(
            f"“{event.name}” depends on more than the day of the week: change its days in the "
            "editor"
        )
    weekdays = {*(set(days.weekdays) - {was.weekday()}), new.weekday()}
    return replace(days, weekdays=tuple(sorted(weekdays)))


def stretched(event: TimedEvent, length_s: float) -> TimedEvent:
    """Return the event with another length; InputFault when it cannot have that."""
    if not 0 <= length_s <= 86_400:
        raise InputFault("an event holds the air for up to 24 hours")
    return replace(event, options=replace(event.options, length_s=length_s))


def copied(event: TimedEvent, from_us: int, to_us: int, tz: ZoneInfo) -> TimedEvent:
    """Return a copy of the event at another time, or the event itself with one more day.

    On another weekday at the same time of day a weekly event fires there as well; anywhere
    else the copy is an event of its own (its id is 0).
    """
    rule = event.rule
    if not isinstance(rule, TimeRule):
        raise InputFault(f"“{event.name}” has no time of its own that could be copied")
    was, new = local_from(from_us, tz), local_from(to_us, tz)
    days = rule.days
    weekly = days is not None and bool(days.weekdays) and not (days.weeks or days.month_days)
    if weekly and days is not None and days.every == 1 and was.time() == new.time():
        if new.weekday() in days.weekdays:
            raise InputFault(f"“{event.name}” fires on {WEEKDAYS[new.weekday()]} already")
        every = tuple(sorted({*days.weekdays, new.weekday()}))
        return replace(event, rule=replace(rule, rrule=replace(days, weekdays=every).rrule()))
    if not rule.rrule and was.time() == new.time():
        every_date = sorted({rule.start, *rule.rdates, new})
        return replace(event, rule=replace(rule, start=every_date[0], rdates=tuple(every_date[1:])))
    copy = replace(event, id=0, name=f"{event.name} (copy)")
    if weekly and days is not None:
        one = replace(days, weekdays=(new.weekday(),))
        start = datetime.combine(rule.start.date(), new.time())
        return replace(copy, rule=replace(rule, start=start, rrule=one.rrule()))
    return replace(copy, rule=TimeRule(new, repeat=rule.repeat))

"""Timed events as iCalendar (RFC 5545), so that other calendar programs show the station's week.

What RFC 5545 can say of a rule is an RRULE, RDATE and EXDATE in the station's time zone; what it
cannot (a firing that goes by another event) is written as the dates of the coming year. Each
event carries all of itself in the property X-NIGHTLY-SPINDLE-EVENT as JSON (`event_values`),
so that it is read back whole; where the times in the calendar were changed since, those hold.
"""

from __future__ import annotations

import json
from dataclasses import dataclass, replace
from datetime import UTC, date, datetime, time, timedelta
from math import gcd
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault, SettingRefused, clipped
from nightly_spindle.core.base.timebase import US, local_from, moment_from, us_from
from nightly_spindle.core.calendar.day_rules import DAY_S, day_rule_from
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.event_values import event_values, events_from
from nightly_spindle.core.events.timed_events import AfterSongs, Entry, EventOptions, TimedEvent

if TYPE_CHECKING:
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo

MINE = "X-NIGHTLY-SPINDLE-EVENT"
_YEAR_US = 366 * 86_400 * US
_MOST_PLACES = 366  # RFC 5545: BYSETPOS goes that far
_MOST_BYTES = 10_000_000


@dataclass(frozen=True, slots=True)
class CalendarRule:
    """A rule in the words of RFC 5545: local times, and an RRULE that may be empty."""

    start: datetime
    rrule: str = ""
    rdates: tuple[datetime, ...] = ()
    exdates: tuple[datetime, ...] = ()


# -- writing ---------------------------------------------------------------------------------------


def to_calendar(
    events: Iterable[TimedEvent], tz: ZoneInfo, now_us: int, name: str = "Nightly Spindle"
) -> bytes:
    """Return events as an iCalendar file; times are in the zone `tz`."""
    from icalendar import Calendar

    calendar = Calendar()
    calendar.add("PRODID", "-//Nightly Spindle//timed events//EN")
    calendar.add("VERSION", "2.0")
    calendar.add("X-WR-CALNAME", name)
    for event in events:
        calendar.add_component(_component(event, tz, now_us))
    calendar.add_missing_timezones()
    return bytes(calendar.to_ical())


def _component(event: TimedEvent, tz: ZoneInfo, now_us: int) -> Any:
    from icalendar import Event, Todo
    from icalendar.prop import vRecur

    dated = dated_of(event, tz, now_us)
    made = Event() if dated else Todo()  # what counts songs has no time: it is shown as a task
    made.add("UID", f"event-{event.id}@nightly-spindle.invalid")
    made.add("DTSTAMP", moment_from(now_us, tz).astimezone(UTC))
    made.add("SUMMARY", event.name)
    made.add("DESCRIPTION", event.sentence())
    made.add(MINE, json.dumps(event_values(event), ensure_ascii=False, sort_keys=True))
    if dated is None:
        return made
    made.add("STATUS", "CONFIRMED" if event.enabled else "TENTATIVE")
    made.add("DTSTART", dated.start.replace(tzinfo=tz))
    made.add("DURATION", timedelta(seconds=round(event.options.length_s)))
    if dated.rrule:
        made.add("RRULE", vRecur.from_ical(_until_in_utc(dated.rrule, tz)))
    for key, times in (("RDATE", dated.rdates), ("EXDATE", dated.exdates)):
        if times:
            made.add(key, [local.replace(tzinfo=tz) for local in times])
    return made


def dated_of(event: TimedEvent, tz: ZoneInfo, now_us: int) -> CalendarRule | None:
    """Return an event's rule as RFC 5545 has it; None when it has no times of its own."""
    rule = event.rule
    if isinstance(rule, AfterSongs):
        return None
    if not isinstance(rule, TimeRule):
        return _as_dates(event, tz, now_us)
    rrule = rule.rrule
    if rule.repeat is not None and rule.repeat.every_s:
        rrule = _grid(rule)
        if not rrule:
            return _as_dates(event, tz, now_us)
    plain = replace(rule, not_on=(), exdates=(), most=0)
    left_out = set(rule.exdates)
    for day in rule.not_on:
        begin = us_from(datetime.combine(day, time(), tz))
        begins = replace(plain, repeat=None).firings(tz, begin - 1, begin + 2 * DAY_S * US)
        for us in begins:
            if local_from(us, tz).date() == day:
                left_out |= _burst(plain, us, tz)
    if rule.most:
        every = rule.firings(tz, 0, now_us + 30 * _YEAR_US)
        if every:
            rrule = _with_until(rrule, local_from(every[-1], tz)) if rrule else rrule
    return CalendarRule(rule.start, rrule, rule.rdates, tuple(sorted(left_out)))


def _burst(rule: TimeRule, begin_us: int, tz: ZoneInfo) -> set[datetime]:
    """Return the local times of all firings that belong to the one that begins at an instant."""
    local = local_from(begin_us, tz)
    if rule.repeat is None or not rule.repeat.every_s:
        return {local}
    lasts = rule.repeat.length_s(rule.start.time())
    return {local + timedelta(seconds=s) for s in range(0, lasts, rule.repeat.every_s)}


def _as_dates(event: TimedEvent, tz: ZoneInfo, now_us: int) -> CalendarRule | None:
    coming = event.rule.firings(tz, now_us, now_us + _YEAR_US)[:2000]
    locals_ = [local_from(us, tz) for us in coming]
    return CalendarRule(locals_[0], "", tuple(locals_[1:])) if locals_ else None


def _grid(rule: TimeRule) -> str:
    """Return "every so many minutes within a daypart" as an RRULE, empty when there is none.

    The times of a day are candidates of BYHOUR and BYMINUTE, and BYSETPOS picks among them.
    """
    repeat, days = rule.repeat, rule.days
    assert repeat is not None
    start = rule.start.time()
    begin = start.hour * 3600 + start.minute * 60
    lasts = repeat.length_s(start)
    over_midnight = begin + lasts > DAY_S
    every_day = days is not None and replace(days, until=None).rrule() == "FREQ=DAILY"
    if days is None or repeat.every_s % 60 or days.hours or days.minutes or days.weeks:
        return ""
    if over_midnight and not every_day:
        return ""
    times = sorted((begin + s) % DAY_S for s in range(0, lasts, repeat.every_s))
    step = gcd(*(t - times[0] for t in times), 3600) // 60
    hours = sorted({t // 3600 for t in times})
    minutes = list(range(times[0] // 60 % step, 60, step))
    candidates = [h * 3600 + m * 60 for h in hours for m in minutes]
    rrule = replace(days, hours=tuple(hours), minutes=tuple(minutes)).rrule()
    if candidates == times:
        return rrule
    if len(times) > _MOST_PLACES or len(candidates) > _MOST_PLACES:
        return ""
    places = [str(candidates.index(t) + 1) for t in times]
    freq, _, rest = rrule.partition(";")
    if freq == "FREQ=WEEKLY":  # a set of BYSETPOS is a day here, not a week
        rrule = f"FREQ=DAILY;{rest}"
    return f"{rrule};BYSETPOS={','.join(places)}"


def _with_until(rrule: str, last: datetime) -> str:
    parts = [part for part in rrule.split(";") if not part.startswith(("UNTIL=", "COUNT="))]
    return ";".join([*parts, f"UNTIL={last:%Y%m%dT%H%M%S}"])


def _until_in_utc(rrule: str, tz: ZoneInfo) -> str:
    """RFC 5545: with a zone at DTSTART, UNTIL is in UTC."""
    parts = []
    for part in rrule.split(";"):
        name, _, value = part.partition("=")
        text = part
        if name == "UNTIL" and not value.endswith("Z"):
            form = "%Y%m%dT%H%M%S" if "T" in value else "%Y%m%d"
            local = datetime.strptime(value, form).replace(tzinfo=tz)
            text = f"UNTIL={local.astimezone(UTC):%Y%m%dT%H%M%SZ}"
        parts.append(text)
    return ";".join(parts)


# what the library raises at properties that are odd in one way or another
_ODD = (KeyError, ValueError, TypeError, AttributeError, IndexError, OverflowError, OSError)

# -- reading ---------------------------------------------------------------------------------------


def from_calendar(data: bytes, tz: ZoneInfo, now_us: int) -> list[TimedEvent]:
    """Read events from an iCalendar file; InputFault says why it cannot be read.

    Events of other programs come without steps and switched off. A changed instance of a
    series becomes an event of its own.
    """
    from icalendar import Calendar

    if len(data) > _MOST_BYTES:
        raise InputFault(f"the calendar has more than {_MOST_BYTES // 1_000_000} MB")
    try:
        calendar = Calendar.from_ical(data)
    except (*_ODD, RecursionError) as error:
        raise InputFault(f"this is not an iCalendar file: {clipped(error)}") from error
    found: list[TimedEvent] = []
    moved: dict[str, list[datetime]] = {}
    by_uid: dict[str, int] = {}
    for part in calendar.walk():
        if part.name not in {"VEVENT", "VTODO"} or (part.name == "VTODO" and MINE not in part):
            continue
        _once_each(part)
        event = _read(part, tz, now_us)
        uid = str(part.get("UID", ""))
        if "RECURRENCE-ID" in part:
            moved.setdefault(uid, []).append(_moved_from(part, event.name, tz))
            event = replace(event, id=0)
        else:
            by_uid[uid] = len(found)
        found.append(event)
    for uid, times in moved.items():
        at = by_uid.get(uid)
        if at is not None and isinstance(found[at].rule, TimeRule):
            rule = found[at].rule
            assert isinstance(rule, TimeRule)
            left_out = tuple(sorted({*rule.exdates, *times}))
            found[at] = replace(found[at], rule=replace(rule, exdates=left_out))
    return found


def _once_each(part: Any) -> None:
    """Keep the first of a property that stands there twice though it may stand there once.

    RFC 5545 3.6.1 names them; what comes twice by mistake says the same, or nothing can be known.
    """
    for name in ("SUMMARY", "UID", "DTSTART", "DTEND", "DURATION", "RECURRENCE-ID", MINE):
        if isinstance(part.get(name), list):
            part[name] = part[name][0]


def _moved_from(part: Any, name: str, tz: ZoneInfo) -> datetime:
    """Return the time of its series that a changed instance stands for."""
    try:
        return _local(part.decoded("RECURRENCE-ID"), tz)
    except _ODD as error:
        raise InputFault(
            f"the calendar's event “{name}” names no time of its series that can be read"
        ) from error


def _read(part: Any, tz: ZoneInfo, now_us: int) -> TimedEvent:
    name = clipped(" ".join(str(part.get("SUMMARY", "")).split())) or "Without a name"
    mine = _mine(part)
    if mine is not None and (part.name == "VTODO" or not isinstance(mine.rule, TimeRule)):
        return replace(mine, name=name)  # its times follow from others: they are not read back
    try:
        dated = CalendarRule(
            _local(part.decoded("DTSTART"), tz),
            _rrule(part, tz),
            _times(part, "RDATE", tz),
            _times(part, "EXDATE", tz),
        )
    except _ODD as error:
        raise InputFault(f"the calendar's event “{name}” has no time that can be read") from error
    if mine is not None:
        wrote = dated_of(mine, tz, now_us)
        if wrote is not None:
            wrote = replace(wrote, rrule=_plain(_until_in_utc(wrote.rrule, tz), tz))
            if _key(wrote) == _key(dated):
                return replace(mine, name=name)
    rule = TimeRule(dated.start, dated.rrule, dated.exdates, dated.rdates)
    try:
        rule.check()
    except SettingRefused as error:
        raise InputFault(f"the calendar's event “{name}”: {clipped(error)}") from error
    if mine is not None:
        return replace(mine, name=name, rule=rule)
    try:
        lasts = min(max(_length_s(part), 0.0), 86_400.0)
    except _ODD as error:
        raise InputFault(f"the calendar's event “{name}” has no length that can be read") from error
    options = EventOptions(length_s=lasts)
    return TimedEvent(0, name, rule, Entry.CUT_IN, (), enabled=False, options=options)


def _key(dated: CalendarRule) -> tuple[Any, ...]:
    rule = day_rule_from(dated.rrule, dated.start) or sorted(dated.rrule.split(";"))
    return dated.start, rule, sorted(dated.rdates), sorted(dated.exdates)


def _mine(part: Any) -> TimedEvent | None:
    """Return the event that this program wrote into the property, None when it is not there."""
    text = part.get(MINE)
    if text is None:
        return None
    try:
        return events_from([json.loads(str(text))])[0]
    except (ValueError, KeyError, TypeError, AttributeError, SettingRefused):
        return None  # written by a newer program, or by hand: its times are read all the same


def _local(value: date | datetime, tz: ZoneInfo) -> datetime:
    if not isinstance(value, datetime):
        return datetime.combine(value, time())
    if value.tzinfo is None:
        return value
    return value.astimezone(tz).replace(tzinfo=None, fold=0)


def _rrule(part: Any, tz: ZoneInfo) -> str:
    found = part.get("RRULE")
    if found is None:
        return ""
    if isinstance(found, list):
        raise TypeError("more than one RRULE")
    return _plain(found.to_ical().decode(), tz)


def _plain(rrule: str, tz: ZoneInfo) -> str:
    """Return an RRULE with UNTIL in local time, as rules are kept."""
    parts = []
    for one in rrule.split(";"):
        name, _, value = one.partition("=")
        text = one
        if name == "UNTIL" and value.endswith("Z"):
            utc = datetime.strptime(value, "%Y%m%dT%H%M%SZ").replace(tzinfo=UTC)
            text = f"UNTIL={utc.astimezone(tz):%Y%m%dT%H%M%S}"
        parts.append(text)
    return ";".join(part for part in parts if part)


def _times(part: Any, key: str, tz: ZoneInfo) -> tuple[datetime, ...]:
    found = part.get(key)
    if found is None:
        return ()
    lists = found if isinstance(found, list) else [found]
    return tuple(sorted(_local(one.dt, tz) for listed in lists for one in listed.dts))


def _length_s(part: Any) -> float:
    if "DURATION" in part:
        return float(part.decoded("DURATION").total_seconds())
    if "DTEND" in part and "DTSTART" in part:
        lasts = part.decoded("DTEND") - part.decoded("DTSTART")
        return float(lasts.total_seconds())
    return 0.0

"""Timed events as plain values: what the database, the station book and commands carry.

One event is `{id, name, start, rrule, exdates, rule, entry, steps, options, priority, grace_s,
enabled}`. `start` is a local time (ISO 8601), empty where the rule needs none; `rrule` and
`exdates` are as in RFC 5545. `rule` has what that cannot say: `rdates`, `not_on` (days),
`repeat: {every_s, until}`, `most`; or `beside` (an event's id) with `offset_s`; or `songs`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from datetime import date, datetime, time
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import group_from, specs, texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import step_from, step_values
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    Entry,
    EventOptions,
    FiringRule,
    OffsetRule,
    TimedEvent,
)

if TYPE_CHECKING:
    from collections.abc import Iterable

Values = Mapping[str, Any]
_RULE = {"rdates", "not_on", "repeat", "most", "beside", "offset_s", "songs"}


def event_values(event: TimedEvent) -> dict[str, Any]:
    """Return an event as plain values."""
    return {
        "id": event.id,
        "name": event.name,
        **rule_values(event.rule),
        "entry": str(event.entry),
        "steps": [step_values(step) for step in event.steps],
        "options": options_texts(event.options),
        "priority": event.priority,
        "grace_s": event.grace_s,
        "enabled": event.enabled,
    }


def options_texts(options: EventOptions) -> dict[str, str]:
    """Return options as texts; what is as usual is left out."""
    usual = texts_of(EventOptions(), "event")
    return {
        name.removeprefix("event."): text
        for name, text in texts_of(options, "event").items()
        if text != usual[name]
    }


def rule_values(rule: FiringRule) -> dict[str, Any]:
    """Return a rule as the values `start`, `rrule`, `exdates` and `rule`."""
    if isinstance(rule, OffsetRule):
        also = {"beside": rule.other_id, "offset_s": rule.offset_s}
        return {"start": "", "rrule": "", "exdates": [], "rule": also}
    if isinstance(rule, AfterSongs):
        within = rule_values(rule.within) if rule.within else _NO_TIME
        return {**within, "rule": {**within["rule"], "songs": rule.songs}}
    if not isinstance(rule, TimeRule):
        raise TypeError(rule)  # a log drop's own rule is never stored
    beyond: dict[str, Any] = {}
    if rule.rdates:
        beyond["rdates"] = [local.isoformat() for local in rule.rdates]
    if rule.not_on:
        beyond["not_on"] = [day.isoformat() for day in rule.not_on]
    if rule.repeat is not None:
        beyond["repeat"] = {"every_s": rule.repeat.every_s, "until": rule.repeat.until.isoformat()}
    if rule.most:
        beyond["most"] = rule.most
    exdates = [local.isoformat() for local in rule.exdates]
    return {
        "start": rule.start.isoformat(),
        "rrule": rule.rrule,
        "exdates": exdates,
        "rule": beyond,
    }


_NO_TIME: dict[str, Any] = {"start": "", "rrule": "", "exdates": [], "rule": {}}


def events_from(entries: Iterable[Values]) -> list[TimedEvent]:
    """Return events from their values, in order; SettingRefused names the event that is wrong.

    Events that go by another find it here; one that goes by itself in a circle, or by one that
    is gone, never fires.
    """
    plain = [_event(values) for values in entries]
    by_id = {event.id: event for event in plain}
    return [joined(event, by_id) for event in plain]


def joined(
    event: TimedEvent, by_id: Mapping[int, TimedEvent], seen: frozenset[int] = frozenset()
) -> TimedEvent:
    """Return an event whose rule knows the event that it goes by."""
    rule = event.rule
    if not isinstance(rule, OffsetRule):
        return event
    other = by_id.get(rule.other_id)
    if other is not None and other.id not in seen | {event.id}:
        other = joined(other, by_id, seen | {event.id})
    else:
        other = None
    return replace(event, rule=replace(rule, other=other))


def _event(values: Values) -> TimedEvent:
    name = values.get("name", "")
    wrong: list[str] = []
    known = specs(EventOptions)
    texts = values.get("options") or {}
    wrong += [f"there is no option '{option}'" for option in sorted(set(texts) - set(known))]
    prefixed = {f"event.{option}": str(text) for option, text in texts.items()}
    options = group_from(EventOptions, prefixed, "event", wrong)
    rule: FiringRule = TimeRule(datetime(2020, 1, 1))  # noqa: DTZ001 - local time, and never used
    entry = Entry.NEXT
    steps = []
    try:
        rule = rule_from(values)
    except (SettingRefused, ValueError, TypeError, AttributeError) as error:
        wrong.append(str(error))
    if values.get("entry") in set(map(str, Entry)):
        entry = Entry(values["entry"])
    else:
        wrong.append(f"entry '{values.get('entry')}' is none of {', '.join(Entry)}")
    for one in values.get("steps") or []:
        try:
            steps.append(step_from(one))
        except SettingRefused as error:
            wrong.append(str(error))
    if wrong:
        raise SettingRefused(f"timed event “{name}”: {'; '.join(wrong)}")
    return TimedEvent(
        int(values.get("id") or 0),
        name,
        rule,
        entry,
        tuple(steps),
        int(values["priority"]),
        bool(values["enabled"]),
        float(values["grace_s"]),
        options,
    )


def rule_from(values: Values) -> FiringRule:
    """Return the rule that `rule_values` wrote; SettingRefused or ValueError when it cannot be."""
    beyond = values.get("rule") or {}
    strange = sorted(set(beyond) - _RULE)
    if strange:
        raise SettingRefused(f"its rule does not know '{strange[0]}'")
    if "beside" in beyond:
        return OffsetRule(int(beyond["beside"]), float(beyond.get("offset_s", 0.0)))
    start = values.get("start") or ""
    if "songs" in beyond:
        within = _time_rule(values, beyond) if start else None
        return AfterSongs(int(beyond["songs"]), within)
    return _time_rule(values, beyond)


def _time_rule(values: Values, beyond: Values) -> TimeRule:
    repeat = beyond.get("repeat")
    return TimeRule(
        _local(values["start"]),
        values.get("rrule") or "",
        tuple(map(_local, values.get("exdates") or [])),
        tuple(map(_local, beyond.get("rdates", []))),
        tuple(date.fromisoformat(text) for text in beyond.get("not_on", [])),
        Repeat(int(repeat["every_s"]), time.fromisoformat(repeat["until"])) if repeat else None,
        int(beyond.get("most", 0)),
    )


def _local(text: str) -> datetime:
    found = datetime.fromisoformat(text)
    if found.tzinfo is not None:
        raise SettingRefused(f"'{text}' has an offset; rules are kept in the station's local time")
    return found

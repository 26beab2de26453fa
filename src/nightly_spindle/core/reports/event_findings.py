"""What is wrong with the station's timed events: the usual mistakes, each before it happens.

Every check is a function of the programme and of the firings of the coming weeks; `check_events`
runs them all. What only the running order can show is found by the rehearsal.
"""

from __future__ import annotations

import re
from collections import defaultdict
from dataclasses import dataclass, field
from datetime import timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US, length, moment_from, resolve_local
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import PLAYS, Clear, GoBack, LoadLog, Placement, SetMode
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    BlockEnd,
    Entry,
    Firing,
    Inside,
    OffsetRule,
)
from nightly_spindle.core.playout.event_length_plan import holds
from nightly_spindle.core.playout.step_sources import needs
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.station.log_sources import Loads, Rest

if TYPE_CHECKING:
    from collections.abc import Callable, Iterator, Sequence

    from nightly_spindle.core.events.timed_events import TimedEvent

DAYS = 35  # a month and the days around: each weekday of the month once
_DAY_US = 86_400 * US
_NEVER_US = 2 * 366 * _DAY_US  # what does not fire for two years never does
_NIGHT_US = _DAY_US
_MORNING = re.compile(r"\b(morning|breakfast|sunrise|dawn)\b", re.IGNORECASE)
_EVENING = re.compile(
    r"\b(evening|night|nightly|late|dusk|sunset|dinner|afternoon)\b", re.IGNORECASE
)
_WHOLE_RULE = timedelta(days=800)  # rules that run for longer come again
_SHORT_CUT_S = 2.0  # losing less than this is no loss


@dataclass(frozen=True, slots=True)
class EventFinding:
    """One thing that is wrong with an event, and when it shows first (µs, 0 at no one time).

    `instants` are the firings (of these weeks) that it concerns, empty for all of the event's.
    """

    event_id: int
    code: str
    severity: Severity
    text: str
    mend: str
    at_us: int = 0
    instants: tuple[int, ...] = ()


@dataclass(slots=True)
class _Look:
    """What the checks look at. `firings` are those of the coming weeks, all events together."""

    programme: Programme
    now_us: int
    unattended: bool
    firings: list[Firing]
    by_event: dict[int, list[Firing]]
    _runs: dict[int, float] = field(default_factory=dict)

    def first(self, event: TimedEvent) -> int:
        """Return the event's first firing to come, 0 when there is none in these weeks."""
        coming = self.by_event.get(event.id)
        return coming[0].at_us if coming else 0

    def runs_s(self, event: TimedEvent) -> float:
        """Return how long an event holds the air: its length, or what it plays."""
        if event.options.length_s:
            return event.options.length_s
        if event.id not in self._runs:
            self._runs[event.id] = holds(self.programme, event).runs_s
        return self._runs[event.id]

    def when(self, us: int) -> str:
        """Return an instant as "Fri 27 Nov 21:00"."""
        at = moment_from(us, self.programme.settings.tz)
        return f"{at:%a} {at.day} {at:%b %H:%M}"


def check_events(
    programme: Programme, now_us: int, *, unattended: bool = True, days: int = DAYS
) -> list[EventFinding]:
    """Return what is wrong with the timed events, by event, the worst first."""
    coming = [
        firing for firing in programme.firings(now_us, now_us + days * _DAY_US) if firing.event.acts
    ]
    by_event: dict[int, list[Firing]] = defaultdict(list)
    for firing in coming:
        by_event[firing.event.id].append(firing)
    look = _Look(programme, now_us, unattended, coming, by_event)
    found: list[EventFinding] = []
    for event in programme.events:
        for check in _EACH if event.enabled else ():
            found += check(look, event)
    for together in _TOGETHER:
        found += together(look)
    order = {Severity.ALARM: 0, Severity.WARNING: 1, Severity.NOTE: 2}
    return sorted(found, key=lambda one: (one.event_id, order[one.severity]))


# -- one event by itself ---------------------------------------------------------------------------


def _never(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    rule, tz = event.rule, look.programme.settings.tz
    if isinstance(rule, AfterSongs):
        return
    if isinstance(rule, OffsetRule) and (rule.other is None or not rule.other.enabled):
        what = "is gone" if rule.other is None else f"(“{rule.other.name}”) is switched off"
        text = f"“{event.name}” never fires: the event it is based on {what}."
        yield EventFinding(event.id, "never-fires", Severity.WARNING, text, "Choose another event.")
        return
    if isinstance(rule, TimeRule):
        days = rule.days
        if days is not None and days.until is not None and days.until < rule.start:
            text = f"“{event.name}” ends before it begins: its last day is before its first."
            yield EventFinding(
                event.id, "ends-before", Severity.WARNING, text, "Change its first or its last day."
            )
            return
    if look.by_event.get(event.id) or rule.firings(tz, look.now_us, look.now_us + _NEVER_US):
        return
    has = rule.firings(tz, 0, look.now_us)
    said = f"will not run again: its last time was {look.when(has[-1])}" if has else "never fires"
    severity = Severity.NOTE if has else Severity.WARNING
    mend = "Give it another rule, or remove it."
    yield EventFinding(event.id, "never-fires", severity, f"“{event.name}” {said}.", mend)


def _once(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    """It is to come again, and its end leaves one firing of all: a date chosen is no mistake."""
    rule, first = event.rule, look.first(event)
    if not isinstance(rule, TimeRule) or not rule.rrule or not first:
        return
    until = rule.days.until if rule.days is not None else None
    if rule.most != 1 and (until is None or until - rule.start > _WHOLE_RULE):
        return
    tz = look.programme.settings.tz
    begin = resolve_local(rule.start, tz)
    end = first if until is None else resolve_local(until, tz)
    if rule.most == 1 or rule.firings(tz, begin - 1, end) == [first]:
        text = f"“{event.name}” is to repeat, and ends after one firing, {look.when(first)}."
        mend = "Give it a later last day, or choose its date alone."
        yield EventFinding(event.id, "once-only", Severity.WARNING, text, mend, first)


def _at_the_end(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    """Put at the end instead of the front: it airs when all that is lined up has."""
    steps = event.line_steps
    if not event.at_the_end:
        return
    fills = [
        d.name
        for d in look.programme.drops.values()
        if d.options.enabled and d.options.loads is not Loads.OTHERWISE
    ]
    fills += [
        other.name
        for other in look.programme.events
        if other.enabled
        and other.id != event.id
        and any(isinstance(step, LoadLog) for step in other.steps)
    ]
    if event.entry is not Entry.NEXT:
        why = f"its entry is “{event.entry}”, but its lines go to the end and do not start then"
    elif fills and not all(isinstance(step, LoadLog) for step in steps):
        why = f"its lines go behind all that “{fills[0]}” loads"
    else:
        return
    yield EventFinding(
        event.id,
        "at-the-end",
        Severity.WARNING,
        f"“{event.name}” airs late: {why}.",
        "Put its lines at the front.",
        look.first(event),
    )


def _not_cleared(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    """Forgot to clear: what is left of yesterday airs before, or piles up behind."""
    if event.clears:
        return
    for step in event.steps:
        drop = look.programme.drop(step.drop) if isinstance(step, LoadLog) else None
        if drop is None or drop.options.period is Period.HOUR or not isinstance(step, LoadLog):
            continue
        if step.placement is Placement.FRONT and drop.options.rest is Rest.DROPPED:
            continue
        what = "airs first" if step.placement is Placement.END else "piles up behind it"
        text = f"“{event.name}” loads a day's log and clears nothing: what is left over {what}."
        mend = "Clear first, or load in place of what is lined up."
        yield EventFinding(event.id, "not-cleared", Severity.WARNING, text, mend, look.first(event))


def _clears_only(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    if any(isinstance(step, Clear) for step in event.steps) and not event.line_steps:
        text = f"“{event.name}” clears what is lined up and puts nothing in its place."
        mend = "Add a step that loads or plays something; the safety net plays otherwise."
        yield EventFinding(event.id, "clears-only", Severity.WARNING, text, mend, look.first(event))
    if not event.steps:
        text = f"“{event.name}” has no steps: nothing happens."
        yield EventFinding(event.id, "no-steps", Severity.WARNING, text, "Add a step.")


def _goes_nowhere(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    if any(isinstance(s, GoBack) for s in event.steps) and event.entry in {Entry.NEXT, Entry.LAND}:
        text = f"“{event.name}” goes back to what it interrupted, but it interrupts nothing."
        yield EventFinding(
            event.id,
            "nothing-to-go-back-to",
            Severity.NOTE,
            text,
            "Let it cut in, or remove that step.",
            look.first(event),
        )


def _missing(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    """A file that is not there, a list that is empty, a drop that is gone."""
    first = look.first(event)
    tonight = bool(first) and first < look.now_us + _NIGHT_US
    for index, step in enumerate(event.steps):
        lacks = ""
        if isinstance(step, PLAYS):
            lacks = needs(look.programme, event, index, step)
        elif isinstance(step, LoadLog) and look.programme.drop_of(step) is None:
            lacks = "the log drop that it loads from is gone"
        if lacks:
            when = f" (next {look.when(first)})" if first else ""
            yield EventFinding(
                event.id,
                "missing",
                Severity.ALARM if tonight else Severity.WARNING,
                f"“{event.name}”{when} lacks what it needs: {lacks}.",
                "Import it, or change the step.",
                first,
            )


def _does_not_fit(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    limit = event.options.length_s
    if not limit or event.options.at_end is BlockEnd.RUNS_ON:
        return
    held = holds(look.programme, event)
    if held.room_s is not None and held.room_s < -_SHORT_CUT_S:
        text = f"“{event.name}” is too long for its {length(limit)}. {held.sentence()}"
        mend = "Remove lines, or make it longer."
        yield EventFinding(
            event.id, "does-not-fit", Severity.WARNING, text, mend, look.first(event)
        )


def _seven_for_nineteen(look: _Look, event: TimedEvent) -> Iterator[EventFinding]:
    """7 is 07:00, not 19:00 (common practice, no source)."""
    rule = event.rule
    if not isinstance(rule, TimeRule) or rule.repeat is not None or not look.first(event):
        return
    hour = rule.start.hour
    if (rule.days is not None and rule.days.hours) or not (1 <= hour <= 11 or hour >= 13):
        return
    morning = hour < 12
    other = hour + 12 if morning else hour - 12
    word = _EVENING if morning else _MORNING
    match = word.search(event.name)
    why = f"its name says “{match[0]}”" if match and not (morning and hour < 5) else ""
    for sibling in look.programme.events:
        if sibling.id == event.id or not isinstance(sibling.rule, TimeRule):
            continue
        same = sibling.name.split(" (")[0].casefold() == event.name.split(" (")[0].casefold()
        at = sibling.rule.start
        if morning and same and (at.hour, at.minute) == (other, rule.start.minute):
            why = why or f"“{sibling.name}” is at {at:%H:%M}"
    if why:
        part = "in the morning" if morning else "in the evening"
        text = f"“{event.name}” is at {rule.start:%H:%M}, {part}, though {why}."
        mend = f"Did you mean {other:02}:{rule.start:%M}?"
        yield EventFinding(
            event.id, "morning-or-evening", Severity.WARNING, text, mend, look.first(event)
        )


# -- events among each other -----------------------------------------------------------------------


def _collide(look: _Look) -> Iterator[EventFinding]:
    """Say who cuts off whom, each pair once with how often."""
    pairs: dict[tuple[int, int, str], list[tuple[Firing, Firing, float]]] = defaultdict(list)
    live: list[tuple[int, Firing]] = []
    for firing in look.firings:
        live = [(until, one) for until, one in live if until > firing.at_us]
        event = firing.event
        if not event.line_steps:
            continue
        for until, earlier in live:
            if earlier.event.id != event.id:
                left = (until - firing.at_us) / US
                what = _what_happens(earlier, firing, left)
                if what:
                    pairs[earlier.event.id, event.id, what].append((earlier, firing, left))
        if event.id > 0:
            live.append((firing.at_us + round(look.runs_s(event) * US), firing))
    for (_, _, what), cases in pairs.items():
        earlier, firing, left = cases[0]
        often = f", {len(cases)} times in {DAYS} days" if len(cases) > 1 else ""
        when = look.when(firing.at_us)
        a, b = earlier.event, firing.event
        text, mend = _told(what, a, b, left)
        owner = b if b.id > 0 else a  # a log drop's own event is no event of the station
        severity = Severity.NOTE if what in {"dropped", "waits"} else Severity.WARNING
        text = f"{when}{often}: {text}"
        at = tuple((later if owner is b else first).at_us for first, later, _ in cases)
        yield EventFinding(owner.id, "collides", severity, text, mend, firing.at_us, at)


def _what_happens(earlier: Firing, firing: Firing, left_s: float) -> str:
    a, b = earlier.event, firing.event
    if firing.at_us == earlier.at_us:
        both = a.entry is not Entry.NEXT and b.entry is not Entry.NEXT
        return "same instant" if both else ""
    if left_s < _SHORT_CUT_S:
        return ""
    if a.options.length_s and b.options.inside is Inside.DROPPED:
        return "dropped"
    if a.options.length_s and b.options.inside is Inside.WAITS:
        return "waits"
    return "" if b.entry is Entry.NEXT else "cuts"


def _told(what: str, a: TimedEvent, b: TimedEvent, left_s: float) -> tuple[str, str]:
    if what == "same instant":
        by = "by its priority" if a.priority != b.priority else "because it was made first"
        return f"“{a.name}” goes first {by}, “{b.name}” follows it.", "Set their priorities."
    if what == "dropped":
        return f"“{b.name}” is dropped: “{a.name}” holds the air.", "Move one of the two."
    if what == "waits":
        return f"“{b.name}” waits {length(left_s)} for “{a.name}”.", "Move one of the two."
    back = any(isinstance(step, GoBack) for step in b.steps)
    goes = "interrupts" if back else "cuts off"
    mend = "Move one of the two, let it wait, or let it go back afterwards."
    return f"“{b.name}” {goes} “{a.name}”, which has {length(left_s)} to go.", mend


def _needs_the_other_mode(look: _Look) -> Iterator[EventFinding]:
    """Say which events find the station attended."""
    told: set[int] = set()
    unattended, by = look.unattended, "The station is attended now"
    for firing in look.firings:
        event = firing.event
        modes = [step for step in event.steps if isinstance(step, SetMode)]
        # an event that goes unattended first acts by itself, whatever was before
        unattended = unattended or any(step.unattended for step in modes)
        if not unattended and event.line_steps and event.id > 0 and event.id not in told:
            told.add(event.id)
            when = look.when(firing.at_us)
            yield EventFinding(
                event.id,
                "attended",
                Severity.ALARM,
                f"“{event.name}” {when} lines up but does not start on its own: {by}.",
                "Switch to unattended before it.",
                firing.at_us,
            )
        if modes and not modes[-1].unattended:
            unattended = False
            by = f"“{event.name}” switches to attended {look.when(firing.at_us)}"


_EACH: Sequence[Callable[[_Look, TimedEvent], Iterator[EventFinding]]] = (
    _never,
    _once,
    _at_the_end,
    _not_cleared,
    _clears_only,
    _goes_nowhere,
    _missing,
    _does_not_fit,
    _seven_for_nineteen,
)
_TOGETHER: Sequence[Callable[[_Look], Iterator[EventFinding]]] = (_collide, _needs_the_other_mode)

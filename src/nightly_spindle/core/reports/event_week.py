"""The week of timed events as it is drawn: one row for each day, boxes to scale in lanes."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import date, datetime, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, local_from, moment_from, resolve_local, us_from
from nightly_spindle.core.base.wording import part_of_day
from nightly_spindle.core.events.steps import PLAYS, LoadLog, PlayStream
from nightly_spindle.core.events.timed_events import firings
from nightly_spindle.core.playout.event_length_plan import holds

if TYPE_CHECKING:
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.events.timed_events import FiringRule, TimedEvent
    from nightly_spindle.core.programme.programme import Programme

LONG_US = 10 * 60 * US  # what is shorter is drawn as a pin
_LEAST_LANE_US = 25 * 60 * US  # room that a pin takes in its lane


class Does(StrEnum):
    """What an event does, as it is told apart at a glance: each has a colour and a shape."""

    SHOW = "show"
    SHORT = "short"
    LOG = "log"
    STREAM = "stream"
    SWITCH = "switch"


@dataclass(frozen=True, slots=True)
class Box:
    """One firing. `lane` counts from 0 within its day; `lanes` share its stretch of the day.

    Blocks and pins (`long` or not) have lanes of their own.
    """

    event_id: int
    name: str
    at_us: int
    length_s: float
    does: Does
    enabled: bool
    lane: int = 0
    lanes: int = 1

    @property
    def long(self) -> bool:
        """Whether it is drawn as a block, to scale."""
        return self.length_s * US >= LONG_US


@dataclass(frozen=True, slots=True)
class Day:
    """One day of the week: from local midnight to midnight, 23 to 25 hours."""

    day: date
    start_us: int
    end_us: int
    boxes: tuple[Box, ...] = field(default=())


def does(event: TimedEvent, runs_s: float = 0.0) -> Does:
    """Return what an event does first of all; what runs for long is a show."""
    for step in event.steps:
        if isinstance(step, LoadLog):
            return Does.LOG
        if isinstance(step, PlayStream):
            return Does.STREAM
        if isinstance(step, PLAYS):
            long = max(event.options.length_s, runs_s) * US >= LONG_US
            return Does.SHOW if long else Does.SHORT
    return Does.SWITCH


def week_of(
    programme: Programme, events: Iterable[TimedEvent], monday: date, days: int = 7
) -> list[Day]:
    """Return the days of a week, with the firings of these events; those switched off too."""
    tz = programme.settings.tz
    shown = [event for event in events if event.acts]
    lengths = {event.id: _length(programme, event) for event in shown}
    kinds = {event.id: does(event, lengths[event.id]) for event in shown}
    found = []
    for number in range(days):
        day = monday + timedelta(days=number)
        start, end = (
            resolve_local(datetime.combine(one, datetime.min.time()), tz)
            for one in (day, day + timedelta(days=1))
        )
        boxes = [
            Box(f.event.id, f.event.name, f.at_us, lengths[f.event.id], kinds[f.event.id], True)
            for f in firings(shown, tz, start - 1, end - 1)
        ]
        off = (event for event in shown if not event.enabled)
        boxes += [
            Box(event.id, event.name, at, lengths[event.id], kinds[event.id], enabled=False)
            for event in off
            for at in event.rule.firings(tz, start - 1, end - 1)
        ]
        laid = in_lanes(box for box in boxes if box.long)
        laid += in_lanes(box for box in boxes if not box.long)
        found.append(
            Day(
                day,
                start,
                end,
                tuple(laid),
            )
        )
    return found


def _length(programme: Programme, event: TimedEvent) -> float:
    return event.options.length_s or holds(programme, event).runs_s


def in_lanes(boxes: Iterable[Box]) -> list[Box]:
    """Lay boxes that overlap into lanes, so that none hides another; by time, longest first."""
    waiting = sorted(boxes, key=lambda box: (box.at_us, -box.length_s, box.event_id))
    done: list[Box] = []
    group: list[tuple[Box, int]] = []
    ends: list[int] = []

    def close() -> None:
        done.extend(
            Box(b.event_id, b.name, b.at_us, b.length_s, b.does, b.enabled, lane, len(ends))
            for b, lane in group
        )
        group.clear()
        ends.clear()

    for box in waiting:
        if group and box.at_us >= max(ends):
            close()
        end = box.at_us + (round(box.length_s * US) if box.long else _LEAST_LANE_US)
        lane = next((at for at, until in enumerate(ends) if until <= box.at_us), len(ends))
        if lane == len(ends):
            ends.append(end)
        else:
            ends[lane] = end
        group.append((box, lane))
    close()
    return done


@dataclass(frozen=True, slots=True)
class ComingFiring:
    """One firing to come, in words: "Fri 27 Nov 2026 07:00 (morning)"."""

    at_us: int
    text: str


def next_firings(rule: FiringRule, tz: ZoneInfo, now_us: int, count: int = 5) -> list[ComingFiring]:
    """Return the next firings of a rule, with the part of the day where people mistake it."""
    found: list[int] = []
    for days in (8, 40, 400, 3700):
        found = rule.firings(tz, now_us, now_us + days * 86_400 * US)
        if len(found) >= count:
            break
    return [ComingFiring(us, _firing_text(us, tz)) for us in found[:count]]


def _firing_text(us: int, tz: ZoneInfo) -> str:
    at = moment_from(us, tz)
    seconds = f":{at:%S}" if at.second else ""
    text = f"{at:%a} {at.day} {at:%b %Y %H:%M}{seconds}"
    part = part_of_day(at.hour)
    if at.fold or _comes_again(us, tz):
        return f"{text} ({'second' if at.fold else 'first'} time, the clocks go back)"
    return f"{text} ({part})" if part else text


def _comes_again(us: int, tz: ZoneInfo) -> bool:
    """Whether the clock on the wall shows this time once more later."""
    local = local_from(us, tz)
    first, second = (us_from(local.replace(tzinfo=tz, fold=fold)) for fold in (0, 1))
    return us == first < second

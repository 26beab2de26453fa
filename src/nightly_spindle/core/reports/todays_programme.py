"""What listeners are told of the day: events that hold the air or show a text, and shows."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.core.events.steps import ShowText
from nightly_spindle.core.events.timed_events import firings

if TYPE_CHECKING:
    from datetime import date

    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.programme.programme import Programme


@dataclass(frozen=True, slots=True)
class ProgrammeEntry:
    """Something of the day's programme: its name, when it begins (µs) and ends (0: not known)."""

    name: str
    start_us: int
    end_us: int = 0


def todays_programme(programme: Programme, now_us: int) -> list[ProgrammeEntry]:
    """Return the programme of the broadcast day, in order of time."""
    tz, day_start = programme.settings.tz, programme.settings.day_start
    day = broadcast_day(now_us, tz, day_start)
    begin = resolve_local(datetime.combine(day, day_start), tz)
    end = resolve_local(datetime.combine(day + timedelta(days=1), day_start), tz)
    named = [event for event in programme.events if _name_of(event)]
    found = [
        ProgrammeEntry(
            _name_of(one.event),
            one.at_us,
            one.at_us + round(one.event.options.length_s * US) if one.event.options.length_s else 0,
        )
        for one in firings(named, tz, begin - 1, end - 1)
    ]
    found += _shows(programme, day)
    return sorted(found, key=lambda one: (one.start_us, one.name))


def _name_of(event: TimedEvent) -> str:
    """Return what an event is called on the page; nothing where it is none for listeners."""
    said = next((step.text for step in event.steps if isinstance(step, ShowText)), "")
    return said or (event.name if event.options.length_s else "")


def _shows(programme: Programme, day: date) -> list[ProgrammeEntry]:
    """Return the shows of the day's plan."""
    tz, found = programme.settings.tz, []
    for show in programme.formats.plans.shows(day):
        item = programme.item(show.cart)
        after = timedelta(days=1) if show.at < programme.settings.day_start else timedelta(0)
        at_us = resolve_local(datetime.combine(day, show.at) + after, tz)
        if item is not None:
            _, frames = programme.sounding(item)
            length_us = frames * US // programme.settings.rate
            found.append(ProgrammeEntry(item.title, at_us, at_us + length_us))
    return found

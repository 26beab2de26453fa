"""The timed events of the demo station: a harbour's day, one mistake in it to be found."""

from __future__ import annotations

from datetime import datetime, time
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import (
    GoBack,
    Pick,
    PlayCategory,
    PlayFolder,
    PlayItem,
    PlayList,
    PlayStream,
    ShowText,
    Step,
)
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    BlockEnd,
    Entry,
    EventOptions,
    OffsetRule,
    TimedEvent,
    WhenOver,
)

if TYPE_CHECKING:
    from datetime import date

RELAY_PORT = 8136  # where the stream stand-in serves
_RELAY = f"http://127.0.0.1:{RELAY_PORT}/live.wav"


def _at(clock: str, rrule: str = "FREQ=DAILY") -> TimeRule:
    return TimeRule(datetime.fromisoformat(f"2020-01-01T{clock}"), rrule)


def _event(name: str, rule: TimeRule, entry: Entry, *steps: Step, **options: object) -> TimedEvent:
    return TimedEvent(0, name, rule, entry, steps, options=EventOptions(**options))  # type: ignore[arg-type]


def demo_events(tides: int, promo: int, until: date) -> list[TimedEvent]:
    """Return the events; `tides` and `promo` are items, the promo runs until a day."""
    last = datetime.combine(until, time(23, 59, 59))
    bells = TimeRule(_at("06:30").start, "FREQ=DAILY", repeat=Repeat(3600, time(23, 30)))
    weekly = "FREQ=WEEKLY;BYDAY="
    return [
        _event(
            "Tide tables",
            _at("06:00", "FREQ=DAILY;BYHOUR=6,12,18"),
            Entry.LAND,
            PlayItem(tides),
            tolerance_s=3.0,
        ),
        _event("Quay bell", bells, Entry.WAIT, PlayFolder("audio/id", Pick.RANDOM), wait_s=300.0),
        _event(
            "Fog night",
            _at("21:00", f"{weekly}FR"),
            Entry.CUT_IN,
            PlayList("Fog night"),
            ShowText("Fog night on the quay"),
            length_s=720.0,
            at_end=BlockEnd.CUT,
        ),
        _event(
            "Net mending",
            _at("20:00", f"{weekly}TU,TH"),
            Entry.CUT_IN,
            PlayList("If all else fails", Pick.SHUFFLED),
            GoBack(),
            length_s=1800.0,
        ),
        _event(
            "Evening tide",
            _at("07:00", f"{weekly}SA"),
            Entry.CUT_IN,
            PlayList("If all else fails"),
            length_s=3600.0,
        ),
        _event(
            "Sunday promo",
            TimeRule(
                _at("09:15").start,
                f"FREQ=DAILY;UNTIL={last:%Y%m%dT%H%M%S}",
                repeat=Repeat(7200, time(22)),
            ),
            Entry.NEXT,
            PlayItem(promo),
            over=WhenOver.OFF,
        ),
        TimedEvent(
            0,
            "Night jingle",
            AfterSongs(4, TimeRule(_at("22:00").start, "FREQ=DAILY", repeat=Repeat(0, time(2)))),
            Entry.NEXT,
            (PlayCategory("Jingles"),),
        ),
        TimedEvent(
            0,
            "Jingle before the tides",
            OffsetRule(1, -300.0),
            Entry.NEXT,
            (PlayCategory("Jingles"),),
        ),
        TimedEvent(
            0,
            "Drowned bells relay",
            _at("19:00", f"{weekly}SU"),
            Entry.CUT_IN,
            (PlayStream(_RELAY, "Drowned bells relay", 3600.0),),
            enabled=False,
        ),
    ]

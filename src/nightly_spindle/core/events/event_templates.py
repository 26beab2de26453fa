"""Templates for the usual events, to begin from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, time
from typing import TYPE_CHECKING

from nightly_spindle.core.base.wording import CODES
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.rule_draft import SINCE
from nightly_spindle.core.events.steps import (
    LoadLog,
    Pick,
    Placement,
    PlayCategory,
    PlayFolder,
    PlayList,
    PlayStream,
)
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    BlockEnd,
    Entry,
    EventOptions,
    Inside,
    TimedEvent,
)

if TYPE_CHECKING:
    from collections.abc import Callable


@dataclass(frozen=True, slots=True)
class TemplateStock:
    """What the station has, to fill templates with: names of lists, categories, pools, breaks;
    drops.
    """

    lists: Sequence[str] = ()
    categories: Sequence[str] = ()
    drops: Sequence[int] = ()
    pools: Sequence[str] = ()
    breaks: Sequence[str] = ()


def _first(names: Sequence[str]) -> str:
    return names[0] if names else ""


def _weekly_show(known: TemplateStock, local: datetime) -> TimedEvent:
    rule = TimeRule(_at(local), f"FREQ=WEEKLY;BYDAY={CODES[local.weekday()]}")
    options = EventOptions(length_s=7200.0, at_end=BlockEnd.NEXT)
    return TimedEvent(
        0, "New show", rule, Entry.LAND, (PlayList(_first(known.lists)),), options=options
    )


def _hourly_news(known: TemplateStock, local: datetime) -> TimedEvent:
    del known, local
    rule = TimeRule(_since(time(6)), "FREQ=DAILY", repeat=Repeat(3600, time(23)))
    steps = (PlayFolder("newsdesk", Pick.NEXT),)
    return TimedEvent(
        0, "News on the hour", rule, Entry.LAND, steps, options=EventOptions(inside=Inside.DROPPED)
    )


def _hourly_id(known: TemplateStock, local: datetime) -> TimedEvent:
    del local
    rule = TimeRule(_since(time()), "FREQ=DAILY", repeat=Repeat(3600, time()))
    ids = next((name for name in known.categories if "id" in name.casefold()), "")
    steps = (PlayCategory(ids or _first(known.categories)),)
    return TimedEvent(0, "ID at the top of the hour", rule, Entry.WAIT, steps)


def _nightly_load(known: TemplateStock, local: datetime) -> TimedEvent:
    del local
    drop = known.drops[0] if known.drops else 0
    rule = TimeRule(_since(time()), "FREQ=DAILY")
    return TimedEvent(
        0, "Load the day's log", rule, Entry.CUT_IN, (LoadLog(drop, Placement.REPLACE),)
    )


def _after_songs(known: TemplateStock, local: datetime) -> TimedEvent:
    del local
    links = [n for n in known.categories if "sweep" in n.casefold() or "jingle" in n.casefold()]
    steps = (PlayCategory(_first(links) or _first(known.categories)),)
    return TimedEvent(0, "Link after songs", AfterSongs(2), Entry.NEXT, steps)


def _relay(known: TemplateStock, local: datetime) -> TimedEvent:
    del known
    rule = TimeRule(_at(local), f"FREQ=WEEKLY;BYDAY={CODES[local.weekday()]}")
    steps = (PlayStream("https://", "Relay", 3600.0),)
    return TimedEvent(0, "Relay of a stream", rule, Entry.CUT_IN, steps)


def _once(known: TemplateStock, local: datetime) -> TimedEvent:
    return TimedEvent(
        0, "New event", TimeRule(_at(local)), Entry.NEXT, (PlayList(_first(known.lists)),)
    )


def _at(local: datetime) -> datetime:
    return local.replace(second=0, microsecond=0)


def _since(at: time) -> datetime:
    return datetime.combine(SINCE, at)


TEMPLATES: dict[str, Callable[[TemplateStock, datetime], TimedEvent]] = {
    "Weekly show": _weekly_show,
    "News on the hour": _hourly_news,
    "ID at the top of the hour": _hourly_id,
    "Nightly load of the log": _nightly_load,
    "Link every few songs": _after_songs,
    "Relay of a web stream": _relay,
    "Once, on a date": _once,
}

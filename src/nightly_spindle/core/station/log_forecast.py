"""What a log will be on air: its lines' predicted times, its length, what clashes.

It is worked out as if the log began at its time with its first line; what comes before it at
that moment, and what events put in, the rehearsal knows.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, clock, length, local_from
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.segues.list_length import running_time

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.segues.segue_rules import Segues
    from nightly_spindle.core.station.log_sources import LogReading
    from nightly_spindle.core.station.settings import StationSettings


@dataclass(frozen=True, slots=True)
class Before:
    """A play before the log: when it starts (µs), artist and title."""

    at_us: int
    artist: str
    title: str


@dataclass(frozen=True, slots=True)
class Forecast:
    """One line of a log: `at_us` when it starts, None when it does not air.

    `length_s` counts until the following one starts. `clash` says what is heard too soon again,
    `off_s` by how much a timed mark is met late (below zero: early).
    """

    match: Match
    item: Item | None
    at_us: int | None
    length_s: float
    clash: str = ""
    off_s: float | None = None


def forecast(
    reading: LogReading,
    items: Mapping[int, Item],
    settings: StationSettings,
    segues: Segues,
    before: Sequence[Before] = (),
) -> list[Forecast]:
    """Return every line of a log with its predicted start."""
    airs = [_item(match, items) for match in reading.matches]
    there = [item for item in airs if item is not None]
    running = running_time(there, segues, settings.rate)
    # when each item starts, and when one behind the last would
    starts = [*running.starts_s, running.next_s]
    heard = list(before)
    found = []
    count = 0
    for match, item in zip(reading.matches, airs, strict=True):
        at_us = reading.slot.start_us + round(starts[count] * US)
        if item is None:
            off = (
                _off(match.value, at_us, settings.tz) if match.status is MatchStatus.MARK else None
            )
            found.append(Forecast(match, None, None, 0.0, off_s=off))
            continue
        seconds = starts[count + 1] - starts[count]
        clash = _clash(item, at_us, heard, settings)
        found.append(Forecast(match, item, at_us, seconds, clash))
        heard.append(Before(at_us, item.artist, item.title))
        count += 1
    return found


def _item(match: Match, items: Mapping[int, Item]) -> Item | None:
    """Return the item that a line airs, None when it airs none."""
    matched = match.status is MatchStatus.MATCHED and match.cart is not None
    return items.get(match.cart or 0) if matched else None


def log_length_s(
    reading: LogReading, items: Mapping[int, Item], settings: StationSettings, segues: Segues
) -> float:
    """Return how long a log lasts until another could follow, segues counted as they air."""
    airs = [_item(match, items) for match in reading.matches]
    there = [item for item in airs if item is not None]
    return running_time(there, segues, settings.rate).next_s


def _clash(item: Item, at_us: int, heard: Sequence[Before], settings: StationSettings) -> str:
    if item.kind is not Kind.SONG or not settings.separation_s:
        return ""
    artist, title = item.artist.casefold(), item.title.casefold()
    for play in reversed(heard):
        away = (at_us - play.at_us) / US
        if away >= settings.separation_s:
            break
        same_title = play.title.casefold() == title
        if same_title or (artist and play.artist.casefold() == artist):
            what = "title" if same_title else "artist"
            return f"same {what} {length(away)} before, at {clock(play.at_us, settings.tz)}"
    return ""


def _off(wanted_s: float, at_us: int, tz: ZoneInfo) -> float:
    """Return how late a mark at a time of day is met, the nearest such time taken."""
    local = local_from(at_us, tz)
    now = local.hour * 3600 + local.minute * 60 + local.second + local.microsecond / US
    return (now - wanted_s + 43_200) % 86_400 - 43_200

"""The breaks of a stretch of time, as the placing sees them: when, how much room, for whom."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import time
from functools import lru_cache
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

import numpy as np

from nightly_spindle.core.base.short_texts import words_of
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.local_days import day_and_hour, day_number, local_day
from nightly_spindle.core.calendar.log_periods import Period, Slot, slots
from nightly_spindle.core.calendar.week_grid import HOURS, WeekGrid
from nightly_spindle.core.events.steps import PlayBreak
from nightly_spindle.core.events.timed_events import TimedEvent, firings
from nightly_spindle.core.traffic.break_patterns import Starts
from nightly_spindle.core.traffic.campaigns import Per, shows_of
from nightly_spindle.core.traffic.spot_plan import SpotPlan

if TYPE_CHECKING:
    from collections.abc import Iterable
    from collections.abc import Set as AbstractSet

    from numpy.typing import NDArray

    from nightly_spindle.core.traffic.break_patterns import BreakPattern
    from nightly_spindle.core.traffic.campaigns import Campaign, Key

_NEVER = -(10**9)  # the day of a break that is closed
LOOK_BACK_DAYS = 35  # what was missed longer ago is owed no more, but for orders in total


@dataclass(frozen=True, slots=True)
class BreakPlace:
    """One break: `day` is its local date (days since 1970), `hour` its hour of the week.

    `likes` are categories that it prefers, `seats` those of its places in order, empty for any.
    """

    pattern: int
    at_us: int
    spots: int
    length_us: int
    day: int
    hour: int
    likes: tuple[str, ...] = ()
    seats: tuple[str, ...] = ()

    @property
    def key(self) -> Key:
        """Which break it is."""
        return (self.pattern, self.at_us)


@dataclass(frozen=True, slots=True)
class BreakSources:
    """What breaks come from: break patterns, timed events that play them, the station's hours.

    `clock_name` says what the format clock of an hour is called, empty where it has none.
    """

    spots: SpotPlan
    events: Sequence[TimedEvent]
    tz: ZoneInfo
    day_start: time
    clock_name: Callable[[Slot], str]


def break_places(sources: BreakSources, from_us: int, until_us: int) -> list[BreakPlace]:
    """Return the breaks with `from_us <= instant < until_us`, by time."""
    spots, tz = sources.spots, sources.tz
    found: list[BreakPlace] = []
    for pattern in spots.patterns.values():
        if not pattern.options.enabled:
            continue
        if pattern.options.starts is Starts.EVENTS:
            instants = _by_events(pattern, sources.events, tz, from_us, until_us)
        else:
            instants = pattern.rule().firings(tz, from_us - 1, until_us - 1)
        found += _places_of(pattern, instants, tz)
    return sorted(found, key=lambda place: (place.at_us, place.pattern))


def place_of(pattern: BreakPattern, at_us: int, tz: ZoneInfo) -> BreakPlace:
    """Return one break of a pattern."""
    return _places_of(pattern, [at_us], tz)[0]


def _places_of(pattern: BreakPattern, instants: Iterable[int], tz: ZoneInfo) -> list[BreakPlace]:
    """Return the breaks of a pattern that come at these instants."""
    options, categories, seats = pattern.options, pattern.categories, pattern.seats
    spots, length_us = int(options.spots) or 1_000, round(options.length_s * US) or 10**15
    return [
        BreakPlace(pattern.id, at, spots, length_us, *day_and_hour(at, tz), categories, seats)
        for at in instants
    ]


def _by_events(
    pattern: BreakPattern,
    events: Iterable[TimedEvent],
    tz: ZoneInfo,
    from_us: int,
    until_us: int,
) -> list[int]:
    """Return when timed events play a break of a pattern."""
    name = pattern.name.casefold()
    playing = [
        event
        for event in events
        if any(isinstance(s, PlayBreak) and s.name.casefold() == name for s in event.steps)
    ]
    return sorted({one.at_us for one in firings(playing, tz, from_us - 1, until_us - 1)})


class BreakCalendar:
    """The breaks of a stretch, and which of them are open to which campaign.

    `places` by time, `today` the local day of `now_us` (days since 1970), `now` the index of the
    first break that is still to come. `names` are the patterns' names by number, folded.
    """

    def __init__(self, sources: BreakSources, from_us: int, now_us: int, until_us: int) -> None:
        self.places: Sequence[BreakPlace] = break_places(sources, from_us, until_us)
        self.tz = sources.tz
        self.now_us = now_us
        self.today = local_day(now_us, self.tz)
        self.now = bisect_left(self.places, now_us, key=_instant)
        patterns = sources.spots.patterns.values()
        self.names = {pattern.id: pattern.name.casefold() for pattern in patterns}
        self.index = {place.key: at for at, place in enumerate(self.places)}
        self._days = np.array([place.day for place in self.places], dtype=np.int64)
        self._hours = np.array([place.hour for place in self.places], dtype=np.int64)
        self._patterns = np.array([place.pattern for place in self.places], dtype=np.int64)
        self._at = np.array([place.at_us for place in self.places], dtype=np.int64)
        self._stretches = self._of_shows(sources)
        self._clocks = self._of_clocks(sources)

    def close(self, keys: AbstractSet[Key]) -> None:
        """Nothing more goes into these breaks: they are filled."""
        for key in keys:
            at = self.index.get(key)
            if at is not None and at >= self.now:
                self._days[at] = _NEVER

    def open_to(self, campaign: Campaign) -> list[int]:
        """Return the indices of the breaks that are open to a campaign, ascending.

        Past ones are those that count for what it is owed. Places by hand are open in any case.
        """
        options = campaign.options
        if options.on_hold or not self.places:
            return []
        since = self.today - LOOK_BACK_DAYS
        first = self.today if campaign.first is None else max(since, day_number(campaign.first))
        inside = _hours_mask(campaign.grid)[self._hours]
        for name in shows_of(options):
            for begin, end in self._stretches.get(name, ()):
                inside |= (self._at >= begin) & (self._at < end)
        inside &= self._days >= first
        if campaign.last is not None:
            inside &= self._days <= day_number(campaign.last)
        only = words_of(options.breaks)
        if only:
            wanted = [number for number, name in self.names.items() if name in only]
            inside &= np.isin(self._patterns, wanted)
        clocks = words_of(options.clocks)
        if clocks:
            inside &= np.isin(self._clocks, clocks)
        found: list[int] = np.flatnonzero(inside).tolist()
        by_hand = [
            at
            for key in campaign.pins
            if (at := self.index.get(key)) is not None and self._days[at] != _NEVER
        ]
        return sorted({*found, *by_hand}) if by_hand else found

    def parts(self, open_: Sequence[int], per: Per) -> list[tuple[int, int]]:
        """Return the stretches (begin, end in `open_`) that orders of a kind count by."""
        if not open_:
            return []
        if per is Per.BREAK:
            return [(at, at + 1) for at in range(len(open_))]
        chosen = np.asarray(open_, dtype=np.intp)
        marks = self._days[chosen]
        if per is Per.HOUR:
            marks = marks * 24 + self._hours[chosen] % 24
        elif per is Per.WEEK:
            marks = marks - self._hours[chosen] // 24
        cuts = (np.flatnonzero(np.diff(marks)) + 1).tolist()
        return list(zip([0, *cuts], [*cuts, len(open_)], strict=True))

    def _of_clocks(self, sources: BreakSources) -> NDArray[np.str_]:
        """Return the name of the format clock of each break's hour, folded, empty for none."""
        if not self.places or not any(c.options.clocks for c in sources.spots.campaigns.values()):
            return np.zeros(len(self.places), dtype=np.str_)
        low, high = self.places[0].at_us, self.places[-1].at_us
        hours = slots(Period.HOUR, self.tz, sources.day_start, low - 2 * 3600 * US, high)
        names = [sources.clock_name(hour).casefold() for hour in hours]
        begins = [hour.start_us for hour in hours]
        return np.array([names[bisect_right(begins, at) - 1] for at in self._at.tolist()])

    def _of_shows(self, sources: BreakSources) -> dict[str, list[tuple[int, int]]]:
        """Return the instants (begin, end) at which named timed events hold the air."""
        wanted = {n for c in sources.spots.campaigns.values() for n in shows_of(c.options)}
        found: dict[str, list[tuple[int, int]]] = {}
        for event in sources.events if self.places else ():
            name, lasts = event.name.casefold(), round(event.options.length_s * US)
            if name in wanted and lasts and event.enabled:
                low, high = self.places[0].at_us - lasts, self.places[-1].at_us
                begins = event.rule.firings(self.tz, low - 1, high)
                found.setdefault(name, []).extend((at, at + lasts) for at in begins)
        return found


def _instant(place: BreakPlace) -> int:
    return place.at_us


@lru_cache(maxsize=1024)
def _hours_mask(grid: WeekGrid) -> NDArray[np.bool_]:
    return np.array([hour in grid for hour in range(HOURS)], dtype=bool)

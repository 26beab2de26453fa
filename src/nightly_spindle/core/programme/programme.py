"""The station's programme: all that the sequencer looks things up in."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from hashlib import blake2s
from typing import TYPE_CHECKING, Protocol

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.events.timed_events import AfterSongs, Firing, TimedEvent, firings
from nightly_spindle.core.library.items import STATION_TONE, TONE_CART, Item
from nightly_spindle.core.music.formats import NO_FORMATS, FormatPlan
from nightly_spindle.core.music.rotation_tables import RotationTables
from nightly_spindle.core.outputs.outputs import Output
from nightly_spindle.core.overlays.overlay_pools import MINUTE_US, Pool, PoolUse
from nightly_spindle.core.programme.away_folders import Away, away_for
from nightly_spindle.core.programme.event_sources import EventSources, streams_of
from nightly_spindle.core.programme.items_in_reach import ItemsInReach
from nightly_spindle.core.segues.joins import played_part
from nightly_spindle.core.segues.segue_rules import Segues
from nightly_spindle.core.station.backups import Standing
from nightly_spindle.core.station.log_sources import LogDrop
from nightly_spindle.core.station.made_hour_source import OWN_DROP, own_drop, own_events
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.core.traffic.coming_breaks import BreakSources
from nightly_spindle.core.traffic.spot_plan import NO_SPOTS, SpotPlan

if TYPE_CHECKING:
    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.events.steps import LoadLog
    from nightly_spindle.core.station.log_sources import LogReading

_MOST_MINUTES = 4096
_CHUNK_US = 2 * 86_400 * US  # firings are worked out two days at a time


class LogSource(Protocol):
    """Gives the reading of a log; must answer at once and put its items in reach."""

    def reading(self, drop: LogDrop, slot: Slot) -> LogReading:
        """Return what is known of that slot's log now."""
        ...


@dataclass(slots=True)
class Programme:
    """A station as the sequencer sees it.

    `items` holds every item in reach (by cart), `unplayable` why an item cannot be
    played, `pool` the songs of the safety net's rotation in the order of their turn, `segues`
    what the station says of segues.
    `standing` is what is wrong with the station at any hour, `event_sources` what events take from.
    `pools` are the pools of overlays in their order, `in_category` the carts of the categories that
    they name (folded). `aired` are the plays (instant in s, cart) before the station was read, as
    far back as rules of rotation reach. `spots` are campaigns, break patterns and what is placed;
    `formats` the station's own scheduling. `roots` are the folders (absolute) that audio lies in,
    `away` those that cannot be reached now, by path. `outputs` are where the sound goes.
    """

    settings: StationSettings
    logs: LogSource
    items: dict[int, Item]
    events: Sequence[TimedEvent] = ()
    drops: dict[int, LogDrop] = field(default_factory=dict)
    pool: Sequence[Item] = ()
    unplayable: dict[int, str] = field(default_factory=dict)
    standing: Sequence[Standing] = ()
    segues: Segues = field(default_factory=Segues)
    event_sources: EventSources = field(default_factory=EventSources)
    pools: Sequence[Pool] = ()
    in_category: dict[str, frozenset[int]] = field(default_factory=dict)
    spots: SpotPlan = NO_SPOTS
    formats: FormatPlan = NO_FORMATS
    roots: tuple[str, ...] = ()
    away: dict[str, Away] = field(default_factory=dict)
    outputs: tuple[Output, ...] = ()
    aired: Sequence[tuple[float, int]] = ()
    rotation_tables: RotationTables | None = None  # of `rotation`, which keeps it true
    revision: int = 0  # counted up by whatever is set anew
    _streams: dict[int, Item] = field(default_factory=dict)
    _breaks: dict[int, Item] = field(default_factory=dict)
    _counting: list[TimedEvent] = field(default_factory=list)
    _windows_for: tuple[int, int] = (0, 0)
    _windows: list[tuple[TimedEvent, list[tuple[int, int]]]] = field(default_factory=list)
    _from_us: int = 0
    _to_us: int = 0
    _ahead: list[Firing] = field(default_factory=list)
    _sounding: dict[int, tuple[Item, tuple[int, int]]] = field(default_factory=dict)
    _open_for: Sequence[Pool] = ()
    _open: dict[tuple[PoolUse, int], Sequence[Pool]] = field(default_factory=dict)

    def item(self, cart: int) -> Item | None:
        """Return the item in reach of that cart number, or the stream or break it stands for.

        A break still to be filled is an item of its expected length; it never sounds.
        """
        if cart < 0:
            return self._streams.get(cart) or self._breaks.get(cart)
        return STATION_TONE if cart == TONE_CART else self.items.get(cart)

    def sounding(self, item: Item) -> tuple[int, int]:
        """Return where an item's sound begins (frames) and for how many frames it lasts."""
        known = self._sounding.get(item.cart)
        if known is None or known[0] is not item:
            played = played_part(item, self.settings.rate)
            known = (item, (played.cue_in, played.cue_out - played.cue_in))
            self._sounding[item.cart] = known
        return known[1]

    def why_unplayable(self, cart: int) -> str:
        """Return why the item cannot be played, empty when it can."""
        if self.item(cart) is None:
            return "it is not in the library"
        gone = self.away_of(cart)
        return self.unplayable.get(cart, "") if gone is None else gone.reason

    def away_of(self, cart: int) -> Away | None:
        """Return the folder that an item lies in when it is away, None when it is there."""
        if not self.away or cart <= 0:
            return None
        item = self.items.get(cart)
        return None if item is None else away_for(item.path, self.away)

    def playable(self, cart: int) -> Item | None:
        """Return the item with that cart number if it can be played."""
        if self.unplayable.get(cart) or self.away_of(cart) is not None:
            return None
        return self.item(cart)

    def __post_init__(self) -> None:
        """Work out what follows from the events."""
        if not isinstance(self.items, ItemsInReach):
            self.items = ItemsInReach(self.items)
        self.set_events(self.events, self.drops, self.event_sources)

    def set_events(
        self, events: Sequence[TimedEvent], drops: dict[int, LogDrop], sources: EventSources
    ) -> None:
        """Go by other timed events and log drops from now on."""
        self.events, self.drops, self.event_sources = events, drops, sources
        self._streams = streams_of(events, self.settings.rate)
        self.set_spots(self.spots)

    def set_pools(self, pools: Sequence[Pool], in_category: dict[str, frozenset[int]]) -> None:
        """Go by other pools of overlays from now on."""
        self.pools, self.in_category = pools, in_category
        self._begin_anew()

    def set_spots(self, spots: SpotPlan) -> None:
        """Go by other campaigns, break patterns, or another placing from now on."""
        self.spots = spots
        rate = self.settings.rate
        self._breaks = {one.cart: one.stand_in(rate) for one in spots.patterns.values()}
        self._begin_anew()

    def set_formats(self, formats: FormatPlan) -> None:
        """Go by other clocks, plans or rules of rotation from now on."""
        self.formats = formats
        self._begin_anew()

    @property
    def stand(self) -> tuple[int, int]:
        """What changes whenever anything is set anew, or an item in reach is another one."""
        assert isinstance(self.items, ItemsInReach)
        return self.revision, self.items.revision

    def drop_item(self, cart: int) -> None:
        """Have an item in reach no more: it is not in the library."""
        if cart in self.items:
            del self.items[cart]

    def set_pool(self, pool: Sequence[Item]) -> None:
        """Have rotation choose from other songs, in the order of their turn."""
        self.pool = pool
        self.revision += 1

    def break_sources(self) -> BreakSources:
        """Return what the station's breaks come from."""
        return BreakSources(
            self.spots, self.events, self.settings.tz, self.settings.day_start, self._clock_name
        )

    def _clock_name(self, hour: Slot) -> str:
        clock, _ = self.formats.clock_of(hour)
        return clock.name if clock is not None else ""

    def _begin_anew(self) -> None:
        """Forget what was worked out ahead from the events."""
        self.revision += 1
        standing = self.standing_events()
        self._counting = [e for e in standing if e.enabled and isinstance(e.rule, AfterSongs)]
        self._to_us = self._from_us
        self._windows_for = (0, 0)

    def counting(self, at_us: int) -> list[TimedEvent]:
        """Return the events that count the songs of an instant."""
        if not self._counting:
            return []
        begin, end = self._windows_for
        if not begin <= at_us < end:
            self._windows_for = begin, end = at_us, at_us + _CHUNK_US
            self._windows = [
                (event, event.rule.windows(self.settings.tz, begin, end))
                for event in self._counting
                if isinstance(event.rule, AfterSongs)
            ]
        return [
            event
            for event, windows in self._windows
            if any(since <= at_us < until for since, until in windows)
        ]

    def event(self, number: int) -> TimedEvent | None:
        """Return the event of that number, those of the log drops among them."""
        return next((event for event in self.standing_events() if event.id == number), None)

    def go_by(self, settings: StationSettings, segues: Segues) -> None:
        """Play by other levels and segue rules from now on; all else needs a new start."""
        self.settings = replace(
            self.settings,
            segue=settings.segue,
            levels=settings.levels,
            kind_levels=settings.kind_levels,
            overlay=settings.overlay,
            duck_sweeper=settings.duck_sweeper,
            duck_voiceover=settings.duck_voiceover,
            spots=settings.spots,
            formats=settings.formats,
            titles=settings.titles,
        )
        self.segues = segues
        self.revision += 1

    def firings(self, after_us: int, until_us: int) -> list[Firing]:
        """Return the firings with after < at <= until, those of the log drops among them."""
        return firings(self.standing_events(), self.settings.tz, after_us, until_us)

    def standing_events(self) -> list[TimedEvent]:
        """Return the station's timed events, and those that drops, links and breaks stand for."""
        start = self.settings.day_start
        own = [event for drop in self.drops.values() for event in drop.events(start)]
        links = [event for pool in self.pools for event in pool.events()]
        breaks = [event for one in self.spots.patterns.values() for event in one.events()]
        return [*self.events, *own, *links, *breaks, *own_events(self.formats, start)]

    def drop(self, number: int) -> LogDrop | None:
        """Return the log drop of that number, that of the made hours among them."""
        if number == OWN_DROP:
            return own_drop(alone=not any(drop.options.enabled for drop in self.drops.values()))
        return self.drops.get(number)

    @property
    def log_drops(self) -> list[LogDrop]:
        """All log drops, that of the made hours last where there is any."""
        own = self.drop(OWN_DROP) if self.formats.plans.used else None
        return [*self.drops.values(), *([own] if own else [])]

    def pools_for(self, use: PoolUse) -> list[Pool]:
        """Return the pools of one use, in their order."""
        return [pool for pool in self.pools if pool.use is use]

    def open_pools(self, use: PoolUse, us: int) -> Sequence[Pool]:
        """Return the pools of one use that are open at an instant, in their order.

        Asked at every segue, many times: remembered by the minute, within which none begins.
        """
        key = use, us // MINUTE_US
        if self._open_for is not self.pools or len(self._open) >= _MOST_MINUTES:
            self._open_for, self._open = self.pools, {}
        found = self._open.get(key)
        if found is None:
            tz = self.settings.tz
            found = self._open[key] = [p for p in self.pools_for(use) if p.open_at(us, tz)]
        return found

    def slot(self, drop: LogDrop, at_us: int) -> Slot:
        """Return the slot of a drop's log at an instant."""
        return drop.slot_at(self.settings.tz, self.settings.day_start, at_us)

    def coming(self, drop: LogDrop, from_us: int, until_us: int) -> list[Slot]:
        """Return the slots of a drop's logs: the one of an instant, and those until another."""
        here = self.slot(drop, from_us).start_us
        return drop.slots(self.settings.tz, self.settings.day_start, here - 1, until_us)

    def drop_of(self, step: LoadLog) -> LogDrop | None:
        """Return the drop that a step loads from, None when it is gone.

        A file that lies anywhere is a drop of its own, read as the step's drop reads.
        """
        drop = self.drop(step.drop)
        if not step.file:
            return drop
        folder, _, name = step.file.rpartition("/")
        known = drop or LogDrop(0, "By hand", folder, name)
        pattern = name.replace("%", "%%")
        # a number of its own: the readings of two files must not be taken for one
        mark = -1 - int.from_bytes(blake2s(step.file.encode(), digest_size=5).digest())
        return replace(known, id=mark, folder=folder or "/", pattern=pattern)

    def next_firings(self, after_us: int) -> list[Firing]:
        """Return the firings at the first instant after `after_us` that has any.

        Looks two days ahead; an empty list means nothing fires until then.
        """
        self._look_ahead(after_us)
        first = bisect_right(self._ahead, after_us, key=_instant)
        if first == len(self._ahead):
            return []
        last = bisect_right(self._ahead, self._ahead[first].at_us, key=_instant)
        return self._ahead[first:last]

    def within(self, after_us: int, until_us: int) -> list[Firing]:
        """Return the firings with after < at <= until, of at most a day ahead, at once."""
        self._look_ahead(after_us)
        first = bisect_right(self._ahead, after_us, key=_instant)
        return self._ahead[first : bisect_right(self._ahead, until_us, key=_instant)]

    def _look_ahead(self, after_us: int) -> None:
        if not (self._from_us <= after_us < self._to_us - _CHUNK_US // 2):
            self._from_us, self._to_us = after_us, after_us + _CHUNK_US
            self._ahead = self.firings(self._from_us, self._to_us)


def _instant(firing: Firing) -> int:
    return firing.at_us

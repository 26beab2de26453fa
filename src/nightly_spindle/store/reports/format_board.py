"""What the desk and the command line show of formats: read once, read anew when something changed.

Everything slow (the items, what airs around) is kept from one question to the next.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from datetime import timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.calendar.day_plans import HourGets
from nightly_spindle.core.calendar.log_periods import Period, Slot, slot_at, slots
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.logs.log_writers import LogEntry
from nightly_spindle.core.music.format_clocks import FormatClock, SlotKind
from nightly_spindle.core.music.formats import ALL_SONGS, FormatPlan
from nightly_spindle.core.music.hour_segments import HourLength, HourTask, hour_length
from nightly_spindle.core.music.log_making import Maker
from nightly_spindle.core.music.made_edits import HourEditor, LineCandidate
from nightly_spindle.core.music.made_logs import MadeHour
from nightly_spindle.core.music.making_stock import Stock
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_stats import (
    ArtistUse,
    CategoryUse,
    ItemUse,
    artist_uses,
    category_uses,
    item_uses,
)
from nightly_spindle.core.reports.format_findings import FormatFinding, KnownNames, check_formats
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.music.made_hours import made_from, read_made
from nightly_spindle.store.programme.snapshot import Snapshot, open_station
from nightly_spindle.store.reports.log_makings import made_plays, plays_around, stock_of

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from pathlib import Path

    from nightly_spindle.core.music.hour_segments import Spread

_DAY_US = 86_400 * US


@dataclass(frozen=True, slots=True)
class HourRow:
    """One hour: its slot, what it gets, what is made for it (None: nothing yet)."""

    slot: Slot
    gets: HourGets
    clock: FormatClock | None
    made: MadeHour | None


@dataclass(frozen=True, slots=True)
class Names:
    """What forms can choose from, as written."""

    categories: tuple[str, ...]
    lists: tuple[str, ...]
    pools: tuple[str, ...]
    breaks: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class FormatSheet:
    """All of the formats. `lengths` is how long each clock's hour runs."""

    now_us: int
    settings: StationSettings
    formats: FormatPlan
    own_rules: bool
    lengths: Mapping[int, HourLength]
    findings: tuple[FormatFinding, ...]
    hours: tuple[HourRow, ...]
    items: Mapping[int, Item]
    names: Names


@dataclass(frozen=True, slots=True)
class Statistics:
    """What a stretch comes to, the past of it from the as-run log, the rest from made hours."""

    items: tuple[ItemUse, ...]
    categories: tuple[CategoryUse, ...]
    artists: tuple[ArtistUse, ...]


@dataclass(slots=True)
class _Read:
    """A station read at one edit."""

    count: int
    snapshot: Snapshot
    stock: Stock


class FormatBoard:
    """Answers what is asked of a station's formats; one thread at a time."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._known: _Read | None = None
        self._editor: tuple[tuple[int, int], HourEditor] | None = None

    def _read(self) -> _Read:
        known = self._known
        if known is not None and change_count(known.snapshot.connection) == known.count:
            return known
        before = known.stock if known is not None else None
        self.close()
        snapshot = open_station(self._folder, shared=True)
        self._known = known = _Read(snapshot.count, snapshot, stock_of(snapshot, before))
        self._editor = None
        return known

    def close(self) -> None:
        """Give the database back."""
        if self._known is not None:
            self._known.snapshot.connection.close()
            self._known = None

    @property
    def stock(self) -> Stock:
        """What logs are made from."""
        return self._read().stock

    def sheet(self, now_us: int, from_us: int, until_us: int) -> FormatSheet:
        """Return the formats, and the hours with from <= start < until."""
        known = self._read()
        programme, formats = known.snapshot.programme, known.stock.formats
        spread, fixed = _lengths(known.stock, programme.items)
        lengths = {
            n: hour_length(clock, spread, fixed, formats.named_weights(clock))
            for n, clock in formats.clocks.items()
        }
        names = _names(known)
        there = KnownNames(
            {item.cart: item for item in programme.pool} | programme.items,
            {name.casefold() for name in names.lists},
            set(known.stock.pools),
            set(known.stock.breaks),
            lengths,
            programme.settings.separation_s,
        )
        rows = known.snapshot.connection.execute("SELECT count(*) FROM rotation_rule").fetchone()
        return FormatSheet(
            now_us,
            programme.settings,
            formats,
            bool(rows[0]),
            lengths,
            tuple(check_formats(formats, there)),
            tuple(self.hours(from_us, until_us)),
            programme.items,
            names,
        )

    def hours(self, from_us: int, until_us: int) -> list[HourRow]:
        """Return the hours with from <= start < until."""
        known = self._read()
        settings = known.snapshot.programme.settings
        made = {
            one.start_us: one for one in read_made(known.snapshot.connection, from_us, until_us)
        }
        found = []
        for slot in slots(Period.HOUR, settings.tz, settings.day_start, from_us - 1, until_us - 1):
            clock, gets = known.stock.formats.clock_of(slot)
            found.append(HourRow(slot, gets, clock, made.get(slot.start_us)))
        return found

    def trial(self, clock: FormatClock, now_us: int) -> MadeHour:
        """Return an hour as a clock would make it now, with nothing around it; it is not kept."""
        known = self._read()
        settings = known.snapshot.programme.settings
        slot = slot_at(Period.HOUR, settings.tz, settings.day_start, now_us)
        task = HourTask(slot, clock, "a trial")
        return next(Maker(known.stock, PlayColumns(), [task]).make())

    def length(self, clock: FormatClock) -> HourLength:
        """Return how long a clock's strip runs by the real items."""
        known = self._read()
        spread, fixed = _lengths(known.stock, known.snapshot.programme.items)
        return hour_length(clock, spread, fixed, known.stock.formats.named_weights(clock))

    # -- one made hour -----

    def editor(self, start_us: int, now_us: int) -> HourEditor:
        """Return what edits one made hour; InputFault where there is none."""
        known = self._read()
        key = (start_us, known.count)
        if self._editor is not None and self._editor[0] == key:
            return self._editor[1]
        row = known.snapshot.connection.execute(
            "SELECT * FROM made_hour WHERE id = ?", (start_us,)
        ).fetchone()
        if row is None:
            local = local_from(start_us, known.snapshot.programme.settings.tz)
            raise InputFault(f"the hour from {local:%Y-%m-%d %H:%M} was not made; make it first")
        hour = made_from(row)
        slot = self.hours(start_us, start_us + 1)[0].slot
        formats, table = known.stock.formats, known.stock.table
        plays = plays_around(known.snapshot, formats, start_us, slot.end_us, now_us)
        own = set(made_plays([hour]))
        lines = PlayColumns(
            (at, table.row(cart)) for at, cart in plays if table.row(cart) and (at, cart) not in own
        )
        rules = formats.rules_of(formats.clocks.get(hour.clock))
        found = HourEditor(hour, known.stock, lines, rules, slot.end_us)
        self._editor = (key, found)
        return found

    def candidates(
        self, start_us: int, place: int, now_us: int, category: str | None = None
    ) -> list[LineCandidate]:
        """Return what would fit in a line best."""
        return self.editor(start_us, now_us).candidates(place, category)

    def edited(
        self, start_us: int, now_us: int, change: Callable[[HourEditor], MadeHour]
    ) -> MadeHour:
        """Return an hour as it is after a change by hand; nothing is written."""
        return replace(change(self.editor(start_us, now_us)), made_us=now_us)

    # -- looking back and ahead -----

    def statistics(self, now_us: int, back_days: float, ahead_days: float) -> Statistics:
        """Return what the days back and ahead come to."""
        known = self._read()
        programme, formats = known.snapshot.programme, known.stock.formats
        aired = known.snapshot.connection.execute(
            "SELECT start_us, cart FROM as_run WHERE start_us >= ? AND start_us < ? AND over = ''"
            " AND cart IS NOT NULL AND end_us > start_us",
            (now_us - round(back_days * _DAY_US), now_us),
        )
        plays = [(row["start_us"] / US, row["cart"]) for row in aired]
        until = now_us + round(ahead_days * _DAY_US)
        plays += [
            one
            for one in made_plays(read_made(known.snapshot.connection, now_us, until))
            if one[0] >= now_us / US
        ]
        used = frozenset().union(*(_taken(clock, formats) for clock in formats.clocks.values()))
        # a category that no clock takes from has no share; all songs stand for those in none
        music = {
            name: one
            for name, one in formats.categories.items()
            if one.music and name in (used or {ALL_SONGS})
        }
        today = local_from(now_us, programme.settings.tz).date()
        uses = item_uses(plays, programme.items, music, used, today)
        weights = _weights(self.hours(now_us, now_us + 7 * _DAY_US), formats)
        return Statistics(
            tuple(uses),
            tuple(category_uses(uses, weights)),
            tuple(artist_uses(plays, programme.items)),
        )

    def entries(self, from_us: int, until_us: int) -> list[LogEntry]:
        """Return made hours as the lines of a file: absolute paths, lengths, times of day."""
        known = self._read()
        programme = known.snapshot.programme
        patterns = programme.spots.patterns
        found = []
        for hour in read_made(known.snapshot.connection, from_us, until_us):
            for line in hour.lines:
                local = local_from(hour.start_us + round(line.at_s * US), programme.settings.tz)
                at_s = local.hour * 3600 + local.minute * 60 + local.second
                item = programme.items.get(line.cart)
                if line.pattern:
                    name = patterns[line.pattern].name if line.pattern in patterns else ""
                    found.append(LogEntry(type="break", comment=name, at_s=float(at_s)))
                elif item is not None:
                    seconds = float(known.stock.table.length_s[known.stock.table.row(item.cart)])
                    found.append(
                        LogEntry(
                            item.path,
                            item.artist,
                            item.title,
                            item.cart,
                            round(seconds, 3),
                            float(at_s),
                            str(item.kind),
                            line.mark,
                        )
                    )
        return found


def _taken(clock: FormatClock, formats: FormatPlan) -> frozenset[str]:
    return clock.categories | frozenset(formats.weights_of(clock))


def _weights(hours: Iterable[HourRow], formats: FormatPlan) -> dict[str, float]:
    """Return the weights of the coming week, hour by hour together."""
    total: dict[str, float] = {}
    for row in hours:
        if row.clock is None:
            continue
        weights = formats.weights_of(row.clock)
        whole = sum(weights.values()) or 1.0
        for name, weight in weights.items():
            total[name] = total.get(name, 0.0) + weight / whole
    return total


def _names(known: _Read) -> Names:
    connection = known.snapshot.connection

    def named(query: str) -> tuple[str, ...]:
        return tuple(row["name"] for row in connection.execute(query))

    return Names(
        named("SELECT name FROM category ORDER BY name"),
        named("SELECT name FROM list ORDER BY name"),
        tuple(pool.name for pool in known.stock.pools.values()),
        tuple(one.name for one in known.snapshot.programme.spots.patterns.values()),
    )


def _lengths(
    stock: Stock, items: Mapping[int, Item]
) -> tuple[dict[str, Spread], dict[tuple[str, str], float]]:
    """Return how long the items of categories are on air, and all else that a slot may name."""
    table = stock.table
    spread = {}
    for name, rows in table.rows.items():
        if rows.size:
            seconds = table.length_s[rows]
            spread[name] = (float(seconds.min()), float(seconds.mean()), float(seconds.max()))
    fixed: dict[tuple[str, str], float] = {
        (SlotKind.ITEM, str(cart)): float(table.length_s[table.row(cart)]) for cart in items
    }
    for name, (_, seconds) in stock.breaks.items():
        fixed[SlotKind.BREAK, name] = seconds
    carts = {(SlotKind.LINK, name): pool.carts for name, pool in stock.pools.items()}
    carts |= {(SlotKind.LIST, name): many for name, many in stock.formats.lists.items()}
    for key, many in carts.items():
        there = [row for cart in many if (row := table.row(cart))]
        fixed[key] = float(table.length_s[there].mean()) if there else 0.0
    return spread, fixed


def day_bounds(settings: StationSettings, at_us: int, days: int = 1) -> tuple[int, int]:
    """Return when the broadcast day of an instant begins, and when that of `days` later does."""
    here = slot_at(Period.DAY, settings.tz, settings.day_start, at_us)
    if days == 1:
        return here.start_us, here.end_us
    later = here.start_us + round(timedelta(days=days, hours=6).total_seconds() * US)
    return here.start_us, slot_at(Period.DAY, settings.tz, settings.day_start, later).start_us

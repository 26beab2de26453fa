"""Making the station's own logs: what there is to make from, what airs around, writing it down."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.calendar.day_plans import show_start
from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.calendar.log_periods import Period, slots
from nightly_spindle.core.events.steps import LoadLog, PlayBreak
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.music.format_clocks import ClockSlot, FormatClock, SlotKind
from nightly_spindle.core.music.formats import ALL_SONGS
from nightly_spindle.core.music.hour_segments import HourTask, ShowTime, TakenTime
from nightly_spindle.core.music.log_making import EFFORT, Maker
from nightly_spindle.core.music.made_logs import MadeHour, Mode
from nightly_spindle.core.music.making_stock import Stock
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_columns import NEVER, RotationColumns, RotationTrack
from nightly_spindle.core.overlays.overlay_pools import PoolUse
from nightly_spindle.core.playout.event_length_plan import holds
from nightly_spindle.core.reports.break_lengths import break_s
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.segues.list_length import running_time
from nightly_spindle.store.music.formats import all_songs, carts_of, read_formats
from nightly_spindle.store.music.made_hours import read_made, write_made
from nightly_spindle.store.overlays.pools import carts_of as pool_carts
from nightly_spindle.store.playout.journal import plays_between

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.music.formats import FormatPlan
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.store.programme.snapshot import Snapshot

_BACK_US = 8 * 86_400 * US  # what aired so long ago counts, and what was made for then
_AHEAD_US = 2 * 86_400 * US  # and what is made for so long after
_HOUR_US = 3600 * US
_LOGS_US = 50 * _HOUR_US  # logs of outside schedulers are looked for so far ahead


@dataclass(frozen=True, slots=True)
class Making:
    """What was made: the hours in order. `begun` are those that were left, being on air."""

    hours: tuple[MadeHour, ...]
    kept: int
    begun: int = 0


def stock_of(snapshot: Snapshot, before: Stock | None = None) -> Stock:
    """Return what logs are made from, all of it that can be played.

    `before` is what it was at an earlier edit: its columns stay where its items have not changed.
    """
    programme, connection = snapshot.programme, snapshot.connection
    formats = read_formats(connection, programme.settings)
    songs = all_songs(connection)
    formats = replace(formats, categories={**formats.categories, ALL_SONGS: songs})
    snapshot.reach(carts_of(formats) | pool_carts(programme.pools))
    snapshot.look_for_files()
    settings, segues = programme.settings, programme.segues
    rows = connection.execute("SELECT cart, last_aired_us FROM item WHERE last_aired_us NOT NULL")
    heard = {row["cart"]: row["last_aired_us"] / US for row in rows}
    tracks = []
    for cart, item in programme.items.items():
        if not programme.why_unplayable(cart):
            here = span(item, settings.rate, segues)
            seconds = max(0, here.segue - here.cue_in) / settings.rate
            tracks.append(RotationTrack(item, seconds, heard.get(cart, NEVER)))
    inside = {name: one.carts for name, one in formats.categories.items()}
    if before is not None and before.table.stands_on(tracks, inside):
        table = before.table
    else:
        table = RotationColumns(tracks, inside)
    return Stock(
        formats,
        table,
        LocalHours(settings.tz, settings.day_start),
        _joined(programme),
        {pool.name.casefold(): pool for pool in programme.pools_for(PoolUse.LINKS)},
        {
            one.name.casefold(): (one.id, one.stand_in(settings.rate).measure.cue_out_s)
            for one in programme.spots.patterns.values()
        },
        settings.seed,
    )


def _joined(programme: Programme) -> Callable[[Sequence[Item]], Sequence[float]]:
    """Return what tells how long items are on air, one after the other."""
    segues, rate = programme.segues, programme.settings.rate

    def lengths(items: Sequence[Item]) -> list[float]:
        if not items:
            return []
        running = running_time(items, segues, rate)
        ends = [*running.starts_s[1:], running.next_s]
        return [end - start for start, end in zip(running.starts_s, ends, strict=True)]

    return lengths


def tasks_of(
    programme: Programme, formats: FormatPlan, from_us: int, until_us: int
) -> list[HourTask]:
    """Return the hours with from <= start < until that have a format clock."""
    settings = programme.settings
    found = []
    for slot in slots(Period.HOUR, settings.tz, settings.day_start, from_us - 1, until_us - 1):
        clock, gets = formats.clock_of(slot)
        if clock is not None:
            shows = _shows(programme, formats, slot)
            found.append(HourTask(slot, clock, gets.comes_from, shows))
    return found


def with_taken(programme: Programme, tasks: Sequence[HourTask]) -> list[HourTask]:
    """Return hours with what timed events and breaks of their own put into each.

    What counts songs comes after so many, not at a time: it cannot be foreseen here.
    """
    if not tasks:
        return []
    begin, end = tasks[0].slot.start_us, tasks[-1].slot.end_us
    lasts: dict[int, float] = {}
    by_time: list[TakenTime] = []
    for firing in programme.firings(begin - 1, end - 1):
        event = firing.event
        loads = any(isinstance(step, LoadLog) for step in event.steps)
        if loads or event.after_songs or not (event.enabled and event.line_steps):
            continue
        breaks = [
            programme.spots.named(step.name)
            for step in event.line_steps
            if isinstance(step, PlayBreak)
        ]
        if len(breaks) == len(event.line_steps):
            seconds = sum(break_s(programme, one, firing.at_us) for one in breaks if one)
        else:
            if event.id not in lasts:
                lasts[event.id] = event.options.length_s or holds(programme, event).runs_s
            seconds = lasts[event.id]
        by_time.append(TakenTime(firing.at_us / US, seconds, event.name))
    instants = [one.at_s for one in by_time]
    return [
        replace(
            task,
            taken=tuple(
                by_time[bisect_left(instants, task.begin_s) : bisect_left(instants, task.end_s)]
            ),
        )
        for task in tasks
    ]


def _shows(programme: Programme, formats: FormatPlan, slot: Slot) -> tuple[ShowTime, ...]:
    """Return the shows that touch an hour: each from its time to the end of its item."""
    settings = programme.settings
    found = []
    for show in formats.plans.shows(slot.day):
        item = programme.item(show.cart)
        if item is None:
            continue
        local = show_start(slot.day, show.at, settings.day_start)
        begin = resolve_local(local, settings.tz) / US
        here = span(item, settings.rate, programme.segues)
        end = begin + (here.segue - here.cue_in) / settings.rate
        if end > slot.start_us / US and begin < slot.end_us / US:
            found.append(ShowTime(begin, end, show.cart))
    return tuple(found)


def plays_around(
    snapshot: Snapshot, formats: FormatPlan, from_us: int, until_us: int, now_us: int
) -> list[tuple[float, int]]:
    """Return what airs around a stretch as (instant in s, cart): aired, in logs, made already.

    Hours made for the stretch itself are among them.
    """
    found = plays_between(snapshot.connection, min(from_us, now_us) - _BACK_US, now_us)
    found += made_plays(
        read_made(snapshot.connection, max(from_us - _BACK_US, now_us), until_us + _AHEAD_US)
    )
    return found + log_plays(
        snapshot, formats, now_us, min(until_us + _AHEAD_US, now_us + _LOGS_US)
    )


def made_plays(hours: Iterable[MadeHour]) -> list[tuple[float, int]]:
    """Return what made hours air, as (instant in s, cart)."""
    return [
        (hour.start_us / US + line.at_s, line.cart)
        for hour in hours
        for line in hour.lines
        if line.cart
    ]


def log_plays(
    snapshot: Snapshot, formats: FormatPlan, from_us: int, until_us: int
) -> list[tuple[float, int]]:
    """Return what logs of outside schedulers air, as (instant in s, cart), about.

    A log's lines run on; over an hour that has a format clock they wait until it is over.
    """
    programme = snapshot.programme
    settings = programme.settings
    own = [(task.begin_s, task.end_s) for task in tasks_of(programme, formats, from_us, until_us)]
    found = []
    for drop in programme.drops.values():
        coming = programme.coming(drop, from_us, until_us) if drop.options.enabled else []
        for reading in snapshot.logs.look([(drop, slot) for slot in coming]):
            if not reading.usable:
                continue
            at = reading.slot.start_us / US
            for cart in reading.carts:
                at = _after_own(at, own)
                item = programme.item(cart)
                if item is None or at >= reading.slot.end_us / US:
                    continue
                if item.kind is Kind.SONG:
                    found.append((at, cart))
                at += programme.sounding(item)[1] / settings.rate
    return found


def _after_own(at_s: float, own: Sequence[tuple[float, float]]) -> float:
    """Return when a line may begin that would begin in one of these stretches."""
    for begin, end in own:
        if begin <= at_s < end:
            at_s = end
    return at_s


def make_logs(
    snapshot: Snapshot,
    from_us: int,
    until_us: int,
    now_us: int,
    mode: Mode = Mode.KEEP,
    progress: Callable[[int, int], bool] = lambda _done, _all: True,
    effort: float = EFFORT,
) -> Making:
    """Make the hours with from <= start < until; nothing is written.

    Hours that have begun stay. `progress` is told how many of all are done, and says whether to
    go on; InputFault when it does not. InputFault, too, where no hour has a clock.
    """
    stock = stock_of(snapshot)
    programme, formats = snapshot.programme, stock.formats
    tasks = tasks_of(programme, formats, from_us, until_us)
    if not tasks:
        raise InputFault(
            "no hour of that stretch has a format clock; give it one in the week plan or a day plan"
        )
    coming = with_taken(programme, [t for t in tasks if t.slot.start_us >= now_us])
    there = {hour.start_us: hour for hour in read_made(snapshot.connection, from_us, until_us)}
    wanted = [
        new for task in coming if (new := _wanted(task, there.get(task.slot.start_us), mode, stock))
    ]
    again = {task.slot.start_us for task in wanted}
    gone = set(made_plays(hour for start, hour in there.items() if start in again))
    plays = plays_around(snapshot, formats, from_us, until_us, now_us)
    row = stock.table.row
    lines = PlayColumns(
        (at, row(cart)) for at, cart in plays if row(cart) and (at, cart) not in gone
    )
    maker = Maker(stock, lines, wanted, effort)
    made: list[MadeHour] = []
    for hour in maker.make():
        made.append(replace(hour, made_us=now_us))
        if not progress(len(made), len(wanted)):
            raise InputFault("stopped; nothing was changed")
    return Making(tuple(made), len(coming) - len(wanted), len(tasks) - len(coming))


def _wanted(task: HourTask, there: MadeHour | None, mode: Mode, stock: Stock) -> HourTask | None:
    """Return how an hour is to be made, None where what is there stays."""
    if there is None or mode is Mode.ANEW:
        return task
    if mode is Mode.KEEP or there.lands_s > -60:
        return None
    names = {number: name for name, (number, _) in stock.breaks.items()}
    fixed = tuple(
        ClockSlot(SlotKind.BREAK, names.get(line.pattern, ""))
        if line.pattern
        else ClockSlot(SlotKind.ITEM, cart=line.cart)
        for line in there.lines
    )
    options = replace(task.clock.options, opens=0.0, closes=0.0)
    clock = FormatClock(
        task.clock.id, task.clock.name, fixed, task.clock.weights, task.clock.rules, options
    )
    return replace(task, clock=clock)


def make_and_write(
    snapshot: Snapshot,
    from_us: int,
    until_us: int,
    now_us: int,
    mode: Mode,
    progress: Callable[[int, int], bool] = lambda _done, _all: True,
) -> tuple[Making, dict[int, list[dict[str, object]]]]:
    """Make hours and write them; returns what was made, and what was there before."""
    from nightly_spindle.store.base.transaction import LibraryTransaction

    made = make_logs(snapshot, from_us, until_us, now_us, mode, progress)
    with LibraryTransaction(snapshot.folder) as library:
        before = write_made(library, made.hours)
    return made, before

"""Putting a log's lines into the running order: at its time, when few are left, late, by hand.

What a load does to what is lined up, in this order:

1. lines of the safety net go: they only filled a gap;
2. what an earlier log of the same drop left over is dropped, or runs to its end first (`Long`);
3. REPLACE drops all the rest; at the FRONT the rest goes on afterwards or is dropped (`Rest`);
4. the lines go in, behind those of events of the same instant.

A log that was due and not there is awaited: when it comes before its slot is over it is loaded,
after the item on air, from where it should be by then (`Late`).
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from itertools import islice
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.calendar.local_days import day_of, local_day
from nightly_spindle.core.calendar.log_periods import Period, Slot, hours_from
from nightly_spindle.core.events.steps import LoadLog, Placement
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.logs.log_matching import ITEM_LINES, Match, MatchStatus
from nightly_spindle.core.logs.log_meanings import tag_of
from nightly_spindle.core.programme.running_order import (
    NET,
    Awaited,
    Line,
    LineSource,
    Loaded,
    Origin,
    Outcome,
)
from nightly_spindle.core.programme.sequencer_actions import Action, Dropped, LogLoaded
from nightly_spindle.core.segues.list_length import running_time
from nightly_spindle.core.station.log_age import is_before, too_old
from nightly_spindle.core.station.log_sources import (
    EARLIEST,
    Late,
    Loads,
    LogDrop,
    LogReading,
    Long,
    ReadingState,
    Rest,
)
from nightly_spindle.core.station.made_hour_source import OWN_DROP
from nightly_spindle.core.traffic.spot_state import Booked, BreakRef

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme

_WORTH_A_WARNING_S = 60.0
_MOST_EARLY_S = 600.0  # no drop loads earlier before its time


@dataclass(frozen=True, slots=True)
class Load:
    """One log to be loaded: `reason` is told of every line ("by “Day log”").

    The first `kept` lines of the running order were put there at this very instant and stay in
    front. `due_us` is when it should have been loaded. `place_of` is the number of the drop whose
    log a file that lies elsewhere stands for.
    """

    drop: LogDrop
    slot: Slot
    placement: Placement
    reason: str
    due_us: int
    kept: int = 0
    place_of: int = 0

    @property
    def owner(self) -> int:
        """The number of the drop that the log counts for."""
        return self.place_of or self.drop.id


def now_us(state: AirState) -> int:
    """Return the wall clock's instant of the state's present frame."""
    return state.clock.now_us


def load_log(
    programme: Programme, state: AirState, load: Load, actions: list[Action]
) -> tuple[list[Line], bool]:
    """Load a log; returns its lines, and whether it must wait for one that runs to its end.

    A log that is not there or holds nothing is awaited, with an alarm and a line in the log.
    """
    reading = programme.logs.reading(load.drop, load.slot)
    when = clock(now_us(state), programme.settings.tz)
    why = f"Loaded at {when} {load.reason}."
    if not reading.usable:
        _not_there(state, load, reading, when, actions)
        return [], False
    lines = lines_from(programme, state, replace(reading, drop=load.owner), why, actions)
    if not lines:
        _not_there(state, load, reading, when, actions)
        return [], False
    if load.placement is not Placement.END or all(
        one.origin.source in NET for one in state.order.upcoming
    ):
        lines = _but_on_air(state, lines, actions)
    return lines, put_in(programme, state, load, reading, lines, actions)


def put_in(
    programme: Programme,
    state: AirState,
    load: Load,
    reading: LogReading,
    lines: list[Line],
    actions: list[Action],
    from_line: int = 0,
) -> bool:
    """Put lines into the running order; returns whether an earlier log runs to its end first."""
    when = clock(now_us(state), programme.settings.tz)
    waits = _make_room(programme, state, load, f"replaced by {reading.file} at {when}", actions)
    at = len(state.order.upcoming) if load.placement is Placement.END else load.kept + waits
    state.order.upcoming[at:at] = lines
    state.net.level = ""
    state.net.repeat_aired = True
    state.revision += 1
    settings = programme.settings
    if old := too_old(load.drop, reading, settings.tz, settings.day_start):
        mend = "Ask for this week's, or switch that off in its drop if it is meant to come again."
        actions.append(Finding("log-old", Severity.WARNING, state.clock.frame, f"{old}.", mend))
    loaded = Loaded(load.owner, load.slot.start_us, load.slot.end_us, reading.file)
    state.logs.loaded = [*(one for one in state.logs.loaded if one.drop != load.owner), loaded]
    state.logs.awaited = [
        one
        for one in state.logs.awaited
        if (one.drop, one.start_us) != (load.owner, load.slot.start_us)
    ]
    actions.append(
        LogLoaded(
            state.clock.frame,
            load.owner,
            load.drop.name,
            reading.file,
            load.slot.start_us,
            len(lines),
            len(reading.lost),
            f"Loaded {load.reason}.",
            from_line,
        )
    )
    on_air = state.order.playing is not None and state.order.playing.line.origin.drop == load.owner
    return load.drop.options.long is Long.RUN and (bool(waits) or on_air)


def _make_room(
    programme: Programme, state: AirState, load: Load, note: str, actions: list[Action]
) -> int:
    """Drop what a load leaves no place for; returns how many lines it has to wait for."""
    options = load.drop.options
    clears = load.placement is Placement.REPLACE or (
        load.placement is Placement.FRONT and options.rest is Rest.DROPPED
    )
    waiting: list[Line] = []
    stay: list[Line] = []
    for line in state.order.upcoming[load.kept :]:
        source, own = line.origin.source, line.origin.drop == load.owner
        if source is LineSource.LOG and own and load.placement is not Placement.END:
            keep, into = options.long is Long.RUN, waiting
        else:
            keep, into = source not in NET and not clears, stay
        if keep:
            into.append(line)
        else:
            item = programme.item(line.cart)
            title = item.title if item else f"cart {line.cart}"
            actions.append(Dropped(state.clock.frame, line, Outcome.REPLACED, title, note))
    state.order.upcoming[load.kept :] = [*waiting, *stay]
    return len(waiting)


def lines_from(
    programme: Programme,
    state: AirState,
    reading: LogReading,
    why: str,
    actions: list[Action],
    source: LineSource = LineSource.LOG,
) -> list[Line]:
    """Return the reading's lines that can air; those that were not found leave a trace each."""
    lines = []
    drop = programme.drop(reading.drop)
    for match in reading.matches:
        if match.status is MatchStatus.BREAK:
            lines += _break_line(programme, state, reading, match, why)
        if match.status not in ITEM_LINES:
            continue
        how = f"{why} {match.how}" if reading.drop == OWN_DROP else f"{why} Found by {match.how}."
        origin = Origin(source, reading.file, match.line.number, how, reading.drop)
        tag = tag_of(match.line, drop.meanings) if drop is not None else ""
        spot = spot_of(programme, match.cart, now_us(state))
        mark = match.line.mark
        line = Line(state.take_id(), match.cart or 0, origin, tag=tag, spot=spot, mark=mark)
        if match.status is MatchStatus.MATCHED and programme.item(line.cart) is not None:
            lines.append(line)
        else:
            name = match.line.name or match.line.raw
            actions.append(Dropped(state.clock.frame, line, Outcome.MISSING, name, match.how))
    lost = reading.lost
    if lost and lines:
        first = lost[0]
        count = f"{len(lost)} of {len(lost) + len(lines)} lines"
        actions.append(
            Finding(
                "log-lines-missing",
                Severity.WARNING,
                state.clock.frame,
                f"{count} of {reading.file} cannot air; the first is line {first.line.number}, "
                f"{first.line.raw}: {first.how}.",
                "Import the missing audio, or fix the log.",
            )
        )
    return lines


def _break_line(
    programme: Programme, state: AirState, reading: LogReading, match: Match, why: str
) -> list[Line]:
    """Return the line that a log's break leaves: filled when it comes next, if a pattern does."""
    line = match.line
    named = programme.spots.patterns.get(match.pattern)
    pattern = named or programme.spots.for_log_line(f"{line.raw} {line.comment}")
    if pattern is None:
        return []
    origin = Origin(LineSource.LOG, reading.file, line.number, f"{why} {match.how}.", reading.drop)
    opens = BreakRef(pattern.id, 0, int(match.value))
    return [Line(state.take_id(), pattern.cart, origin, opens=opens, mark=line.mark)]


def spot_of(programme: Programme, cart: int | None, at_us: int) -> Booked | None:
    """Return whose spot an item is that a log brings, None where no campaign flies with it."""
    numbers = programme.spots.by_cart.get(cart or 0, ())
    if not numbers:
        return None
    today = day_of(local_day(at_us, programme.settings.tz))
    flying = [n for n in numbers if programme.spots.campaigns[n].flies_on(today)]
    return Booked(min(flying)) if flying else None


def _not_there(
    state: AirState, load: Load, reading: LogReading, when: str, actions: list[Action]
) -> None:
    drop, slot = load.drop, load.slot
    if not load.place_of and _may_come(drop) and slot.end_us > now_us(state):
        known = {(one.drop, one.start_us) for one in state.logs.awaited}
        if (drop.id, slot.start_us) not in known:
            state.logs.awaited.append(Awaited(drop.id, slot.start_us, slot.end_us, load.due_us))
    if is_before(drop, slot):
        return
    if drop.id == OWN_DROP:
        actions.append(_not_made(state, reading, when))
        return
    why = reading.why_not(drop.folder)
    near = ""
    if reading.nearest:
        near = f" Close to it: {'; '.join(one.text for one in reading.nearest)}."
    actions.append(
        LogLoaded(state.clock.frame, drop.id, drop.name, reading.file, slot.start_us, 0, 0, why)
    )
    actions.append(
        Finding(
            "log-missing" if reading.state is ReadingState.MISSING else "log-not-loaded",
            Severity.ALARM,
            state.clock.frame,
            f"At {when} no log could be loaded: {why}.{near}",
            f"Put {reading.file} into {drop.folder}, or correct the pattern.",
        )
    )


def _not_made(state: AirState, reading: LogReading, when: str) -> Finding:
    return Finding(
        "format-not-made",
        Severity.WARNING,
        state.clock.frame,
        f"At {when} there is no log of the station's own: {reading.problem}; rotation fills the "
        "hour by its clock's weights.",
        "Make the hours ahead under Formats, or let the station make them automatically.",
    )


def load_early(programme: Programme, state: AirState, at: int, actions: list[Action]) -> None:
    """Load the log that is due next, where its drop wants that so shortly before its time.

    Nothing is left of the running order; what is on air ends at frame `at`.
    """
    at_us = state.clock.instant_of(at)
    for firing in programme.within(state.clock.fired_until_us, at_us + round(_MOST_EARLY_S * US)):
        for step in firing.event.steps:
            drop = programme.drop_of(step) if isinstance(step, LoadLog) else None
            if drop is None or not isinstance(step, LoadLog):
                continue
            # due while the item on air still sounds counts too: it follows that item in any case
            if not abs(firing.at_us - at_us) <= drop.options.early_s * US:
                continue
            slot = programme.slot(drop, step.slot_us or firing.at_us)
            load = Load(drop, slot, step.placement, f"by “{firing.event.name}”", firing.at_us)
            if programme.logs.reading(drop, slot).usable and not is_loaded(state, load):
                load_log(programme, state, load, actions)
                return


def is_loaded(state: AirState, load: Load) -> bool:
    """Whether a log was loaded ahead of its time already."""
    if not load.drop.options.early_s:
        return False
    return any(
        (one.drop, one.start_us) == (load.owner, load.slot.start_us) for one in state.logs.loaded
    )


def _may_come(drop: LogDrop) -> bool:
    """Whether a log that is not there is waited for."""
    return drop.options.late is not Late.NEVER or drop.options.loads is Loads.LINES_LEFT


def load_late(
    programme: Programme,
    state: AirState,
    awaited: Awaited,
    on_air_until: int,
    actions: list[Action],
) -> list[Line]:
    """Load an awaited log that has come: its lines from where it should be by then.

    `on_air_until` is the frame at which the item on air ends; nothing is cut for it.
    """
    if awaited not in state.logs.awaited:
        return []
    state.logs.awaited.remove(awaited)
    drop = programme.drop(awaited.drop)
    if drop is None or now_us(state) >= awaited.end_us or not _may_come(drop):
        return []
    slot = programme.slot(drop, awaited.start_us)
    reading = programme.logs.reading(drop, slot)
    tz = programme.settings.tz
    due = clock(awaited.due_us, tz)
    behind = (now_us(state) - awaited.due_us) / US
    why = f"Loaded at {clock(now_us(state), tz)}, {length(behind)} after it was due."
    lines = lines_from(programme, state, reading, why, actions) if reading.usable else []
    passed = 0
    if drop.options.late is Late.JOIN and drop.options.loads is not Loads.LINES_LEFT:
        at_us = state.clock.instant_of(on_air_until)
        passed = _passed(programme, lines, (at_us - slot.start_us) / US)
    for line in lines[:passed]:
        item = programme.item(line.cart)
        title, note = item.title if item else "", f"its log came {length(behind)} late"
        actions.append(Dropped(state.clock.frame, line, Outcome.MISSED, title, note))
    lines = _but_on_air(state, lines[passed:], actions)
    if not lines:
        return []
    placement = drop.options.placement
    if drop.options.loads is Loads.LINES_LEFT:
        placement = Placement.END
    kept = _nearer(programme, state, drop)
    load = Load(drop, slot, placement, f"{length(behind)} late", awaited.due_us, kept)
    first = lines[0].origin.line
    put_in(programme, state, load, reading, lines, actions, first)
    text = f"{reading.file} came {length(behind)} after it was due at {due}"
    text += f" and goes on from line {first}." if passed else " and is loaded."
    severity = Severity.WARNING if behind >= _WORTH_A_WARNING_S else Severity.NOTE
    mend = "Have the scheduler leave its logs earlier."
    actions.append(Finding("log-late", severity, state.clock.frame, text, mend, lines[0].id))
    return lines


def _but_on_air(state: AirState, lines: list[Line], actions: list[Action]) -> list[Line]:
    """Return lines that come next, without a first song that is on air: none airs twice running."""
    playing = state.order.playing
    if len(lines) < 2 or playing is None or lines[0].cart != playing.item.cart:
        return lines
    if playing.item.kind is not Kind.SONG:
        return lines
    title = playing.item.title
    actions.append(
        Dropped(state.clock.frame, lines[0], Outcome.MISSED, title, "it is on air already")
    )
    return lines[1:]


def _nearer(programme: Programme, state: AirState, drop: LogDrop) -> int:
    """Return how many lines in front are of an hour's log: a day's that comes late goes behind."""
    if drop.options.period is Period.HOUR:
        return 0
    hourly = {d.id for d in programme.drops.values() if d.options.period is Period.HOUR}
    count = 0
    for line in state.order.upcoming:
        if line.origin.source is not LineSource.LOG or line.origin.drop not in hourly:
            break
        count += 1
    return count


def _passed(programme: Programme, lines: list[Line], elapsed_s: float) -> int:
    """Return how many of a log's lines should have started by then; the nearest start wins."""
    items = [item for line in lines if (item := programme.item(line.cart)) is not None]
    running = running_time(items, programme.segues, programme.settings.rate)
    if elapsed_s >= running.next_s:
        return len(lines)
    starts = running.starts_s
    return min(range(len(starts)), key=lambda count: abs(starts[count] - elapsed_s))


def follow_change(
    programme: Programme,
    state: AirState,
    loaded: Loaded,
    reading: LogReading,
    actions: list[Action],
) -> None:
    """A loaded log's file was written anew: lines that were only added go in behind the others.

    Any other change is told and left to the operator: the log is on air.
    """
    change = reading.change
    if change is None or loaded not in state.logs.loaded:
        return
    own = [
        at
        for at, line in enumerate(state.order.upcoming)
        if line.origin.drop == loaded.drop and line.origin.source is LineSource.LOG
    ]
    last = max((state.order.upcoming[at].origin.line for at in own), default=0)
    added = [m for m in reading.matches if m.line.number > last]
    whole = Counter(change.came) == Counter(m.line.raw for m in added if m.line.number)
    if not change.went and own and whole:
        tail = replace(reading, matches=tuple(added))
        when = clock(now_us(state), programme.settings.tz)
        why = f"Added to the log after it was loaded, at {when}."
        lines = lines_from(programme, state, tail, why, actions)
        state.order.upcoming[own[-1] + 1 : own[-1] + 1] = lines
        state.revision += 1
        text = f"{reading.file} grew after it was loaded; {len(lines)} lines were added."
        severity, mend = Severity.NOTE, "Have the scheduler write its logs whole."
    else:
        text = f"{reading.file} changed after it was loaded ({change.sentence()})."
        severity, mend = Severity.WARNING, "Load it again by hand if the change is to air."
    actions.append(Finding("log-changed", severity, state.clock.frame, text, mend))


def top_up(
    programme: Programme, state: AirState, actions: list[Action], on_air_until: Callable[[], int]
) -> None:
    """Load the next log of every drop that loads by the lines that are left.

    `on_air_until` tells the frame at which the item on air ends.
    """
    for drop in programme.drops.values():
        options = drop.options
        if not options.enabled or options.loads is not Loads.LINES_LEFT:
            continue
        left = (line for line in state.order.upcoming if line.origin.source not in NET)
        if next(islice(left, int(options.lines_left), None), None) is not None:
            continue  # more than so many
        slot = _next_slot(programme, state, drop)
        if slot is None or not slot.among(hours_from(options.hours)):
            continue
        waited = next(
            (
                one
                for one in state.logs.awaited
                if one.drop == drop.id and one.start_us == slot.start_us
            ),
            None,
        )
        ready = programme.logs.reading(drop, slot).usable
        if waited is not None and ready:
            load_late(programme, state, waited, on_air_until(), actions)
        elif waited is None:
            reason = f"by “{drop.name}”, {len(state.order.upcoming)} lines were left"
            load = Load(drop, slot, Placement.END, reason, now_us(state))
            load_log(programme, state, load, actions)


def _next_slot(programme: Programme, state: AirState, drop: LogDrop) -> Slot | None:
    """Return the slot whose log follows the one loaded last; None while it is too early."""
    at = now_us(state)
    here = programme.slot(drop, at)
    loaded = next((one for one in state.logs.loaded if one.drop == drop.id), None)
    if loaded is None or loaded.end_us <= here.start_us:
        return here
    if loaded.end_us > at + round(EARLIEST.total_seconds() * US):
        return None
    return programme.slot(drop, loaded.end_us)

"""What a timed event does to the running order when it fires."""

from __future__ import annotations

from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.actions import Action, Finding, Fired, Severity
from nightly_spindle.core.drops import ReadingState, Rest
from nightly_spindle.core.events import Entry, ExpectLog, Firing, LoadLog, Placement, TimedEvent
from nightly_spindle.core.loading import Load, load_log, now_us
from nightly_spindle.core.recurrence import TimeRule
from nightly_spindle.core.timebase import US, broadcast_day, clock, resolve_local

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.drops import LogDrop, LogReading
    from nightly_spindle.core.programme import Programme
    from nightly_spindle.core.running import AirState, LoadOrder
    from nightly_spindle.core.slots import Slot


def fire(
    programme: Programme, state: AirState, due: Sequence[Firing], actions: list[Action]
) -> str:
    """Let the firings of one instant act; returns a note when the item on air is to be cut.

    By priority the first takes the air; what a later one puts at the front goes behind
    the lines of an earlier one at the same instant, and it replaces none of them.
    """
    state.fired_until_us = due[0].at_us
    state.orders = [order for order in state.orders if order.at_us > state.fired_until_us]
    state.revision += 1
    kept = 0
    cut = ""
    in_place: set[tuple[int, int]] = set()  # drops and slots that a file was loaded for by hand
    for firing in due:
        event = firing.event
        if now_us(state) - firing.at_us > event.grace_s * US:
            actions.append(_missed(programme, state, firing))
            continue
        ids: list[int] = []
        may_cut = True
        for step in event.steps:
            if isinstance(step, ExpectLog):
                _look_for(programme, state, firing, step, actions)
                continue
            load = _load_of(programme, state, firing, step, kept, actions)
            if load is None or (load.owner, load.slot.start_us) in in_place:
                continue
            lines, waits = load_log(programme, state, load, actions)
            if lines and load.place_of:
                in_place.add((load.owner, load.slot.start_us))
            ids += [line.id for line in lines]
            may_cut = may_cut and not waits
        kept += len(ids)
        if not event.loads:
            continue
        actions.append(
            Fired(state.frame, firing.at_us, event.id, event.name, event.entry, tuple(ids))
        )
        if ids and may_cut and event.entry is Entry.CUT_IN and not cut:
            cut = f"cut in by “{event.name}”"
            if not state.unattended:
                actions.append(_held_back(programme, state, event))
                cut = ""
    return cut


def _load_of(
    programme: Programme,
    state: AirState,
    firing: Firing,
    step: LoadLog,
    kept: int,
    actions: list[Action],
) -> Load | None:
    drop = programme.drop_of(step)
    if drop is None:
        actions.append(_no_drop(state, firing.event))
        return None
    slot = programme.slot(drop, step.slot_us or firing.at_us)
    reason = f"by “{firing.event.name}”"
    place_of = step.drop if step.file else 0
    return Load(drop, slot, step.placement, reason, firing.at_us, kept, place_of)


def clears_all(programme: Programme, step: LoadLog) -> bool:
    """Whether loading by this step leaves nothing of what was lined up before."""
    drop = programme.drop_of(step)
    dropped = drop is not None and drop.options.rest is Rest.DROPPED
    return step.placement is Placement.REPLACE or (step.placement is Placement.FRONT and dropped)


def _look_for(
    programme: Programme, state: AirState, firing: Firing, step: ExpectLog, actions: list[Action]
) -> None:
    """Say which of the next day's logs are not there, or not whole."""
    drop = programme.drops.get(step.drop)
    if drop is None:
        return
    faults = [
        (slot, reading, fault)
        for slot in next_day(programme, drop, firing.at_us)
        if (fault := wanting(reading := programme.logs.reading(drop, slot), drop))
    ]
    if not faults:
        return
    slot, reading, fault = faults[0]
    more = f", and {len(faults) - 1} more logs are not whole" if len(faults) > 1 else ""
    near = f" Close to it: {reading.nearest[0].text}." if reading.nearest else ""
    missing = not reading.usable
    actions.append(
        Finding(
            "log-not-here" if missing else "log-not-whole",
            Severity.ALARM if missing else Severity.WARNING,
            state.frame,
            f"“{drop.name}” for {slot.text}: {fault}{more}.{near}",
            f"Ask for {reading.file}, or open the log and settle what is missing.",
        )
    )


def next_day(programme: Programme, drop: LogDrop, at_us: int) -> list[Slot]:
    """Return the slots of the broadcast day that follows the one of an instant."""
    tz, start = programme.settings.tz, programme.settings.day_start
    day = broadcast_day(at_us, tz, start) + timedelta(days=1)
    begin, end = (
        resolve_local(datetime.combine(one, start), tz) for one in (day, day + timedelta(days=1))
    )
    return drop.slots(tz, start, begin - 1, end - 1)


def wanting(reading: LogReading, drop: LogDrop) -> str:
    """Return in words what a log lacks, empty when it is whole."""
    if not reading.usable:
        if reading.state is ReadingState.MISSING:
            return f"{reading.file} is not in {drop.folder} yet"
        return reading.why_not(drop.folder)
    lost = len(reading.lost)
    return f"{lost} of its lines cannot air" if lost else ""


def order_firing(order: LoadOrder) -> Firing:
    """Return what a log told to load by hand does, as the firing of an event of its own."""
    placement = Placement(order.placement)
    step = LoadLog(order.drop, placement, order.slot_us, order.file)
    rule = TimeRule(datetime(1970, 1, 1))  # noqa: DTZ001 - it fires by its order, not by the rule
    name = "Loaded by hand"
    return Firing(order.at_us, TimedEvent(-order.id, name, rule, Entry(order.entry), (step,)))


def _missed(programme: Programme, state: AirState, firing: Firing) -> Finding:
    when = clock(firing.at_us, programme.settings.tz)
    return Finding(
        "event-missed",
        Severity.ALARM,
        state.frame,
        f"“{firing.event.name}” was due at {when} and is too late to be made good.",
        "Load the log by hand, or allow the event more grace.",
    )


def _held_back(programme: Programme, state: AirState, event: TimedEvent) -> Finding:
    when = clock(now_us(state), programme.settings.tz)
    return Finding(
        "event-held-back",
        Severity.WARNING,
        state.frame,
        f"“{event.name}” loads at {when} but does not cut in: the station is attended.",
        "Switch to unattended.",
    )


def _no_drop(state: AirState, event: TimedEvent) -> Finding:
    return Finding(
        "event-no-drop",
        Severity.ALARM,
        state.frame,
        f"“{event.name}” loads from a log drop that is not there any more.",
        "Choose a log drop in the event.",
    )

"""What a timed event does to the running order when it fires."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.actions import Action, Dropped, Finding, Fired, Severity
from nightly_spindle.core.drops import LogReading, ReadingState
from nightly_spindle.core.events import Entry, Placement
from nightly_spindle.core.matching import Status
from nightly_spindle.core.running import Line, Origin, Outcome, Source
from nightly_spindle.core.timebase import US, broadcast_day, clock, us_from_frames

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.events import Firing, LoadLog, TimedEvent
    from nightly_spindle.core.programme import Programme
    from nightly_spindle.core.running import AirState


def fire(
    programme: Programme, state: AirState, due: Sequence[Firing], actions: list[Action]
) -> str:
    """Let the firings of one instant act; returns a note when the item on air is to be cut.

    By priority the first takes the air; what a later one puts at the front goes behind
    the lines of an earlier one at the same instant, and it replaces none of them.
    """
    state.fired_until_us = due[0].at_us
    state.revision += 1
    kept = 0
    cut = ""
    for firing in due:
        event = firing.event
        now_us = us_from_frames(state.frame, state.rate) + state.offset_us
        if now_us - firing.at_us > event.grace_s * US:
            actions.append(_missed(programme, state, firing))
            continue
        ids: list[int] = []
        for step in event.steps:
            lines = _load(programme, state, firing, step, kept, actions)
            ids += [line.id for line in lines]
        kept += len(ids)
        actions.append(
            Fired(state.frame, firing.at_us, event.id, event.name, event.entry, tuple(ids))
        )
        if ids and event.entry is Entry.CUT_IN and not cut:
            cut = f"cut in by “{event.name}”"
            if not state.unattended:
                actions.append(_held_back(programme, state, event))
                cut = ""
    return cut


def _load(
    programme: Programme,
    state: AirState,
    firing: Firing,
    step: LoadLog,
    kept: int,
    actions: list[Action],
) -> list[Line]:
    settings = programme.settings
    day = broadcast_day(firing.at_us, settings.tz, settings.day_start)
    drop = programme.drops.get(step.drop)
    if drop is None:
        actions.append(_no_drop(state, firing.event))
        return []
    reading = programme.logs.reading(drop, day)
    when = clock(firing.at_us, settings.tz)
    why = f"Loaded at {when} by “{firing.event.name}”."
    lines = _lines(programme, state, reading, why, actions)
    if not lines:
        actions.append(_not_loaded(state, reading, when, drop.folder))
        return []
    if step.placement is Placement.REPLACE:
        for line in state.upcoming[kept:]:
            item = programme.item(line.cart)
            title = item.title if item else f"cart {line.cart}"
            note = f"replaced by {reading.file} at {when}"
            actions.append(Dropped(state.frame, line, Outcome.REPLACED, title, note))
        del state.upcoming[kept:]
    at = len(state.upcoming) if step.placement is Placement.END else kept
    state.upcoming[at:at] = lines
    state.rung = ""
    state.again_yielded = True
    return lines


def _lines(
    programme: Programme,
    state: AirState,
    reading: LogReading,
    why: str,
    actions: list[Action],
) -> list[Line]:
    """Return the reading's lines; those that were not found leave a trace each."""
    lines = []
    lost = []
    for match in reading.matches:
        origin = Origin(Source.LOG, reading.file, match.line.number, f"{why} Found by {match.how}.")
        line = Line(state.take_id(), match.cart or 0, origin)
        if match.status is Status.MATCHED:
            lines.append(line)
            continue
        lost.append(match)
        title = match.line.label or match.line.raw
        actions.append(Dropped(state.frame, line, Outcome.MISSING, title, match.how))
    if lost:
        first = lost[0]
        count = f"{len(lost)} of {len(reading.matches)} lines"
        actions.append(
            Finding(
                "log-lines-missing",
                Severity.WARNING,
                state.frame,
                f"{count} of {reading.file} cannot air; the first is line {first.line.number}, "
                f"{first.line.raw}: {first.how}.",
                "Bring the missing items in, or mend the log.",
            )
        )
    return [line for line in lines if programme.item(line.cart) is not None]


def _not_loaded(state: AirState, reading: LogReading, when: str, folder: str) -> Finding:
    reasons = {
        ReadingState.MISSING: f"{reading.file} is not in {folder}",
        ReadingState.EMPTY: f"{reading.file} names no item",
        ReadingState.GROWING: f"{reading.file} is still being written",
        ReadingState.UNREADABLE: reading.problem,
        ReadingState.READ: f"no line of {reading.file} is in the library",
    }
    near = ""
    if reading.nearest:
        near = f" The nearest names there: {', '.join(reading.nearest)}."
    return Finding(
        "log-missing" if reading.state is ReadingState.MISSING else "log-not-loaded",
        Severity.ALARM,
        state.frame,
        f"At {when} no log could be loaded: {reasons[reading.state]}.{near}",
        f"Put {reading.file} into {folder}, or correct the pattern.",
    )


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
    when = clock(us_from_frames(state.frame, state.rate) + state.offset_us, programme.settings.tz)
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

"""The safety net: what is lined up when nothing is left, so that there is no dead air.

The rungs, in order: what is left of the running order (then nothing is needed here),
the log of this day or hour again, a rotation through all songs, the built-in station tone.
The drop of the log that was loaded last can say otherwise: it starts again whatever the hour,
or rotation follows at once (`WhenShort`).
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import clock
from nightly_spindle.core.events.steps import LoadLog
from nightly_spindle.core.library.items import TONE_CART
from nightly_spindle.core.logs.log_meanings import tag_of
from nightly_spindle.core.programme.rotation import next_song
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin
from nightly_spindle.core.station.log_sources import Loads, WhenShort

if TYPE_CHECKING:
    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.sequencer_actions import Action
    from nightly_spindle.core.station.log_sources import LogDrop


_SOON_US = 1_800_000_000  # half an hour: longer than any song that is on air till then


def line_up(programme: Programme, state: AirState, at: int, actions: list[Action]) -> None:
    """Put at least one line at the end of the running order; it will start at frame `at`."""
    lines = _log_again(programme, state, at) if state.net.repeat_aired else []
    # only a pass that put something on air may be followed by another
    state.net.repeat_aired = False
    if not lines:
        lines = [_from_rotation(programme, state, at)]
    state.order.upcoming.extend(lines)
    _tell(programme, state, at, lines[0], actions)


def stand_in(programme: Programme, state: AirState, at: int, actions: list[Action]) -> Line:
    """Return a line that stands in, from frame `at` on, for those that cannot be played."""
    line = _from_rotation(programme, state, at)
    _tell(programme, state, at, line, actions)
    return line


def _tell(
    programme: Programme, state: AirState, at: int, line: Line, actions: list[Action]
) -> None:
    rung = line.origin.source.value
    if rung != state.net.level:
        state.net.level = rung
        actions.append(_finding(programme, state, at, line))


def _log_again(programme: Programme, state: AirState, at: int) -> list[Line]:
    us = state.clock.instant_of(at)
    last = state.logs.loaded[-1] if state.logs.loaded else None
    drop = programme.drop(last.drop) if last else None
    if last is not None and drop is not None and us < last.end_us:
        if _meant(programme, state, us):
            return []
        if drop.options.short is WhenShort.AGAIN:
            lines = _again(programme, state, drop, programme.slot(drop, last.start_us))
            if lines:
                return lines
    loaded = {
        step.drop
        for event in programme.standing_events()
        for step in event.steps
        if isinstance(step, LoadLog)
    }
    loaded |= {d.id for d in programme.drops.values() if d.options.loads is Loads.LINES_LEFT}
    for number in sorted(loaded):
        drop = programme.drop(number)
        if drop is None or drop.options.short is WhenShort.ROTATION:
            continue
        slot = programme.slot(drop, us)
        if _about_to_load(programme, state, drop, slot, us):
            continue
        lines = _again(programme, state, drop, slot)
        if lines:
            return lines
    return []


def _about_to_load(
    programme: Programme, state: AirState, drop: LogDrop, slot: Slot, us: int
) -> bool:
    """Whether a log is on its way into the running order: it is not quoted before it airs."""
    place = (drop.id, slot.start_us)
    if any((one.drop, one.start_us) == place for one in state.logs.loaded):
        return False
    if any((one.drop, one.start_us) == place for one in state.logs.awaited):
        return True
    if drop.options.loads is Loads.LINES_LEFT:
        return True
    coming = programme.within(state.clock.fired_until_us, us + _SOON_US)
    return any(
        isinstance(step, LoadLog)
        and (named := programme.drop_of(step)) is not None
        and (named.id, programme.slot(named, step.slot_us or firing.at_us).start_us) == place
        for firing in coming
        for step in firing.event.steps
    )


def _meant(programme: Programme, state: AirState, us: int) -> bool:
    """Whether rotation is what follows the log of this hour, as its drop says."""
    last = state.logs.loaded[-1] if state.logs.loaded else None
    drop = programme.drop(last.drop) if last else None
    return (
        last is not None
        and drop is not None
        and us < last.end_us
        and drop.options.short is WhenShort.ROTATION
    )


def _again(programme: Programme, state: AirState, drop: LogDrop, slot: Slot) -> list[Line]:
    reading = programme.logs.reading(drop, slot)
    if not reading.usable:
        return []
    lines = []
    for match in reading.matches:
        if match.cart is None or programme.why_unplayable(match.cart):
            continue
        why = f"Nothing was lined up, so the log plays again. Found by {match.how}."
        origin = Origin(LineSource.DAY_LOG_AGAIN, reading.file, match.line.number, why, drop.id)
        tag = tag_of(match.line, drop.meanings)
        lines.append(Line(state.take_id(), match.cart, origin, tag=tag))
    return lines


def _from_rotation(programme: Programme, state: AirState, at: int) -> Line:
    item, why = next_song(programme, state, at)
    if item is None:
        return Line(
            state.take_id(), TONE_CART, Origin(LineSource.TONE, why=f"Nothing else: {why}.")
        )
    return Line(state.take_id(), item.cart, Origin(LineSource.ROTATION, why=f"Chosen as {why}."))


def _finding(programme: Programme, state: AirState, at: int, line: Line) -> Finding:
    us = state.clock.instant_of(at)
    when = clock(us, programme.settings.tz)
    source = line.origin.source
    if source is LineSource.DAY_LOG_AGAIN:
        return Finding(
            "net-day-log",
            Severity.WARNING,
            at,
            f"At {when} nothing is lined up any more; the log starts again.",
            "Send a longer log, or let the next one load earlier.",
            line.id,
        )
    if source is LineSource.ROTATION and _meant(programme, state, us):
        return Finding(
            "log-through",
            Severity.NOTE,
            at,
            f"At {when} the log is through; rotation fills up to the next.",
            "Nothing needs to be done.",
            line.id,
        )
    if source is LineSource.ROTATION:
        return Finding(
            "net-rotation",
            Severity.WARNING,
            at,
            f"At {when} there is neither a line nor a log; songs from rotation fill in.",
            "Put the day's log in its folder.",
            line.id,
        )
    return Finding(
        "net-tone",
        Severity.ALARM,
        at,
        f"At {when} nothing can be played; the station tone plays.",
        "Import songs into the library.",
        line.id,
    )

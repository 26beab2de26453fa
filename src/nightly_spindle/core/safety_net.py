"""The safety net: what is lined up when nothing is left, so that there is no dead air.

The rungs, in order: what is left of the running order (then nothing is needed here),
the day's log again, a rotation through all songs, the built-in station tone.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.actions import Action, Finding, Severity
from nightly_spindle.core.drops import ReadingState
from nightly_spindle.core.events import LoadLog
from nightly_spindle.core.items import TONE_CART
from nightly_spindle.core.rotation import choose
from nightly_spindle.core.running import Line, Origin, Source
from nightly_spindle.core.timebase import broadcast_day, clock, to_frames, us_from_frames

if TYPE_CHECKING:
    from nightly_spindle.core.programme import Programme
    from nightly_spindle.core.running import AirState


def line_up(programme: Programme, state: AirState, at: int, actions: list[Action]) -> None:
    """Put at least one line at the end of the running order; it will start at frame `at`."""
    lines = _day_log_again(programme, state, at) if state.again_yielded else []
    # only a pass that put something on air may be followed by another
    state.again_yielded = False
    if not lines:
        lines = [_from_rotation(programme, state, at)]
    state.upcoming.extend(lines)
    rung = lines[0].origin.source.value
    if rung != state.rung:
        state.rung = rung
        actions.append(_finding(programme, state, at, lines[0]))


def _day_log_again(programme: Programme, state: AirState, at: int) -> list[Line]:
    settings = programme.settings
    us = us_from_frames(at, state.rate) + state.offset_us
    day = broadcast_day(us, settings.tz, settings.day_start)
    loaded = {
        step.drop for event in programme.events for step in event.steps if isinstance(step, LoadLog)
    }
    for drop in sorted(loaded):
        if drop not in programme.drops:
            continue
        reading = programme.logs.reading(programme.drops[drop], day)
        if reading.state is not ReadingState.READ:
            continue
        lines = []
        for match in reading.matches:
            if match.cart is None or programme.why_unplayable(match.cart):
                continue
            why = f"Nothing was lined up, so the day's log plays again. Found by {match.how}."
            origin = Origin(Source.DAY_LOG_AGAIN, reading.file, match.line.number, why)
            lines.append(Line(state.take_id(), match.cart, origin))
        if lines:
            return lines
    return []


def _from_rotation(programme: Programme, state: AirState, at: int) -> Line:
    playable = [item for item in programme.pool if not programme.why_unplayable(item.cart)]
    separation = to_frames(programme.settings.separation_s, state.rate)
    item, why = choose(playable, state.history, at, separation)
    if item is None:
        return Line(state.take_id(), TONE_CART, Origin(Source.TONE, why=f"Nothing else: {why}."))
    return Line(state.take_id(), item.cart, Origin(Source.ROTATION, why=f"Chosen as {why}."))


def _finding(programme: Programme, state: AirState, at: int, line: Line) -> Finding:
    us = us_from_frames(at, state.rate) + state.offset_us
    when = clock(us, programme.settings.tz)
    source = line.origin.source
    if source is Source.DAY_LOG_AGAIN:
        return Finding(
            "net-day-log",
            Severity.WARNING,
            at,
            f"At {when} nothing is lined up any more; the day's log starts again.",
            "Send a longer log, or let the next one load earlier.",
            line.id,
        )
    if source is Source.ROTATION:
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
        f"At {when} nothing can be played; the station tone sounds.",
        "Bring songs into the library.",
        line.id,
    )

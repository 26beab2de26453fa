"""Where the station should be: starting an engine, or a rehearsal, at an instant."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.actions import Action, Dropped, Ended, FadeVoice, StartVoice
from nightly_spindle.core.drops import ReadingState
from nightly_spindle.core.events import LoadLog, firings
from nightly_spindle.core.running import AirState, Outcome
from nightly_spindle.core.sequencer import Sequencer
from nightly_spindle.core.timebase import US, broadcast_day, frames_from_us

if TYPE_CHECKING:
    from nightly_spindle.core.programme import Programme

# One broadcast day and the longest night of the year: an older log is not today's.
_BACK_US = 25 * 3600 * US
# A state older than this says nothing about where the station should be.
STALE_US = 26 * 3600 * US


def cold_state(programme: Programme, at_us: int) -> AirState:
    """Return the state of a station that was on air all the while, to be advanced to `at_us`.

    It begins, with an empty running order, at the newest log load up to `at_us` whose
    log is there, else at `at_us` itself. A firing due exactly then is still to come.
    """
    tz, day_start = programme.settings.tz, programme.settings.day_start
    begin = at_us
    for firing in reversed(firings(programme.events, tz, at_us - _BACK_US, at_us)):
        day = broadcast_day(firing.at_us, tz, day_start)
        drops = [
            programme.drops[step.drop]
            for step in firing.event.steps
            if isinstance(step, LoadLog) and step.drop in programme.drops
        ]
        readings = [programme.logs.reading(drop, day) for drop in drops]
        if any(r.state is ReadingState.READ and r.carts for r in readings):
            begin = firing.at_us
            break
    rate = programme.settings.rate
    return AirState(rate, frames_from_us(begin, rate), fired_until_us=begin - 1)


def take_the_air(
    programme: Programme, state: AirState | None, at_us: int
) -> tuple[Sequencer, list[Action]]:
    """Return a sequencer at `at_us`, and the actions that put it on air there.

    `state` is what was saved, None to start with an empty running order. What should
    have aired since then is passed over in silence and comes back as `Dropped` lines
    with the outcome "missed"; the item that should be on air now is joined in progress.
    """
    saved = state is not None and 0 <= at_us - _now_us(state) <= STALE_US
    begin = state.copy() if saved and state is not None else cold_state(programme, at_us)
    interrupted = begin.playing.id if begin.playing else 0
    sequencer = Sequencer(programme, begin)
    frame = max(sequencer.frame_of(at_us), begin.frame)
    passed = sequencer.advance(frame)
    actions: list[Action] = []
    if saved:
        actions += [_missed(action) for action in passed if not _sounds(action, interrupted)]
    return sequencer, actions + sequencer.rejoin()


def _now_us(state: AirState) -> int:
    return state.frame * US // state.rate + state.offset_us


def _sounds(action: Action, interrupted: int) -> bool:
    """Whether an action is the mixer's, or ends the play that was cut off by the stop."""
    if isinstance(action, Ended):
        return action.play.id == interrupted
    return isinstance(action, StartVoice | FadeVoice)


def _missed(action: Action) -> Action:
    if isinstance(action, Ended):
        note = "the engine was off"
        item = action.play.item
        return Dropped(action.play.start, action.play.line, Outcome.MISSED, item.title, note)
    return action

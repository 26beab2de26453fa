"""Where the station should be: starting an engine, or a rehearsal, at an instant."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import US, clock, frames_from_us
from nightly_spindle.core.calendar.log_periods import hours_from
from nightly_spindle.core.events.steps import LoadLog, Placement
from nightly_spindle.core.events.timed_events import AfterSongs, Entry, Firing
from nightly_spindle.core.playout.away_lines import put_back
from nightly_spindle.core.playout.event_firing import act
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.playout.spot_heard import note_missed
from nightly_spindle.core.programme.air_state import AirState, new_state
from nightly_spindle.core.programme.running_order import Awaited, Outcome
from nightly_spindle.core.programme.sequencer_actions import (
    Action,
    BreakFilled,
    Dropped,
    Ended,
    FadeVoice,
    Fired,
    LogLoaded,
    OverlayEnded,
    StartOverlay,
    StartVoice,
)
from nightly_spindle.core.station.log_sources import Loads, Rest
from nightly_spindle.core.traffic.spot_state import SpotState

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.programme.programme import Programme

# One broadcast day and the longest night of the year: an older log is not today's.
_BACK_US = 25 * 3600 * US
# A state older than this says nothing about where the station should be.
STALE_US = 26 * 3600 * US


def cold_state(programme: Programme, at_us: int) -> AirState:
    """Return the state of a station that was on air all the while, to be advanced to `at_us`.

    It begins, with an empty running order, at the newest log load up to `at_us` that leaves
    nothing of what was before, else at the oldest of a day and an hour that finds its log,
    else at `at_us` itself, where logs that are due but not there are awaited. A firing due
    exactly then is still to come.
    """
    rate = programme.settings.rate
    begin = None
    for firing in reversed(programme.firings(at_us - _BACK_US, at_us)):
        if _still_on(programme, firing, at_us):
            begin = firing.at_us
            if _leaves_nothing(programme, firing.event):
                break
    filling = [d for d in programme.drops.values() if d.options.loads is Loads.LINES_LEFT]
    for drop in filling:
        slot = programme.slot(drop, at_us)
        if begin is None and programme.logs.reading(drop, slot).usable:
            begin = slot.start_us
    if begin is not None:
        return new_state(rate, frames_from_us(begin, rate), fired_until_us=begin - 1)
    state = new_state(rate, frames_from_us(at_us, rate), fired_until_us=at_us - 1)
    for drop in programme.drops.values():
        slot = programme.slot(drop, at_us)
        due = drop.options.loads is not Loads.OTHERWISE and slot.start_us < at_us
        if drop.options.enabled and due and slot.among(hours_from(drop.options.hours)):
            state.logs.awaited.append(Awaited(drop.id, slot.start_us, slot.end_us, at_us))
    return state


def _still_on(programme: Programme, firing: Firing, at_us: int) -> bool:
    """Whether what an event put on air may be on air still: a log, or a length not over yet."""
    event = firing.event
    if any(
        isinstance(step, LoadLog) and _is_there(programme, step, firing.at_us)
        for step in event.steps
    ):
        return True
    return bool(event.line_steps) and firing.at_us + round(event.options.length_s * US) > at_us


def _leaves_nothing(programme: Programme, event: TimedEvent) -> bool:
    """Whether an event leaves nothing of what was lined up before it."""
    if event.clears:
        return True
    drops = [
        programme.drop_of(step)
        for step in event.steps
        if isinstance(step, LoadLog) and step.placement is Placement.FRONT
    ]
    return any(drop is not None and drop.options.rest is Rest.DROPPED for drop in drops)


def _is_there(programme: Programme, step: LoadLog, at_us: int) -> bool:
    drop = programme.drop_of(step)
    if drop is None:
        return False
    return programme.logs.reading(drop, programme.slot(drop, step.slot_us or at_us)).usable


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
    interrupted = begin.order.playing.id if begin.order.playing else 0
    sequencer = Sequencer(programme, begin)
    frame = max(sequencer.frame_of(at_us), begin.clock.frame)
    passed = _passed_over(programme, sequencer, frame)
    actions: list[Action] = []
    if saved:
        told = [one for one in passed if not isinstance(one, BreakFilled)]
        actions += [_missed(action) for action in told if not _sounds(action, interrupted)]
        actions += _make_good(programme, sequencer.state, passed)
        for action in passed:
            if isinstance(action, Ended):
                note_missed(sequencer.state, action.play)
    else:
        actions += _joined(sequencer.state, passed)
        actions += _on_the_net(sequencer.state, passed)
        _forget_spots(sequencer.state, at_us)
        sequencer.state.order.stopped = False  # whoever starts an engine wants to hear it
    return sequencer, actions + sequencer.rejoin()


def _passed_over(programme: Programme, sequencer: Sequencer, frame: int) -> list[Action]:
    """Advance in silence, as if every folder were there: that is where the log should be.

    When the item that should be on air lies in a folder that is away, its line keeps what is left
    of its time.
    """
    away = dict(programme.away)
    programme.away.clear()
    try:
        passed = sequencer.advance(frame)
    finally:
        programme.away.update(away)
    playing = sequencer.state.order.playing
    if playing is not None and programme.away_of(playing.item.cart) is not None:
        put_back(programme, sequencer.state, playing)
        passed.append(Ended(playing, frame, Outcome.MISSED, "its folder is away"))
    return passed


def _forget_spots(state: AirState, at_us: int) -> None:
    """Nothing was on air before a start with an empty running order: nothing was heard or owed.

    Only what is lined up counts as such; what was missed before is the placing's to make good.
    """
    there = {line.id for line in state.order.upcoming}
    spots = state.spots
    kept = [one for one in spots.lined if one.line_id in there]
    state.spots = SpotState(kept, filled=spots.filled, swept_us=at_us, turns=spots.turns)


def _make_good(programme: Programme, state: AirState, passed: Iterable[Action]) -> list[Action]:
    """Let events act now that were due while the engine was off, and tell of those too late.

    Of an event that was due several times the last counts. What is still to be heard of an event
    needs no making good, nor do logs: the station goes on where it should be by now. What comes
    after songs was not due: no songs were heard.
    """
    actions: list[Action] = []
    to_come = {line.id for line in state.order.upcoming}
    to_come |= {state.order.playing.line.id} if state.order.playing else set()
    due: dict[int, list[Fired]] = {}
    for fired in passed:
        if isinstance(fired, Fired) and fired.line_ids:
            due.setdefault(fired.event_id, []).append(fired)
    for number, missed in due.items():
        event = programme.event(number)
        last = missed[-1]
        if event is None or isinstance(event.rule, AfterSongs) or to_come & set(last.line_ids):
            continue
        if any(isinstance(step, LoadLog) for step in event.steps):
            continue
        late = (_now_us(state) - last.due_us) / US
        good = late <= event.grace_s
        actions.append(_told_of(programme, state, event, missed, good=good))
        if good:
            by_now = Firing(last.due_us, replace(event, entry=Entry.NEXT))
            act(programme, state, [by_now], actions)
    return actions


def _told_of(
    programme: Programme, state: AirState, event: TimedEvent, missed: list[Fired], *, good: bool
) -> Finding:
    """Say that an event was due while the engine was off, and what became of it."""
    when = clock(missed[-1].due_us, programme.settings.tz)
    often = f"{len(missed)} times, the last at {when}," if len(missed) > 1 else f"at {when}"
    was = f"“{event.name}” was due {often} while the engine was off"
    if good:
        mend = "Allow it less grace if it is not to be made good."
        return Finding(
            "event-made-good", Severity.NOTE, state.clock.frame, f"{was}: made good now.", mend
        )
    mend = "Do by hand what it would have done, or allow the event more grace."
    text = f"{was}, and is dropped."
    return Finding("event-missed", Severity.ALARM, state.clock.frame, text, mend)


def _now_us(state: AirState) -> int:
    return state.clock.frame * US // state.clock.rate + state.clock.offset_us


def _joined(state: AirState, passed: list[Action]) -> list[Action]:
    """Return that logs are loaded which a start finds in the middle of their time."""
    now = _now_us(state)
    current = {(one.drop, one.start_us) for one in state.logs.loaded if one.end_us > now}
    return [
        replace(action, at=state.clock.frame)
        for action in passed
        if isinstance(action, LogLoaded)
        and action.lines
        and (action.drop, action.slot_us) in current
    ]


def _on_the_net(state: AirState, passed: list[Action]) -> list[Action]:
    """Return why a start begins on the safety net, where it does."""
    if not state.net.level:
        return []
    told = [one for one in passed if isinstance(one, Finding) and one.code.startswith("net-")]
    return [replace(told[-1], at=state.clock.frame)] if told else []


def _sounds(action: Action, interrupted: int) -> bool:
    """Whether an action is the mixer's, or ends the play that was cut off by the stop."""
    if isinstance(action, Ended):
        return action.play.id == interrupted
    return isinstance(action, StartVoice | FadeVoice | StartOverlay | OverlayEnded)


def _missed(action: Action) -> Action:
    if isinstance(action, Ended):
        note = "the engine was off"
        item = action.play.item
        return Dropped(action.play.start, action.play.line, Outcome.MISSED, item.title, note)
    return action

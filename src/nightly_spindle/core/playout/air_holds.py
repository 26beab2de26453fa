"""What holds the air until when: events that wait, events with a length."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import clock
from nightly_spindle.core.events.timed_events import BlockEnd, Firing
from nightly_spindle.core.playout.event_firing import act
from nightly_spindle.core.playout.step_effects import Cut, left_out

if TYPE_CHECKING:
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.running_order import Deadline, EventHold
    from nightly_spindle.core.programme.sequencer_actions import Action

IS_OVER = "is over at"  # in the note of every line that an event's length leaves no room for


def next_end(state: AirState) -> int | None:
    """Return the instant (µs) at which something that holds or waits is over; None for none."""
    ends = [one.at_us for one in state.events.deadlines[:1]]
    if state.events.holding is not None:
        ends.append(state.events.holding.until_us)
    return min(ends) if ends else None


def end(programme: Programme, state: AirState, at_us: int, actions: list[Action]) -> Cut | None:
    """Do what is due by an instant; returns how the item on air is to be cut, if it is."""
    state.revision += 1
    cut = None
    if state.events.holding is not None and state.events.holding.until_us <= at_us:
        cut = _end_block(programme, state, state.events.holding, actions)
    while state.events.deadlines and state.events.deadlines[0].at_us <= at_us:
        cut = _enter(state, state.events.deadlines.pop(0)) or cut
    return cut


def _end_block(
    programme: Programme, state: AirState, block: EventHold, actions: list[Action]
) -> Cut | None:
    state.events.holding = None
    cut = None
    if block.at_end != BlockEnd.RUNS_ON:
        when = clock(block.until_us, programme.settings.tz)
        note = f"“{block.event}” {IS_OVER} {when}"
        own = set(block.line_ids)
        gone = [line for line in state.order.upcoming if line.id in own]
        state.order.upcoming = [line for line in state.order.upcoming if line.id not in own]
        actions += [left_out(programme, state, line, note) for line in gone]
        on_air = state.order.playing is not None and state.order.playing.line.id in own
        if block.at_end == BlockEnd.CUT and on_air and state.order.unattended:
            cut = Cut(note, block.fade_s)
    events = [programme.event(number) for number in state.events.held]
    state.events.held = []
    waiting = [Firing(block.until_us, event) for event in events if event is not None]
    waiting.sort(key=lambda firing: -firing.event.priority)
    return (act(programme, state, waiting, actions) if waiting else None) or cut


def _enter(state: AirState, waited: Deadline) -> Cut | None:
    """Cut in with the lines of an event that waited, when they are next and not on air yet."""
    own = set(waited.line_ids)
    on_air = state.order.playing is not None and state.order.playing.line.id in own
    if (
        on_air
        or not state.order.unattended
        or not state.order.upcoming
        or state.order.upcoming[0].id not in own
    ):
        return None
    return Cut(waited.note, waited.fade_s, waited.line_ids[-1] if waited.back else 0)

"""What a timed event does to the running order when it fires."""

from __future__ import annotations

from datetime import datetime
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import US, clock
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import ExpectLog, LoadLog, Placement
from nightly_spindle.core.events.timed_events import AfterSongs, Entry, Firing, Inside, TimedEvent
from nightly_spindle.core.playout.evening_look import look_for
from nightly_spindle.core.playout.log_loading import now_us
from nightly_spindle.core.playout.step_effects import Cut, Round, carry_out

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.running_order import LoadOrder
    from nightly_spindle.core.programme.sequencer_actions import Action


def fire(
    programme: Programme, state: AirState, due: Sequence[Firing], actions: list[Action]
) -> Cut | None:
    """Let the firings of one instant act; returns how the item on air is to be cut, if it is.

    By priority the first takes the air; what a later one puts at the front goes behind
    the lines of an earlier one at the same instant, and it replaces none of them.
    """
    state.clock.fired_until_us = due[0].at_us
    state.logs.orders = [
        order for order in state.logs.orders if order.at_us > state.clock.fired_until_us
    ]
    return act(programme, state, due, actions)


def fire_after_songs(programme: Programme, state: AirState, actions: list[Action]) -> None:
    """Count a song that starts, and let the events act that come after so many; none cuts in."""
    now, due = now_us(state), []
    for event in programme.counting(now):
        heard = state.events.songs_since.get(event.id, 0) + 1
        assert isinstance(event.rule, AfterSongs)
        if heard >= event.rule.songs:
            heard = 0
            due.append(Firing(now, event))
        state.events.songs_since[event.id] = heard
    if due:
        due.sort(key=lambda firing: (-firing.event.priority, firing.event.id))
        act(programme, state, due, actions)


def act(
    programme: Programme, state: AirState, due: Sequence[Firing], actions: list[Action]
) -> Cut | None:
    """Let firings act that the clock did not bring about by itself; see `fire`."""
    state.revision += 1
    here = Round(programme, state, actions)
    for firing in due:
        event = firing.event
        if now_us(state) - firing.at_us > event.grace_s * US:
            actions.append(_missed(programme, state, firing))
        elif not event.acts:
            for step in event.steps:
                if isinstance(step, ExpectLog):
                    look_for(programme, state, firing, step, actions)
        elif not _gives_way(programme, state, firing, actions):
            carry_out(here, firing)
    return here.cut


def _gives_way(
    programme: Programme, state: AirState, firing: Firing, actions: list[Action]
) -> bool:
    """Whether an event must leave the air to the one that holds it, as is set for it."""
    event, block = firing.event, state.events.holding
    if block is None or block.event_id == event.id or event.options.inside is Inside.ACTS:
        return False
    if firing.at_us >= block.until_us:
        return False
    waits = event.options.inside is Inside.WAITS
    if waits and event.id not in state.events.held:
        state.events.held.append(event.id)
    when = clock(firing.at_us, programme.settings.tz)
    until = clock(block.until_us, programme.settings.tz)
    what = f"waits until {until}" if waits else "is dropped"
    actions.append(
        Finding(
            "event-waits" if waits else "event-dropped",
            Severity.NOTE,
            state.clock.frame,
            f"“{event.name}” at {when} {what}: “{block.event}” holds the air until {until}.",
            "Move one of the two, if that is not meant.",
        )
    )
    return True


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
        state.clock.frame,
        f"“{firing.event.name}” was due at {when} and is too late to be made good.",
        "Do by hand what it would have done, or allow the event more grace.",
    )

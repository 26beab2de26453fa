"""Landing an event on time: what is lined up before it is chosen so that an item ends there.

Every time a line starts, the time until the next event that is to land is played ahead by the
sequencer itself. Where the item before the event would not end within the tolerance, songs are left
out, added or drawn forward (`landing_choices`, `timing_fit`), the outcome is played ahead again,
and what is best is done and told.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Protocol

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import US, clock, to_frames
from nightly_spindle.core.events.steps import GoToMark
from nightly_spindle.core.events.timed_events import Entry, Firing
from nightly_spindle.core.playout.landing_choices import Ahead, Change, best_change, on_air_for
from nightly_spindle.core.playout.log_loading import now_us
from nightly_spindle.core.playout.step_effects import left_out
from nightly_spindle.core.programme.running_order import LandingTries, Line, Outcome, Play
from nightly_spindle.core.programme.sequencer_actions import Action, Ended, Fired, StartVoice
from nightly_spindle.core.segues.segue_rules import Segues

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme

AHEAD_S = 2400.0  # how long before its time it is seen to that an event lands
_BETTER_S = 5.0  # worth changing something for, where nothing comes within the tolerance
CHOSEN_TO_LAND = "Chosen so that"  # how the reason begins of what was added to land an event
_MEND = "Import songs of other lengths, or allow a wider tolerance."


class PlaysAhead(Protocol):
    """A sequencer over a copy of the state: see `Sequencer`."""

    @property
    def programme(self) -> Programme:
        """All that it looks things up in."""
        ...

    def advance(self, until: int) -> Iterable[Action]:
        """Go on up to a frame."""
        ...


@dataclass(frozen=True, slots=True)
class Foreseen:
    """That an event lands, by the plays that lead to it: holds while everything goes as foreseen.

    It only spares playing the same stretch ahead again; what is decided does not depend on it.
    """

    at_us: int
    offset_us: int
    segues: Segues
    plays: tuple[Play, ...]

    def holds(self, programme: Programme, state: AirState, firing: Firing) -> bool:
        """Whether the item on air and what is lined up are what was foreseen."""
        playing = state.order.playing
        if playing is None or (firing.at_us, state.clock.offset_us) != (self.at_us, self.offset_us):
            return False
        place = next((at for at, p in enumerate(self.plays) if p.line.id == playing.line.id), -1)
        if place < 0 or programme.segues is not self.segues:
            return False
        now, rest = self.plays[place], self.plays[place + 1 :]
        if (now.start, now.begin, now.item) != (playing.start, playing.begin, playing.item):
            return False
        known = {line.id for line in state.order.upcoming}
        coming = [play for play in rest if play.line.id in known]
        if state.order.upcoming[: len(coming)] != [play.line for play in coming]:
            return False
        return all(programme.item(play.item.cart) is play.item for play in rest)


def look_to_land(
    programme: Programme,
    state: AirState,
    preview: Callable[[AirState], PlaysAhead],
    actions: list[Action],
    foreseen: Foreseen | None = None,
) -> Foreseen | None:
    """See to it that the next event that is to land does; changes what is lined up before it.

    `preview` makes a sequencer that plays a state ahead without looking to land. Returns what
    is foreseen, to be given back the next time.
    """
    firing = _next_to_land(programme, state)
    if firing is None or not _is_time_for(state, firing):
        return None
    if foreseen is not None and foreseen.holds(programme, state, firing):
        return foreseen
    ahead = _play_ahead(state, preview, firing)
    if ahead.off_s is None:
        return None
    if abs(ahead.off_s) <= firing.event.options.tolerance_s:
        return Foreseen(firing.at_us, state.clock.offset_us, programme.segues, ahead.plays)
    if not _changed_to_land(programme, state, preview, firing, ahead, actions):
        state.events.landing = replace(state.events.landing, tries=state.events.landing.tries + 1)
    return None


def _is_time_for(state: AirState, firing: Firing) -> bool:
    """Whether to look at a landing now; one that was tried in vain has half of its time off."""
    if state.order.playing is None or not state.order.unattended or state.order.stopped:
        return False
    if state.events.landing.at_us != firing.at_us:
        state.events.landing = LandingTries(firing.at_us)
    left_s = (firing.at_us - now_us(state)) / US
    return not state.events.landing.tries or left_s <= AHEAD_S / 2**state.events.landing.tries


def _changed_to_land(
    programme: Programme,
    state: AirState,
    preview: Callable[[AirState], PlaysAhead],
    firing: Firing,
    ahead: Ahead,
    actions: list[Action],
) -> bool:
    """Change what is lined up for the better, if that can be; returns whether it lands now."""
    tolerance = firing.event.options.tolerance_s
    off = ahead.off_s or 0.0
    best = best_change(
        programme,
        state,
        lambda tried: _play_ahead(tried, preview, firing),
        ahead,
        tolerance,
        clears=firing.event.clears or any(isinstance(s, GoToMark) for s in firing.event.steps),
    )
    lands = best is not None and abs(best.off_s) <= tolerance
    if best is not None and (lands or abs(best.off_s) < abs(off) - min(_BETTER_S, tolerance / 2)):
        _carry_out(programme, state, firing, best, actions)
        return lands
    if not state.events.landing.told:
        actions.append(_cannot(programme, state, firing, ahead))
        state.events.landing = replace(state.events.landing, told=True)
    return False


def _next_to_land(programme: Programme, state: AirState) -> Firing | None:
    """Return the next firing that is to land, unless one before it will change everything."""
    now = now_us(state)
    for firing in programme.within(state.clock.fired_until_us, now + round(AHEAD_S * US)):
        event = firing.event
        if not event.acts or not event.line_steps:
            continue
        if event.entry is Entry.LAND:
            return firing
        if event.clears or event.entry is not Entry.NEXT:
            return None
    return None


def _play_ahead(
    state: AirState, preview: Callable[[AirState], PlaysAhead], firing: Firing
) -> Ahead:
    """Play a state ahead until the event has taken the air, or had to."""
    copy = state.copy()
    sequencer = preview(copy)
    playing = copy.order.playing
    plays = [playing] if playing is not None else []
    late = to_frames(firing.event.options.tolerance_s, state.clock.rate)
    until = state.clock.frame_of(firing.at_us) + late + 2
    ids: tuple[int, ...] = ()
    # what begins at a mark may be on air before its time where the hour runs early
    marks = {step.mark for step in firing.event.steps if isinstance(step, GoToMark)}
    cut: Play | None = None
    started = 0
    for action in sequencer.advance(until):
        if isinstance(action, Fired) and (action.event_id, action.due_us) == (
            firing.event.id,
            firing.at_us,
        ):
            if not action.line_ids:
                return Ahead(tuple(plays), None)
            ids = action.line_ids
        elif isinstance(action, Ended) and action.outcome is Outcome.CUT:
            cut = action.play
        elif isinstance(action, StartVoice):
            if action.play.line.id in ids or action.play.line.mark in marks:
                started = action.play.start
                break
            plays.append(action.play)
    if not started or not plays:
        return Ahead(tuple(plays), None)
    at = started
    last = plays[-1]
    due = state.clock.frame_of(firing.at_us)
    if cut is not None and cut.id == last.id:
        at = last.start + on_air_for(last.item, last.begin, state, sequencer.programme)
        at = max(at, due + late + 1)  # what is cut does not land, however near it came
    return Ahead(tuple(plays), (at - due) / state.clock.rate)


def _carry_out(
    programme: Programme, state: AirState, firing: Firing, change: Change, actions: list[Action]
) -> None:
    """Change what is lined up, and say so."""
    tz = programme.settings.tz
    due = clock(firing.at_us, tz)
    name = firing.event.name
    why = f"{CHOSEN_TO_LAND} “{name}” lands at {due}."
    come = {line.id for line in change.come}
    lines = []
    for line in change.upcoming:
        new = line
        if line.id in come:
            new = replace(new, origin=replace(line.origin, why=why))
        # what is not lined up yet has had no number of its own
        lines.append(replace(new, id=state.take_id()) if line.id < 0 else new)
    state.order.upcoming = lines
    state.revision += 1
    note = f"left out so that “{name}” lands at {due}"
    gone = [line for line in change.gone if line.id > 0]
    actions += [left_out(programme, state, line, note) for line in gone]
    said = []
    titles = [_title(programme, line) for line in gone]
    said += [f"leaves out {', '.join(titles)}"] if titles else []
    titles = [_title(programme, line) for line in change.come]
    said += [f"adds {', '.join(titles)}"] if titles else []
    inside = abs(change.off_s) <= firing.event.options.tolerance_s
    ends = _ends(firing, change.off_s, change.before)
    text = f"To land “{name}” at {due} the engine {' and '.join(said) or 'moves a song'}"
    actions.append(
        Finding(
            "landing",
            Severity.NOTE if inside else Severity.WARNING,
            state.clock.frame,
            f"{text}: {ends}.",
            "Nothing needs to be done." if inside else _MEND,
        )
    )


def _title(programme: Programme, line: Line) -> str:
    item = programme.item(line.cart)
    return f"“{item.title}”" if item else f"cart {line.cart}"


def _ends(firing: Firing, off_s: float, before: Item | None) -> str:
    """Say how the item before an event ends: what is late by more than the tolerance is cut off."""
    tolerance = firing.event.options.tolerance_s
    what = f"“{before.title}” before it" if before is not None else "the item before it"
    if off_s > tolerance:
        return f"{what} is cut off {off_s - tolerance:.1f} s before its end"
    return f"{what} ends {abs(off_s):.1f} s {'late' if off_s > 0 else 'early'}"


def _cannot(programme: Programme, state: AirState, firing: Firing, ahead: Ahead) -> Finding:
    due = clock(firing.at_us, programme.settings.tz)
    ends = _ends(firing, ahead.off_s or 0.0, ahead.plays[-1].item if ahead.plays else None)
    return Finding(
        "cannot-land",
        Severity.WARNING,
        state.clock.frame,
        f"“{firing.event.name}” cannot be landed at {due}: {ends}, and nothing that may be left "
        "out, added or drawn forward comes nearer.",
        _MEND,
    )

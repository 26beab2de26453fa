"""What the steps of a timed event do to the running order when it fires.

An event does nothing by halves where it matters: it clears and cuts only when it has something
to put in its place, and with `whole` it does nothing at all unless all of its steps can be done.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import US, clock
from nightly_spindle.core.events.steps import (
    PLAYS,
    Clear,
    GoBack,
    GoToMark,
    LoadLog,
    Placement,
    PlayBreak,
    PlayStep,
    RaiseAlarm,
    SetMode,
    SetOverlays,
    ShowText,
    Step,
)
from nightly_spindle.core.events.timed_events import Entry, Firing, TimedEvent
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.playout.log_loading import Load, is_loaded, load_log, now_us
from nightly_spindle.core.playout.step_sources import StepYield, take
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import (
    Deadline,
    EventHold,
    Line,
    LineSource,
    Origin,
    Outcome,
)
from nightly_spindle.core.programme.sequencer_actions import Action, Dropped, Fired
from nightly_spindle.core.station.made_hour_source import OWN_DROP
from nightly_spindle.core.traffic.spot_state import BreakRef

# what a timed mark of an hour may leave out: lines of its own log, and of the net
_OF_THE_HOUR = frozenset({LineSource.LOG, LineSource.DAY_LOG_AGAIN, LineSource.ROTATION})


@dataclass(frozen=True, slots=True)
class Cut:
    """The item on air is to be faded out now, over `fade_s` (0: as the station does).

    What is cut off goes on after the line `back_after`, 0 for not at all.
    """

    note: str
    fade_s: float = 0.0
    back_after: int = 0


@dataclass(slots=True)
class Round:
    """The events of one instant: `kept` lines in front were put there by those before.

    `in_place` are drops and slots that a file was loaded for by hand; `cut` is what the events
    so far have asked for.
    """

    programme: Programme
    state: AirState
    actions: list[Action]
    kept: int = 0
    cut: Cut | None = None
    in_place: set[tuple[int, int]] = field(default_factory=set)


def carry_out(here: Round, firing: Firing) -> None:
    """Let one event act, now."""
    event, state = firing.event, here.state
    before = ({key: list(had) for key, had in state.events.taken.items()}, dict(state.events.turns))
    pools = (dict(state.overlays.turns), dict(state.overlays.last_used))
    taken = {
        index: take(here.programme, state, event, index, step)
        for index, step in enumerate(event.steps)
        if isinstance(step, PLAYS)
    }
    lacks = [one.lacks for one in taken.values() if one.lacks]
    logs = [_usable(here, firing, step) for step in event.steps if isinstance(step, LoadLog)]
    if event.options.whole and (lacks or not all(logs)):
        (
            (state.events.taken, state.events.turns),
            (state.overlays.turns, state.overlays.last_used),
        ) = before, pools
        why = "; ".join([*lacks, *(["its log cannot be loaded"] if not all(logs) else [])])
        here.actions.append(_refused(here, event, why))
        return
    if lacks:
        here.actions.append(_lacking(here, event, lacks, any(one.picks for one in taken.values())))
    lines = _Lines(here, firing)
    fruitful = not event.line_steps or any(logs) or any(one.picks for one in taken.values())
    for index, step in enumerate(event.steps):
        lines.step(index, step, taken.get(index), clears=fruitful)
    _hold_the_air(here, firing, lines.ids)
    did = () if event.line_steps else tuple(step.sentence() for step in event.steps)
    here.actions.append(
        Fired(
            state.clock.frame,
            firing.at_us,
            event.id,
            event.name,
            event.entry,
            tuple(lines.ids),
            did,
        )
    )
    if lines.ids and lines.may_cut:
        _enter(here, firing, lines.ids)


@dataclass(slots=True)
class _Lines:
    """Carries the steps of one event out; `ids` are the lines that it put in, in order."""

    here: Round
    firing: Firing
    ids: list[int] = field(default_factory=list)
    may_cut: bool = True

    def step(self, index: int, step: Step, taken: StepYield | None, *, clears: bool) -> None:
        """Carry out one step; `clears`: there is something to put in place of what goes."""
        state = self.here.state
        if isinstance(step, LoadLog):
            self._load(step)
        elif isinstance(step, GoToMark):
            self._go_to_mark(step)
        elif isinstance(step, PLAYS):
            self._play(index, step, taken or StepYield())
        elif isinstance(step, Clear):
            if clears and not self._goes_back:
                self._clear()
        elif isinstance(step, SetMode):
            state.order.unattended = step.unattended
            state.order.stopped = state.order.stopped and not step.unattended
        elif isinstance(step, SetOverlays):
            state.overlays.on = step.on
        elif isinstance(step, RaiseAlarm):
            name = self.firing.event.name
            mend = f"“{name}” raises this alarm on its own; see to what it says."
            alarm = Finding("event-alarm", Severity.ALARM, state.clock.frame, step.text, mend)
            self.here.actions.append(alarm)

    @property
    def _goes_back(self) -> bool:
        return any(isinstance(step, GoBack) for step in self.firing.event.steps)

    def _load(self, step: LoadLog) -> None:
        here = self.here
        if self._goes_back and step.placement is Placement.REPLACE:
            step = replace(step, placement=Placement.FRONT)
        load = _load_of(here, self.firing, step)
        if load is None or (load.owner, load.slot.start_us) in here.in_place:
            return
        if is_loaded(here.state, load):
            return
        lines, waits = load_log(here.programme, here.state, load, here.actions)
        if lines and load.place_of:
            here.in_place.add((load.owner, load.slot.start_us))
        self._put_in(lines, step.placement)
        self.may_cut = self.may_cut and not waits

    def _go_to_mark(self, step: GoToMark) -> None:
        """Leave out the songs of the hour before its mark; what is sold or put in by hand stays."""
        here = self.here
        upcoming = here.state.order.upcoming
        place = next((at for at, line in enumerate(upcoming) if line.mark == step.mark), None)
        if place is None:
            return  # it is on air already, or the hour was not made
        due = clock(self.firing.at_us, here.programme.settings.tz)
        stay: list[Line] = []
        for line in upcoming[:place]:
            item = here.programme.item(line.cart)
            song = item is not None and item.kind in {Kind.SONG, Kind.FILLER}
            if song and line.origin.source in _OF_THE_HOUR and line.origin.drop in {0, OWN_DROP}:
                note = f"left out so that “{step.mark}” begins at {due}"
                here.actions.append(left_out(here.programme, here.state, line, note))
            else:
                stay.append(line)
        upcoming[:place] = stay
        self.ids.append(upcoming[len(stay)].id)

    def _play(self, index: int, step: PlayStep, taken: StepYield) -> None:
        if not taken.picks:
            return
        here, event = self.here, self.firing.event
        shows = next((one.text for one in event.steps if isinstance(one, ShowText)), "")
        due = clock(self.firing.at_us, here.programme.settings.tz)
        lines = []
        for cart, why in taken.picks:
            told = f"Put in by “{event.name}”, due at {due}. {why}"
            origin = Origin(LineSource.EVENT, event.name, index + 1, told, event=event.id)
            opens = None
            if isinstance(step, PlayBreak):
                number = here.programme.spots.by_number[cart].id
                opens = BreakRef(number, 0 if event.after_songs else self.firing.at_us)
            lines.append(Line(here.state.take_id(), cart, origin, shows=shows, opens=opens))
        if step.placement is Placement.REPLACE and not self._goes_back:
            self._clear()
        at = len(here.state.order.upcoming) if step.placement is Placement.END else here.kept
        here.state.order.upcoming[at:at] = lines
        self._put_in(lines, step.placement)

    def _put_in(self, lines: list[Line], placement: Placement) -> None:
        self.ids += [line.id for line in lines]
        if placement is not Placement.END:
            self.here.kept += len(lines)

    def _clear(self) -> None:
        here = self.here
        when = clock(now_us(here.state), here.programme.settings.tz)
        note = f"cleared by “{self.firing.event.name}” at {when}"
        gone = here.state.order.upcoming[here.kept :]
        del here.state.order.upcoming[here.kept :]
        for line in gone:
            here.actions.append(left_out(here.programme, here.state, line, note))


def left_out(programme: Programme, state: AirState, line: Line, note: str) -> Dropped:
    """Return the trace of a line that is taken out of the running order."""
    item = programme.item(line.cart)
    title = item.title if item else f"cart {line.cart}"
    return Dropped(state.clock.frame, line, Outcome.REPLACED, title, note)


def _enter(here: Round, firing: Firing, ids: list[int]) -> None:
    """Let an event's lines take the air in the way that is set for it."""
    event, options = firing.event, firing.event.options
    if event.entry is Entry.NEXT:
        return
    back = any(isinstance(step, GoBack) for step in event.steps)
    if not here.state.order.unattended:
        here.actions.append(_held_back(here, event))
    elif event.entry is Entry.CUT_IN:
        if here.cut is None:
            note = f"cut in by “{event.name}”"
            here.cut = Cut(note, options.fade_s, ids[-1] if back else 0)
    else:
        most = options.wait_s if event.entry is Entry.WAIT else options.tolerance_s
        at_us = firing.at_us + round(most * US)
        note = f"cut in by “{event.name}”, which waits no longer"
        waits = Deadline(at_us, event.name, tuple(ids), options.fade_s, note, back)
        here.state.events.deadlines = sorted(
            [*here.state.events.deadlines, waits], key=lambda one: one.at_us
        )


def _hold_the_air(here: Round, firing: Firing, ids: list[int]) -> None:
    event, options = firing.event, firing.event.options
    if not options.length_s or (event.line_steps and not ids):
        return
    until = firing.at_us + round(options.length_s * US)
    here.state.events.holding = EventHold(
        event.id, event.name, until, str(options.at_end), options.fade_s, tuple(ids)
    )


def _load_of(here: Round, firing: Firing, step: LoadLog) -> Load | None:
    drop = here.programme.drop_of(step)
    if drop is None:
        here.actions.append(_no_drop(here, firing.event))
        return None
    slot = here.programme.slot(drop, step.slot_us or firing.at_us)
    reason = f"by “{firing.event.name}”"
    place_of = step.drop if step.file else 0
    return Load(drop, slot, step.placement, reason, firing.at_us, here.kept, place_of)


def _usable(here: Round, firing: Firing, step: LoadLog) -> bool:
    drop = here.programme.drop_of(step)
    if drop is None:
        return False
    slot = here.programme.slot(drop, step.slot_us or firing.at_us)
    return here.programme.logs.reading(drop, slot).usable


def _refused(here: Round, event: TimedEvent, why: str) -> Finding:
    when = clock(now_us(here.state), here.programme.settings.tz)
    return Finding(
        "event-not-whole",
        Severity.ALARM,
        here.state.clock.frame,
        f"“{event.name}” does nothing at {when}: {why}.",
        "Import what is missing, or let the event air what it can.",
    )


def _lacking(here: Round, event: TimedEvent, lacks: list[str], some: bool) -> Finding:
    when = clock(now_us(here.state), here.programme.settings.tz)
    what = "airs only in part" if some else "has nothing to air"
    return Finding(
        "event-lacks",
        Severity.WARNING if some else Severity.ALARM,
        here.state.clock.frame,
        f"“{event.name}” at {when} {what}: {'; '.join(lacks)}.",
        "Import what is missing, or change the step.",
    )


def _held_back(here: Round, event: TimedEvent) -> Finding:
    when = clock(now_us(here.state), here.programme.settings.tz)
    return Finding(
        "event-held-back",
        Severity.WARNING,
        here.state.clock.frame,
        f"“{event.name}” lines up at {when} but does not cut in: the station is attended.",
        "Switch to unattended.",
    )


def _no_drop(here: Round, event: TimedEvent) -> Finding:
    return Finding(
        "event-no-drop",
        Severity.ALARM,
        here.state.clock.frame,
        f"“{event.name}” loads from a log drop that is not there any more.",
        "Choose a log drop in the event.",
    )

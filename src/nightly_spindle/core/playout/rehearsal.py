"""The rehearsal: the coming hours in fast forward, by the engine's own sequencer."""

from __future__ import annotations

from dataclasses import replace
from itertools import groupby
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import GRAVEST, Finding, Severity
from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.library.items import TONE_CART
from nightly_spindle.core.playout.air_holds import IS_OVER
from nightly_spindle.core.playout.overlay_findings import overlay_findings
from nightly_spindle.core.playout.rehearsal_rows import Landing, OverlayRow, Rehearsal, RehearsalRow
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.programme.sequencer_actions import (
    Action,
    Dropped,
    Ended,
    Fired,
    OverlayEnded,
    StartOverlay,
    StartVoice,
)
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.playout.sequencer import Sequencer
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme

_CUT_WORTH_SAYING_S = 1.0
_BEHIND_WORTH_SAYING_S = 900.0
_TONE_S = 600.0  # of the station tone alone is no hitch


class Recorder:
    """Turns actions into rows; the rehearsal, the render and the tests share it."""

    def __init__(self) -> None:
        self.rows: list[RehearsalRow] = []
        self.findings: list[Finding] = []
        self.fired: list[Fired] = []
        self.overlays: list[OverlayRow] = []
        self._open: dict[int, int] = {}
        self._over: dict[int, int] = {}

    def take(self, actions: Iterable[Action]) -> None:
        """Record the actions, in order."""
        for action in actions:
            if isinstance(action, StartVoice):
                play = action.play
                self._open[play.id] = len(self.rows)
                end = play.start + action.end - play.begin
                note = "joined in progress" if play.joined else ""
                self.rows.append(
                    RehearsalRow(
                        play.start,
                        end,
                        play.line,
                        Outcome.ON_AIR,
                        play.item.title,
                        play,
                        action.join,
                        note,
                    )
                )
            elif isinstance(action, Ended):
                at = self._open.pop(action.play.id, None)
                if at is not None:
                    row = self.rows[at]
                    note = action.note or row.note
                    self.rows[at] = replace(row, end=action.end, outcome=action.outcome, note=note)
            elif isinstance(action, Dropped):
                self.rows.append(
                    RehearsalRow(
                        action.at,
                        action.at,
                        action.line,
                        action.outcome,
                        action.title,
                        note=action.why,
                    )
                )
            elif isinstance(action, Finding):
                self.findings.append(action)
            elif isinstance(action, Fired):
                self.fired.append(action)
            elif isinstance(action, StartOverlay | OverlayEnded):
                self._take_overlay(action)

    def _take_overlay(self, action: StartOverlay | OverlayEnded) -> None:
        overlay = action.play
        if isinstance(action, StartOverlay):
            self._over[overlay.id] = len(self.overlays)
            row = OverlayRow(overlay.start, overlay.end, overlay, Outcome.ON_AIR)
            self.overlays.append(row)
        elif overlay.id in self._over:
            at = self._over.pop(overlay.id)
            self.overlays[at] = OverlayRow(
                overlay.start, action.end, overlay, action.outcome, action.note
            )


def rehearse(
    programme: Programme, sequencer: Sequencer, begun: Iterable[Action], hours: float
) -> Rehearsal:
    """Run the sequencer on by so many hours and say what will happen.

    `begun` are the actions that put it on air. The sequencer is used up; give it a
    state of its own (`AirState.copy`).
    """
    state = sequencer.state
    begin, sound = state.clock.frame, state.overlays.on
    until = begin + round(hours * 3600 * state.clock.rate)
    recorder = Recorder()
    recorder.take(begun)
    recorder.take(sequencer.advance(until))
    # what has hours to come yet is no finding because it is not there now
    findings = [f for f in recorder.findings if f.code not in {"log-not-here", "log-not-whole"}]
    night = Rehearsal(recorder.rows, findings, overlays=recorder.overlays)
    # what still sounds at the end goes on as planned
    night.rows = [
        replace(row, outcome=Outcome.AIRED) if row.outcome is Outcome.ON_AIR else row
        for row in night.rows
    ]
    night.overlays = [
        replace(row, outcome=Outcome.AIRED) if row.outcome is Outcome.ON_AIR else row
        for row in night.overlays
    ]
    night.landings = _landings(programme, state, night, recorder.fired)
    night.findings += _cuts(programme, state, night)
    night.findings += _behind(programme, state, night, recorder.fired)
    night.findings += _not_aired(night)
    night.findings += overlay_findings(programme, state, night, begin, sound=sound)
    night.findings += _held(programme, state, begin, until)
    night.findings += _only_tone(programme, state, night)
    night.findings += [
        Finding(one.code, one.severity, begin, one.text, one.mend) for one in programme.standing
    ]
    order = {Severity.ALARM: 0, Severity.WARNING: 1, Severity.NOTE: 2}
    night.findings.sort(key=lambda f: (f.at, f.code not in GRAVEST, order[f.severity]))
    return night


def _only_tone(programme: Programme, state: AirState, night: Rehearsal) -> list[Finding]:
    """Tell of each long stretch that holds the station tone and nothing else."""
    found = []
    rows = [row for row in night.sounding() if row.play is not None]
    for tone, run in groupby(rows, key=lambda row: row.line.cart == TONE_CART):
        stretch = list(run)
        begin, end = stretch[0].start, stretch[-1].end
        if not tone or end - begin < _TONE_S * state.clock.rate:
            continue
        tz = programme.settings.tz
        first, last = (clock(state.clock.instant_of(at), tz)[:5] for at in (begin, end))
        text = f"From {first} to {last} listeners hear the station tone and nothing else."
        mend = "Import music, or see to it that logs and their audio are there."
        found.append(Finding("only-tone", Severity.ALARM, begin, text, mend, stretch[0].line.id))
    return found


def _landings(
    programme: Programme, state: AirState, night: Rehearsal, fired: Iterable[Fired]
) -> list[Landing]:
    starts = {row.line.id: row.start for row in reversed(night.rows) if row.play is not None}
    found = []
    for firing in fired:
        first = next((i for i in firing.line_ids if i in starts), None)
        if first is None:
            continue
        start_us = state.clock.instant_of(starts[first])
        offset = (start_us - firing.due_us) / US
        when = clock(firing.due_us, programme.settings.tz)
        how = "lands on time"
        if abs(offset) >= 1 and firing.entry == Entry.NEXT:  # which promises no time
            how = f"starts {length(abs(offset))} later"
        elif abs(offset) >= 1:
            how = f"lands {length(abs(offset))} {'late' if offset > 0 else 'early'}"
        found.append(
            Landing(
                firing.event,
                firing.due_us,
                firing.entry,
                round(offset, 6),
                first,
                f"“{firing.event}” at {when} {how}",
            )
        )
    return found


def _cuts(programme: Programme, state: AirState, night: Rehearsal) -> list[Finding]:
    found = []
    for row in night.rows:
        if row.outcome is not Outcome.CUT or row.play is None:
            continue
        here = span(row.play.item, state.clock.rate, programme.segues)
        whole = row.play.start + here.segue - row.play.begin
        lost = (whole - row.end) / state.clock.rate
        if lost < _CUT_WORTH_SAYING_S:
            continue
        us = state.clock.instant_of(row.end)
        when = clock(us, programme.settings.tz)
        found.append(
            Finding(
                "cut-short",
                Severity.NOTE,
                row.end,
                f"“{row.title}” loses its last {length(lost)} at {when}: {row.note}.",
                "Take out or swap a line before it, or let the event wait for the end.",
                row.line.id,
            )
        )
    return found


def _behind(
    programme: Programme, state: AirState, night: Rehearsal, fired: Iterable[Fired]
) -> list[Finding]:
    """Say which events put lines at the end of a running order that is full."""
    starts = {row.line.id: row.start for row in reversed(night.rows) if row.play is not None}
    found = []
    for one in fired:
        event = programme.event(one.event_id)
        if event is None or not one.line_ids or event.name != one.event:
            continue
        if not event.at_the_end:
            continue
        start = starts.get(one.line_ids[0])
        late = None if start is None else (start - one.at) / state.clock.rate
        if late is not None and late < _BEHIND_WORTH_SAYING_S:
            continue
        when = clock(one.due_us, programme.settings.tz)
        airs = "does not air in this stretch" if late is None else f"airs {length(late)} later"
        found.append(
            Finding(
                "at-the-end",
                Severity.WARNING,
                one.at,
                f"“{one.event}” at {when} goes to the end of a full running order and {airs}.",
                "Put it at the front, if it is meant for its time.",
                one.line_ids[0],
            )
        )
    return found


def _not_aired(night: Rehearsal) -> list[Finding]:
    """Say what of an event does not air because its length is over."""
    over: dict[str, list[RehearsalRow]] = {}
    for row in night.rows:
        if row.play is None and row.outcome is Outcome.REPLACED and IS_OVER in row.note:
            over.setdefault(row.note, []).append(row)
    return [
        Finding(
            "does-not-fit",
            Severity.WARNING,
            rows[0].start,
            f"{note}: {len(rows)} of its lines do not air, the first is “{rows[0].title}”.",
            "Remove lines from it, or make it longer.",
            rows[0].line.id,
        )
        for note, rows in over.items()
    ]


def _held(programme: Programme, state: AirState, begin: int, until: int) -> list[Finding]:
    """Say which events cannot act because the station waits for the operator."""
    if state.order.unattended:
        return []
    coming = programme.firings(state.clock.instant_of(begin) - 1, state.clock.instant_of(until))
    coming = [firing for firing in coming if firing.event.line_steps]
    if not coming:
        return []
    first = coming[0]
    when = clock(first.at_us, programme.settings.tz)
    return [
        Finding(
            "attended",
            Severity.ALARM,
            begin,
            f"The station is attended: after the item on air it waits, and “{first.event.name}” "
            f"at {when} loads but starts nothing.",
            "Switch to unattended before leaving.",
        )
    ]

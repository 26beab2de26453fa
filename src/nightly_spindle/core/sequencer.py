"""The one sequencer: what sounds when.

A deterministic state machine over station frames. It is told how far to decide
(`advance`) and what has happened (the other public methods), and answers with actions.
Decisions fall at exact frames ("beats"), whatever the size of the steps it is driven
in: the live engine, the rehearsal and the offline render cannot disagree.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from nightly_spindle.core.actions import (
    Action,
    Dropped,
    Ended,
    FadeVoice,
    Finding,
    Severity,
    StartVoice,
)
from nightly_spindle.core.edits import Edits
from nightly_spindle.core.events import Firing
from nightly_spindle.core.firing import fire
from nightly_spindle.core.items import TONE_CART, Ending
from nightly_spindle.core.joins import Join, gain_db, plan_join, span
from nightly_spindle.core.running import AirState, Heard, Line, Outcome, Play
from nightly_spindle.core.safety_net import line_up
from nightly_spindle.core.timebase import frames_from_us, to_frames, us_from_frames

if TYPE_CHECKING:
    from nightly_spindle.core.items import Item
    from nightly_spindle.core.programme import Programme

_REJOIN_FADE_S = 0.3
_DEATH_FADE_S = 0.5
_HISTORY = 600  # plays remembered: more than a day and a night of songs


@dataclass(frozen=True, slots=True)
class _Beat:
    at: int
    firings: tuple[Firing, ...] = ()


class Sequencer(Edits):
    """Drives one `AirState` by one `Programme`."""

    def __init__(self, programme: Programme, state: AirState) -> None:
        super().__init__(state)
        self.programme = programme
        self._planned: tuple[int, int, Join] | None = None

    # -- driving -------------------------------------------------------------------

    def advance(self, until: int) -> list[Action]:
        """Decide everything before frame `until` and return it in order."""
        actions: list[Action] = []
        while (beat := self._next_beat(until, actions)) is not None:
            self.state.frame = max(self.state.frame, beat.at)
            if beat.firings:
                cut = fire(self.programme, self.state, beat.firings, actions)
                if cut:
                    self._cut_to_next(cut, actions)
            else:
                self._pass_on(actions)
        self.state.frame = max(self.state.frame, until)
        return actions

    def frame_of(self, us: int) -> int:
        """Return the station frame of an instant of the wall clock."""
        return frames_from_us(us - self.state.offset_us, self.state.rate)

    def instant_of(self, frame: int) -> int:
        """Return the wall clock's instant (µs) of a station frame."""
        return us_from_frames(frame, self.state.rate) + self.state.offset_us

    # -- what has happened -----------------------------------------------------------

    def skip(self, note: str = "skipped by hand") -> list[Action]:
        """Leave the item on air now, with a short fade, for the next line."""
        actions: list[Action] = []
        self.state.stopped = False
        self._cut_to_next(note, actions, Outcome.SKIPPED)
        return actions

    def stop(self) -> list[Action]:
        """Fade out and wait for the operator; the station is attended from here on."""
        actions: list[Action] = []
        self._silence("stopped by hand", actions, Outcome.CUT)
        self.state.stopped, self.state.unattended = True, False
        self.state.revision += 1
        return actions

    def go(self) -> None:
        """Start the next line at once if nothing is on air."""
        self.state.stopped = False
        self.state.revision += 1

    def leave(self) -> list[Action]:
        """The engine goes off the air; the state stays, so that a later start goes on from it."""
        playing = self.state.playing
        if playing is None:
            return []
        return [Ended(playing, self.state.frame, Outcome.CUT, "the engine was stopped")]

    def set_unattended(self, unattended: bool) -> None:
        """Go on by itself, or wait for the operator after each item."""
        self.state.unattended = unattended
        self.state.revision += 1
        if unattended:
            self.state.stopped = False

    def died(self, play_id: int, position: int, why: str) -> list[Action]:
        """The item on air turns out to end at `position`: a short fade into the next."""
        playing = self.state.playing
        if playing is None or playing.id != play_id:
            return []
        rate = self.state.rate
        segue = max(0.0, position / rate - _DEATH_FADE_S)
        measure = replace(
            playing.item.measure,
            duration_s=position / rate,
            cue_out_s=position / rate,
            segue_s=segue,
            ending=Ending.COLD,
        )
        self.state.playing = replace(playing, item=replace(playing.item, measure=measure))
        self.programme.unplayable[playing.item.cart] = why
        self._planned = None
        text = f"“{playing.item.title}” breaks off after {position / rate:.0f} s: {why}."
        return [
            Finding(
                "item-died",
                Severity.ALARM,
                self.state.frame,
                text,
                f"Replace the file {playing.item.path}.",
                playing.line.id,
            )
        ]

    def rejoin(self) -> list[Action]:
        """Take the air again at the present frame, where the station should be.

        The item that should be on air is joined in progress when enough of it is left,
        else the next line starts.
        """
        state = self.state
        playing = state.playing
        if playing is None:
            return []
        actions: list[Action] = []
        position = playing.begin + state.frame - playing.start
        left = self._join(actions).segue - position
        state.playing = None
        if left < to_frames(self.programme.settings.rejoin_s, state.rate):
            return actions
        if position == playing.begin:
            again = playing
        else:
            again = Play(
                state.take_id(), playing.line, playing.item, state.frame, position, joined=True
            )
        state.playing = again
        fade = to_frames(_REJOIN_FADE_S, state.rate) if again.joined else 0
        return [*actions, self._voice(again, fade, None)]

    def present(self) -> list[Action]:
        """Return the order that the item on air was started by, for whoever joins later."""
        playing = self.state.playing
        return [] if playing is None else [self._voice(playing, 0, None)]

    # -- deciding ---------------------------------------------------------------------

    def _next_beat(self, until: int, actions: list[Action]) -> _Beat | None:
        firings = self.programme.next_firings(self.state.fired_until_us)
        fires = None
        if firings:
            fires = max(self.frame_of(firings[0].at_us), self.state.frame)
        passes = self._next_pass(actions, until if fires is None else min(fires, until))
        if fires is not None and fires < until and (passes is None or fires <= passes):
            return _Beat(fires, tuple(firings))
        if passes is not None and passes < until:
            return _Beat(passes)
        return None

    def _next_pass(self, actions: list[Action], before: int) -> int | None:
        """Return the frame at which the item on air gives way, None while stopped.

        Nothing is lined up earlier than it is needed: a firing due before may change all.
        """
        state = self.state
        if state.stopped:
            return None
        playing = state.playing
        if playing is None:
            return state.frame
        here = span(playing.item, state.rate)
        if not state.unattended:
            return max(playing.start + here.cue_out - playing.begin, state.frame)
        earliest = playing.start + min(here.segue, max(0, here.cue_out)) - playing.begin
        if earliest >= before and not state.upcoming:
            return None
        join = self._join(actions)
        return max(playing.start + join.segue - playing.begin, state.frame)

    def _pass_on(self, actions: list[Action]) -> None:
        state = self.state
        playing = state.playing
        if playing is not None and not state.unattended:
            end = playing.start + span(playing.item, state.rate).cue_out - playing.begin
            actions.append(Ended(playing, end, Outcome.AIRED))
            state.playing, state.stopped = None, True
            return
        line, item = self._next_line(actions)
        join = None
        if playing is not None:
            join = self._join(actions)
            if join.fade_out:
                actions.append(FadeVoice(state.frame, playing.id, join.fade_out, join.curve))
            end = playing.start + join.out_end - playing.begin
            actions.append(Ended(playing, max(end, state.frame), Outcome.AIRED))
        self._start(line, item, join, actions)

    def _cut_to_next(
        self, note: str, actions: list[Action], outcome: Outcome = Outcome.CUT
    ) -> None:
        """Start the next line at the present frame, the item on air fading under it."""
        line, item = self._next_line(actions)
        self._silence(note, actions, outcome)
        self._start(line, item, None, actions)

    def _silence(self, note: str, actions: list[Action], outcome: Outcome) -> None:
        state = self.state
        if state.playing is None:
            return
        rules = self.programme.settings.rules
        fade = to_frames(rules.cut_fade_s, state.rate)
        actions.append(FadeVoice(state.frame, state.playing.id, fade, rules.curve))
        actions.append(Ended(state.playing, state.frame + fade, outcome, note))
        state.playing = None

    def _start(self, line: Line, item: Item, join: Join | None, actions: list[Action]) -> None:
        state = self.state
        state.upcoming.pop(0)
        begin = span(item, state.rate).cue_in
        play = Play(state.take_id(), line, item, state.frame, begin)
        state.playing = play
        state.again_yielded = True
        state.revision += 1
        if item.cart != TONE_CART:
            state.history.append(Heard(item.cart, item.artist, item.title, state.frame))
            del state.history[:-_HISTORY]
        actions.append(self._voice(play, join.fade_in if join else 0, join))

    def _voice(self, play: Play, fade_in: int, join: Join | None) -> StartVoice:
        end = span(play.item, self.state.rate).cue_out
        gain = gain_db(play.item, self.programme.settings.rules)
        return StartVoice(play, end, gain, fade_in, join)

    def _join(self, actions: list[Action]) -> Join:
        """Return the join between the item on air and the next line, planned once."""
        playing = self.state.playing
        assert playing is not None
        line, item = self._next_line(actions)
        if self._planned is None or self._planned[:2] != (playing.id, line.id):
            rules = self.programme.settings.rules
            join = plan_join(playing.item, playing.begin, item, rules, self.state.rate)
            self._planned = (playing.id, line.id, join)
        return self._planned[2]

    def _next_line(self, actions: list[Action]) -> tuple[Line, Item]:
        """Return the next line that can be played, dropping those before it that cannot."""
        state = self.state
        while True:
            if not state.upcoming:
                line_up(self.programme, state, self._expected_end(), actions)
            line = state.upcoming[0]
            item = self.programme.item(line.cart)
            why = self.programme.why_unplayable(line.cart)
            if item is not None and not why:
                return line, item
            state.upcoming.pop(0)
            state.revision += 1
            title = item.title if item else f"cart {line.cart}"
            at = self._expected_end()
            actions.append(Dropped(at, line, Outcome.UNPLAYABLE, title, why))
            actions.append(
                Finding(
                    "unplayable",
                    Severity.WARNING,
                    at,
                    f"“{title}” ({line.origin.text}) is skipped: {why}.",
                    f"Bring in {item.path} again." if item else "Bring the item in again.",
                    line.id,
                )
            )

    def _expected_end(self) -> int:
        """Return the frame at which the item on air would end by itself."""
        playing = self.state.playing
        if playing is None:
            return self.state.frame
        return playing.start + span(playing.item, self.state.rate).segue - playing.begin

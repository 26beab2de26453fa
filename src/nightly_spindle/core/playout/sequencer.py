"""The one sequencer: what sounds when.

A deterministic state machine over station frames. It is told how far to decide
(`advance`) and what has happened (the other public methods), and answers with actions.
Decisions fall at exact frames ("beats"), whatever the size of the steps it is driven
in: the live engine, the rehearsal and the offline render cannot disagree.
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import to_frames
from nightly_spindle.core.events.timed_events import Firing
from nightly_spindle.core.library.items import TONE_CART, Ending, Kind
from nightly_spindle.core.library.loudness_gain import gain_db
from nightly_spindle.core.library.markers import AS_USUAL, UNMARKED
from nightly_spindle.core.playout.air_holds import end, next_end
from nightly_spindle.core.playout.away_lines import folder_back, note_start
from nightly_spindle.core.playout.back_timing import Foreseen, look_to_land
from nightly_spindle.core.playout.event_firing import act, fire, fire_after_songs
from nightly_spindle.core.playout.hand_edits import HandEdits
from nightly_spindle.core.playout.log_loading import follow_change, load_late, top_up
from nightly_spindle.core.playout.next_line import NextLine
from nightly_spindle.core.playout.overlay_playout import (
    Due,
    begin_overlay,
    count_segue,
    count_song,
    cut_overlays,
    end_overlays,
    overlay_died,
    overlay_on_item,
    soonest_on_join,
    started,
)
from nightly_spindle.core.playout.overlay_position import last_word
from nightly_spindle.core.playout.spot_heard import note_heard, whole_frames
from nightly_spindle.core.programme.running_order import HeardPlay, Line, Outcome, Play
from nightly_spindle.core.programme.sequencer_actions import (
    Action,
    Ended,
    FadeVoice,
    OverlayEnded,
    StartVoice,
)
from nightly_spindle.core.segues.joins import Join, span

if TYPE_CHECKING:
    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.playout.step_effects import Cut
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.running_order import Awaited, Loaded
    from nightly_spindle.core.station.log_sources import LogReading

_REJOIN_FADE_S = 0.3
_DEATH_FADE_S = 0.5
_UNHEARD_S = 0.05  # so much missing at an end is heard by nobody
_HALF_FRAME_US = 12  # a frame's instant may lie so far before the one it stands for
_HISTORY = 600  # plays remembered: more than a day and a night of songs


@dataclass(frozen=True, slots=True)
class _Beat:
    at: int
    firings: tuple[Firing, ...] = ()
    fades: bool = False
    ends: bool = False
    lays: Due | None = None


class Sequencer:
    """Drives one `AirState` by one `Programme`; `edits` takes what a hand does to coming lines."""

    def __init__(self, programme: Programme, state: AirState, *, lands: bool = True) -> None:
        self.state = state
        self.edits = HandEdits(state)
        self._next = NextLine(programme, state)
        self._lands = lands  # whether it looks ahead to land events on time
        self._foreseen: Foreseen | None = None

    @property
    def programme(self) -> Programme:
        """All that it looks things up in."""
        return self._next.programme

    def frame_of(self, us: int) -> int:
        """Return the station frame of an instant of the wall clock."""
        return self.state.clock.frame_of(us)

    def instant_of(self, frame: int) -> int:
        """Return the wall clock's instant (µs) of a station frame."""
        return self.state.clock.instant_of(frame)

    # -- driving -------------------------------------------------------------------

    def advance(self, until: int) -> list[Action]:
        """Decide everything before frame `until` and return it in order."""
        actions: list[Action] = []
        while (beat := self._next_beat(until, actions)) is not None:
            self.state.clock.frame = max(self.state.clock.frame, beat.at)
            end_overlays(self.state, actions)
            if beat.firings:
                cut = fire(self.programme, self.state, beat.firings, actions)
                self._after_events(cut, actions)
            elif beat.ends:
                at_us = self.instant_of(self.state.clock.frame) + _HALF_FRAME_US
                self._after_events(end(self.programme, self.state, at_us, actions), actions)
            elif beat.lays is not None:
                begin_overlay(self.programme, self.state, beat.lays, actions)
            elif beat.fades:
                self._begin_fade(actions)
            else:
                self._pass_on(actions)
        self.state.clock.frame = max(self.state.clock.frame, until)
        end_overlays(self.state, actions)
        return actions

    def fire_by_hand(self, event: TimedEvent) -> list[Action]:
        """Let an event act now, whatever its rule and its switch say."""
        actions: list[Action] = []
        firing = Firing(self.instant_of(self.state.clock.frame), event)
        self._after_events(act(self.programme, self.state, [firing], actions), actions)
        return actions

    def load_awaited(self, awaited: Awaited) -> list[Action]:
        """A log that was due has come: load it, after the item on air."""
        actions: list[Action] = []
        load_late(self.programme, self.state, awaited, self._next.expected_end(), actions)
        self._next.forget()
        return actions

    def log_changed(self, loaded: Loaded, reading: LogReading) -> list[Action]:
        """The file of a log that was loaded has changed since."""
        actions: list[Action] = []
        follow_change(self.programme, self.state, loaded, reading, actions)
        self._next.forget()
        return actions

    # -- what has happened -----------------------------------------------------------

    def skip(
        self, note: str = "skipped by hand", outcome: Outcome = Outcome.SKIPPED
    ) -> list[Action]:
        """Leave the item on air now, with a short fade, for the next line."""
        actions: list[Action] = []
        self.state.order.stopped = False
        self._cut_to_next(note, actions, outcome)
        return actions

    def stop(self) -> list[Action]:
        """Fade out and wait for the operator; the station is attended from here on."""
        actions: list[Action] = []
        self._silence("stopped by hand", actions, Outcome.CUT)
        self.state.order.stopped, self.state.order.unattended = True, False
        self.state.revision += 1
        return actions

    def go(self) -> None:
        """Start the next line at once if nothing is on air."""
        self.state.order.stopped = False
        self.state.revision += 1

    def leave(self) -> list[Action]:
        """The engine goes off the air; the state stays, so that a later start goes on from it."""
        playing, note = self.state.order.playing, "the engine was stopped"
        over = [
            OverlayEnded(one, max(one.start, self.state.clock.frame), Outcome.CUT, note)
            for one in self.state.overlays.sounding
        ]
        if playing is None:
            return []
        return [*over, Ended(playing, self.state.clock.frame, Outcome.CUT, note)]

    def go_by(self, programme: Programme) -> None:
        """Look everything up in another programme from here on."""
        self._next.go_by(programme)
        self._foreseen = None

    def folder_back(self) -> None:
        """A folder that was away is there again: what waited for it comes next."""
        folder_back(self.state)
        self._next.forget()

    def set_unattended(self, unattended: bool) -> None:
        """Go on by itself, or wait for the operator after each item."""
        self.state.order.unattended = unattended
        self.state.revision += 1
        if unattended:
            self.state.order.stopped = False

    def died(self, play_id: int, position: int, why: str) -> list[Action]:
        """The item on air turns out to end at `position`: a short fade into the next."""
        playing = self.state.order.playing
        if playing is None or playing.id != play_id:
            return overlay_died(self.programme, self.state, play_id, position, why)
        rate = self.state.clock.rate
        if position > span(playing.item, rate).cue_out - to_frames(_UNHEARD_S, rate):
            return []  # known already, or a file resampled that ends some frames sooner
        segue = max(0.0, position / rate - _DEATH_FADE_S)
        measure = replace(
            playing.item.measure,
            duration_s=position / rate,
            cue_out_s=position / rate,
            segue_s=segue,
            ending=Ending.COLD,
            fall=(),
        )
        item = replace(playing.item, measure=measure, marks=UNMARKED, shaping=AS_USUAL)
        whole = playing.whole or whole_frames(playing, rate)
        self.state.order.playing = replace(playing, item=item, whole=whole)
        self.programme.unplayable[playing.item.cart] = why
        self._next.forget()
        text = f"“{playing.item.title}” breaks off after {position / rate:.0f} s: {why}."
        return [
            Finding(
                "item-died",
                Severity.ALARM,
                self.state.clock.frame,
                text,
                f"Replace the file {playing.item.path}.",
                playing.line.id,
            )
        ]

    def rejoin(self) -> list[Action]:
        """Take the air again at the present frame, where the station should be.

        The item that should be on air is joined in progress when enough of it is left,
        else the next line starts. Overlays are not: half a sentence is heard as a fault.
        """
        state = self.state
        playing, state.overlays.sounding = state.order.playing, []
        if playing is None:
            return []
        actions: list[Action] = []
        position = playing.begin + state.clock.frame - playing.start
        left = self._next.join(actions).segue - position
        state.order.playing, state.order.silent_at = None, 0
        if left < to_frames(self.programme.settings.rejoin_s, state.clock.rate):
            return actions
        if position == playing.begin:
            again = playing
        else:
            again = Play(
                state.take_id(),
                playing.line,
                playing.item,
                state.clock.frame,
                position,
                joined=True,
            )
        state.order.playing = again
        fade = to_frames(_REJOIN_FADE_S, state.clock.rate) if again.joined else 0
        return [*actions, self._voice(again, fade, None)]

    def present(self) -> list[Action]:
        """Return the orders that what sounds was started by, for whoever joins later."""
        playing, rate = self.state.order.playing, self.state.clock.rate
        if playing is None:
            return []
        over = [started(self.programme, one, rate) for one in self.state.overlays.sounding]
        return [self._voice(playing, 0, None), *over]

    # -- deciding ---------------------------------------------------------------------

    def _next_beat(self, until: int, actions: list[Action]) -> _Beat | None:
        state = self.state
        state.mark_change()
        firings = self._next.firings()
        fires = max(self.frame_of(firings[0].at_us), state.clock.frame) if firings else None
        over = next_end(state)
        ends = None if over is None else max(self.frame_of(over), state.clock.frame)
        before = min(until, *(at for at in (fires, ends, until) if at is not None))
        due = None
        if fires is not None and (ends is None or fires <= ends):
            due = _Beat(fires, tuple(firings))
        elif ends is not None:
            due = _Beat(ends, ends=True)
        onward = self._onward_beat(firings, fires, ends, before, actions)
        first = due if onward is None or (due is not None and due.at <= onward.at) else onward
        return first if first is not None and first.at < until else None

    def _onward_beat(
        self,
        firings: list[Firing],
        fires: int | None,
        ends: int | None,
        before: int,
        actions: list[Action],
    ) -> _Beat | None:
        """Return what the item on air comes to next: an overlay, its fade, the next item."""
        settled, cut = self._next.kept_clear(firings, ends)
        lays = overlay_on_item(self.programme, self.state, cut)
        # nothing is lined up before it is needed: what lies on the item itself may come first
        passes = self._next.passes_at(actions, before if lays is None else min(before, lays.at))
        fades = None if passes is None else self._next.fades_at(actions)
        programme = passes if fades is None else fades
        over = None
        soonest = None if passes is None else soonest_on_join(passes, self.state)
        if passes is not None and soonest is not None and (lays is None or lays.at >= soonest):
            over = self._next.over_join(actions, passes, settled, cut)
        if lays is None or (over is not None and over.at < lays.at):
            lays = over
        if lays is not None and (programme is None or lays.at <= programme):
            return _Beat(lays.at, lays=lays)
        if programme is None or passes is None:
            return None
        if fades is not None:
            return _Beat(fades, fades=True)
        if fires is not None and fires - self._next.early(firings) <= passes:
            return _Beat(passes, tuple(firings))
        return _Beat(passes)

    def _after_events(self, cut: Cut | None, actions: list[Action]) -> None:
        """Cut the item on air off when events want that, and look for what is to land."""
        if cut is not None:
            self._go_back_to(cut)
            self._cut_to_next(cut.note, actions, fade_s=cut.fade_s)
        self._look_to_land(actions)

    def _go_back_to(self, cut: Cut) -> None:
        """Line up the rest of what is cut off, behind the event's lines."""
        state, playing = self.state, self.state.order.playing
        if playing is None or not cut.back_after:
            return
        position = playing.begin + state.clock.frame - playing.start
        left = span(playing.item, state.clock.rate, self.programme.segues).segue - position
        if left < to_frames(self.programme.settings.rejoin_s, state.clock.rate):
            return
        why = f"{playing.line.origin.why} Goes on after it was {cut.note}."
        rest = replace(
            playing.line,
            id=state.take_id(),
            begin=position,
            join=None,
            overlay=None,
            origin=replace(playing.line.origin, why=why),
        )
        places = [at for at, line in enumerate(state.order.upcoming) if line.id == cut.back_after]
        at = places[0] + 1 if places else 0
        state.order.upcoming.insert(at, rest)
        if state.events.holding is not None and playing.line.id in state.events.holding.line_ids:
            # what belongs to a length ends with it, interrupted or not
            own = (*state.events.holding.line_ids, rest.id)
            state.events.holding = replace(state.events.holding, line_ids=own)

    def _look_to_land(self, actions: list[Action]) -> None:
        """Choose what to leave out or add, so that an event that is to land does."""
        if self._lands:
            self._foreseen = look_to_land(
                self.programme, self.state, self._preview, actions, self._foreseen
            )

    def _preview(self, state: AirState) -> Sequencer:
        return Sequencer(self.programme, state, lands=False)

    def _begin_fade(self, actions: list[Action]) -> None:
        """Let the fader of the item on air go down; the next starts later."""
        playing = self.state.order.playing
        assert playing is not None
        self.state.order.silent_at = self._fade(playing, self._next.join(actions), actions)
        self.state.revision += 1

    def _fade(self, playing: Play, join: Join, actions: list[Action]) -> int:
        """Let the fader go down as planned; returns the frame at which it is down."""
        end = playing.start + join.out_end - playing.begin
        at = max(playing.start + join.fade_at - playing.begin, self.state.clock.frame)
        frames = max(1, end - at)
        actions.append(FadeVoice(at, playing.id, frames, join.out_curve))
        return at + frames

    def _pass_on(self, actions: list[Action]) -> None:
        state = self.state
        playing = state.order.playing
        if playing is not None and not state.order.unattended:
            self._end(playing, self._next.natural_end(playing), Outcome.AIRED, "", actions)
            state.order.playing, state.order.stopped = None, True
            return
        line, item = self._next.line(actions)
        join = None
        if playing is not None:
            join = self._next.join(actions)
            count_segue(self.programme, state, playing.item, item, line, actions)
            if join.fade_out and not state.order.silent_at:
                self._fade(playing, join, actions)
            end = state.order.silent_at or playing.start + join.out_end - playing.begin
            if join.overlap >= 0:
                end = max(end, state.clock.frame)
            state.overlays.sung_until = min(end, last_word(playing, state.clock.rate))
            broke = self.programme.unplayable.get(playing.item.cart, "it broke off")
            outcome, note = (Outcome.BROKE_OFF, broke) if playing.whole else (Outcome.AIRED, "")
            self._end(playing, end, outcome, note, actions)
        self._start(line, item, join, actions)

    def _end(
        self, play: Play, end: int, outcome: Outcome, note: str, actions: list[Action]
    ) -> None:
        """A play is over at frame `end`."""
        note_heard(self.programme, self.state, play, end, outcome)
        actions.append(Ended(play, end, outcome, note))

    def _cut_to_next(
        self,
        note: str,
        actions: list[Action],
        outcome: Outcome = Outcome.CUT,
        fade_s: float = 0.0,
    ) -> None:
        """Start the next line at the present frame, the item on air fading under it."""
        line, item = self._next.line(actions)
        self._silence(note, actions, outcome, fade_s)
        self._start(line, item, None, actions)

    def _silence(
        self, note: str, actions: list[Action], outcome: Outcome, fade_s: float = 0.0
    ) -> None:
        state = self.state
        if state.order.playing is None:
            return
        settings = self.programme.settings
        fade = to_frames(fade_s or settings.levels.cut_fade_s, state.clock.rate)
        curve = settings.segue.fade_out_curve
        actions.append(FadeVoice(state.clock.frame, state.order.playing.id, fade, curve))
        self._end(state.order.playing, state.clock.frame + fade, outcome, note, actions)
        cut_overlays(state, note, outcome, fade, curve, actions)
        state.order.playing = None

    def _start(self, line: Line, item: Item, join: Join | None, actions: list[Action]) -> None:
        state = self.state
        state.order.upcoming.pop(0)
        cue_in = span(item, state.clock.rate).cue_in
        begin = max(cue_in, line.begin)
        play = Play(state.take_id(), line, item, state.clock.frame, begin, joined=begin > cue_in)
        state.order.playing, state.order.silent_at = play, 0
        count_song(self.programme, state, play)
        note_start(self.programme, state, line, item)
        state.net.repeat_aired = True
        state.revision += 1
        if item.cart != TONE_CART:
            state.history.append(HeardPlay(item.cart, item.artist, item.title, state.clock.frame))
            del state.history[:-_HISTORY]
        top_up(self.programme, state, actions, self._next.expected_end)
        fade_in = join.fade_in if join else 0
        if play.joined:
            fade_in = max(fade_in, to_frames(_REJOIN_FADE_S, state.clock.rate))
        actions.append(self._voice(play, fade_in, join))
        if item.kind is Kind.SONG and not play.joined:
            fire_after_songs(self.programme, state, actions)
        self._look_to_land(actions)

    def _voice(self, play: Play, fade_in: int, join: Join | None) -> StartVoice:
        end = span(play.item, self.state.clock.rate).cue_out
        settings = self.programme.settings
        gain = gain_db(play.item, settings.levels, settings.kind_levels)
        if join is None:
            return StartVoice(play, end, gain, fade_in, join)
        return StartVoice(play, end, gain, fade_in, join, join.in_curve)

"""The air engine: pulls sound from the player and keeps the station's memory."""

from __future__ import annotations

import contextlib
import logging
import queue
import time
from concurrent.futures import Future
from dataclasses import dataclass
from math import log10
from typing import TYPE_CHECKING, Any, Protocol

import numpy as np

from nightly_spindle.air.messages import EngineStatus
from nightly_spindle.air.player import BLOCK, Player
from nightly_spindle.air.readahead import ReadAhead
from nightly_spindle.core.alerts.troubles import SILENT_DB
from nightly_spindle.core.base.errors import EnvironmentFault
from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import US, clock, us_from_frames
from nightly_spindle.core.outputs.now_playing import NowPlaying
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.away_lines import cannot_play
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.away_folders import Away
from nightly_spindle.core.programme.running_order import LineSource, Outcome
from nightly_spindle.core.programme.sequencer_actions import Action, Start, StartOverlay, StartVoice
from nightly_spindle.store.base.roots import note_files, root_of

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from numpy.typing import NDArray

    from nightly_spindle.air.clock import Clock
    from nightly_spindle.air.journal_writer import JournalWriter
    from nightly_spindle.air.live_logs import LiveLogs
    from nightly_spindle.air.watchdog import Watchdog
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.outputs.outputs import Output
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.outputs.rack import OutputRack
    from nightly_spindle.store.base.roots import FilesFound
    from nightly_spindle.store.programme.snapshot import Snapshot

_log = logging.getLogger(__name__)
_ROWS = BLOCK * 2 // 128
_PREVIEW_S = 60.0  # how far ahead it is worked out what to read
_DEAD_AIR_S = 3.0
_DEAD_AIR = 10 ** (SILENT_DB / 20)
_LEAD_US = 150_000
_DRIFT_US = 50_000
_DRIFT_TICKS = 3
_READS_S = 2.0
_STARTS = 4  # times that a start is worked out until it is in time
_METER_FALL = np.float32(0.8)
_OBEY_S = 0.01  # of a block's 46 ms
_IMMINENT_S = 2.0  # an item that starts so soon keeps the audio that is read for it


@dataclass(frozen=True, slots=True)
class Begun:
    """A start that was worked out: the sequencer at an instant, and what sounds there."""

    at_us: int
    sequencer: Sequencer
    actions: list[Action]


class Successor(Protocol):
    """What may take the place of the engine's sequencer: see `HandOver`."""

    def at_block(self) -> None:
        """Take its place, between two blocks, when it is ready."""
        ...

    def voices(self) -> list[Start]:
        """Return what it would start with, to be read ahead."""
        ...


class Engine:
    """Runs one station. Everything but `ask`, `tell`, `sight` and `leave` is the pump's own thread.

    `snapshot` is None while the engine plays from what it kept, its station not read yet.
    """

    def __init__(
        self,
        programme: Programme,
        writer: JournalWriter,
        output: OutputRack,
        wall: Clock,
        paced: bool,
        *,
        patient: bool = False,
    ) -> None:
        self.snapshot: Snapshot | None = None
        self.programme = programme
        self.rate = programme.settings.rate
        self.logs: LiveLogs | None = None
        self.watchdog: Watchdog | None = None
        self.follows_outputs = True  # those of the station
        self.stir: Callable[[], None] = lambda: None  # has the watcher look at files soon
        self.moved = float("inf")  # when the pump last went round (monotonic s)
        self.writer = writer
        self._output = output
        self._wall = wall
        self._paced = paced  # the wall clock is the output's own: there is no drift
        self._asked: queue.SimpleQueue[tuple[Callable[[], Any], Future[Any]]] = queue.SimpleQueue()
        self._leaving = False  # no event: two signals, one upon the other, would hang in it
        # faster than real time the clock waits for the disk: no silence that would not be heard
        self._ahead = ReadAhead(self.rate, patient=patient)
        self._now_playing = NowPlaying(programme.settings.titles, programme.settings.name)
        self._peaks = np.zeros(2, dtype=np.float32)
        self._quiet_frames = 0
        self.longest_quiet_s = 0.0
        self._drifted = 0
        self._next_tick = 0
        self._next_look = 0
        self._looked = -1
        self._orders: list[Start] = []
        self._at_once: list[StartVoice] = []  # what a skip would start
        self.hand_over: Successor | None = None  # another sequencer, while one is made ready
        self.player: Player | None = None
        self.sight: EngineStatus | None = None

    # -- from other threads -----------------------------------------------------------

    def ask(self, what: Callable[[], Any]) -> Future[Any]:
        """Have something done between two blocks; the answer comes in the future."""
        answer: Future[Any] = Future()
        self._asked.put((what, answer))
        return answer

    def tell(self, what: Callable[[], Any], about: str) -> None:
        """Have something done between two blocks; that it fails is an alarm, never thrown away."""

        def done(answer: Future[Any]) -> None:
            error = None if answer.cancelled() else answer.exception()
            if error is not None:
                _log.error("%s could not be taken up", about, exc_info=error)
                self.writer.alarm(
                    "not-taken-up",
                    f"The engine could not take up {about} ({type(error).__name__}: {error}).",
                    "See the engine's messages; it goes on with what it had.",
                )

        self.ask(what).add_done_callback(done)

    def tell_alarm(
        self, code: str, text: str, mend: str, severity: Severity = Severity.ALARM
    ) -> None:
        """Raise an alarm. From any thread; it is written though the pump stands."""
        _log.warning("%s", text)
        self.writer.alarm(code, text, mend, severity)

    def outputs_changed(self, outputs: Sequence[Output]) -> None:
        """Send the sound to these from now on. Not from the pump: it waits for those that end.

        An engine that was told where to play when it was started goes on playing there.
        """
        if self.follows_outputs:
            self._output.go_to(outputs)

    def leave(self) -> None:
        """Go off the air after the present block."""
        self._leaving = True

    @property
    def leaving(self) -> bool:
        """Whether it has been told to leave."""
        return self._leaving

    def station_changed(self) -> None:
        """Look ahead again: what is looked things up in has changed."""
        self._looked, self._next_tick, self._next_look = -1, 0, 0

    def keep(self, actions: list[Action]) -> None:
        """Have what happened written down."""
        assert self.player is not None
        state = self.sequencer.state
        seen = state.clock.instant_of(self.player.at)
        self.writer.note(actions, state, seen)

    # -- the pump -----------------------------------------------------------------------

    @property
    def sequencer(self) -> Sequencer:
        """The sequencer that is on air."""
        assert self.player is not None
        return self.player.sequencer

    def run(self, begun: Begun, seen_us: int | None, *, left: bool = False) -> None:
        """Take the air as was worked out, and stay on it until told to leave. Blocks.

        `seen_us` is an earlier run's last sign of life, `left` whether it had been told to leave.
        """
        at_us, sequencer = begun.at_us, begun.sequencer
        self.programme = begun.sequencer.programme
        if self.logs is not None:  # from here on nothing is looked for by the pump
            self.programme.logs = self.logs
        self.player = Player(sequencer, begun.actions, BLOCK, self._ahead.make_source)
        self.writer.start(at_us, seen_us, left=left)
        self.folders_changed(set(self.programme.away), set())
        while not self._paced and self._wall.now_us() < at_us:
            time.sleep(0.002)
        bus = np.empty((BLOCK, 2), dtype=np.float32)
        try:
            while not self._leaving:
                self.moved = time.monotonic()
                self._obey()
                if self.hand_over is not None:
                    self.hand_over.at_block()
                begins_us = self.sequencer.state.clock.instant_of(self.player.at)
                actions = self.player.pull(bus)
                self._show(actions)
                self._output.write(bus, begins_us)
                self._listen(bus)
                self.keep(actions)
                if self.player.at >= self._next_tick:
                    self._tick()
        finally:
            self._ahead.stop()
            self._output.close()
            self.keep(self.sequencer.leave())
            self.writer.stop()
            self._refuse()

    def begin(
        self, programme: Programme, state: AirState | None, reads_s: float = _READS_S
    ) -> Begun:
        """Work out the moment at which the first frame will be heard, and what sounds then.

        That takes time, on a busy machine more than there is: then it is done again, for a moment
        that leaves as much time as it took. `reads_s` is how long the first item may take to be
        read.
        """
        lead_us = _LEAD_US
        for _ in range(_STARTS):
            now_us = self._wall.now_us()
            at_us = now_us + (0 if self._paced else lead_us)
            sequencer, actions = take_the_air(programme, state, at_us)
            self._read_first(sequencer, actions, reads_s)
            after_us = self._wall.now_us()
            if self._paced or after_us <= at_us + _DRIFT_US:
                break
            lead_us = max(lead_us, (after_us - now_us) * 5 // 4)
        return Begun(at_us, sequencer, actions)

    def _read_first(self, sequencer: Sequencer, begun: Iterable[Action], longest_s: float) -> None:
        """Give the first item a moment to be read, so that the start is not a gap.

        It is joined in progress, or the first that the sequencer starts by itself.
        """
        coming = Sequencer(sequencer.programme, sequencer.state.copy()).advance(
            sequencer.state.clock.frame + 1
        )
        first = [action for action in (*begun, *coming) if isinstance(action, StartVoice)]
        self._ahead.want(first)
        end = time.monotonic() + longest_s
        while first and time.monotonic() < end and not self._ahead.ready(first[0], 1.0):
            time.sleep(0.005)

    def _obey(self) -> None:
        """Do what was asked, as much as there is time for between two blocks."""
        end = time.monotonic() + _OBEY_S
        while time.monotonic() < end:
            try:
                what, answer = self._asked.get_nowait()
            except queue.Empty:
                return
            if not answer.set_running_or_notify_cancel():
                continue
            try:
                answer.set_result(what())
            except Exception as error:  # noqa: BLE001 - the edge of one request: the asker is told
                answer.set_exception(error)

    def _refuse(self) -> None:
        """Answer what is asked of an engine that has ended."""
        with contextlib.suppress(queue.Empty):
            while True:
                _, answer = self._asked.get_nowait()
                if answer.set_running_or_notify_cancel():
                    answer.set_exception(EnvironmentFault("the engine has gone off the air"))

    def apply(self, actions: Iterable[Action]) -> None:
        """Carry out actions that an order from outside led to."""
        assert self.player is not None
        self.player.apply(actions)

    def _show(self, actions: Iterable[Action]) -> None:
        """Have players shown what starts in this block."""
        settings, told = self.programme.settings, self._now_playing
        for action in actions:
            if not isinstance(action, StartVoice):
                continue
            told.rules, told.station = settings.titles, settings.name
            at_us = self.sequencer.state.clock.instant_of(action.play.start)
            shown = told.started(action.play.item, at_us, action.play.line.shows)
            if shown is not None:
                self._output.show(shown)

    def renew(self, items: Iterable[Item]) -> list[int]:
        """Take edited items up; returns the cart numbers of those that were.

        What sounds goes on with its old audio, and so does what is just about to start.
        """
        soon = self.sequencer.state.clock.frame + round(_IMMINENT_S * self.rate)
        imminent = {order.play.item.cart for order in self._orders if order.play.start <= soon}
        taken = [item for item in items if item.cart not in imminent]
        for item in taken:
            self.programme.items[item.cart] = item
        if taken:
            self._looked = -1
        return [item.cart for item in taken]

    def _listen(self, bus: NDArray[np.float32]) -> None:
        """Follow the level, and step on when nothing is heard that should be."""
        # NumPy reduces rows of 128 samples ten times as fast as rows of two
        columns = np.maximum.reduce(np.abs(bus).reshape(_ROWS, -1), axis=0)
        peaks = np.maximum.reduce(columns.reshape(-1, 2), axis=0)
        self._peaks = np.maximum(peaks, self._peaks * _METER_FALL)
        state = self.sequencer.state
        if float(peaks.max()) > _DEAD_AIR or state.order.playing is None or state.order.stopped:
            self._quiet_frames = 0
        else:
            self._quiet_frames += len(bus)
            self.longest_quiet_s = max(self.longest_quiet_s, self._quiet_frames / self.rate)
        playing = state.order.playing
        patience = max(_DEAD_AIR_S, playing.item.patience_s + 1 if playing else 0.0)
        if playing is not None and self._quiet_frames > patience * self.rate:
            self._quiet_frames = 0
            text = f"Dead air: “{playing.item.title}” is silent, so the next line starts."
            finding = Finding(
                "dead-air",
                Severity.ALARM,
                state.clock.frame,
                text,
                f"Listen to {playing.item.path or 'the output'} and mark its end.",
                playing.line.id,
            )
            self.apply([finding, *self.sequencer.skip("dead air")])

    def _tick(self) -> None:
        """Five times a second of station time: look ahead, look around."""
        assert self.player is not None
        self._next_tick = self.player.at + self.rate // 5
        self._follow_clock()
        self._look_ahead()
        self._leave_tone()
        self._look_for_hanging()
        self._look_for_truncation()
        state = self.sequencer.state
        levels = [20 * log10(max(float(peak), 1e-5)) for peak in self._peaks]
        self.sight = EngineStatus(
            state.clock.instant_of(self.player.at)
            - self._output.waiting_frames() * US // self.rate,
            self.player.at - self._output.waiting_frames(),
            state.revision,
            state.order.unattended,
            state.order.stopped,
            (levels[0], levels[1]),
            self._output.late,
            self._ahead.underruns,
            self.player.limiter.reduced,
            self._output.problem or self.writer.problem,
            self._output.simulated,
            self.snapshot is not None,
            tuple(self.watchdog.standing) if self.watchdog else (),
            self._output.sights(),
            self._now_playing.shown.text if self._now_playing.shown else "",
        )

    def _follow_clock(self) -> None:
        """Follow the wall clock when it has lastingly left the sample counter."""
        assert self.player is not None
        if self._paced:
            return
        state = self.sequencer.state
        waiting = self._output.waiting_frames() * US // self.rate
        heard = us_from_frames(self.player.at, self.rate) - waiting
        away = self._wall.now_us() - heard - state.clock.offset_us
        self._drifted = self._drifted + 1 if abs(away) > _DRIFT_US else 0
        if self._drifted < _DRIFT_TICKS:
            return
        self._drifted = 0
        state.clock.offset_us += away
        state.revision += 1
        if abs(away) > US:
            when = clock(self._wall.now_us(), self.programme.settings.tz)
            text = f"The clock moved by {away / US:+.1f} s; it is {when} now."
            self.apply(
                [
                    Finding(
                        "clock-moved", Severity.NOTE, state.clock.frame, text, "Check time keeping."
                    )
                ]
            )

    def _look_ahead(self) -> None:
        """Work out what sounds within the next minute, and have it read."""
        assert self.player is not None
        state = self.sequencer.state
        if state.revision == self._looked and self.player.at < self._next_look:
            return  # nothing has changed, and the last look reaches far
        self._looked = state.revision
        self._next_look = self.player.at + round(_PREVIEW_S / 10 * self.rate)
        copy = Sequencer(self.programme, state.copy())
        coming = copy.advance(state.clock.frame + round(_PREVIEW_S * self.rate))
        orders: list[Start] = [
            action for action in coming if isinstance(action, StartVoice | StartOverlay)
        ]
        self._orders = orders.copy()
        # whoever skips wants the next line at once
        skipping = Sequencer(self.programme, state.copy()).skip()
        self._at_once = [action for action in skipping if isinstance(action, StartVoice)]
        ready = self.hand_over.voices() if self.hand_over is not None else []
        self._ahead.want([*orders, *self._at_once, *ready])

    def _leave_tone(self) -> None:
        """Leave the station tone as soon as there is something to play, and it is read."""
        playing = self.sequencer.state.order.playing
        if playing is None or playing.line.origin.source is not LineSource.TONE:
            return
        coming = [
            order for order in self._at_once if order.play.line.origin.source != LineSource.TONE
        ]
        if coming and self.sequencer.state.order.unattended and self._ahead.ready(coming[0], 1.0):
            self.apply(self.sequencer.skip("there is something to play again", Outcome.CUT))

    def _look_for_hanging(self) -> None:
        """Give up sources whose disk does not answer, and hold what else lies there."""
        for source in self._ahead.hanging():
            folder = root_of(source.key[0], self.programme.roots)
            gone = Away(folder, self.sequencer.state.clock.now_us, "it does not answer")
            source.give_up(gone.reason)
            if folder not in self.programme.away:
                self.programme.away[folder] = gone
                self.folders_changed({folder}, set())
        self._ahead.forget_given_up()

    def note_files(self, found: FilesFound) -> None:
        """Take up what a look at the files found."""
        programme = self.programme
        for cart in [cart for cart in programme.unplayable if cart < 0]:
            del programme.unplayable[cart]  # a stream that broke off may be there again
        before = set(programme.away)
        for folder in before & set(found.away):
            found.away[folder] = programme.away[folder]  # since when it was away first
        gone = [cart for cart in found.wrong if cart not in programme.unplayable]
        note_files(programme, found)
        self.apply(cannot_play(programme, self.sequencer.state, gone))
        self.folders_changed(set(found.away) - before, before - set(found.away))

    def folders_changed(self, gone: set[str], back: set[str]) -> None:
        """Take up that folders went away or came back; `programme.away` says so already."""
        sequencer, tz = self.sequencer, self.programme.settings.tz
        for folder in gone:
            text = self.programme.away[folder].sentence(tz)
            mend = f"Mount or reconnect {folder}."
            frame = sequencer.state.clock.frame
            self.apply([Finding("folder-away", Severity.ALARM, frame, text, mend)])
        for folder in back:
            text = f"The folder {folder} is there again; the log goes on where it should be."
            frame, mend = sequencer.state.clock.frame, "Nothing needs to be done."
            self.apply([Finding("folder-back", Severity.NOTE, frame, text, mend)])
        if back:
            sequencer.folder_back()
        if gone or back:
            self._looked = -1

    def _look_for_truncation(self) -> None:
        """Tell the sequencer of a file that was found to end before its cue out."""
        playing = self.sequencer.state.order.playing
        if playing is None:
            return
        for (path, begin), position, problem in self._ahead.breaks():
            if path != playing.item.path or begin != playing.begin:
                continue
            planned = self._planned_end()
            if planned is not None and position < planned - 1:
                why = problem or "the file is shorter than it was when measured"
                self.apply(self.sequencer.died(playing.id, position, why))
                self.stir()

    def _planned_end(self) -> int | None:
        assert self.player is not None
        playing = self.sequencer.state.order.playing
        for voice in self.player.mixer.voices:
            if playing is not None and voice.play.id == playing.id:
                return voice.position + voice.left
        return None

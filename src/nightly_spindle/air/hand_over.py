"""Going by a station that was read while the engine already sounded."""

from __future__ import annotations

import time
from concurrent.futures import Future
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.air.live_logs import LiveLogs
from nightly_spindle.air.player import BLOCK
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.sequencer_actions import (
    Action,
    Dropped,
    Start,
    StartOverlay,
    StartVoice,
)
from nightly_spindle.store.programme.snapshot import Snapshot

if TYPE_CHECKING:
    from nightly_spindle.air.engine import Engine
    from nightly_spindle.core.programme.air_state import AirState

_TRIES = 4
_PUMP_S = 60.0  # the pump answers within so long, or stands
_LEAD_BLOCKS = 24  # about a second
_HALF_FRAME_US = 12  # a frame's instant may lie so far before the one it stands for
_SOON_US = 2_000_000


@dataclass(frozen=True, slots=True)
class _Ready:
    """Another sequencer, to be gone by from station frame `frame` on (`at_us` on the wall clock).

    `done` says whether the pump was in time.
    """

    frame: int
    at_us: int
    sequencer: Sequencer
    begun: list[Action]
    voices: list[Start]
    snapshot: Snapshot
    done: Future[bool]


class HandOver:
    """Has an engine go on by its station, once another thread has read that.

    Where nothing was due meanwhile the running order simply goes on. Else it is worked out where
    the station should be a moment from now, and the pump goes on there at that very frame.
    """

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._ready: _Ready | None = None

    def adopt(self, snapshot: Snapshot, state: AirState | None, *, went_on: bool) -> bool:
        """Go on by the station that was read; `state` is what had been kept of it.

        `went_on`: the engine took the air from that very state. Called by another thread than the
        pump's; returns whether the pump was in time.
        """
        engine, player = self._engine, self._engine.player
        assert player is not None
        now = player.sequencer.state.clock
        at_us = now.now_us
        due = snapshot.programme.firings(now.fired_until_us, at_us + _SOON_US)
        if went_on and not any(firing.event.acts for firing in due):
            engine.ask(lambda: self._go_on(snapshot)).result(_PUMP_S)
            return True
        lead = _LEAD_BLOCKS
        for _ in range(_TRIES):
            began, frame = time.monotonic(), player.mixed + lead * BLOCK
            at_us = now.instant_of(frame) + _HALF_FRAME_US
            sequencer, begun = take_the_air(snapshot.programme, state, at_us)
            begun = [one for one in begun if not isinstance(one, Dropped)]  # something sounded
            voices = [one for one in begun if isinstance(one, StartVoice | StartOverlay)]
            ready = _Ready(frame, at_us, sequencer, begun, voices, snapshot, Future())
            self._ready = ready
            if ready.done.result(_PUMP_S):
                return True
            took = time.monotonic() - began
            lead = max(2 * lead, round(took * 1.5 * engine.rate / BLOCK))
        return False

    # -- the pump's side ---------------------------------------------------------------------------

    def voices(self) -> list[Start]:
        """Return what will sound then: it is to be read ahead."""
        return [] if self._ready is None else self._ready.voices

    def at_block(self) -> None:
        """Go on by the other sequencer when it is its time."""
        ready, player = self._ready, self._engine.player
        assert player is not None
        if ready is None or player.mixed < ready.frame:
            return
        self._ready = None
        if player.mixed > ready.frame:
            ready.done.set_result(False)  # too late: it is worked out for a later moment
            return
        engine = self._engine
        engine.keep(engine.sequencer.leave())
        before = set(engine.programme.away)
        self._take(ready.snapshot)
        engine.writer.new_session(ready.at_us)
        # who looks by this number must see that everything is another: the desk, the journal
        here, there = engine.sequencer.state, ready.sequencer.state
        there.revision = max(here.revision, there.revision) + 1
        player.take_over(ready.sequencer, ready.begun)
        away = set(ready.snapshot.programme.away)
        engine.folders_changed(away - before, before - away)
        engine.station_changed()
        ready.done.set_result(True)

    def _go_on(self, snapshot: Snapshot) -> None:
        """Look everything up in another programme from here on; what sounds goes on."""
        snapshot.programme.away.update(self._engine.programme.away)
        self._take(snapshot)
        self._engine.sequencer.go_by(snapshot.programme)
        self._engine.station_changed()

    def _take(self, snapshot: Snapshot) -> None:
        engine = self._engine
        engine.logs = LiveLogs(snapshot.logs)
        snapshot.programme.logs = engine.logs
        engine.snapshot, engine.programme = snapshot, snapshot.programme
        engine.writer.programme = snapshot.programme
        engine.writer.keep_state()

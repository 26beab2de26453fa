"""The engine's process put together: what `air` runs, with or without its station to be read.

Taking the air needs the state file alone. The station is read by the watcher's thread; when that is
not done in a moment the engine takes the air from what it kept, and goes on by the station later.
"""

from __future__ import annotations

import gc
import logging
import os
import resource
import select
import signal
import subprocess
import sys
import threading
import time
from concurrent.futures import Future
from concurrent.futures import TimeoutError as NotYet
from contextlib import suppress
from functools import partial
from typing import TYPE_CHECKING

from nightly_spindle.air.clock import SystemClock
from nightly_spindle.air.control import Control
from nightly_spindle.air.engine import Engine
from nightly_spindle.air.hand_over import HandOver
from nightly_spindle.air.journal_writer import JournalWriter
from nightly_spindle.air.keep_awake import keep_awake
from nightly_spindle.air.kept_start import KeptStart, kept_settings
from nightly_spindle.air.live_logs import LiveLogs
from nightly_spindle.air.places import AirLock
from nightly_spindle.air.station_outputs import rack_for, watch_outputs
from nightly_spindle.air.station_watcher import StationWatcher, newest
from nightly_spindle.air.watchdog import STANDS, Watchdog, Watched
from nightly_spindle.cli.base.common import instant
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.outputs.outputs import (
    FIRST,
    NOT_HEARD,
    CardOptions,
    Output,
    output_from,
)
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.base.patience import Patience
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.playout.state_file import read_kept

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.air.clock import Clock
    from nightly_spindle.air.engine import Begun
    from nightly_spindle.air.station_watcher import Newest, Opened
    from nightly_spindle.cli.playout.wanted import Wanted
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.outputs.page_output import PageFacts
    from nightly_spindle.outputs.rack import OutputRack
    from nightly_spindle.store.base.roots import FilesFound

ASKED_BY_SIGNAL = 71  # exit status of a supervised engine that was ended by a signal
# so long after the program began the air is taken with what is known by then; but so long in any
# case a station that answers may be read and worked out
_AIR_BY_S, _LEAST_S = 1.1, 0.2
_AIR_BY_ANEW_S, _LEAST_ANEW_S = 1.3, 0.5  # with no state kept: only the station tone would sound
_WHOLE_S = 120.0  # a simulated clock has time
_TOLD_S = 4.0
_LOOKS_S = 3.0
_SOONER_S = 1.0
_NET_ALONE_S = 300.0
_HANDLES = 4096
_log = logging.getLogger(__name__)


def _more_handles() -> None:
    """Allow so many open files that a crowd on the socket leaves enough for sound."""
    soft, hard = resource.getrlimit(resource.RLIMIT_NOFILE)
    most = _HANDLES if hard == resource.RLIM_INFINITY else min(_HANDLES, hard)
    if soft < most:
        with suppress(ValueError, OSError):
            resource.setrlimit(resource.RLIMIT_NOFILE, (most, hard))


class EngineProcess:
    """One engine with all its threads. `run` blocks until it is told to leave.

    `must_restart` once only another process can go on: the station has another rate.
    """

    def __init__(self, wanted: Wanted, supervisor: int = 0) -> None:
        begun = time.monotonic()
        begin_messages(wanted.folder, "engine", wanted.log_level)
        _more_handles()
        self._wanted, self._supervisor = wanted, supervisor
        self._lock = AirLock(wanted.folder)
        self._lock.take()
        self.must_restart = False
        self._leaving = threading.Event()
        self._kept = read_kept(wanted.folder)
        anew = self._kept_state() is None
        longest, least = (_AIR_BY_ANEW_S, _LEAST_ANEW_S) if anew else (_AIR_BY_S, _LEAST_S)
        least = _WHOLE_S if wanted.simulated else least
        self._air_by = max(wanted.begun + longest, begun + least)
        self._clock_now: Callable[[], int] = SystemClock().now_us
        settings = kept_settings(self._kept)
        self._kept_start = KeptStart(self._kept, self._now)
        self._watcher = StationWatcher(wanted.folder, self._now, Patience(), self._kept_state())
        if wanted.simulated:
            at = self._simulated_start(settings)
            self._clock_now = lambda: at
        opened = self._wait_for_station()
        if opened is not None:
            settings = opened.snapshot.programme.settings
        self.settings = settings or StationSettings(wanted.folder.name, "UTC")
        self._opened = opened
        self._wall: Clock = SystemClock()
        self.output = self._rack(self._clock_now())
        self.output.go_to(self._outputs(opened))
        self._kept_alone = self._kept_start.programme(self.settings)
        self._writer = JournalWriter(wanted.folder, self._kept_alone)
        hurried = wanted.pace is not None and wanted.pace > 1
        self.engine = Engine(
            self._kept_alone,
            self._writer,
            self.output,
            self._wall,
            wanted.simulated,
            patient=hurried,
        )
        self.engine.follows_outputs = not wanted.says_where
        self.engine.hand_over = self._hand_over = HandOver(self.engine)
        self.engine.stir = self._watcher.stir
        self._clock_now = self._wall.now_us
        self._control = Control(self.engine, wanted.folder)
        self._watchdog = self._watched()

    @property
    def name(self) -> str:
        """What the station is called."""
        return self.engine.programme.settings.name

    def _now(self) -> int:
        return self._clock_now()

    def _kept_state(self) -> AirState | None:
        return None if self._wanted.cold or self._kept is None else self._kept.state

    def _simulated_start(self, settings: StationSettings | None) -> int:
        """Return the instant at which a simulated clock starts."""
        settings = settings or read_settings(self._wanted.folder)
        at = instant(self._wanted.clock, settings.tz)
        saved = self._kept_state()
        if self._wanted.resumed and saved is not None and self._wanted.clock is not None:
            at = max(at, saved.clock.frame * US // saved.clock.rate)
        return at

    def _wait_for_station(self) -> Opened | None:
        """Return the station when it is read in time; None to take the air without it."""
        if self._wanted.net_alone:
            return None
        self._watcher.start()
        opened = self._watcher.opened
        while not opened.done():
            failed = bool(self._watcher.problem) and not self._wanted.simulated
            if failed or time.monotonic() > self._air_by:
                _log.warning("the station is not read yet; the air is taken without it")
                return None
            with suppress(NotYet):
                opened.result(0.02)
        return opened.result()

    def _outputs(self, opened: Opened | None) -> tuple[Output, ...]:
        """Return where the sound goes: as was asked, else as the station or what was kept says."""
        wanted = self._wanted
        if wanted.says_where:
            card = wanted.output == "device" or (wanted.device and not wanted.output)
            options = CardOptions(device=wanted.device or "")
            return (Output(1, "Sound card", options),) if card else NOT_HEARD
        if opened is not None:
            return opened.snapshot.programme.outputs
        kept = None if self._kept is None else self._kept.outputs
        try:
            return FIRST if kept is None else tuple(output_from(one) for one in kept)
        except SettingRefused as error:
            _log.warning("the outputs that were kept cannot be: %s", error)
            return FIRST

    def _rack(self, at_us: int) -> OutputRack:
        """Return the rack of outputs; a simulated clock is the simulated card's own."""
        from nightly_spindle.simulators.soundcard import StandInSoundCard

        wanted, rate = self._wanted, self.settings.rate
        first = StandInSoundCard(rate, wanted.pace or 1.0, at_us, wanted.capture)
        if wanted.simulated:
            self._wall = first
        waiting = [first]
        return rack_for(
            wanted.folder,
            self.settings,
            lambda: waiting.pop() if waiting else StandInSoundCard(rate),
            self._page_facts,
        )

    def _page_facts(self) -> PageFacts:
        from nightly_spindle.air.page_facts import page_facts  # an engine is waited for

        return page_facts(self.engine, self.output, self._clock_now())

    def _watched(self) -> Watchdog:
        dog = Watchdog(self.engine.tell_alarm)
        dog.watch(Watched("pump", lambda: self.engine.moved, 15.0, ends=True))
        dog.watch(Watched("writer of records", lambda: self._writer.moved, 10.0))
        dog.watch(Watched("watcher", lambda: self._watcher.moved, 45.0, self._watcher.start))
        dog.watch(Watched("control socket", lambda: self._control.moved, 10.0))
        self.engine.watchdog = dog
        return dog

    # -- running -----------------------------------------------------------------------------------

    def run(self) -> None:
        """Take the air and stay on it until told to leave. Blocks."""
        state, seen_us, left = self._newest(self._opened)
        begun = self._begin_by_station(state)
        if begun is None:
            self._writer.keeps_state = False
            begun = self.engine.begin(self._kept_alone, self._kept_state(), _LEAST_S)
            threading.Thread(target=self._adopt, name="adopting", daemon=True).start()
        self._control.start()
        self._watchdog.start()
        watch_outputs(self.output, self.engine.tell_alarm, self._leaving)
        if not self._wanted.simulated:
            keep_awake(self.settings.name, self.engine.tell_alarm, self._leaving)
        if self._supervisor:
            threading.Thread(target=self._mind_supervisor, name="supervisor", daemon=True).start()
        if self._wanted.seconds is not None:
            self._leave_after(self._wanted.seconds, self._clock_now())
        try:
            self.engine.run(begun, seen_us, left=left)
        finally:
            self._leaving.set()
            self._watchdog.stop()
            self._watcher.leave()
            self._control.stop()

    def let_go(self, *, left: bool) -> None:
        """Let another engine take the air; `left`: none is to."""
        self._lock.release(left=left)

    def _begin_by_station(self, state: AirState | None) -> Begun | None:
        """Return where the station should be, if that is worked out in time, else None."""
        opened = self._opened
        if opened is None:
            return None
        made: Future[Begun] = Future()

        def work_out() -> None:
            try:
                made.set_result(self.engine.begin(opened.snapshot.programme, state))
            except Exception as error:  # the edge of the thread: raised where it is waited for  # noqa: BLE001
                made.set_exception(error)

        threading.Thread(target=work_out, name="beginning", daemon=True).start()
        try:
            begun = made.result(max(_LEAST_S / 2, self._air_by - time.monotonic()))
        except NotYet:
            _log.warning("where the station should be is not known yet; the air is taken without")
            return None
        except Exception:  # whatever is wrong with the station: something must sound  # noqa: BLE001
            _log.exception("where the station should be cannot be worked out")
            return None
        self._writer.programme = opened.snapshot.programme
        self._attach(opened)
        return begun

    def _newest(self, opened: Opened | None) -> Newest:
        found = newest(self._kept, opened)
        return found._replace(state=None) if self._wanted.cold else found

    def _attach(self, opened: Opened) -> None:
        logs = LiveLogs(opened.snapshot.logs)
        self.engine.logs = logs
        self.engine.snapshot = opened.snapshot
        self._watcher.attach(self.engine, opened.snapshot, logs)

    def _adopt(self) -> None:
        """Go on by the station once it is read."""
        try:
            self._adopt_when_read()
        except Exception:  # the edge of the thread  # noqa: BLE001
            _log.exception("the station that was read could not be gone by")
            self.engine.tell_alarm(
                "station-unread",
                "The station was read, but the engine cannot go by it.",
                "See the engine's messages; a restart of the engine tries again.",
            )

    def _adopt_when_read(self) -> None:
        if self._wanted.net_alone:
            self.engine.tell_alarm(
                "net-alone",
                "The engine ended several times shortly after its start; the safety "
                "net alone plays for five minutes.",
                "See the engine's messages.",
            )
            time.sleep(_NET_ALONE_S)
            self._watcher.start()
        try:
            opened = self._watcher.opened.result(_TOLD_S)
        except NotYet:
            why = self._watcher.problem or "it does not answer"
            self.engine.tell_alarm(
                "station-unread",
                f"The station cannot be read ({why}); the engine plays on from what it kept.",
                "Free what holds the database, or restore a backup.",
            )
            opened = self._read_later()
        while self.engine.sight is None:  # until the pump goes
            time.sleep(0.05)
        programme = opened.snapshot.programme
        if programme.settings.rate != self.engine.rate:
            self.must_restart = True
            self.engine.leave()
            return
        self.settings = programme.settings
        self.output.go_to(self._outputs(opened))
        state = self._newest(opened).state
        went_on = state is not None and state is self._kept_state()
        while not self._hand_over.adopt(opened.snapshot, state, went_on=went_on):
            time.sleep(1.0)
        assert self.engine.logs is not None
        self._watcher.attach(self.engine, opened.snapshot, self.engine.logs)
        _log.warning("the station is read; the engine goes on by it")

    def _read_later(self) -> Opened:
        """Return the station once it is read; look at what was kept meanwhile."""
        engine = self.engine

        def take_up(found: FilesFound) -> None:
            if engine.snapshot is None:
                engine.note_files(found)

        while True:
            with suppress(NotYet):
                return self._watcher.opened.result(_LOOKS_S)
            found = self._kept_start.look(engine.programme.away)
            engine.tell(partial(take_up, found), "what files are there")

    def _mind_supervisor(self) -> None:
        """Have another supervisor when ours is gone: somebody must start the engine again."""
        try:
            with open(os.pidfd_open(self._supervisor)) as handle:  # noqa: PTH123
                select.select([handle], [], [])
        except OSError:
            pass  # it is gone already
        # where all are being ended the supervisor may only have been sooner
        if self._leaving.wait(_SOONER_S) or self.engine.leaving:
            return
        self.engine.tell_alarm(
            "supervisor-gone",
            "The supervisor, which starts the engine again, has ended; another takes its place.",
            "Nothing needs to be done.",
        )
        command = [sys.executable, "-m", "nightly_spindle", *self._wanted.arguments(), "--waits"]
        try:
            subprocess.Popen(command, stdin=subprocess.DEVNULL, start_new_session=True)
        except OSError as error:
            _log.error("no other supervisor could be started: %s", error)

    def _leave_after(self, seconds: float, at_us: int) -> None:
        def watch() -> None:
            engine = self.engine
            while engine.sight is None or engine.sight.now_us < at_us + seconds * US:
                time.sleep(0.02)
            engine.leave()

        threading.Thread(target=watch, name="leave-after", daemon=True).start()


def live(wanted: Wanted, supervisor: int = 0) -> int:
    """Be the engine; returns the exit status, 0 only when it was told to leave.

    With any other a supervisor starts it again: process `supervisor`, 0 where there is none.
    """
    asked: list[int] = []
    made = EngineProcess(wanted, supervisor)

    def leave(number: int, _frame: object) -> None:
        asked.append(number)
        made.engine.leave()

    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, leave)
    # what was loaded stays: the collector need not walk through it again and again
    gc.collect()
    gc.freeze()
    print(f"{made.name} is on air (process {os.getpid()}).", flush=True)
    _log.info("%s takes the air (process %d)", made.name, os.getpid())
    made.run()
    late, quiet = made.output.late, made.engine.longest_quiet_s
    print(
        f"{made.name} is off air; {late} blocks came late, longest quiet {quiet:.1f} s.", flush=True
    )
    _log.info("%s is off air", made.name)
    status = ASKED_BY_SIGNAL if asked and supervisor else 0
    status = STANDS if made.must_restart else status
    made.let_go(left=status == 0)
    return status

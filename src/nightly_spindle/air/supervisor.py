"""Keeps the engine running: starts it again however it ends. What runs beside it too.

It gives up only when the engine was told to leave, or when it is told itself.
"""

from __future__ import annotations

import contextlib
import logging
import multiprocessing
import os
import signal
import sys
import threading
import time
from collections.abc import Callable
from multiprocessing import forkserver
from typing import TYPE_CHECKING, NoReturn

from nightly_spindle.air.beside import ALERTS, INTAKE
from nightly_spindle.air.places import engine_pid, was_told_to_leave
from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.store.base.messages import begin_messages, end_messages

if TYPE_CHECKING:
    from multiprocessing.context import ForkServerProcess
    from pathlib import Path

Life = Callable[[int, bool, bool], int]
CRASHED = 70  # exit status of a crash of our own (EX_SOFTWARE in sysexits.h)
LEFT = 0  # exit status of an engine that was told to leave
_FIRST_WAIT_S = 0.1
_LONGEST_WAIT_S = 5.0
_STEADY_S = 1.0  # an engine that ran so long starts again at once; only a loop backs off
_LIVED_S = 20.0  # one that ran so long has taken the air for good
_SHORT_LIVES = 4  # after so many short ones in a row the safety net plays alone
_KILLED = {-signal.SIGKILL, -signal.SIGTERM}  # by somebody's hand, not by what it plays
_log = logging.getLogger(__name__)


class _Engine:
    """The engine's process, started again and again.

    Each is forked from a server that has everything imported, so that it is back in no time.
    """

    def __init__(self, folder: Path, life: Life) -> None:
        self._folder, self._life = folder, life
        self._context = multiprocessing.get_context("forkserver")
        self._child: ForkServerProcess | None = None
        self._lives = self._short_lives = 0
        self._wait = _FIRST_WAIT_S
        self.leaving = False
        self._signal: int = signal.SIGTERM
        self._told = ""

    def leave(self, number: int, _frame: object) -> None:
        """Pass a signal on, and start no other engine."""
        self.leaving, self._signal = True, number
        self._pass_on()

    def _pass_on(self) -> None:
        """Have the engine leave; one that is only just being started is told a second later."""
        pid = engine_pid(self._folder) or (self._child.pid if self._child is not None else None)
        if pid is not None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(pid, self._signal)

    def _wait_for_other(self) -> None:
        """Wait while an engine runs that is not our child, ready for its end.

        Another supervisor started it, or ours lost sight of it.
        """
        _log.warning("an engine is on air already; this takes its place when it ends")
        forkserver.ensure_running()
        while not self.leaving and engine_pid(self._folder) is not None:
            time.sleep(_FIRST_WAIT_S)

    def run(self, *, waits: bool) -> int:
        """Run engines until one was told to leave; returns its exit status."""
        while not self.leaving:
            if engine_pid(self._folder) is not None:
                self._wait_for_other()
                waits = True
            if waits and was_told_to_leave(self._folder):
                break
            waits = False
            begun = time.monotonic()
            status = self._one_life()
            if self.leaving or status == LEFT:
                break
            if engine_pid(self._folder) is not None:
                continue  # the process it was forked from has ended, it has not
            lived = time.monotonic() - begun
            if status not in _KILLED:
                self._short_lives = 0 if lived > _LIVED_S else self._short_lives + 1
            self._wait = _FIRST_WAIT_S if lived > _STEADY_S else self._wait
            self._tell(f"the engine ended with status {status}; it starts again", lived)
            self._sleep(self._wait)
            self._wait = min(self._wait * 2, _LONGEST_WAIT_S)
        return LEFT

    def _one_life(self) -> int:
        """Run one engine to its end; returns its exit status, negative for a signal."""
        resumed, alone = self._lives > 0, self._short_lives >= _SHORT_LIVES
        self._lives += 1
        try:
            child = self._context.Process(
                target=_live, args=(self._life, os.getpid(), resumed, alone), name="engine"
            )
            child.start()
        except (OSError, EOFError) as error:  # no memory, no process left: tried again
            _log.warning("the engine could not be started: %s", error)
            return -1
        self._child = child
        while child.exitcode is None:
            child.join(1.0)
            if self.leaving and child.exitcode is None:
                self._pass_on()
        return child.exitcode

    def _tell(self, text: str, lived: float) -> None:
        """Say what happened, a loop of the same but once."""
        if text != self._told or lived > _STEADY_S:
            _log.warning("%s (it had run for %.1f s)", text, lived)
        self._told = text

    def _sleep(self, seconds: float) -> None:
        end = time.monotonic() + seconds
        while time.monotonic() < end and not self.leaving:
            time.sleep(0.05)


def _live(life: Life, supervisor: int, resumed: bool, alone: bool) -> None:
    """Be one engine, in the process that was forked for it."""
    signal.signal(signal.SIGINT, signal.default_int_handler)
    status = CRASHED
    try:
        status = life(supervisor, resumed, alone)
    except NightlySpindleError as error:
        _log.error("%s", error)
        status = error.exit_status
    except Exception:  # the edge of the process  # noqa: BLE001
        _log.exception("the engine ends by an error of its own")
    end_process(status)


def end_process(status: int) -> NoReturn:
    """End at once. A thread may wait for a disk that hangs, in code that must not be torn down."""
    end_messages()
    sys.stdout.flush()
    sys.stderr.flush()
    os._exit(status)


def get_ready(preload: str) -> None:
    """Start the process that engines are forked from, which imports the module `preload`."""
    multiprocessing.get_context("forkserver").set_forkserver_preload([preload])
    forkserver.ensure_running()


def supervise(folder: Path, life: Life, *, with_intake: bool = True, waits: bool = False) -> int:
    """Run engines, one after the other, until one is told to leave; returns the exit status.

    `life(supervisor, resumed, alone)` runs one in a process of its own and returns its exit status:
    `supervisor` is this process, `resumed` says that it is not the first, `alone` that the safety
    net alone is to play. `get_ready` has been called. What sends alerts is kept running beside, and
    the intake, `with_intake`. `waits`: an engine runs already, whose supervisor is gone.
    """
    begin_messages(folder, "supervisor")
    engine = _Engine(folder, life)
    signal.signal(signal.SIGTERM, engine.leave)
    signal.signal(signal.SIGINT, engine.leave)
    done = threading.Event()
    kept = [
        threading.Thread(target=one.keep, args=(folder, done), name=one.name, daemon=True)
        for one in ([INTAKE, ALERTS] if with_intake else [ALERTS])
    ]
    for thread in kept:
        thread.start()
    try:
        return engine.run(waits=waits)
    finally:
        done.set()
        for thread in kept:
            thread.join(timeout=40)

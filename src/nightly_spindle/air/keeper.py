"""The engine's memory, kept by a thread of its own so that a slow disk is not heard."""

from __future__ import annotations

import queue
import threading
from typing import TYPE_CHECKING

from nightly_spindle.core.asrun import Alarm, AsRun, records
from nightly_spindle.core.running import Outcome
from nightly_spindle.store.journal import Journal, encode_state

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable
    from pathlib import Path

    from nightly_spindle.core.actions import Action
    from nightly_spindle.core.running import AirState

_EVERY_S = 0.25  # a kill loses nothing older than a second


class Keeper:
    """Writes the as-run log, the alarms and the state, a few times a second.

    `chores` are run in the same thread every few seconds: looking at logs and files.
    """

    def __init__(self, folder: Path, chores: Callable[[], None] = lambda: None) -> None:
        self._journal = Journal(folder)
        self._chores = chores
        self._queue: queue.SimpleQueue[tuple[list[AsRun], list[Alarm], bytes | None, int]] = (
            queue.SimpleQueue()
        )
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="keeper", daemon=True)
        self._session = ""
        self._revision = -1
        self._noted_us = 0
        self.problem = ""

    def start(self, at_us: int) -> None:
        """Close what an earlier run left open, tell of the gap, start the thread."""
        self._session = str(at_us)
        gap = self._journal.close_gap(at_us)
        if gap is not None:
            since, until = gap
            key = f"{self._session}/gap"
            text = f"The engine was off for {(until - since) / 1e6:.1f} s and started again."
            line = AsRun(
                key, since, until, None, "", "Off air", "", "engine", text, Outcome.MISSED, text
            )
            alarm = Alarm(
                key, since, "engine-restarted", "alarm", text, "See the engine's own messages."
            )
            self._queue.put(([line], [alarm], None, at_us))
        self._thread.start()

    def note(self, actions: Iterable[Action], state: AirState, seen_us: int) -> None:
        """Take what happened; the state too when it has changed. Never waits."""
        lines, alarms = records(actions, state, self._session)
        changed = state.revision != self._revision
        if not (lines or alarms or changed) and seen_us - self._noted_us < 200_000:
            return
        self._revision = state.revision
        self._noted_us = seen_us
        self._queue.put((lines, alarms, encode_state(state) if changed else None, seen_us))

    def stop(self) -> None:
        """Write what is left and end."""
        self._stop.set()
        self._thread.join(timeout=10)
        self._journal.close()

    def _run(self) -> None:
        rounds = 0
        while not self._stop.wait(_EVERY_S):
            self._write()
            rounds += 1
            if rounds % 8 == 0:
                self._chores()
        self._write()

    def _write(self) -> None:
        lines: list[AsRun] = []
        alarms: list[Alarm] = []
        state: bytes | None = None
        seen: int | None = None
        while True:
            try:
                more, alarmed, body, seen = self._queue.get_nowait()
            except queue.Empty:
                break
            lines += more
            alarms += alarmed
            state = body or state
        if seen is None:
            return
        self._journal.write(lines, alarms, state, seen)
        self.problem = self._journal.problem

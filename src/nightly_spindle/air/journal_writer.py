"""The writer of records: database, side file and state file, by a thread that does nothing else.

Whatever the disk or the database do, records are kept until they are written, `problem` says what
is wrong, and an alarm tells of it.
"""

from __future__ import annotations

import logging
import queue
import threading
import time
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.outputs.outputs import output_values
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.reports.as_run import OFF_AIR, Alarm, AsRun, records
from nightly_spindle.core.station.settings import texts_from
from nightly_spindle.store.playout.journal import Journal
from nightly_spindle.store.playout.state_coding import encode_state
from nightly_spindle.store.playout.state_file import StateFile, pack

if TYPE_CHECKING:
    from collections.abc import Iterable
    from pathlib import Path

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.sequencer_actions import Action

_EVERY_S = 0.25  # a kill loses nothing older than a second
_GAP_US = 300_000  # longer than from one sign of life to the next
_POOL = 300  # songs of rotation that an engine without a database can take
_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class _Batch:
    lines: list[AsRun]
    alarms: list[Alarm]
    state: bytes | None
    carts: frozenset[int]
    seen_us: int


class JournalWriter:
    """Writes the as-run log, the alarms and the state, a few times a second.

    `problem` says what cannot be written, empty while all can; `moved` is when its thread last
    went round (monotonic seconds). `programme` is what the state's items are looked up in.
    `keeps_state` is off while the engine goes without its station: what was kept before says more.
    """

    def __init__(self, folder: Path, programme: Programme) -> None:
        self.programme = programme
        self.problem = ""
        self.keeps_state = True
        self.moved = float("inf")
        self._journal = Journal(folder)
        self._file = StateFile(folder)
        self._queue: queue.SimpleQueue[_Batch] = queue.SimpleQueue()
        self._stop = threading.Event()
        self._thread = threading.Thread(target=self._run, name="journal-writer", daemon=True)
        self._session = ""
        self._revision = -1
        self._noted_us = 0
        self._seen_us = 0
        self._pending: tuple[bytes, frozenset[int]] | None = None  # not in the state file yet
        self._unkept = ""  # why the state file cannot be written
        self._told = ""

    # -- the pump's side: nothing here waits -------------------------------------------------------

    def start(self, at_us: int, seen_us: int | None, *, left: bool = False) -> None:
        """Start the thread. `seen_us` is the last sign of life of an earlier run, None of none.

        What that left open ends there, and the time since then is told as a gap; `left`: it was
        told to leave.
        """
        self._begin(at_us)
        if seen_us is not None:
            seen_us = min(seen_us, at_us)
            self._journal.close_open(seen_us)
            # an engine that did not take leave was killed or crashed: told, however short
            if not left or at_us - seen_us >= _GAP_US:
                self._queue.put(self._gap(seen_us, at_us, left=left))
        self._thread.start()

    def new_session(self, at_us: int) -> None:
        """Give plays and lines keys of their own from here on: their numbers begin anew."""
        self._begin(at_us)

    def keep_state(self) -> None:
        """Keep the state from here on: the engine goes by its station."""
        self.keeps_state, self._revision = True, -1

    def _begin(self, at_us: int) -> None:
        self._session, self._seen_us, self._revision = str(at_us), at_us, -1

    def note(self, actions: Iterable[Action], state: AirState, seen_us: int) -> None:
        """Take what happened; the state too when it has changed."""
        lines, alarms = records(actions, state, self._session)
        changed = state.revision != self._revision
        if not (lines or alarms or changed) and seen_us - self._noted_us < 200_000:
            return
        self._revision = state.revision
        self._noted_us = seen_us
        kept = changed and self.keeps_state
        body = encode_state(state) if kept else None
        carts = frozenset(line.cart for line in state.order.upcoming) if kept else frozenset()
        self._queue.put(_Batch(lines, alarms, body, carts, seen_us))

    def alarm(self, code: str, text: str, mend: str, severity: Severity = Severity.ALARM) -> None:
        """Tell of something that no action of the sequencer tells of. From any thread."""
        key = f"{self._session}/{code}/{time.monotonic_ns()}"
        told = Alarm(key, self._seen_us, code, str(severity), text, mend)
        self._queue.put(_Batch([], [told], None, frozenset(), self._seen_us))

    def stop(self) -> None:
        """Write what is left and end."""
        self._stop.set()
        if self._thread.is_alive():
            self._thread.join(timeout=10)
        if not self._thread.is_alive():
            try:
                self._file.sign(self._seen_us, left=True)
            except OSError as error:
                _log.warning("no goodbye can be written: %s", error.strerror or error)
            self._journal.close()
            self._file.close()

    def _gap(self, since: int, until: int, *, left: bool) -> _Batch:
        off = (until - since) / 1e6
        text = f"The engine was off for {off:.1f} s and started again."
        if left:
            text = f"The engine was off for {off:.1f} s: it had been told to leave."
        key = f"{self._session}/gap"
        line = AsRun(key, since, until, None, "", OFF_AIR, "", "engine", text, Outcome.MISSED, text)
        mend = "Nothing needs to be done." if left else "See the engine's own messages."
        code, severity = ("engine-started", "note") if left else ("engine-restarted", "alarm")
        return _Batch(
            [line], [Alarm(key, since, code, severity, text, mend)], None, frozenset(), until
        )

    # -- the thread --------------------------------------------------------------------------------

    def _run(self) -> None:
        self._journal.prepare()
        while True:
            over = self._stop.wait(_EVERY_S)
            self.moved = time.monotonic()
            try:
                self._round()
            except Exception as error:  # noqa: BLE001 - the edge of the thread: it must go on
                _log.exception("records could not be written")
                self.problem = f"records could not be written ({type(error).__name__}: {error})"
            if over:
                return

    def _round(self) -> None:
        lines: list[AsRun] = []
        alarms: list[Alarm] = []
        state: bytes | None = None
        came = False
        while True:
            try:
                batch = self._queue.get_nowait()
            except queue.Empty:
                break
            came = True
            lines += batch.lines
            alarms += batch.alarms
            for alarm in batch.alarms:
                _log.info("%s: %s", alarm.severity, alarm.text)
            self._seen_us = max(self._seen_us, batch.seen_us)
            if batch.state is not None:
                state, self._pending = batch.state, (batch.state, batch.carts)
        if not came:
            return  # the pump stands: no sign of life
        begun = time.monotonic()
        self._journal.write(lines, alarms, state, self._seen_us)
        _log.debug(
            "%d lines, %d alarms, seen %d, %s, %.3f s",
            len(lines),
            len(alarms),
            self._seen_us,
            self._journal.problem,
            time.monotonic() - begun,
        )
        self._keep_state()
        self._tell()

    def _keep_state(self) -> None:
        """Keep the state where it has changed, else give a sign of life alone."""
        try:
            if self._pending is None:
                self._file.sign(self._seen_us)
            else:
                self._file.write(self._body(*self._pending), self._seen_us)
                self._pending = None
        except OSError as error:
            self._unkept = f"the state file cannot be written ({error.strerror or error})"
        else:
            self._unkept = ""

    def _body(self, state: bytes, carts: frozenset[int]) -> bytes:
        programme = self.programme
        pool = [item.cart for item in list(programme.pool)[:_POOL]]
        known = programme.items
        items = [item for cart in {*carts, *pool} if (item := known.get(cart)) is not None]
        outputs = [output_values(one) for one in programme.outputs]
        return pack(texts_from(programme.settings), state, items, pool, programme.roots, outputs)

    def _tell(self) -> None:
        """Raise an alarm when something cannot be written, and say when it can be again."""
        self.problem = self._journal.problem or self._unkept
        if self.problem == self._told:
            return
        if self.problem and not self._told:
            self.alarm(
                "records-wait",
                f"{self.problem[:1].upper()}{self.problem[1:]}.",
                "Free the disk, or end what holds the database; nothing is lost meanwhile.",
            )
        elif not self.problem:
            _log.warning("records are written again")
        self._told = self.problem

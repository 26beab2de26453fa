"""The watchdog: knows of each thread when it last moved, and tells of one that stands.

It counts the time in which it goes round itself. A process that was held as a whole (a machine
asleep, a debugger, a host without a processor to spare) had no chance to move: that is no standing.
"""

from __future__ import annotations

import logging
import math
import os
import sys
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass

from nightly_spindle.store.base.messages import end_messages

_EVERY_S = 1.0
_AT_MOST_S = 1.5 * _EVERY_S  # what one round counts for, however late it comes
_LAST_WORDS_S = 2.0
STANDS = 75  # exit status of an engine whose pump stands: it is started again (EX_TEMPFAIL)
_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Watched:
    """A thread: its name, when it last moved (monotonic s), how long it may stand.

    `replace` starts another in its place where that is safe; `ends` where only a new process helps.
    """

    name: str
    moved: Callable[[], float]
    patience_s: float
    replace: Callable[[], None] | None = None
    ends: bool = False


class Watchdog:
    """Looks at the threads once a second. `standing` names those that stand, with seconds."""

    def __init__(self, tell: Callable[[str, str, str], None]) -> None:
        self._tell = tell
        self._watched: list[Watched] = []
        self._leaving = threading.Event()
        self._thread = threading.Thread(target=self._run, name="watchdog", daemon=True)
        self.standing: dict[str, float] = {}
        self._seen: dict[str, tuple[float, float]] = {}  # when it had moved, and since then (s)

    def watch(self, watched: Watched) -> None:
        """Look after a thread."""
        self._watched.append(watched)

    def start(self) -> None:
        """Begin to look."""
        self._thread.start()

    def stop(self) -> None:
        """Look no more."""
        self._leaving.set()

    def _run(self) -> None:
        before = time.monotonic()
        while not self._leaving.wait(_EVERY_S):
            now = time.monotonic()
            self.look(min(now - before, _AT_MOST_S))
            before = now

    def look(self, passed_s: float) -> None:
        """Look at all threads; so much time counts since the last look."""
        for one in self._watched:
            try:
                self._look(one, passed_s)
            except Exception:  # noqa: BLE001 - the edge of the thread: it must go on
                _log.exception("the watchdog could not look after %s", one.name)

    def _look(self, one: Watched, passed_s: float) -> None:
        moved = one.moved()
        before, stood = self._seen.get(one.name, (math.nan, 0.0))
        # one that has not begun says infinity
        stands = stood + passed_s if moved == before and moved != math.inf else 0.0
        self._seen[one.name] = (moved, stands)
        if stands <= one.patience_s:
            if self.standing.pop(one.name, None) is not None:
                _log.warning("the %s moves again", one.name)
            return
        new = one.name not in self.standing
        self.standing[one.name] = stands
        if not new:
            return
        text = f"The {one.name} has stood for {stands:.0f} s"
        text += "; another takes its place." if one.replace else "."
        _log.error("%s", text)
        if one.ends and not self._leaving.is_set():
            _end()
        self._tell("thread-stands", text, "See the engine's messages; a disk or share may hang.")
        if one.replace is not None:
            one.replace()
            self.standing.pop(one.name, None)
            self._seen.pop(one.name, None)


def _end() -> None:
    """End the process, once it is written down where each thread stands; never returns.

    Why it ends must be read afterwards, but a disk that hangs must not keep it.
    """

    def last_words() -> None:
        for number, frame in sys._current_frames().items():  # noqa: SLF001 - public but in name
            stack = "".join(traceback.format_stack(frame))
            _log.error("thread %s stands at\n%s", names.get(number, number), stack.rstrip())
        end_messages()

    names = {one.ident: one.name for one in threading.enumerate()}
    saying = threading.Thread(target=last_words, daemon=True)
    saying.start()
    saying.join(_LAST_WORDS_S)
    os._exit(STANDS)

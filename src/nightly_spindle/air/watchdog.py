"""The watchdog: knows of each thread when it last moved, and tells of one that stands."""

from __future__ import annotations

import logging
import os
import threading
import time
from collections.abc import Callable
from dataclasses import dataclass

from nightly_spindle.store.base.messages import end_messages

_EVERY_S = 1.0
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
        while not self._leaving.wait(_EVERY_S):
            for one in self._watched:
                try:
                    self._look(one)
                except Exception:  # noqa: BLE001 - the edge of the thread: it must go on
                    _log.exception("the watchdog could not look after %s", one.name)

    def _look(self, one: Watched) -> None:
        stands = time.monotonic() - one.moved()
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
            # why it ends must be read afterwards, but a disk that hangs must not keep it
            last_words = threading.Thread(target=end_messages, daemon=True)
            last_words.start()
            last_words.join(_LAST_WORDS_S)
            os._exit(STANDS)
        self._tell("thread-stands", text, "See the engine's messages; a disk or share may hang.")
        if one.replace is not None:
            one.replace()
            self.standing.pop(one.name, None)

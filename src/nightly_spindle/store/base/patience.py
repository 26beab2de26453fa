"""Calls into folders that may hang: each has a thread of its own, and whoever asks walks away.

A reader that waits in the kernel for a dead network share cannot be called back. So nobody waits
for it: its thread is left behind, and its folder is not asked again until it has answered.
"""

from __future__ import annotations

import errno
import threading
import time
from typing import TYPE_CHECKING, Generic, TypeVar

if TYPE_CHECKING:
    from collections.abc import Callable

T = TypeVar("T")
WAIT_S = 3.0


class Hangs(OSError):
    """A folder does not answer."""

    def __init__(self, folder: str, since_s: float) -> None:
        self.folder, self.since_s = folder, since_s
        said = f"{since_s:.0f}" if since_s >= 1 else f"{since_s:.1f}"
        super().__init__(errno.ETIMEDOUT, f"it has not answered for {said} s", folder)


class _Call(Generic[T]):
    """One call in a thread of its own."""

    def __init__(self, what: Callable[[], T], name: str) -> None:
        self.begun = time.monotonic()
        self._what = what
        self._done = threading.Event()
        self._answer: list[T] = []
        self._error: BaseException | None = None
        threading.Thread(target=self._run, name=name, daemon=True).start()

    def _run(self) -> None:
        try:
            self._answer.append(self._what())
        except BaseException as error:  # noqa: BLE001 - the edge of a thread: it is raised again
            self._error = error
        self._done.set()

    @property
    def over(self) -> bool:
        return self._done.is_set()

    def answer(self, wait_s: float) -> T | None:
        """Return what came of it within so long, None when nothing has."""
        if not self._done.wait(wait_s):
            return None
        if self._error is not None:
            raise self._error
        return self._answer[0]


class Patience:
    """Asks folders, each with so much patience."""

    def __init__(self, wait_s: float = WAIT_S) -> None:
        self._wait_s = wait_s
        self._under_way: dict[str, _Call[object]] = {}
        self._lock = threading.Lock()

    def ask(self, folder: str, what: Callable[[], T], wait_s: float | None = None) -> T:
        """Return what a call into a folder gives; Hangs when that takes too long, or did before.

        What the call raises is raised here.
        """
        with self._lock:
            before = self._under_way.get(folder)
            if before is not None and not before.over:
                raise Hangs(folder, time.monotonic() - before.begun)
            call = _Call(what, f"folder {folder}")
            self._under_way[folder] = call  # type: ignore[assignment]  # its answer is ours
        waited = self._wait_s if wait_s is None else wait_s
        answer = call.answer(waited)
        if not call.over:
            raise Hangs(folder, waited)
        with self._lock:
            if self._under_way.get(folder) is call:
                del self._under_way[folder]
        return answer  # type: ignore[return-value]  # None is an answer, too

    def hanging(self) -> dict[str, float]:
        """Return the folders that have not answered, and for how many seconds."""
        now = time.monotonic()
        with self._lock:
            return {
                folder: now - call.begun
                for folder, call in self._under_way.items()
                if not call.over
            }

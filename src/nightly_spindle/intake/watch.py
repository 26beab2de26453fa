"""Watching folders: what is new there, and has come to rest."""

from __future__ import annotations

import errno
import fcntl
import os
import threading
from collections import deque
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nightly_spindle.core.library.intake import IntakeJob
from nightly_spindle.intake.walk import Unusable, audio_below
from nightly_spindle.store.library.intake_reading import Seen

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping

    from watchdog.events import FileSystemEvent
    from watchdog.observers.api import BaseObserver


LOOK_EVERY_S = 15.0  # network drives tell nothing of themselves
REST_S = 3.0  # a file that stood unchanged for so long, and that nobody writes, is whole


@dataclass(slots=True)
class _Pending:
    seen: Seen
    since: float


@dataclass(slots=True)
class Watch:
    """One job's folder. `known` is {path: (size, mtime ns)} of what was dealt with.

    `problem` says why the folder cannot be watched, empty while it can; `found` is what looks
    found that is not queued yet.
    """

    job: IntakeJob
    known: dict[str, tuple[int, int]]
    problem: str = ""
    found: deque[tuple[list[Seen], list[Unusable]]] = field(default_factory=deque)
    _next_walk: float = 0.0
    _pending: dict[str, _Pending] = field(default_factory=dict)
    _stirred: threading.Event = field(default_factory=threading.Event)

    def look_and_keep(self, now: float) -> None:
        """Look, and keep what was found in `found`, whoever still waits for it."""
        self.found.append(self.look(now))

    def stir(self) -> None:
        """Have the folder looked at soon: something moved there."""
        self._stirred.set()

    def look(self, now: float) -> tuple[list[Seen], list[Unusable]]:
        """Return the files that are new and at rest, and names that cannot be used.

        `now` is monotonic, in seconds. Call it about once a second.
        """
        odd: list[Unusable] = []
        if now >= self._next_walk or self._stirred.is_set():
            self._stirred.clear()
            self._next_walk = now + LOOK_EVERY_S
            odd = self._walk(now)
        ready = []
        for path, pending in list(self._pending.items()):
            try:
                stat = os.stat(path)  # noqa: PTH116
            except OSError:
                del self._pending[path]
                continue
            if (stat.st_size, stat.st_mtime_ns) != (pending.seen.size, pending.seen.mtime_ns):
                seen = type(pending.seen)(path, stat.st_size, stat.st_mtime_ns)
                self._pending[path] = _Pending(seen, now)
            elif now - pending.since >= REST_S and not being_written(path):
                del self._pending[path]
                self.known[path] = (stat.st_size, stat.st_mtime_ns)
                ready.append(pending.seen)
        return ready, odd

    def _walk(self, now: float) -> list[Unusable]:
        odd = []
        done = os.path.realpath(os.path.join(self.job.folder, self.job.options.done_folder))  # noqa: PTH118
        try:
            for found in audio_below(self.job.folder, subfolders=self.job.subfolders, but={done}):
                if isinstance(found, Unusable):
                    if found.shown not in self.known:
                        self.known[found.shown] = (0, 0)
                        odd.append(found)
                elif (
                    self.known.get(found.path) != (found.size, found.mtime_ns)
                    and found.path not in self._pending
                ):
                    self._pending[found.path] = _Pending(found, now)
        except OSError as error:
            self.problem = f"{self.job.folder} cannot be read: {error.strerror or error}"
        else:
            self.problem = ""
        return odd


def being_written(path: str) -> bool:
    """Whether a program on this machine holds the file open for writing.

    Asks for a read lease, which Linux refuses while there is a writer. Where leases are not
    to be had (network drives, files of others) nobody knows, and the answer is no.
    """
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK)
    except OSError:
        return False
    try:
        fcntl.fcntl(handle, fcntl.F_SETLEASE, fcntl.F_RDLCK)
    except OSError as error:
        return error.errno in {errno.EAGAIN, errno.EWOULDBLOCK}
    else:
        fcntl.fcntl(handle, fcntl.F_SETLEASE, fcntl.F_UNLCK)
        return False
    finally:
        os.close(handle)


class Notifier:
    """Native notification of what moves below folders, through watchdog; silent where it fails."""

    def __init__(self, stirred: Callable[[int], None]) -> None:
        self._stirred = stirred
        self._observer: BaseObserver | None = None

    def follow(self, folders: Mapping[int, str]) -> None:
        """Tell of these folders (job id: path) from now on, and of no others."""
        from watchdog.events import FileSystemEventHandler
        from watchdog.observers import Observer

        self.stop()
        observer = Observer()
        stirred = self._stirred

        class _Handler(FileSystemEventHandler):
            def __init__(self, job: int) -> None:
                self._job = job

            def on_any_event(self, event: FileSystemEvent) -> None:
                if event.event_type not in {"opened", "closed_no_write"}:
                    stirred(self._job)

        for job, folder in folders.items():
            try:
                observer.schedule(_Handler(job), folder, recursive=True)
            except OSError:
                continue  # not there, or no watches left: the look every 15 s finds it all
        observer.start()
        self._observer = observer

    def stop(self) -> None:
        """Tell of nothing more."""
        if self._observer is not None:
            self._observer.stop()
            self._observer.join(timeout=5)
            self._observer = None

"""Locks of a station: held by one process as long as it lives; the kernel lets go of them."""

from __future__ import annotations

import contextlib
import fcntl
import logging
import os
import time
from typing import IO, TYPE_CHECKING

from nightly_spindle.core.base.errors import LockHeld, StorageFault
from nightly_spindle.core.base.plain_files import open_plain

if TYPE_CHECKING:
    from pathlib import Path

_LOOKS, _LOOK_S = 4, 0.01
_log = logging.getLogger(__name__)


class Lock:
    """A lock file that holds the process number of whoever has it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._file: IO[str] | None = None

    def take(self) -> None:
        """Take the lock; LockHeld, with the other's process number, when another has it.

        What is no file and lies in its place is set aside.
        """
        _set_aside(self.path)
        try:
            file = self.path.open("a+", encoding="ascii")
        except OSError as error:
            try:  # a disk that cannot be written can still be locked
                file = self.path.open("r", encoding="ascii")
            except OSError:
                raise StorageFault(f"{self.path} cannot be written: {error.strerror}") from error
        try:
            _lock(file)
        except BlockingIOError as error:
            file.seek(0)
            pid = file.read().strip() or "unknown"
            file.close()
            raise LockHeld(pid) from error
        self._file = file
        with contextlib.suppress(OSError):  # the disk is full, or read-only: the lock holds
            os.ftruncate(file.fileno(), 0)
            os.pwrite(file.fileno(), f"{os.getpid()}\n".encode(), 0)

    def release(self) -> None:
        """Let go of the lock."""
        if self._file is not None:
            self._file.close()
            self._file = None


def _lock(file: IO[str]) -> None:
    """Lock a file; BlockingIOError when another has it for longer than `holder` needs to look."""
    for _ in range(_LOOKS):
        with contextlib.suppress(BlockingIOError):
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return
        time.sleep(_LOOK_S)
    fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)


def _set_aside(path: Path) -> None:
    """Move away what is no file: a folder, a pipe."""
    with contextlib.suppress(OSError):
        if path.exists() and not path.is_file():
            aside = path.with_name(f"{path.name}-set-aside-{time.time_ns()}")
            path.rename(aside)
            _log.warning("%s was no file; it lies at %s now", path, aside)


def holder(path: Path) -> int | None:
    """Return the process that holds a lock, None when none does."""
    try:
        with open_plain(path) as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError:
                text = file.read().decode("ascii", "replace").strip()
                return int(text) if text.isdigit() else None
    except OSError:
        return None
    return None

"""Locks of a station: held by one process as long as it lives; the kernel lets go of them."""

from __future__ import annotations

import contextlib
import fcntl
import os
from typing import IO, TYPE_CHECKING

from nightly_spindle.core.errors import LockHeld, StorageFault

if TYPE_CHECKING:
    from pathlib import Path


class Lock:
    """A lock file that holds the process number of whoever has it."""

    def __init__(self, path: Path) -> None:
        self.path = path
        self._file: IO[str] | None = None

    def take(self) -> None:
        """Take the lock; LockHeld, with the other's process number, when another has it."""
        try:
            file = self.path.open("a+", encoding="ascii")
        except OSError as error:
            try:  # a disk that cannot be written can still be locked
                file = self.path.open("r", encoding="ascii")
            except OSError:
                raise StorageFault(f"{self.path} cannot be written: {error.strerror}") from error
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
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


def holder(path: Path) -> int | None:
    """Return the process that holds a lock, None when none does."""
    try:
        with path.open("r", encoding="ascii") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_SH | fcntl.LOCK_NB)
            except BlockingIOError:
                text = file.read().strip()
                return int(text) if text.isdigit() else None
    except OSError:
        return None
    return None

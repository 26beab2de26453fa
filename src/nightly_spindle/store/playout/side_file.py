"""Records that the database cannot take yet: one JSON object a line, in space reserved beforehand.

The file has its room before it is needed, so that a full disk can still be told of. What is not
used of it is filled with zero bytes.
"""

from __future__ import annotations

import os
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterable
    from pathlib import Path

SIDE_FILE = "as-run-waiting.jsonl"
RESERVED = 2 * 2**20  # bytes: a night of records, several times over


class SideFile:
    """The side file of one station. Every method may raise OSError: the disk refuses."""

    def __init__(self, folder: Path, reserved: int = RESERVED) -> None:
        self.path = folder / SIDE_FILE
        self._reserved = reserved
        self._handle = -1
        self._end = 0  # bytes in use

    def open(self) -> list[bytes]:
        """Open the file, making it where there is none; returns the rows that wait in it.

        A row that was cut off by a kill is left out, and written over.
        """
        if self._handle < 0:
            self._handle = os.open(self.path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o644)
        size = os.fstat(self._handle).st_size
        held = os.pread(self._handle, size, 0).partition(b"\0")[0] if size else b""
        self._end = held.rfind(b"\n") + 1
        if size > self._end:  # a row that was cut off must not show behind those to come
            os.pwrite(self._handle, bytes(size - self._end), self._end)
        if size < self._reserved:
            os.posix_fallocate(self._handle, 0, self._reserved)
        return held[: self._end].splitlines()

    @property
    def in_use(self) -> bool:
        """Whether there are rows in it."""
        return self._end > 0

    def append(self, rows: Iterable[bytes]) -> None:
        """Add rows; they are on the disk when this returns."""
        if self._handle < 0:
            self.open()
        data = b"".join(row + b"\n" for row in rows)
        done = 0
        while done < len(data):
            done += os.pwrite(self._handle, data[done:], self._end + done)
        os.fsync(self._handle)
        self._end += len(data)

    def clear(self) -> None:
        """Forget the rows; the room stays reserved."""
        if not self.in_use or self._handle < 0:
            return
        if self._end > self._reserved:
            os.ftruncate(self._handle, self._reserved)
        os.pwrite(self._handle, bytes(min(self._end, self._reserved)), 0)
        os.fsync(self._handle)
        self._end = 0

    def close(self) -> None:
        """Let go of the file."""
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1

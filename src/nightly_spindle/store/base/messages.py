"""What the program says of itself: a time-stamped, rotating file for each kind of process.

They lie in the station's folder `messages`: `engine.log`, `supervisor.log`, `intake.log`,
`planner.log`, `desk.log`. Everything goes through `logging`; records are written by a thread of
their own, so that a disk that hangs or is full holds up nobody who has something to say.
"""

from __future__ import annotations

import atexit
import logging
import queue
import sys
from datetime import UTC, datetime
from heapq import merge
from logging.handlers import QueueHandler, QueueListener, RotatingFileHandler
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Iterator
    from pathlib import Path

FOLDER = "messages"
_MOST_BYTES = 1_000_000
_KEPT_FILES = 3
_TAIL_BYTES = 256 * 1024
_writers: list[QueueListener] = []


class _Stamped(logging.Formatter):
    """Lines that begin with the instant in UTC, so that those of several files can be merged."""

    def formatTime(self, record: logging.LogRecord, datefmt: str | None = None) -> str:  # noqa: N802
        del datefmt
        return datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds")


class _QuietFile(RotatingFileHandler):
    """Keeps still when the disk refuses: what it would say then nobody could read."""

    def handleError(self, record: logging.LogRecord) -> None:  # noqa: N802
        del record


def begin_messages(folder: Path, who: str, level: str = "INFO", *, echo: bool = True) -> None:
    """Write what this process has to say into the station's folder from here on.

    `who` names the file. `echo` sends warnings and worse to standard error as well. A folder that
    cannot be written is no reason to stop: then standard error is all there is.
    """
    handlers: list[logging.Handler] = []
    try:
        (folder / FOLDER).mkdir(exist_ok=True)
        file = _QuietFile(
            folder / FOLDER / f"{who}.log",
            maxBytes=_MOST_BYTES,
            backupCount=_KEPT_FILES,
            encoding="utf-8",
            errors="backslashreplace",
            delay=True,
        )
        file.setFormatter(_Stamped(f"%(asctime)s %(levelname)s {who}: %(message)s"))
        handlers.append(file)
    except OSError:
        echo = True
    if echo:
        aloud = logging.StreamHandler(sys.stderr)
        aloud.setLevel(logging.WARNING)
        aloud.setFormatter(logging.Formatter("%(message)s"))
        handlers.append(aloud)
    waiting: queue.SimpleQueue[logging.LogRecord] = queue.SimpleQueue()
    root = logging.getLogger()
    root.setLevel(level)
    root.addHandler(QueueHandler(waiting))
    writer = QueueListener(waiting, *handlers, respect_handler_level=True)
    writer.start()
    _writers.append(writer)
    atexit.register(end_messages)


def end_messages() -> None:
    """Write what is left to say; nothing is said after that."""
    while _writers:
        _writers.pop().stop()


def last_messages(folder: Path, most: int) -> list[str]:
    """Return the newest lines of all processes, by time; what belongs to a line stays with it."""
    files = sorted((folder / FOLDER).glob("*.log"))
    whole = merge(*(_entries(file) for file in files), key=lambda entry: entry[0][:24])
    lines = [line for entry in whole for line in entry]
    return lines[-most:] if most > 0 else []


def _entries(file: Path) -> Iterator[list[str]]:
    """Yield the entries at the end of a file: a line with a time, and those that follow it."""
    try:
        with file.open("rb") as source:
            size = source.seek(0, 2)
            source.seek(max(0, size - _TAIL_BYTES))
            text = source.read().decode("utf-8", "replace")
    except OSError:
        return
    entry: list[str] = []
    for line in text.splitlines()[size > _TAIL_BYTES :]:
        if entry and line[:4].isdigit() and line[4:5] == "-":
            yield entry
            entry = []
        entry.append(line)
    if entry:
        yield entry

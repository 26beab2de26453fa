"""Reading the logs that lie in a drop's folder, matched to the library."""

from __future__ import annotations

import os
import time
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.drops import (
    LogDrop,
    LogReading,
    ReadingState,
    nearest_names,
    same_name,
)
from nightly_spindle.core.errors import LogUnreadable
from nightly_spindle.core.logs import Log, read_log
from nightly_spindle.core.matching import Candidate, Match, match_line, name_key
from nightly_spindle.store.station import absolute

if TYPE_CHECKING:
    import sqlite3
    from datetime import date

    from nightly_spindle.core.items import Item

Signature = tuple[int, int]  # size, modified (ns)


class LogReader:
    """Reads logs and remembers them. `reading` answers at once what is known.

    A file is read again when its size or time changes (`refresh`). With `settle_s` a
    file is taken only when it has stood unchanged for so long, so that one that is
    still being written is not.
    """

    def __init__(
        self,
        folder: Path,
        connection: sqlite3.Connection,
        items: dict[int, Item],
        settle_s: float = 0.0,
    ) -> None:
        self._folder = folder
        self._connection = connection
        self._items = items
        self._settle_s = settle_s
        self._known: dict[tuple[int, date], LogReading] = {}
        self._signatures: dict[tuple[int, date], Signature] = {}
        self._looks: dict[str, tuple[Signature, float]] = {}

    def reading(self, drop: LogDrop, day: date) -> LogReading:
        """Return what is known of the log; it is looked for the first time it is asked for."""
        known = self._known.get((drop.id, day))
        return known if known is not None else self.refresh(drop, day)

    def refresh(self, drop: LogDrop, day: date) -> LogReading:
        """Look at the file again and read it when it is new or has changed."""
        place = (drop.id, day)
        wanted = drop.file_name(day)
        try:
            names = os.listdir(drop.folder)  # noqa: PTH208 - names only
        except OSError as error:
            problem = f"the folder {drop.folder} cannot be read: {error.strerror}"
            return self._keep(place, _none(drop, day, ReadingState.UNREADABLE, problem))
        name = same_name(wanted, names)
        if name is None:
            near = nearest_names(wanted, names)
            return self._keep(place, _none(drop, day, ReadingState.MISSING, "", near))
        path = Path(drop.folder) / name
        try:
            stat = path.stat()
        except OSError as error:
            problem = f"{path} cannot be read: {error.strerror}"
            return self._keep(place, _none(drop, day, ReadingState.UNREADABLE, problem))
        signature = (stat.st_size, stat.st_mtime_ns)
        if self._signatures.get(place) == signature and place in self._known:
            return self._known[place]
        if self._growing(str(path), signature):
            return self._keep(place, _none(drop, day, ReadingState.GROWING))
        return self._keep(place, self._read(drop, day, path), signature)

    def forget(self) -> None:
        """Have every log read and matched again at the next look: the library has changed."""
        self._signatures.clear()

    def match(self, log: Log, folder: str) -> list[Match]:
        """Match a log that lies in `folder`, bringing what it means into reach."""
        from nightly_spindle.store.snapshot import items_by_name

        roots = [
            absolute(self._folder, row["path"])
            for row in self._connection.execute("SELECT path FROM root")
        ]
        candidates: dict[str, list[Candidate]] = {}
        found: dict[int, Item] = {}
        keys = (name_key(line.raw) for line in log.lines)
        for key, path, item in items_by_name(self._connection, self._folder, keys):
            candidates.setdefault(key, []).append(Candidate(item.cart, path))
            found[item.cart] = item
        matches = [match_line(line, folder, roots, candidates) for line in log.lines]
        for match in matches:
            if match.cart is not None:
                self._items.setdefault(match.cart, found[match.cart])
        return matches

    def _read(self, drop: LogDrop, day: date, path: Path) -> LogReading:
        try:
            log = read_log(path)
        except LogUnreadable as error:
            return LogReading(drop.id, day, path.name, ReadingState.UNREADABLE, (), str(error))
        state = ReadingState.READ if log.lines else ReadingState.EMPTY
        matches = tuple(self.match(log, drop.folder))
        return LogReading(drop.id, day, path.name, state, matches)

    def _growing(self, path: str, signature: Signature) -> bool:
        if not self._settle_s:
            return False
        if time.time() - signature[1] / 1e9 >= self._settle_s:
            return False
        seen, since = self._looks.get(path, (None, 0.0))
        now = time.monotonic()
        if seen != signature:
            self._looks[path] = (signature, now)
            return True
        return now - since < self._settle_s

    def _keep(
        self, place: tuple[int, date], reading: LogReading, signature: Signature | None = None
    ) -> LogReading:
        self._known[place] = reading
        if signature is None:
            self._signatures.pop(place, None)
        else:
            self._signatures[place] = signature
        return reading


def _none(
    drop: LogDrop,
    day: date,
    state: ReadingState,
    problem: str = "",
    nearest: tuple[str, ...] = (),
) -> LogReading:
    return LogReading(drop.id, day, drop.file_name(day), state, (), problem, nearest)

"""Audio that coming logs name and that lies in a root but not in the library: taken in ahead.

Only for log drops that allow it. What was refused once is tried again when the file changes.
"""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.log_periods import AHEAD_US
from nightly_spindle.core.library.intake import FileFate, IntakeOptions
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import arrivals
from nightly_spindle.store.library.intake_reading import Seen
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    from nightly_spindle.core.station.log_sources import LogDrop
    from nightly_spindle.store.programme.snapshot import Snapshot

_EVERY_S = 20.0
_SETTLE_S = 3.0


class LogFiles:
    """Looks through the coming logs of one station now and then."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._snapshot: Snapshot | None = None
        self._change = -1
        self._next = 0.0

    def work(self, now: float, change: int) -> int:
        """Queue what coming logs name; returns how many files. `now` is monotonic seconds."""
        if now < self._next:
            return 0
        self._next = now + _EVERY_S
        if self._snapshot is None or change != self._change:
            self.close()
            self._snapshot = open_station(self._folder, settle_s=_SETTLE_S)
            self._change = change
        drops = self._snapshot.programme.drops.values()
        return sum(
            self._queue(self._snapshot, drop)
            for drop in drops
            if drop.options.enabled and drop.options.take_in
        )

    def close(self) -> None:
        """Let go of the station."""
        if self._snapshot is not None:
            self._snapshot.connection.close()
            self._snapshot = None

    def _queue(self, snapshot: Snapshot, drop: LogDrop) -> int:
        now = time.time_ns() // 1000
        coming = snapshot.programme.coming(drop, now, now + AHEAD_US)
        readings = snapshot.logs.look([(drop, slot) for slot in coming])
        named = {match.file for reading in readings for match in reading.lost if match.file}
        seen = [found for path in sorted(named) if (found := _seen(path)) is not None]
        if not seen:
            return 0
        options = IntakeOptions(drop.options.take_in_kind, source=FileFate.LEAVE)
        with LibraryTransaction(self._folder) as library:
            known = arrivals.seen_before(library, [one.path for one in seen])
            new = [one for one in seen if known.get(one.path) != (one.size, one.mtime_ns)]
            return arrivals.queue(library, new, options) if new else 0


def _seen(path: str) -> Seen | None:
    try:
        stat = Path(path).stat()
    except OSError:
        return None  # it went away since the log was read
    return Seen(path, stat.st_size, stat.st_mtime_ns)

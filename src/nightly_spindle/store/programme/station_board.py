"""What the boards of logs, events and overlays share: a station that is read anew when edited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.programme.snapshot import Snapshot, open_station

if TYPE_CHECKING:
    from pathlib import Path


class StationBoard:
    """Reads one station again and again; one thread uses one board.

    `settle_s`: how long a log must have stood unchanged to be read.
    """

    def __init__(self, folder: Path, *, settle_s: float = 0.0) -> None:
        self._folder, self._settle_s = folder, settle_s
        self._snapshot: Snapshot | None = None

    def close(self) -> None:
        """Close the database."""
        if self._snapshot is not None:
            self._snapshot.connection.close()
            self._snapshot = None

    def _fresh(self) -> tuple[Snapshot, bool]:
        """Return the station as it is programmed now, and whether it was read anew."""
        known = self._snapshot
        if known is not None and change_count(known.connection) == known.count:
            return known, False
        self.close()
        self._snapshot = open_station(self._folder, settle_s=self._settle_s, shared=True)
        return self._snapshot, True

"""Reading logs off the interface thread."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from nightly_spindle.desk.shelf import Shelf
from nightly_spindle.store.log_board import LogBoard

if TYPE_CHECKING:
    from pathlib import Path

    from PySide6.QtCore import QObject

Look = Callable[[LogBoard, int], Any]


class LogReading:
    """Runs looks at the logs in a thread of their own; `now_us` gives the station's instant."""

    def __init__(
        self, folder: Path, parent: QObject, now: Callable[[], int] = lambda: time.time_ns() // 1000
    ) -> None:
        self._folder, self.now_us = folder, now
        self.shelf = Shelf(folder, parent)
        self._board: LogBoard | None = None

    def look(self, what: Look, then: Callable[[Any], None], key: str = "") -> None:
        """Run `what`, then give its answer to `then`; of the same key only the newest answers."""
        now = self.now_us()

        def work(_catalogue: object) -> Any:
            # made by the thread that uses it
            self._board = self._board or LogBoard(self._folder)
            return what(self._board, now)

        self.shelf.look(work, then, key)

    def close(self) -> None:
        """Finish what is under way."""
        self.shelf.close()
        if self._board is not None:
            self._board.close()

"""Reading a board of logs or of events off the interface thread."""

from __future__ import annotations

import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any, Generic, Protocol, TypeVar

from nightly_spindle.desk.kit.library_worker import LibraryWorker

if TYPE_CHECKING:
    from pathlib import Path

    from PySide6.QtCore import QObject


class _Board(Protocol):
    """What is read from; one thread uses one board."""

    def close(self) -> None:
        """Give its database back."""


Board = TypeVar("Board", bound=_Board)


class BoardReading(Generic[Board]):
    """Runs looks at a board in a thread of their own; `now_us` gives the station's instant."""

    def __init__(
        self,
        folder: Path,
        parent: QObject,
        make: Callable[[Path], Board],
        now: Callable[[], int] = lambda: time.time_ns() // 1000,
    ) -> None:
        self._folder, self._make, self.now_us = folder, make, now
        self.shelf = LibraryWorker(folder, parent)
        self._board: Board | None = None

    def look(
        self,
        what: Callable[[Board, int], Any],
        then: Callable[[Any], None],
        key: str = "",
        *,
        news: bool = False,
    ) -> None:
        """Run `what`, then give its answer to `then`; key and `news` as `LibraryWorker.look`."""
        now = self.now_us()

        def work(_catalogue: object) -> Any:
            # made by the thread that uses it
            self._board = self._board or self._make(self._folder)
            return what(self._board, now)

        self.shelf.look(work, then, key, news=news)

    def close(self) -> None:
        """Finish what is under way."""
        self.shelf.close()
        if self._board is not None:
            self._board.close()

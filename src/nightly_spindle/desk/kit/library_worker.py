"""Reading and editing the library off the interface thread."""

from __future__ import annotations

import logging
import queue
import threading
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, TypeVar

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QUndoCommand

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.store.library.catalogue import Catalogue

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.store.base.transaction import LibraryTransaction

_LOG = logging.getLogger(__name__)
_LOOK_MS = 1500

Found = TypeVar("Found")
Memory = TypeVar("Memory")  # what an undo needs


@dataclass(frozen=True, slots=True, eq=False)
class _Job:
    """One thing to do, and who gets the answer."""

    what: Callable[[Catalogue], Any]
    then: Callable[[Any], None]
    key: str
    number: int
    quiet: bool
    news: bool = False


class LibraryWorker(QObject):
    """Runs looks at the catalogue and edits of the library, one after the other, in a thread.

    A plain thread and a queue: the wrappers of Qt's own runnables outlive what they wrap.
    Signals: `changed` when the library was edited, by us or by others; `failed` (str) with the
    sentence of what could not be done.
    """

    changed = Signal()
    failed = Signal(str)
    _done = Signal(object, object, str)

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.folder = folder
        self._queue: queue.SimpleQueue[_Job | None] = queue.SimpleQueue()
        self._thread: threading.Thread | None = None
        self._closing = False
        self._numbers: dict[str, int] = {}  # of the newest ask of a key
        self._shown: dict[str, int] = {}  # of the newest answer that was given
        self._done.connect(self._on_done)
        self._looking = False
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._look_for_changes)

    def open(self) -> None:
        """Begin to look for edits that others make."""
        self._timer.start()

    def close(self) -> None:
        """Finish what is under way; what waits is not begun."""
        self._timer.stop()
        self._closing = True
        self._queue.put(None)
        if self._thread is not None:
            self._thread.join(timeout=30)

    def look(
        self,
        what: Callable[[Catalogue], Found],
        then: Callable[[Found], None],
        key: str = "",
        *,
        news: bool = False,
    ) -> None:
        """Run `what` on the catalogue, then give its answer to `then` on this thread.

        Of looks with the same key only the newest is answered. With `news`, for what is asked
        again and again, one that was under way when it was asked again is answered as well: on a
        machine that answers more slowly than it is asked nothing would ever be shown.
        """
        self._start(what, then, key, quiet=False, news=news)

    def edit(
        self,
        what: Callable[[LibraryTransaction], Found],
        then: Callable[[Found], None] = lambda _: None,
    ) -> None:
        """Run `what` in one transaction; `changed` follows when it was done."""
        folder = self.folder

        def work(_catalogue: Catalogue) -> Found:
            from nightly_spindle.store.base.transaction import LibraryTransaction

            with LibraryTransaction(folder) as library:
                return what(library)

        def done(answer: Found) -> None:
            then(answer)
            self.changed.emit()

        self._start(work, done, "", quiet=False)

    def _start(
        self,
        what: Callable[[Catalogue], Found],
        then: Callable[[Found], None],
        key: str,
        *,
        quiet: bool,
        news: bool = False,
    ) -> None:
        if self._closing:
            return
        number = self._numbers.get(key, 0) + 1
        if key:
            self._numbers[key] = number
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="shelf", daemon=True)
            self._thread.start()
        self._queue.put(_Job(what, then, key, number, quiet, news))

    def _run(self) -> None:
        catalogue: Catalogue | None = None
        while (job := self._queue.get()) is not None and not self._closing:
            if self._stale(job):
                continue  # a newer one waits already
            try:
                catalogue = catalogue or Catalogue(self.folder)
                answer, problem = job.what(catalogue), ""
            except NightlySpindleError as error:
                answer, problem = None, str(error)
            except Exception as error:  # noqa: BLE001 - the edge of the thread: it goes on
                _LOG.exception("the library could not be asked")
                answer = None
                problem = f"That did not work ({type(error).__name__}: {error}); see the messages."
            if not self._closing:
                self._done.emit(job, answer, problem)
        if catalogue is not None:
            catalogue.close()

    def _stale(self, job: _Job) -> bool:
        return bool(job.key) and self._numbers[job.key] != job.number

    def _on_done(self, job: _Job, answer: object, problem: str) -> None:
        if self._closing or (self._stale(job) and not job.news):
            return
        if job.key:
            if job.number <= self._shown.get(job.key, 0):
                return
            self._shown[job.key] = job.number
        if not problem:
            job.then(answer)
        elif not job.quiet:
            self.failed.emit(problem)

    def _look_for_changes(self) -> None:
        def then(changed: bool) -> None:
            self._looking = False
            if changed:
                self.changed.emit()

        if not self._looking:
            self._looking = True
            self._start(lambda catalogue: catalogue.changed(), then, "", quiet=True)


class LibraryEdit(QUndoCommand):
    """An undoable edit: `do` returns what `undo` needs to take it back."""

    def __init__(
        self,
        shelf: LibraryWorker,
        text: str,
        do: Callable[[LibraryTransaction], Memory],
        undo: Callable[[LibraryTransaction, Memory], object],
    ) -> None:
        super().__init__(text)
        self._shelf, self._do, self._undo = shelf, do, undo
        self._memory: Any = None
        self._done = False

    def redo(self) -> None:
        """Make the edit."""
        self._shelf.edit(self._make)

    def _make(self, library: LibraryTransaction) -> None:
        # kept by the thread that edits: an undo that waits behind it finds it there
        self._done = False
        self._memory = self._do(library)
        self._done = True

    def undo(self) -> None:
        """Take it back; an edit that was refused has left nothing to take back."""
        self._shelf.edit(lambda lib: self._undo(lib, self._memory) if self._done else None)

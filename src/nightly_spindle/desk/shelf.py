"""Reading and editing the library off the interface thread."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QRunnable, QThreadPool, QTimer, Signal
from PySide6.QtGui import QUndoCommand

from nightly_spindle.core.errors import NightlySpindleError
from nightly_spindle.store.catalogue import Catalogue

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.store.library import Library

_LOOK_MS = 1500

Look = Callable[[Catalogue], Any]
Edit = Callable[["Library"], Any]
Then = Callable[[Any], None]


class Shelf(QObject):
    """Runs looks at the catalogue and edits of the library, one after the other, in a thread.

    Signals: `changed` when the library was edited, by us or by others; `failed` (str) with the
    sentence of what could not be done.
    """

    changed = Signal()
    failed = Signal(str)
    _done = Signal(str, int, object, object, bool)

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.folder = folder
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._pool.setExpiryTimeout(-1)  # the catalogue's connection belongs to its thread
        self._catalogue: Catalogue | None = None
        self._numbers: dict[str, int] = {}
        self._done.connect(self._on_done)
        self._looking = False
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._look_for_changes)

    def open(self) -> None:
        """Begin to look for edits that others make."""
        self._timer.start()

    def close(self) -> None:
        """Finish what is under way."""
        self._timer.stop()
        self._pool.clear()
        self._pool.waitForDone(10_000)
        if self._catalogue is not None:
            self._catalogue.close()
            self._catalogue = None

    def look(self, what: Look, then: Then, key: str = "") -> None:
        """Run `what` on the catalogue, then give its answer to `then` on this thread.

        Of looks with the same key only the newest is answered.
        """
        self._start(what, then, key, quiet=False)

    def edit(self, what: Edit, then: Then = lambda _: None) -> None:
        """Run `what` in one transaction; `changed` follows when it was done."""
        folder = self.folder

        def work(_catalogue: Catalogue) -> Any:
            from nightly_spindle.store.library import Library

            with Library(folder) as library:
                return what(library)

        def done(answer: Any) -> None:
            then(answer)
            self.changed.emit()

        self._start(work, done, "", quiet=False)

    def _start(self, what: Look, then: Then, key: str, *, quiet: bool) -> None:
        number = self._numbers.get(key, 0) + 1
        if key:
            self._numbers[key] = number

        def work() -> None:
            if key and self._numbers[key] != number:
                return  # a newer one waits already
            try:
                if self._catalogue is None:
                    self._catalogue = Catalogue(self.folder)
                answer = what(self._catalogue)
            except NightlySpindleError as error:
                self._done.emit(key, number, str(error), None, quiet)
            else:
                self._done.emit(key, number, answer, then, quiet)

        self._pool.start(QRunnable.create(work))

    def _on_done(
        self, key: str, number: int, answer: object, then: Then | None, quiet: bool
    ) -> None:
        if key and self._numbers[key] != number:
            return
        if then is not None:
            then(answer)
        elif not quiet:
            self.failed.emit(answer)

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
        self, shelf: Shelf, text: str, do: Edit, undo: Callable[[Library, Any], Any]
    ) -> None:
        super().__init__(text)
        self._shelf, self._do, self._undo = shelf, do, undo
        self._memory: Any = None

    def redo(self) -> None:
        """Make the edit."""
        self._shelf.edit(self._do, self._remember)

    def _remember(self, memory: Any) -> None:
        self._memory = memory

    def undo(self) -> None:
        """Take it back; what `do` said is read when its turn has come."""
        self._shelf.edit(lambda library: self._undo(library, self._memory))

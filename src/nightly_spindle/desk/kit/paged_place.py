"""A place of several pages under one row of tabs, with the gravest finding above them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QTimer
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nightly_spindle.desk.kit.desk_ear import DeskEar
from nightly_spindle.desk.kit.labels import ElidedLabel, NoteLabel
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette


class PagedPlace(Place):
    """`worst` is the line above the pages, `note` what is said for a while, `undo` its edits.

    A class of it makes its pages, calls `frame`, and says what `refresh` reads. A page may have
    `said` (str) and `hear` (path) as signals; where its keys go is `first_focus`.
    """

    def __init__(self, shelf: LibraryWorker, look_ms: int) -> None:
        super().__init__()
        self.setObjectName("place")
        self._shelf = shelf
        self.undo = QUndoStack(self)
        self.ear = DeskEar(self)
        self.worst, self.note = ElidedLabel(), NoteLabel()
        self.worst.setProperty("role", "name")
        self.stage = QStackedWidget()
        self._timer = QTimer(self)
        self._timer.setInterval(look_ms)
        self._timer.timeout.connect(self.refresh)

    def frame(
        self,
        tips: Mapping[str, str],
        pages: Sequence[QWidget],
        before: Sequence[QWidget] = (),
        after: Sequence[QWidget] = (),
    ) -> None:
        """Lay the place out: tabs, what stands before and after the note, the pages."""
        for page in pages:
            self.stage.addWidget(page)
        self.pages = Tabs(tips)
        self.pages.chosen.connect(self.show_page)
        self.tabs = self.pages.buttons
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        bar.setSpacing(4)
        bar.addWidget(self.pages)
        bar.addSpacing(10)
        for widget in before:
            bar.addWidget(widget)
            bar.addSpacing(10)
        bar.addWidget(self.note, 1)
        for widget in after:
            bar.addWidget(widget)
        told = QHBoxLayout()
        told.setContentsMargins(14, 0, 8, 0)
        told.addWidget(self.worst)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addLayout(bar)
        box.addLayout(told)
        box.addWidget(self.stage, 1)
        for page in pages:
            if hasattr(page, "said"):
                page.said.connect(self.say)
            if hasattr(page, "hear"):
                page.hear.connect(self.hear_file)
        self._shelf.failed.connect(self.say)
        self._shelf.changed.connect(self.on_changed)
        self.ear.failed.connect(self.say)

    def all_pages(self) -> list[Any]:
        """Return the pages in the order of their tabs."""
        return [self.stage.widget(at) for at in range(self.stage.count())]

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for page in self.all_pages():
            page.set_palette(palette)

    def open(self) -> None:
        """Look at what the place shows, and go on looking."""
        self._timer.start()
        self.ear.warm()
        self.refresh()

    def close_down(self) -> None:
        """Finish what is under way."""
        self._timer.stop()
        self.note.stop()
        self.ear.close()

    def say(self, sentence: str) -> None:
        """Say something at the top, for a while."""
        self.note.say(sentence)

    def show_page(self, name: str) -> None:
        """Show one of the pages."""
        self.stage.setCurrentIndex(self.pages.show_page(name))
        self.first_focus(name).setFocus()

    def first_focus(self, name: str) -> QWidget:
        """Return the widget that keys go to when a page is shown."""
        raise NotImplementedError

    def refresh(self) -> None:
        """Read again what the place shows, where it can be seen."""
        raise NotImplementedError

    def on_changed(self) -> None:
        """Something was edited."""
        self.refresh()

    def hear_file(self, path: str) -> None:
        """Listen to a file, or stop."""
        if self.ear.playing:
            self.ear.stop()
        elif path:
            self.ear.play(path)

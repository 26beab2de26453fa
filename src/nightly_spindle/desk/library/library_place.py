"""The place Library: items, lists, the waiting room, the intake."""

from __future__ import annotations

import threading
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.desk.kit.desk_ear import DeskEar
from nightly_spindle.desk.kit.intake_process import IntakeProcess
from nightly_spindle.desk.kit.labels import NoteLabel
from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.library.intake_line import IntakeLine
from nightly_spindle.desk.library.intake_page import IntakePage
from nightly_spindle.desk.library.items_page import ItemsPage
from nightly_spindle.desk.library.library_edits import LibraryEdits
from nightly_spindle.desk.library.lists_page import ListsPage
from nightly_spindle.desk.library.waiting_room import WaitingRoom
from nightly_spindle.intake.walk import Unusable, files_meant
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from nightly_spindle.core.library.intake import IntakeOptions
    from nightly_spindle.core.reports.timeline import Block
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.desk.markers.marker_editor import MarkerEditor
    from nightly_spindle.desk.segues.segue_page import SeguePage
    from nightly_spindle.store.library.intake_reading import Seen
    from nightly_spindle.store.reports.log_boards import LogBoard

_PAGES = {
    "Items": "Everything that can air",
    "Lists": "Items in a fixed order",
    "Waiting room": "What arrived and needs a look",
    "Intake": "Folders that are watched, and what came of what arrived",
    "Segue rules": "How one kind passes into another",
}
_INTAKE_MS = 5000


class LibraryPlace(Place):
    """Signals: `said` (str); `add_asked` (carts) for the running order."""

    said = Signal(str)
    add_asked = Signal(list)

    def __init__(
        self,
        shelf: LibraryWorker,
        reading: BoardReading[LogBoard],
        settings: StationSettings,
        palette: Palette,
        tonight: Callable[[], Sequence[Block]],
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._folder = shelf.folder
        self._opened = False
        self.shelf = shelf
        self.ear = DeskEar(self)
        self.edits = LibraryEdits(self.shelf, self)
        self.undo = self.edits.undo
        tz = settings.tz
        self.items = ItemsPage(self.shelf, reading, self.edits, self.ear, palette, settings)
        self.lists = ListsPage(self.shelf, self.edits, palette, settings)
        self.waiting = WaitingRoom(self.shelf, self.edits, self.ear, palette, tz)
        self.intake = IntakePage(self.shelf, palette, tz)
        self._palette, self._tonight = palette, tonight
        self._segues: SeguePage | None = None
        self._cues: MarkerEditor | None = None
        self.note = NoteLabel()
        self.measuring = IntakeLine(shelf)
        self._intake_process = IntakeProcess(shelf.folder, self)
        self._beside = QTimer(self)
        self._beside.setInterval(_INTAKE_MS)
        self._beside.timeout.connect(self.keep_intake)
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        self.pages = QStackedWidget()
        for page in (self.items, self.lists, self.waiting, self.intake, QWidget()):
            self.pages.addWidget(page)
        self._tabs = Tabs(_PAGES)
        self._tabs.chosen.connect(self.show_page)
        self.tabs = self._tabs.buttons
        row = QHBoxLayout()
        row.setContentsMargins(12, 8, 12, 0)
        row.setSpacing(4)
        row.addWidget(self._tabs)
        row.addSpacing(16)
        row.addWidget(self.note, 1)
        row.addWidget(self.measuring)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(8)
        box.addLayout(row)
        box.addWidget(self.pages, 1)
        self._tabs.show_page("Items")

    def _connect(self) -> None:
        self.shelf.changed.connect(self._refresh)
        for source in (
            self.shelf.failed,
            self.ear.failed,
            self.edits.said,
            self.items.said,
            self.lists.said,
            self.waiting.said,
            self.intake.said,
        ):
            source.connect(self.say)
        self.items.bring_asked.connect(self.bring_in)
        self.items.add_asked.connect(self.add_asked)
        self.lists.add_asked.connect(self.add_asked)
        self.items.list_made.connect(self._on_list)
        self.items.mark_asked.connect(self.mark)
        self.waiting.counted.connect(self._on_counted)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = palette
        for page in (self.items, self.lists, self.waiting, self.intake, self._segues, self._cues):
            if page is not None:
                page.set_palette(palette)

    def open(self) -> None:
        """Read the library when the place is looked at for the first time."""
        if not self._opened:
            self._opened = True
            self.shelf.open()
            self.items.open()
            self.waiting.refresh()
            # in a thread of its own: a filter must not wait behind it
            threading.Thread(target=editors.warm, name="warm", daemon=True).start()
            self.keep_intake()
            self._beside.start()
            self.measuring.look()
        if self._page():
            self.show_page(self._page())

    def close_down(self) -> None:
        """End what runs beside."""
        self._beside.stop()
        self.measuring.stop()
        if self._cues is not None:
            self._cues.close_down()
        self.intake.close_down()
        self.ear.close()
        self._intake_process.end()

    def say(self, sentence: str) -> None:
        """Say something at the top, for a while."""
        self.note.say(sentence)

    def show_page(self, name: str) -> None:
        """Show one of the pages."""
        at = self._tabs.show_page(name)
        if self._cues is not None and self.pages.currentWidget() is self._cues:
            self._cues.session.close()
            self.ear.stop()
        if name == "Segue rules":
            self.pages.setCurrentWidget(self.segues)
        else:
            self.pages.setCurrentIndex(at)
        if name == "Intake":
            self.intake.open()
        else:
            self.intake.close_down()
        if name == "Lists":
            self.lists.refresh()
        elif name == "Waiting room":
            self.waiting.refresh()
            self.waiting.list.setFocus()
        elif name == "Segue rules":
            self.segues.refresh()
            self.segues.matrix.setFocus()
        elif name == "Items":
            self.items.field.setFocus()

    # The two pages that need most are made when they are first asked for: the desk opens sooner.

    @property
    def cues(self) -> MarkerEditor:
        """The marker editor."""
        if self._cues is None:
            from nightly_spindle.desk.markers.marker_editor import MarkerEditor

            self._cues = MarkerEditor(self.shelf, self.edits.undo, self.ear, self._palette)
            self._cues.said.connect(self.say)
            self._cues.closed.connect(lambda: self.show_page("Items"))
            self.pages.addWidget(self._cues)
        return self._cues

    @property
    def segues(self) -> SeguePage:
        """The segue rules."""
        if self._segues is None:
            from nightly_spindle.desk.segues.segue_page import SeguePage

            self._segues = SeguePage(self.shelf, self.edits.undo, self._palette, self._tonight)
            self._segues.said.connect(self.say)
            at = list(_PAGES).index("Segue rules")
            blank = self.pages.widget(at)
            assert blank is not None
            self.pages.removeWidget(blank)
            self.pages.insertWidget(at, self._segues)
        return self._segues

    def mark(self, carts: list[int], first: int) -> None:
        """Open the marker editor on items."""
        if not carts:
            self.say("Choose the items to mark first.")
            return
        self.pages.setCurrentWidget(self.cues)
        self.cues.open(carts, first)

    def _page(self) -> str:
        at = self.pages.currentIndex()
        return list(_PAGES)[at] if at < len(_PAGES) else ""

    def _refresh(self) -> None:
        self.items.refresh()
        self.waiting.refresh()
        if self._page() == "Lists":
            self.lists.refresh()
        elif self._page() == "Segue rules":
            self.segues.refresh()

    def _on_counted(self, count: int) -> None:
        self.tabs["Waiting room"].setText(f"Waiting room  {count}" if count else "Waiting room")

    def _on_list(self, list_id: int) -> None:
        self.show_page("Lists")
        self.lists.choose(list_id)

    # -- bringing in -----------------------------------------------------------------------------

    def bring_in(self, paths: list[str], options: IntakeOptions) -> None:
        """Put files, and those in folders and playlists, into the queue."""

        def work(library: LibraryTransaction) -> tuple[int, list[str]]:
            found, odd = _collect(paths)
            return editors.arrivals.queue(library, found, options), odd

        def then(answer: tuple[int, list[str]]) -> None:
            count, odd = answer
            told = f"{count} file{'' if count == 1 else 's'} to be measured; see “Intake”."
            self.say(" ".join([told, *odd[:1]]))
            self.measuring.look()
            self.keep_intake()

        self.shelf.edit(work, then)

    def keep_intake(self) -> None:
        """See to it that the intake of the station runs."""
        self._intake_process.keep()


def _collect(paths: list[str]) -> tuple[list[Seen], list[str]]:
    """Return the files that paths mean, and what could not be used."""
    found: list[Seen] = []
    odd: list[str] = []
    for text in paths:
        try:
            every = list(files_meant(Path(text)))
        except OSError as error:
            odd.append(f"{text} cannot be read: {error.strerror}.")
            continue
        found += [one for one in every if not isinstance(one, Unusable)]
        odd += [one.why for one in every if isinstance(one, Unusable)]
    return found, odd

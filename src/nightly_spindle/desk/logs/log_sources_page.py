"""The log drops of the station: each read back as a sentence, and as tonight's file names."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QMessageBox,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.timebase import local_from, short_date
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.dated_names import period_of, written
from nightly_spindle.core.calendar.name_readings import patterns_from
from nightly_spindle.core.logs.log_sample import worked_out
from nightly_spindle.core.station.log_sources import (
    DropOptions,
    Loads,
    LogDrop,
    ReadingState,
    check_drop,
)
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.desk.logs.log_source_form import LogSourceForm
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from pathlib import Path

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.station.log_sources import LogReading as Found
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.store.reports.log_boards import Board, LogBoard

_PREVIEW_MS = 250
_MOST_NAMES = 26


class LogSourcesPage(QWidget):
    """Signal: `said` (str)."""

    said = Signal(str)

    def __init__(
        self,
        shelf: LibraryWorker,
        reading: BoardReading[LogBoard],
        undo: QUndoStack,
        settings: StationSettings,
    ) -> None:
        super().__init__()
        self._shelf, self._reading, self._undo = shelf, reading, undo
        self._settings = settings
        self._drops: list[LogDrop] = []
        self._kept: LogDrop | None = None
        self.list = QListWidget()
        self.list.setAccessibleName("Log drops")
        self.list.setFixedWidth(170)
        self.form = LogSourceForm()
        self.sentence, self.trouble = QLabel(""), QLabel("")
        self.sentence.setProperty("role", "sentence")
        self.trouble.setProperty("role", "warn")
        for label in (self.sentence, self.trouble):
            label.setWordWrap(True)
        self.names = QListWidget()
        self.names.setAccessibleName("The files it looks for tonight")
        self.names.setWordWrap(True)
        self.names.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.names.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.new = push_button("New drop", "Make another log drop", self.make)
        self.keep = push_button("Save", "Save the changes (Ctrl+S)", self.save)
        self.discard = push_button("Discard", "Discard the changes", self._show_chosen)
        self.remove = push_button("Remove …", "Remove this drop; its files stay", self._ask_remove)
        self.keep.setShortcut("Ctrl+S")
        self.asking: Any = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_PREVIEW_MS)
        self._soon.timeout.connect(self._preview)
        self._lay_out()
        self.list.currentRowChanged.connect(lambda _: self._show_chosen())
        self.form.changed.connect(self._on_changed)
        self.form.like_asked.connect(self.work_out_name)
        self.form.sample_asked.connect(self.work_out_format)

    def _lay_out(self) -> None:
        first = QVBoxLayout()
        first.setSpacing(6)
        first.addWidget(self.list, 1)
        first.addWidget(self.new)
        scroll = QScrollArea()
        scroll.setFrameShape(QFrame.Shape.NoFrame)
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self.form)
        side = QWidget()
        side.setObjectName("details")
        side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        side.setFixedWidth(322)
        box = QVBoxLayout(side)
        box.setContentsMargins(14, 10, 14, 10)
        box.setSpacing(8)
        caption = QLabel("TONIGHT IT LOOKS FOR")
        caption.setProperty("role", "caption")
        for widget in (self.sentence, self.trouble, caption):
            box.addWidget(widget)
        box.addWidget(self.names, 1)
        acts = QHBoxLayout()
        acts.setSpacing(6)
        for button in (self.keep, self.discard, self.remove):
            acts.addWidget(button)
        box.addLayout(acts)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 0, 0, 8)
        whole.setSpacing(14)
        whole.addLayout(first)
        whole.addWidget(scroll, 1)
        whole.addWidget(side)

    # -- showing -----------------------------------------------------------------------------------

    def show_board(self, board: Board) -> None:
        """Show the drops; what is being edited stays."""
        chosen = self._kept.id if self._kept is not None else 0
        dirty = self._dirty()
        self._drops = list(board.drops)
        self.list.blockSignals(True)
        self.list.clear()
        self.list.addItems([drop.name for drop in self._drops])
        rows = [n for n, drop in enumerate(self._drops) if drop.id == chosen]
        self.list.setCurrentRow(rows[0] if rows else 0 if not dirty else -1)
        self.list.blockSignals(False)
        if dirty:
            self._kept = next((d for d in self._drops if d.id == chosen), self._kept)
            self._on_changed()
        else:
            self._show_chosen()

    def _show_chosen(self) -> None:
        row = self.list.currentRow()
        self._kept = self._drops[row] if 0 <= row < len(self._drops) else None
        self.form.setEnabled(self._kept is not None)
        if self._kept is None:
            self.sentence.setText("There is no log drop. Make one: it says where logs arrive.")
            self.names.clear()
        else:
            self.form.show_drop(self._kept)
        self._on_changed()

    def _typed(self) -> LogDrop | None:
        """Return the drop as it is typed, None (and why) when it cannot be."""
        if self._kept is None:
            return None
        try:
            drop = self.form.drop()
            check_drop(drop)
        except NightlySpindleError as error:
            self.trouble.setText(f"{str(error)[:1].upper()}{str(error)[1:]}.")
            return None
        self.trouble.setText("")
        return drop

    def _dirty(self) -> bool:
        try:
            return self._kept is not None and self.form.drop() != self._kept
        except NightlySpindleError:
            return True

    def _on_changed(self) -> None:
        drop = self._typed()
        self.trouble.setVisible(bool(self.trouble.text()))
        dirty = self._dirty()
        self.keep.setEnabled(drop is not None and (dirty or drop.id == 0))
        self.discard.setEnabled(dirty)
        self.remove.setEnabled(self._kept is not None and self._kept.id > 0)
        if drop is not None:
            self.sentence.setText(drop.sentence())
            self._soon.start()

    def _preview(self) -> None:
        drop = self._typed()
        if drop is not None:
            self._reading.look(lambda b, now: b.preview(drop, now), self._show_names, "preview")

    def _show_names(self, found: list[Found]) -> None:
        self.names.clear()
        for reading in found[:_MOST_NAMES]:
            told = _told(reading, self._settings)
            self.names.addItem(f"{reading.slot.text}   {reading.file}\n{told}")

    # -- acts --------------------------------------------------------------------------------------

    def make(self) -> None:
        """Begin a new drop; it is made when it is kept."""
        number = len(self._drops) + 1
        folder = str(self._folder / "logs")
        drop = LogDrop(
            0, f"Drop {number}", folder, "%Y-%m-%d.m3u", DropOptions(loads=Loads.AT_TIME)
        )
        self._drops.append(drop)
        self.list.addItem(drop.name)
        self.list.setCurrentRow(len(self._drops) - 1)
        self.form.name.setFocus()
        self.form.name.selectAll()

    @property
    def _folder(self) -> Path:
        return self._shelf.folder

    def save(self) -> None:
        """Keep the drop as it is typed, undoably."""
        drop = self._typed()
        if drop is None:
            return
        self._kept = drop

        def do(library: LibraryTransaction) -> Any:
            number, before = editors.log_source_edits.save_drop(library, drop)
            return number, before

        def back(library: LibraryTransaction, memory: Any) -> None:
            editors.restore_drop(library, *memory)

        self._undo.push(LibraryEdit(self._shelf, f"change the log drop “{drop.name}”", do, back))

    def _ask_remove(self) -> None:
        drop = self._kept
        if drop is None:
            return
        box = QMessageBox(self)
        box.setWindowTitle("Remove the log drop")
        box.setText(f"Remove “{drop.name}”?")
        box.setInformativeText("Its logs load no more. The files stay, and it can be undone.")
        yes = box.addButton("Remove", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        box.finished.connect(lambda _: self._remove(drop) if box.clickedButton() is yes else None)
        self.asking = box
        box.open()

    def _remove(self, drop: LogDrop) -> None:
        def do(library: LibraryTransaction) -> Any:
            return drop.id, editors.log_source_edits.remove_drop(library, drop.id)

        def back(library: LibraryTransaction, memory: Any) -> None:
            editors.restore_drop(library, *memory)

        self._kept = None
        self._undo.push(LibraryEdit(self._shelf, f"remove the log drop “{drop.name}”", do, back))

    def work_out_name(self, name: str) -> None:
        """Find the pattern of a real file name, and say what it reads."""
        if not name:
            return
        now = local_from(self._reading.now_us(), self._settings.tz)
        found = patterns_from(name, now)
        if not found:
            self.said.emit(f"No date is to be found in “{name}”: put date parts in by hand.")
            return
        self.form.pattern.setText(found[0])
        self.form.set_texts({"period": str(period_of(found[0]))})
        others = [
            pattern for pattern in found[1:3] if written(pattern, now) != written(found[0], now)
        ]
        more = f" It could be {' or '.join(others)} as well." if others else ""
        self.said.emit(f"“{name}” is read as {found[0]}: check tonight's names.{more}")

    def work_out_format(self, path: str) -> None:
        """Find format, columns and character set of a real log."""

        def then(texts: dict[str, str]) -> None:
            self.form.set_texts(texts)
            said = ", ".join(text for text in texts.values() if text)
            self.said.emit(f"Read as {said}: save it if tonight's logs are found.")

        self._shelf.look(lambda _: worked_out(path), then)


def _told(reading: Found, settings: StationSettings) -> str:
    if reading.state is ReadingState.READ:
        lost = f", {counted(len(reading.lost), 'line')} missing" if reading.lost else ""
        when = short_date(reading.written_us, settings.tz)
        return f"✓ found, written {when}, {len(reading.carts)} lines{lost}"
    if reading.state is ReadingState.MISSING and reading.close is not None:
        return f"✗ not there, but this one is close: {reading.close.text}"
    if reading.state is ReadingState.MISSING:
        return "○ not there"
    return f"✗ {reading.problem or reading.state}"

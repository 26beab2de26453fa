"""Keeping the station safe: backups, checking, a copy to try things on, the station book."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QMessageBox,
    QProgressBar,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import short_date
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import NumberField
from nightly_spindle.desk.kit.settings_edit import settings_edit
from nightly_spindle.desk.station.cards import card
from nightly_spindle.store.station import backups, book_reading, station_book

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.station.backups import Backup
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_MOST = 400  # lines of a report that are shown


class KeepingPage(QWidget):
    """Signals: `changed` when a book was applied; `opened` (Path) when another station is to be."""

    changed = Signal()
    opened = Signal(Path)

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, settings: StationSettings) -> None:
        super().__init__()
        self.shelf, self._undo, self._settings = shelf, undo, settings
        self._folder = shelf.folder
        self.asking: Any = None
        self._made: Path | None = None
        self.head = QLabel("")
        self.head.setProperty("role", "name")
        self.head.setWordWrap(True)
        self.busy = QProgressBar()
        self.busy.setRange(0, 0)
        self.busy.setTextVisible(False)
        self.busy.setFixedHeight(6)
        self.busy.hide()
        self.told = QLabel("")
        self.told.setWordWrap(True)
        self.open_made = push_button(
            "Open it", "Open the station that was made, in a window of its own", self._open_made
        )
        self.open_made.hide()
        self.report = QListWidget()
        self.report.setAccessibleName("What was found")
        self.report.setWordWrap(True)
        self.every, self.keep = NumberField(0, 365), NumberField(1, 1000)
        self.place = QLineEdit(settings.backup_folder)
        self._kept_rules: dict[str, str] = {}
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 8, 22, 12)
        box.setSpacing(12)
        box.addWidget(self.head)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self._backup_card(), 3)
        row.addWidget(self._check_card(), 2)
        row.addWidget(self._book_card(), 2)
        box.addLayout(row)
        said = QHBoxLayout()
        said.addWidget(self.told, 1)
        said.addWidget(self.open_made)
        box.addLayout(said)
        box.addWidget(self.busy)
        box.addWidget(self.report, 1)
        box.addStretch(0)
        shelf.failed.connect(self._on_failed)

    def _backup_card(self) -> QWidget:
        made, grid = card(
            "BACKUPS", "Programme, library and logs in one verified file. Audio stays where it is."
        )
        self.every.setValue(round(self._settings.backup_every_days))
        self.every.setToolTip("0 makes no automatic backups")
        self.keep.setValue(self._settings.backup_keep)
        rows: tuple[tuple[str, QWidget], ...] = (
            ("Every … days", self.every),
            ("Keep the newest", self.keep),
            ("In the folder", self.place),
        )
        for at, (text, widget) in enumerate(rows, 2):
            label = QLabel(text)
            label.setMinimumWidth(label.sizeHint().width() + 4)
            grid.addWidget(label, at, 0)
            widget.setAccessibleName(text)
            grid.addWidget(widget, at, 1)
        for number in (self.every, self.keep):
            number.editingFinished.connect(self._save_rules)
        self.place.editingFinished.connect(self._save_rules)
        self.now = push_button("Back up now", "Make a backup and verify it", self.back_up)
        self.restore = push_button(
            "Restore …", "Put a backup back, into a new folder", self._restore
        )
        row = QHBoxLayout()
        row.addWidget(self.now)
        row.addWidget(self.restore)
        grid.addLayout(row, 5, 0, 1, 2)
        return made

    def _check_card(self) -> QWidget:
        made, grid = card(
            "CHECK AND COPY",
            "Looks over the database, every audio file, the log drops. A copy is for trying "
            "things on; it is never aired by mistake.",
        )
        self.look = push_button("Check the station", "Look the whole station over", self.check)
        self.copy = push_button("Work on a copy …", "Make a copy in a new folder", self._copy)
        for row, button in enumerate((self.look, self.copy), 2):
            grid.addWidget(button, row, 0)
        grid.setRowStretch(5, 1)
        return made

    def _book_card(self) -> QWidget:
        made, grid = card(
            "STATION BOOK",
            "Everything programmed as one documented JSON file, to keep, compare and move. "
            "Applying one says first what changes.",
        )
        self.export = push_button("Write the book …", "Write the station book", self._export)
        self.apply = push_button(
            "Apply a book …", "See what a book changes, then apply", self._apply
        )
        grid.addWidget(self.export, 2, 0)
        grid.addWidget(self.apply, 3, 0)
        grid.setRowStretch(4, 1)
        return made

    # -- showing -------------------------------------------------------------------------------

    def open(self) -> None:
        """Show the backups that there are."""
        folder = self._folder
        self.shelf.look(lambda _: backups.backups(folder), self._show_backups, "backups")

    def _open_made(self) -> None:
        if self._made is not None:
            self.opened.emit(self._made)

    def _tell_made(self, folder: Path, sentence: str) -> None:
        """Say that a station was made, and offer to open it."""
        self._made = folder
        self.told.setText(sentence)
        self.open_made.show()

    def _show_backups(self, found: list[Backup]) -> None:
        good = [one for one in found if not one.problem]
        if self._settings.copy_of:
            self.head.setText(f"This is a copy of {self._settings.copy_of}: it is not to be aired.")
        elif not found:
            self.head.setText("There is no backup yet.")
        elif found[0].problem:
            self.head.setText(f"The last backup failed: {found[0].problem}.")
        else:
            when = short_date(good[0].at_us, self._settings.tz)
            self.head.setText(f"Last backup {when}, verified, {good[0].bytes / 1e6:.1f} MB.")
        self._list(
            f"{short_date(one.at_us, self._settings.tz)}   {one.path}"
            + (f"   failed: {one.problem}" if one.problem else f"   {one.bytes / 1e6:.1f} MB")
            for one in found
        )

    def _list(self, lines: Any) -> None:
        self.report.clear()
        every = list(lines)
        self.report.addItems(every[:_MOST])
        self.report.setVisible(bool(every))
        if len(every) > _MOST:
            self.report.addItem(f"… and {len(every) - _MOST} more")

    def _work(self, text: str, what: Callable[[], Any], then: Callable[[Any], None]) -> None:
        self.told.setText(text)
        self.open_made.hide()
        self.busy.show()

        def done(answer: Any) -> None:
            self.busy.hide()
            then(answer)

        self.shelf.look(lambda _: what(), done)

    def _on_failed(self, sentence: str) -> None:
        self.busy.hide()
        self.told.setText(sentence)

    # -- doing ---------------------------------------------------------------------------------

    def back_up(self) -> None:
        """Make a backup now."""

        def then(made: Backup) -> None:
            self.told.setText(made.problem or f"{made.path} is written and verified.")
            self.open()

        folder = self._folder
        self._work("Backing up …", lambda: backups.back_up_by_itself(folder), then)

    def check(self) -> None:
        """Look the station over."""

        def then(found: list[Any]) -> None:
            grave = sum(one.grave for one in found)
            self.told.setText(
                f"{grave} things are wrong, {len(found) - grave} worth a look."
                if found
                else "Nothing is wrong with the station: database, audio files, folders."
            )
            self._list(f"{'wrong' if one.grave else 'note'}: {one.text}" for one in found)

        folder = self._folder
        self._work("Checking …", lambda: backups.check(folder), then)

    def _save_rules(self) -> None:
        values = {
            "backup_every_days": repr(float(self.every.value())),
            "backup_keep": str(self.keep.value()),
            "backup_folder": self.place.text().strip(),
        }
        if values != self._kept_rules:
            self._kept_rules = values
            self._undo.push(settings_edit(self.shelf, "change when backups are made", values))

    def _restore(self) -> None:
        file, _ = QFileDialog.getOpenFileName(self, "A backup", "", "Backups (*.zip)")
        target = QFileDialog.getExistingDirectory(self, "An empty folder for it") if file else ""
        if file and target:
            self._work(
                "Restoring …",
                lambda: backups.restore(Path(file), Path(target)),
                lambda m: self._tell_made(
                    Path(target), f"{m['station']}, as of {m['made']}, is in {target}."
                ),
            )

    def _copy(self) -> None:
        target = QFileDialog.getExistingDirectory(self, "An empty folder for the copy")
        if target:
            folder = self._folder
            self._work(
                "Copying …",
                lambda: backups.copy_station(folder, Path(target)),
                lambda made: self._tell_made(Path(target), f"{made.name} is in {target}."),
            )

    def _export(self) -> None:
        name, _ = QFileDialog.getSaveFileName(
            self, "The station book", "station-book.json", "Station book (*.json)"
        )
        if name:
            folder = self._folder
            self._work(
                "Writing …",
                lambda: station_book.write_book(station_book.read_station(folder), Path(name)),
                lambda _: self.told.setText(f"The station book is written to {name}."),
            )

    def _apply(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "A station book", "", "Station book (*.json)")
        if name:
            self.preview_book(Path(name))

    def preview_book(self, path: Path) -> None:
        """Say what a book would change, and ask."""
        folder = self._folder

        def work() -> Any:
            wanted = book_reading.read_book(path)
            return wanted, station_book.changes(folder, wanted)

        self._work("Comparing …", work, lambda found: self._ask(path, *found))

    def _ask(self, path: Path, wanted: Any, changes: list[Any]) -> None:
        self._list(change.text for change in changes)
        if not changes:
            self.told.setText(f"Nothing changes: the station is what {path.name} says.")
            return
        self.told.setText(f"{path.name} would make {len(changes)} changes, listed below.")
        asking = QMessageBox(self)
        asking.setWindowTitle("Apply the station book")
        asking.setText(f"Apply {len(changes)} changes?")
        asking.setInformativeText("They are listed behind this box. A backup is made first.")
        yes = asking.addButton("Apply", QMessageBox.ButtonRole.AcceptRole)
        asking.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
        asking.finished.connect(
            lambda _: self._carry_out(wanted) if asking.clickedButton() is yes else None
        )
        self.asking = asking
        asking.open()

    def _carry_out(self, wanted: Any) -> None:
        folder = self._folder

        def work() -> Any:
            from nightly_spindle.store.base.transaction import LibraryTransaction

            made = backups.back_up_by_itself(folder)
            if not made.problem:
                with LibraryTransaction(folder) as library:
                    station_book.apply_book(library, wanted)
            return made

        def then(made: Backup) -> None:
            failed = f"Nothing was applied: {made.problem}"
            self.told.setText(failed if made.problem else f"Applied; before it is in {made.path}.")
            self.changed.emit()

        self._work("Applying …", work, then)

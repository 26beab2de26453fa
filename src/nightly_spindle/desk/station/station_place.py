"""The place Station: outputs; backups, checking, the station book, a copy to try things on."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QMessageBox,
    QProgressBar,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import short_date
from nightly_spindle.core.outputs.outputs import OutputKind
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.desk_ear import DeskEar
from nightly_spindle.desk.kit.fields import NumberField
from nightly_spindle.desk.kit.labels import NoteLabel
from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.station.aired_page import AiredPage
from nightly_spindle.desk.station.levels_cards import LevelsCards
from nightly_spindle.desk.station.outputs_page import OutputsPage
from nightly_spindle.store.base.messages import last_messages
from nightly_spindle.store.base.station_folder import set_settings
from nightly_spindle.store.station import backups, book_reading, station_book

if TYPE_CHECKING:
    from nightly_spindle.air.messages import EngineStatus
    from nightly_spindle.core.station.backups import Backup
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.theme import Palette

_PAGES = {
    "Outputs": "Where the sound goes: streams, sound cards, recordings",
    "Aired": "What went out, line by line, and the recording of it",
    "Safekeeping": "Backups, checking, the station book, loudness",
}
_MOST = 400  # lines of a report that are shown


class StationPlace(Place):
    """Outputs, and keeping the station safe. Signal: `changed` when a book was applied."""

    changed = Signal()

    def __init__(self, folder: Path, settings: StationSettings, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._folder, self._settings = folder, settings
        self.undo = QUndoStack(self)  # of outputs; all else is asked beforehand
        self.shelf = LibraryWorker(folder, self)
        self.shelf.failed.connect(self._on_failed)
        self.asking: Any = None
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
        self.report = QListWidget()
        self.report.setAccessibleName("What was found")
        self.report.setWordWrap(True)
        self.every, self.keep = NumberField(0, 365), NumberField(1, 1000)
        self.place = QLineEdit(settings.backup_folder)
        self.levels = LevelsCards(self.shelf, settings)
        self.levels.told.connect(self.told.setText)
        self.levels.changed.connect(self.changed)
        self.outputs = OutputsPage(self.shelf, self.undo, settings, palette)
        self.ear = DeskEar(self)
        self.outputs.said.connect(self._say_of_outputs)
        self.outputs.hear.connect(self._listen)
        self.ear.failed.connect(self._say_of_outputs)
        self.ear.ended.connect(lambda: self.outputs.show_listening(playing=False))
        self.aired = AiredPage(self.shelf, settings, palette, lambda: time.time_ns() // 1000)
        self.aired.said.connect(self._say_of_outputs)
        self.aired.hear.connect(self._hear_piece)
        self.note = NoteLabel()
        self.keeping = QWidget()
        self.stage = QStackedWidget()
        self._lay_out()
        self.show_page("Outputs")

    def _lay_out(self) -> None:
        self.pages = Tabs(_PAGES)
        self.pages.chosen.connect(self.show_page)
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        bar.addWidget(self.pages)
        bar.addSpacing(10)
        bar.addWidget(self.note, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        whole.addLayout(bar)
        whole.addWidget(self.stage, 1)
        self.stage.addWidget(self.outputs)
        self.stage.addWidget(self.aired)
        self.stage.addWidget(self.keeping)
        self._lay_out_keeping()

    def show_page(self, name: str) -> None:
        """Show the outputs, or how the station is kept safe."""
        self.stage.setCurrentIndex(self.pages.show_page(name))
        if name == "Aired":
            self.aired.refresh()

    def begin_new(self) -> None:
        """Begin a new stream."""
        self.show_page("Outputs")
        self.outputs.new[OutputKind.STREAM].click()

    def take(self, sight: EngineStatus | None) -> None:
        """Follow the engine; None when it is off."""
        self.outputs.take(None if sight is None else sight.outputs)

    def _listen(self, url: str, authority: str) -> None:
        """Play a stream as its listeners hear it, or stop."""
        if self.ear.playing:
            self.ear.stop()
            return
        self.ear.play_stream(url, authority)
        self.outputs.show_listening(playing=True)

    def _hear_piece(self, path: str) -> None:
        """Play a piece of a recording, or stop what plays."""
        if self.ear.playing:
            self.ear.stop()
        else:
            self.ear.play(path)

    def _say_of_outputs(self, sentence: str) -> None:
        self.note.say(sentence)

    def _lay_out_keeping(self) -> None:
        box = QVBoxLayout(self.keeping)
        box.setContentsMargins(22, 8, 22, 12)
        box.setSpacing(12)
        box.addWidget(self.head)
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self._backup_card(), 3)
        row.addWidget(self._check_card(), 2)
        row.addWidget(self._book_card(), 2)
        box.addLayout(row)
        box.addWidget(self.levels)
        box.addWidget(self.told)
        box.addWidget(self.busy)
        box.addWidget(self.report, 1)
        box.addStretch(0)

    def _backup_card(self) -> QWidget:
        card, grid = _card(
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
        return card

    def _check_card(self) -> QWidget:
        card, grid = _card(
            "CHECK AND COPY",
            "Looks over the database, every audio file, the log drops. A copy is for trying "
            "things on; it is never aired by mistake.",
        )
        self.look = push_button("Check the station", "Look the whole station over", self.check)
        self.copy = push_button("Work on a copy …", "Make a copy in a new folder", self._copy)
        self.messages = push_button(
            "Messages", "What engine, intake and desk have said last", self.show_messages
        )
        for row, button in enumerate((self.look, self.copy, self.messages), 2):
            grid.addWidget(button, row, 0)
        grid.setRowStretch(5, 1)
        return card

    def _book_card(self) -> QWidget:
        card, grid = _card(
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
        return card

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.outputs.set_palette(palette)

    # -- showing -------------------------------------------------------------------------------

    def open(self) -> None:
        """Show the outputs, and the backups that there are."""
        self.outputs.refresh()
        folder = self._folder
        self.shelf.look(lambda _: backups.backups(folder), self._show_backups, "backups")

    def close_down(self) -> None:
        """Finish what is under way."""
        self.note.stop()
        self.ear.close()
        self.aired.close_down()
        self.shelf.close()

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

    def show_messages(self) -> None:
        """List what the station's processes have said, the newest first."""

        def then(lines: list[str]) -> None:
            self.told.setText("" if lines else "Nothing has been said yet.")
            self._list(reversed(lines))

        folder = self._folder
        self._work("Reading …", lambda: last_messages(folder, _MOST), then)

    def _save_rules(self) -> None:
        values = {
            "backup_every_days": repr(float(self.every.value())),
            "backup_keep": str(self.keep.value()),
            "backup_folder": self.place.text().strip(),
        }
        folder = self._folder
        self.shelf.look(lambda _: set_settings(folder, values), lambda _: self.told.setText(""))

    def _restore(self) -> None:
        file, _ = QFileDialog.getOpenFileName(self, "A backup", "", "Backups (*.zip)")
        target = QFileDialog.getExistingDirectory(self, "An empty folder for it") if file else ""
        if file and target:
            self._work(
                "Restoring …",
                lambda: backups.restore(Path(file), Path(target)),
                lambda m: self.told.setText(
                    f"{m['station']}, as of {m['made']}, is in {target}; "
                    "open the desk on that folder."
                ),
            )

    def _copy(self) -> None:
        target = QFileDialog.getExistingDirectory(self, "An empty folder for the copy")
        if target:
            folder = self._folder
            self._work(
                "Copying …",
                lambda: backups.copy_station(folder, Path(target)),
                lambda made: self.told.setText(f"{made.name} is in {target}; open the desk on it."),
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


def _card(title: str, text: str) -> tuple[QWidget, QGridLayout]:
    card = QFrame()
    card.setObjectName("card")
    grid = QGridLayout(card)
    grid.setContentsMargins(14, 12, 14, 12)
    grid.setVerticalSpacing(6)
    caption = QLabel(title)
    caption.setProperty("role", "caption")
    said = QLabel(text)
    said.setWordWrap(True)
    grid.addWidget(caption, 0, 0, 1, 2)
    grid.addWidget(said, 1, 0, 1, 2)
    return card, grid

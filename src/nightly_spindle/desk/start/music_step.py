"""The second step: where the music is, and everything else that plays."""

from __future__ import annotations

import os
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFileDialog, QGridLayout, QHBoxLayout, QLabel, QPushButton, QWidget

from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.library.folder_kinds import kind_of_folder
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.start.set_up_step import SetUpStep
from nightly_spindle.intake.walk import Unusable, audio_below
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtGui import QDragEnterEvent, QDropEvent

    from nightly_spindle.desk.start.background_work import BackgroundWork

_KINDS: list[Kind] = [kind for kind in Kind if kind is not Kind.STREAM]
_MOST_ROWS = 40


@dataclass(frozen=True, slots=True)
class MusicFolder:
    """A folder to bring in: how many files are below it, and the kind its name speaks of.

    `but` are folders below it that are brought in by themselves.
    """

    folder: str
    kind: Kind
    files: int
    but: tuple[str, ...] = ()


def folders_within(folder: Path) -> list[MusicFolder]:
    """Return a folder as what is to be brought in: folders right below it whose names speak of
    another kind than songs come by themselves. OSError when it cannot be looked at.
    """
    apart = sorted(
        entry.path
        for entry in os.scandir(folder)
        if entry.is_dir() and kind_of_folder(entry.name) is not Kind.SONG
    )
    own = kind_of_folder(folder.name)
    if own is not Kind.SONG:
        apart = []
    real = tuple(os.path.realpath(one) for one in apart)
    found = [MusicFolder(str(folder), own, _count(str(folder), real), real)]
    found += [MusicFolder(one, kind_of_folder(Path(one).name), _count(one, ())) for one in apart]
    return [one for one in found if one.files] or found[:1]


def _count(folder: str, but: tuple[str, ...]) -> int:
    return sum(not isinstance(one, Unusable) for one in audio_below(folder, but=but))


class MusicStep(SetUpStep):
    """Puts what lies in folders into the queue; the intake measures it while the run goes on."""

    name = "Music"
    question = "Where is your music?"
    why = (
        "Audio stays where it is and is played from there. Jingles, advertising and the rest are "
        "told apart by what their folders are called; put it right where that is wrong."
    )
    go_on = "Import"
    skip = "Skip this"

    def __init__(self, work: BackgroundWork) -> None:
        super().__init__(work)
        self.setAcceptDrops(True)
        self.folders: list[MusicFolder] = []
        self._queued: set[str] = set()
        self.kinds: list[ChoiceBox] = []
        self.add = push_button(
            "Add a folder …", "Music, jingles, advertising: one folder after the other", self._ask
        )
        self.nothing = QLabel("Or drop folders here from the file manager.")
        self.nothing.setProperty("role", "muted")
        self.rows = QWidget()
        self.grid = QGridLayout(self.rows)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setColumnStretch(0, 1)
        row = QHBoxLayout()
        row.addWidget(self.add)
        row.addWidget(self.nothing, 1)
        self.box.addLayout(row)
        self.box.addWidget(self.rows)
        self.box.addStretch(1)

    def first_field(self) -> QWidget:
        """Return the button that adds a folder."""
        return self.add

    def lacks(self) -> str:
        """Return what is missing."""
        return "" if self.folders else "add a folder with music, or skip this"

    # -- folders -----------------------------------------------------------------------------------

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take folders from a file manager."""
        if event.mimeData().hasUrls():
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Look at the folders that were dropped."""
        for url in event.mimeData().urls():
            if url.isLocalFile():
                self.look_at(Path(url.toLocalFile()))
        event.acceptProposedAction()

    def _ask(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder with audio")
        if chosen:
            self.look_at(Path(chosen))

    def look_at(self, folder: Path) -> None:
        """Look at a folder, off this thread, and offer it."""
        if not folder.is_dir():
            folder = folder.parent
        self.nothing.setText(f"{folder} is being looked through …")

        def found(folders: list[MusicFolder]) -> None:
            there = {one.folder for one in self.folders}
            self.folders += [one for one in folders if one.folder not in there]
            if not any(one.files for one in folders):
                self.nothing.setText(f"There is no audio in {folder}.")
                self.folders = [one for one in self.folders if one.files]
            else:
                self.nothing.setText("Add more, or go on.")
            self._show_rows()

        def failed(sentence: str) -> None:
            self.nothing.setText("")
            self.wrong.emit(sentence)

        self.work.do(lambda: folders_within(folder), found, failed)

    def _show_rows(self) -> None:
        while (item := self.grid.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.deleteLater()
        self.kinds = []
        for row, one in enumerate(self.folders[:_MOST_ROWS]):
            self._show_row(row, one)
        self.moved.emit()

    def _show_row(self, row: int, one: MusicFolder) -> None:
        label = QLabel(f"{Path(one.folder).name}   {counted(one.files, 'file')}")
        label.setToolTip(one.folder)
        kind = ChoiceBox()
        kind.setAccessibleName(f"What {one.folder} holds")
        for choice in _KINDS:
            kind.addItem(choice.words, choice)
        kind.setCurrentIndex(_KINDS.index(one.kind))
        kind.setEnabled(one.folder not in self._queued)
        kind.activated.connect(lambda _=0, row=row, kind=kind: self._on_kind(row, kind))
        self.kinds.append(kind)
        remove = QPushButton("Remove")
        remove.setToolTip("Leave this folder out")
        remove.setEnabled(one.folder not in self._queued)
        remove.clicked.connect(lambda _=False, row=row: self._remove(row))
        for column, widget in enumerate((label, kind, remove)):
            self.grid.addWidget(widget, row, column, Qt.AlignmentFlag.AlignVCenter)

    def _on_kind(self, row: int, kind: ChoiceBox) -> None:
        was = self.folders[row]
        self.folders[row] = MusicFolder(was.folder, Kind(kind.currentData()), was.files, was.but)

    def _remove(self, row: int) -> None:
        del self.folders[row]
        self._show_rows()

    # -- bringing in -------------------------------------------------------------------------------

    def finish(self, then: Callable[[], None]) -> None:
        """Queue what is in the folders, each into a category that is called like it."""
        assert self.station is not None
        station = self.station.folder
        fresh = [one for one in self.folders if one.folder not in self._queued]

        def queue() -> int:
            count = 0
            for one in fresh:
                options = IntakeOptions(kind=one.kind, categories=(Path(one.folder).name,))
                seen = [
                    file
                    for file in audio_below(one.folder, but=one.but)
                    if not isinstance(file, Unusable)
                ]
                with LibraryTransaction(station) as library:
                    count += editors.arrivals.queue(library, seen, options)
            return count

        def done(_count: int) -> None:
            self._queued.update(one.folder for one in fresh)
            self._show_rows()
            then()

        self.work.do(queue, done, self.wrong.emit)

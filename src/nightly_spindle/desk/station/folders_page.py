"""Station, Audio folders: where the audio lies; one that was moved is pointed at anew."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.store.library.audio_folders import (
    AudioFolder,
    MoveProof,
    audio_folders,
    move_folder,
    prove_move,
)

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.base.transaction import LibraryTransaction


def _ink(row: AudioFolder) -> Ink:
    return "alarm" if row.why else "text"


_FOLDERS: TableLayout[AudioFolder] = TableLayout(
    "Audio folders",
    (
        Column("Folder", 420, lambda r: r.path, wide=True, ink=_ink),
        Column("State", 200, lambda r: r.why or "there", ink=_ink),
        Column("Items", 80, lambda r: f"{r.items:,}", right=True),
        Column("Songs", 80, lambda r: f"{r.songs:,}", right=True),
    ),
)


class FoldersPage(QWidget):
    """Lists the folders and points them elsewhere. Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        super().__init__()
        self._shelf, self._undo = shelf, undo
        self._folders: list[AudioFolder] = []
        self._offered: tuple[AudioFolder, Path] | None = None
        self.table = RowView(_FOLDERS, palette)
        self.table.picked.connect(lambda _: self._show_offer(None))
        self.moved = push_button(
            "It has moved …",
            "Point the chosen folder at where its audio is now; the files are compared first",
            self._ask,
        )
        self.again = push_button("Look again", "See whether the folders are there", self.refresh)
        self.proof = QLabel("")
        self.proof.setWordWrap(True)
        self.proof.setProperty("role", "sentence")
        self.proof.setAccessibleName("What was found there")
        self.take = push_button("Play from there", "", self.take_offer)
        head = QLabel("Audio stays where it is; these are the folders that it is played from.")
        head.setProperty("role", "muted")
        row = QHBoxLayout()
        for widget in (self.moved, self.again):
            row.addWidget(widget)
        row.addStretch(1)
        told = QHBoxLayout()
        told.addWidget(self.proof, 1)
        told.addWidget(self.take)
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 8, 22, 12)
        box.setSpacing(10)
        box.addWidget(head)
        box.addWidget(self.table, 1)
        box.addLayout(row)
        box.addLayout(told)
        self._show_offer(None)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)

    def refresh(self) -> None:
        """Look at the folders anew."""
        folder = self._shelf.folder
        self._shelf.look(lambda _: audio_folders(folder), self._show, "folders")

    def _show(self, folders: list[AudioFolder]) -> None:
        self._folders = folders
        self.table.show_rows(folders)
        self.moved.setEnabled(bool(folders))

    def _chosen(self) -> AudioFolder | None:
        row = self.table.cells.row(self.table.currentIndex().row())
        return row or (self._folders[0] if len(self._folders) == 1 else None)

    def _ask(self) -> None:
        chosen = self._chosen()
        if chosen is None:
            self.said.emit("Choose the folder that has moved first.")
            return
        target = QFileDialog.getExistingDirectory(self, f"Where {chosen.path} is now")
        if target:
            self.compare(chosen, Path(target))

    def compare(self, folder: AudioFolder, target: Path) -> None:
        """Compare what is in a folder with what the station has in one of its own."""
        self.proof.setText("The files are compared …")
        self.proof.show()
        station = self._shelf.folder

        def then(proof: MoveProof) -> None:
            self._show_offer((folder, target), proof)

        self._shelf.look(lambda _: prove_move(station, folder.id, target), then, "proof")

    def _show_offer(
        self, offered: tuple[AudioFolder, Path] | None, proof: MoveProof | None = None
    ) -> None:
        self._offered = offered
        self.proof.setVisible(offered is not None)
        self.take.setVisible(offered is not None and proof is not None and proof.same > 0)
        if offered is None or proof is None:
            return
        self.proof.setText(f"{offered[1]}: {proof.sentence()}")
        self.take.setText("Play from there" if proof.whole else "Play from there even so")
        self.take.setToolTip(f"{proof.same} files are found there, {proof.missing} are not")

    def take_offer(self) -> None:
        """Play the folder's items from where they were found, undoably."""
        if self._offered is None:
            return
        folder, target = self._offered
        self._show_offer(None)
        do = partial(_move, number=folder.id, target=target)
        text = f"play from {target}"
        self._undo.push(LibraryEdit(self._shelf, text, do, partial(_move_back, folder.id)))
        self.said.emit(f"What was in {folder.path} is played from {target}.")


def _move(library: LibraryTransaction, number: int, target: Path) -> str:
    return move_folder(library, number, target)


def _move_back(number: int, library: LibraryTransaction, was: str) -> None:
    move_folder(library, number, Path(was))

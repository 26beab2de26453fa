"""Markers into files and out of them: a button with a menu, for the item being marked."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QMenu, QToolButton, QWidget

from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import marker_files
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from nightly_spindle.desk.markers.marker_session import MarkerSession


class MarkerFileMenu(QToolButton):
    """Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, session: MarkerSession, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._session = session
        self.setText("File")
        self.setToolTip("Write the markers to a file of their own or into the audio; read them")
        self.setAccessibleName("Markers in files")
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self)
        self.beside = menu.addAction("Export the markers next to the audio (JSON)")
        self.into = menu.addAction("Write the markers into the WAV file (cart and cue chunks)")
        self.read = menu.addAction("Read the markers that the file brings")
        self.beside.triggered.connect(lambda: self._write(into=False))
        self.into.triggered.connect(lambda: self._write(into=True))
        self.read.triggered.connect(self._read)
        menu.aboutToShow.connect(self._on_open)
        self.setMenu(menu)

    def _on_open(self) -> None:
        item = self._session.item
        wave = item is not None and Path(item.path).suffix.lower() in marker_files.WAVES
        self.into.setEnabled(wave)

    def _write(self, *, into: bool) -> None:
        session = self._session
        session.settle()
        item, segues = session.item, session.segues
        if item is None or segues is None:
            return
        rule = segues.station

        def work(library: LibraryTransaction) -> Path:
            if not into:
                return marker_files.write_sidecar(item, rule)
            path = marker_files.write_into(item, rule)
            editors.marking.note_file(library, item.cart, path)
            return path

        session.shelf.edit(work, lambda path: self.said.emit(f"The markers are written to {path}."))

    def _read(self) -> None:
        session = self._session
        item, segues = session.item, session.segues
        if item is None or segues is None:
            return
        rule = segues.station

        def then(found: Any) -> None:
            if session.item is None or session.item.cart != item.cart:
                return
            if found is None:
                self.said.emit("Neither the file nor a sidecar next to it has any markers.")
            elif session.take(*found):
                self.said.emit("The markers are as the file says. Ctrl+Z undoes it.")
            else:
                self.said.emit("The file says the same markers.")

        session.shelf.look(lambda _: marker_files.read_beside(item, rule), then)

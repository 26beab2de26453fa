"""The place Station: what holds for the whole station, part by part."""

from __future__ import annotations

import time
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QHBoxLayout, QLabel, QStackedWidget, QVBoxLayout, QWidget

from nightly_spindle.core.outputs.outputs import OutputKind
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.desk_ear import DeskEar
from nightly_spindle.desk.kit.labels import NoteLabel
from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.station.aired_page import AiredPage
from nightly_spindle.desk.station.alerts_page import AlertsPage
from nightly_spindle.desk.station.folders_page import FoldersPage
from nightly_spindle.desk.station.general_page import GeneralPage
from nightly_spindle.desk.station.keeping_page import KeepingPage
from nightly_spindle.desk.station.levels_cards import LevelsCards
from nightly_spindle.desk.station.messages_page import MessagesPage
from nightly_spindle.desk.station.net_page import NetPage
from nightly_spindle.desk.station.outputs_page import OutputsPage
from nightly_spindle.desk.station.starting_page import StartingPage

if TYPE_CHECKING:
    from nightly_spindle.air.messages import EngineStatus
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.theme import Palette

_PAGES = {
    "General": "Name, time zone, broadcast day, what players show",
    "Folders": "Where the audio lies, whether it is there",
    "Outputs": "Where the sound goes: streams, sound cards, recordings",
    "Alerts": "Who is told of troubles, by mail, web address or command",
    "Safety net": "What plays when nothing else is there",
    "Loudness": "How loud everything plays, what counts as silence",
    "Aired": "What went out, line by line, and the recording of it",
    "Safekeeping": "Backups, checking, the station book",
    "Start": "Going on air with the computer, without anybody",
    "Messages": "What engine, intake and desk have said",
}


class StationPlace(Place):
    """Signals: `changed` when a book was applied or loudness changed; `kept` (StationSettings);
    `opened` (Path) when another station is to be opened, `another` when one is to be chosen.
    """

    changed = Signal()
    kept = Signal(object)
    opened = Signal(Path)
    another = Signal()

    def __init__(self, folder: Path, settings: StationSettings, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.undo = QUndoStack(self)
        self.shelf = LibraryWorker(folder, self)
        self.ear = DeskEar(self)
        self.note = NoteLabel()
        self.general = GeneralPage(self.shelf, self.undo, settings)
        self.folders = FoldersPage(self.shelf, self.undo, palette)
        self.outputs = OutputsPage(self.shelf, self.undo, settings, palette)
        self.alerts = AlertsPage(self.shelf, self.undo, settings, palette)
        self.net = NetPage(self.shelf)
        self.levels = LevelsCards(self.shelf, self.undo, settings)
        self.aired = AiredPage(self.shelf, settings, palette, lambda: time.time_ns() // 1000)
        self.keeping = KeepingPage(self.shelf, self.undo, settings)
        self.starting = StartingPage(self.shelf, settings)
        self.messages = MessagesPage(self.shelf)
        self.stage = QStackedWidget()
        self._lay_out()
        self._connect()
        self.show_page("Outputs")

    def _lay_out(self) -> None:
        self.pages = Tabs(_PAGES)
        self.pages.chosen.connect(self.show_page)
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        bar.addWidget(self.pages)
        bar.addSpacing(10)
        bar.addWidget(self.note, 1)
        bar.addWidget(
            push_button("Stations …", "Open another station, or make one", self.another.emit)
        )
        loudness = QWidget()
        box = QVBoxLayout(loudness)
        box.setContentsMargins(22, 8, 22, 12)
        self.loud = QLabel("")
        self.loud.setWordWrap(True)
        box.addWidget(self.levels)
        box.addWidget(self.loud)
        box.addStretch(1)
        for page in (
            self.general,
            self.folders,
            self.outputs,
            self.alerts,
            self.net,
            loudness,
            self.aired,
            self.keeping,
            self.starting,
            self.messages,
        ):
            self.stage.addWidget(page)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(6)
        whole.addLayout(bar)
        whole.addWidget(self.stage, 1)

    def _connect(self) -> None:
        for said in (
            self.shelf.failed,
            self.general.said,
            self.folders.said,
            self.outputs.said,
            self.alerts.said,
            self.net.said,
            self.aired.said,
            self.starting.said,
            self.ear.failed,
        ):
            said.connect(self.note.say)
        self.levels.told.connect(self.loud.setText)
        self.levels.changed.connect(self.changed)
        self.keeping.changed.connect(self.changed)
        self.keeping.opened.connect(self.opened)
        self.general.kept.connect(self.kept)
        self.outputs.hear.connect(self._listen)
        self.aired.hear.connect(self._hear_piece)
        self.ear.ended.connect(lambda: self.outputs.show_listening(playing=False))
        self.shelf.changed.connect(self._on_changed)

    def show_page(self, name: str) -> None:
        """Show one of the parts, as it stands now."""
        self.stage.setCurrentIndex(self.pages.show_page(name))
        look = {
            "General": self.general.refresh,
            "Folders": self.folders.refresh,
            "Alerts": self.alerts.refresh,
            "Safety net": self.net.refresh,
            "Aired": self.aired.refresh,
            "Safekeeping": self.keeping.open,
            "Start": self.starting.refresh,
            "Messages": self.messages.refresh,
        }.get(name)
        if look is not None and self.isVisible():
            look()

    def _on_changed(self) -> None:
        """Something was edited, or undone: what is shown is read anew."""
        for name, page in (("General", self.general), ("Folders", self.folders)):
            if self.stage.currentWidget() is page:
                self.show_page(name)
        self.levels.refresh()
        self.changed.emit()

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

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.outputs.set_palette(palette)
        self.alerts.set_palette(palette)
        self.folders.set_palette(palette)

    def open(self) -> None:
        """Show the part that was shown last, as it stands now."""
        self.outputs.refresh()
        names = list(_PAGES)
        self.show_page(names[self.stage.currentIndex()])

    def close_down(self) -> None:
        """Finish what is under way."""
        self.general.close_down()
        self.note.stop()
        self.ear.close()
        self.aired.close_down()
        self.shelf.close()

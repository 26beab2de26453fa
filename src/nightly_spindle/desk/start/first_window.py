"""The first window: the stations of this machine, and the ways to come to another."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.start.background_work import BackgroundWork
from nightly_spindle.desk.start.demo_building import DemoBuilding
from nightly_spindle.desk.start.guided_run import GuidedRun
from nightly_spindle.desk.start.station_sights import Standing, StationSight, StationSights
from nightly_spindle.store.base.database import DATABASE
from nightly_spindle.store.base.known_stations import forget_station
from nightly_spindle.store.station import backups

if TYPE_CHECKING:
    from PySide6.QtGui import QCloseEvent, QShowEvent

    from nightly_spindle.store.base.known_stations import KnownStation

_SIGHT = Qt.ItemDataRole.UserRole
_SIGNS = {
    Standing.LOOKING: "…",
    Standing.ON_AIR: "on air",
    Standing.OFF: "off the air",
    Standing.COPY: "a copy, for trying things",
    Standing.GONE: "not there",
    Standing.DAMAGED: "cannot be read",
}


class FirstWindow(QWidget):
    """Asks for a station. Signal: `chosen` (folder, whether it is to go on air at once)."""

    chosen = Signal(Path, bool)

    def __init__(self, palette: theme.Palette, why: str = "") -> None:
        super().__init__()
        self.setObjectName("window")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setWindowTitle("Nightly Spindle")
        self.setStyleSheet(theme.sheet(palette))
        self.palette_ = palette
        self._shown = False
        self._sights = StationSights(self)
        self._sights.seen.connect(self._on_seen)
        self._work = BackgroundWork(self)
        self.demo = DemoBuilding(self)
        self.run: GuidedRun | None = None
        self.told = QLabel(why)
        self.told.setProperty("role", "warn" if why else "muted")
        self.told.setWordWrap(True)
        self.told.setAccessibleName("What happened")
        self.list = QListWidget()
        self.list.setAccessibleName("Stations of this machine")
        self.list.itemActivated.connect(lambda _: self.open_shown())
        self.list.currentItemChanged.connect(lambda *_: self._on_picked())
        self.busy = QProgressBar()
        self.busy.setTextVisible(False)
        self.busy.setFixedHeight(6)
        self.busy.hide()
        self.stage = QStackedWidget()
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.stage)
        self.stage.addWidget(self._front())
        self.demo.progress.connect(self._on_building)
        self.demo.built.connect(self._on_demo)
        self.demo.failed.connect(self._on_failed)
        for keys, act in (("Delete", self.forget_shown), ("Ctrl+Q", self.close)):
            QShortcut(QKeySequence(keys), self).activated.connect(act)
        for button in self.findChildren(QPushButton):
            button.setAutoDefault(True)  # Enter presses the one that has the keyboard
        self.resize(1020, 660)
        self.refresh()

    # -- making ------------------------------------------------------------------------------------

    def _front(self) -> QWidget:
        front = QWidget()
        box = QVBoxLayout(front)
        box.setContentsMargins(44, 34, 44, 26)
        box.setSpacing(8)
        title = QLabel("Nightly Spindle")
        title.setProperty("role", "title")
        said = QLabel("Runs your station on its own, all night. Which station do you want to open?")
        said.setProperty("role", "muted")
        box.addWidget(title)
        box.addWidget(said)
        box.addSpacing(14)
        row = QHBoxLayout()
        row.setSpacing(28)
        row.addLayout(self._stations(), 3)
        row.addLayout(self._ways(), 2)
        box.addLayout(row, 1)
        box.addWidget(self.busy)
        box.addWidget(self.told)
        return front

    def _stations(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(8)
        caption = QLabel("STATIONS ON THIS COMPUTER")
        caption.setProperty("role", "caption")
        self.nothing = QLabel(
            "There is none yet. Make one, or look around in the demo station first: it is a whole "
            "station with songs, jingles, advertising and a night to come."
        )
        self.nothing.setWordWrap(True)
        self.nothing.setProperty("role", "muted")
        self.nothing.setAlignment(Qt.AlignmentFlag.AlignTop)
        self.open = push_button("Open", "Open the chosen station (Enter)", self.open_shown)
        self.forget = push_button(
            "Remove from this list",
            "Take it off this list; the station stays as it is (Delete)",
            self.forget_shown,
        )
        box.addWidget(caption)
        box.addWidget(self.list, 1)
        box.addWidget(self.nothing, 1)
        row = QHBoxLayout()
        row.setSpacing(8)
        row.addWidget(self.open)
        row.addWidget(self.forget)
        row.addStretch(1)
        box.addLayout(row)
        return box

    def _ways(self) -> QVBoxLayout:
        box = QVBoxLayout()
        box.setSpacing(6)
        caption = QLabel("ANOTHER ONE")
        caption.setProperty("role", "caption")
        box.addWidget(caption)
        self.new, way = _way(
            "New station …",
            "Step by step: name, music, logs, where the sound goes. About five minutes.",
            self.begin_new,
        )
        box.addLayout(way)
        self.folder, way = _way(
            "Open a folder …", "A station on this computer or on a drive.", self._ask_folder
        )
        box.addLayout(way)
        self.backup, way = _way(
            "Open a backup …", "A backup file (.zip) is put back into a new folder.", self._ask_file
        )
        box.addLayout(way)
        self.try_demo, way = _way(
            "Try the demo station",
            "Made-up music, made here; nothing of it is heard outside.",
            self.open_demo,
        )
        box.addLayout(way)
        box.addStretch(1)
        return box

    # -- showing -----------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Look at the stations anew."""
        self.list.clear()
        for station in self._sights.look():
            item = QListWidgetItem()
            _show(item, StationSight(station))
            self.list.addItem(item)
        self._on_picked()
        if self.list.count():
            self.list.setCurrentRow(0)

    def _on_seen(self, sight: StationSight) -> None:
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item.data(_SIGHT).station == sight.station:
                _show(item, sight)
        self._on_picked()

    def _picked(self) -> StationSight | None:
        item = self.list.currentItem()
        sight: StationSight | None = None if item is None else item.data(_SIGHT)
        return sight

    def _on_picked(self) -> None:
        there = self.list.count() > 0
        self.list.setVisible(there)
        self.nothing.setVisible(not there)
        sight = self._picked()
        self.open.setVisible(there)
        self.forget.setVisible(there)
        self.open.setEnabled(sight is not None and sight.can_open)
        self.forget.setEnabled(sight is not None)
        unfinished = sight is not None and bool(sight.station.step)
        self.open.setText("Go on setting it up" if unfinished else "Open")

    def showEvent(self, event: QShowEvent) -> None:
        """Have the station that was open last ready for Enter."""
        super().showEvent(event)
        if not self._shown:
            self._shown = True
            (self.list if self.list.count() else self.new).setFocus()

    def closeEvent(self, event: QCloseEvent) -> None:
        """Finish what is under way."""
        self.demo.stop()
        if self.run is not None:
            self.run.close_down()
        super().closeEvent(event)

    def say(self, sentence: str, *, wrong: bool = False) -> None:
        """Say what happened."""
        self.told.setProperty("role", "warn" if wrong else "muted")
        self.told.style().polish(self.told)
        self.told.setText(sentence)

    # -- doing -------------------------------------------------------------------------------------

    def open_shown(self) -> None:
        """Open the chosen station, or go on with setting it up."""
        sight = self._picked()
        if sight is None:
            return
        if not sight.can_open:
            self.say(f"{sight.why[:1].upper()}{sight.why[1:]}.", wrong=True)
        elif sight.station.step:
            self._guide(sight.station)
        else:
            self.chosen.emit(Path(sight.station.folder), False)

    def forget_shown(self) -> None:
        """Take the chosen station off the list."""
        sight = self._picked()
        if sight is not None:
            forget_station(sight.station.folder)
            self.say(f"“{sight.station.name}” is off this list; its folder is as it was.")
            self.refresh()

    def begin_new(self) -> None:
        """Begin the guided run for a new station."""
        self._guide(None)

    def _guide(self, station: KnownStation | None) -> None:
        if self.run is not None:
            self.run.close_down()
            self.stage.removeWidget(self.run)
            self.run.deleteLater()
        self.run = GuidedRun(self.palette_, station)
        self.run.left.connect(self._on_left)
        self.run.finished.connect(self.chosen)
        self.stage.addWidget(self.run)
        self.stage.setCurrentWidget(self.run)
        self.run.begin()

    def _on_left(self) -> None:
        self.stage.setCurrentIndex(0)
        self.refresh()

    def _ask_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "The folder of a station")
        if chosen:
            self.open_folder(Path(chosen))

    def open_folder(self, folder: Path) -> None:
        """Open the station in a folder; says so where there is none."""
        if (folder / DATABASE).exists():
            self.chosen.emit(folder, False)
        else:
            self.say(
                f"{folder} holds no station ({DATABASE} is not there). Choose the folder that the "
                "station was made in, or make a new one.",
                wrong=True,
            )

    def _ask_file(self) -> None:
        file, _ = QFileDialog.getOpenFileName(self, "A backup", "", "Backups (*.zip)")
        if file:
            self.offer_backup(Path(file))

    def offer_backup(self, file: Path) -> None:
        """Ask where a backup is to be put back, and do so."""
        target = QFileDialog.getExistingDirectory(self, f"An empty folder for {file.name}")
        if target:
            self.open_backup(file, Path(target))

    def open_backup(self, file: Path, target: Path) -> None:
        """Put a backup back into a folder, then open it."""
        self._show_busy(f"{file.name} is being checked and put back …")

        def then(answer: Any) -> None:
            self.busy.hide()
            self.say(f"{answer['station']}, as of {answer['made']}, is in {target}.")
            self.chosen.emit(target, False)

        self._work.do(lambda: backups.restore(file, target), then, self._on_failed)

    def open_demo(self) -> None:
        """Build the demo station if it is not there, then open it on air."""
        if self.demo.running:
            self.demo.stop()
            self.try_demo.setText("Try the demo station")
            self.busy.hide()
            self.say("The demo station is not built.")
            return
        self.try_demo.setText("Stop building it")
        self._show_busy("The demo station is being made …")
        self.demo.begin()

    def _show_busy(self, sentence: str) -> None:
        self.busy.setRange(0, 0)
        self.busy.show()
        self.say(sentence)

    def _on_building(self, what: str, part: float) -> None:
        self.busy.setRange(0, 100)
        self.busy.setValue(round(100 * part))
        self.say(f"The demo station is being made: {what}.")

    def _on_demo(self, folder: Path) -> None:
        self.busy.hide()
        self.chosen.emit(folder, True)

    def _on_failed(self, sentence: str) -> None:
        self.busy.hide()
        self.try_demo.setText("Try the demo station")
        self.say(sentence, wrong=True)


def _way(text: str, said: str, act: Any) -> tuple[QPushButton, QVBoxLayout]:
    box = QVBoxLayout()
    box.setSpacing(2)
    button = push_button(text, said, act)
    button.setProperty("role", "way")
    note = QLabel(said)
    note.setProperty("role", "muted")
    note.setWordWrap(True)
    note.setContentsMargins(2, 0, 0, 6)
    box.addWidget(button)
    box.addWidget(note)
    return button, box


def _show(item: QListWidgetItem, sight: StationSight) -> None:
    station = sight.station
    sign = "setting it up is not finished" if station.step else _SIGNS[sight.standing]
    if not sight.can_open:
        sign = _SIGNS[sight.standing]
    item.setData(_SIGHT, sight)
    item.setText(f"{station.name}   ·   {sign}\n{station.folder}")
    item.setToolTip(sight.why or station.folder)

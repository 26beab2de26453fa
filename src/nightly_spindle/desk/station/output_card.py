"""Where the station's sound goes: a card of the place Station."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel

from nightly_spindle.core.station.settings import SendTo
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.store.base.station_folder import set_settings

if TYPE_CHECKING:
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_WORDS = {
    SendTo.DEVICE: "a sound device",
    SendTo.STANDIN: "the simulated card",
}


class OutputCard(QFrame):
    """Signals: `told` (str) what was done or not; `changed` when another output is set."""

    told = Signal(str)
    changed = Signal()

    def __init__(self, shelf: LibraryWorker, folder: Path, settings: StationSettings) -> None:
        super().__init__()
        self._shelf, self._folder = shelf, folder
        self.setObjectName("card")
        self.to = ChoiceBox()
        for one, words in _WORDS.items():
            self.to.addItem(words, str(one))
        self.to.setCurrentIndex(self.to.findData(str(settings.output.to)))
        self.to.setAccessibleName("Where the sound goes")
        self.to.setToolTip("Nobody hears the simulated card: it is for trying things")
        self.device = Field()
        self.device.setText(settings.output.device)
        self.device.setPlaceholderText("the machine's default")
        self.device.setAccessibleName("Sound device")
        self.device.setToolTip("Name or number of the sound device")
        self.said = QLabel("")
        self.said.setWordWrap(True)
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 12, 14, 12)
        grid.setVerticalSpacing(6)
        caption = QLabel("SOUND GOES TO")
        caption.setProperty("role", "caption")
        grid.addWidget(caption, 0, 0, 1, 2)
        grid.addWidget(self.said, 1, 0, 1, 2)
        grid.addWidget(self.to, 2, 0, 1, 2)
        grid.addWidget(self.device, 3, 0, 1, 2)
        grid.setRowStretch(4, 1)
        self._follow()
        self.to.currentIndexChanged.connect(self._save)
        self.device.editingFinished.connect(self._device_left)

    def _follow(self) -> None:
        real = self.to.currentData() == SendTo.DEVICE
        self.device.setVisible(real)
        self.said.setText(
            "Listeners hear what this sound device plays."
            if real
            else "Simulated: nobody hears the station."
        )

    def _device_left(self) -> None:
        if self.device.isModified():  # else the keyboard only left the field
            self.device.setModified(False)
            self._save()

    def _save(self) -> None:
        self._follow()
        values = {"output.to": str(self.to.currentData()), "output.device": self.device.text()}
        folder = self._folder

        def then(_: object) -> None:
            self.told.emit("The engine plays there once it is started again.")
            self.changed.emit()

        self._shelf.look(lambda _: set_settings(folder, values), then)

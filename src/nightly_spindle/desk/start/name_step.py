"""The first step: what the station is called, where it lies, when its day begins."""

from __future__ import annotations

import re
import time
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QFileDialog, QFormLayout, QHBoxLayout, QLabel, QWidget

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.station.settings import settings_from
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import EditableChoiceBox
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.time_zones import own_time_zone, time_zones
from nightly_spindle.desk.start.set_up_step import SetUpStep
from nightly_spindle.store.base.known_stations import remember_station
from nightly_spindle.store.base.station_folder import new_station

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.start.background_work import BackgroundWork
from nightly_spindle.desk.start.set_up_step import SetUp


def home_of_stations() -> Path:
    """Return the folder in which new stations are offered a place."""
    return Path.home() / "Radio"


class NameStep(SetUpStep):
    """Makes the station in its folder. `made` is where."""

    name = "Name and place"
    question = "What is the station called?"
    why = "All of this can be changed later, at Station › General."
    go_on = "Make the station"
    skip = ""

    def __init__(self, work: BackgroundWork) -> None:
        super().__init__(work)
        self.made: Path | None = None
        self.title = Field()
        self.title.setPlaceholderText("Harbour Nights")
        self.title.setAccessibleName("The station's name")
        self.zone = EditableChoiceBox(finds=True)
        self.zone.addItems(time_zones())
        self.zone.setAccessibleName("Time zone")
        self.zone.setCurrentText(own_time_zone())
        self.folder = Field()
        self.folder.setAccessibleName("The station's folder")
        self.begins = Field()
        self.begins.setText("00:00")
        self.begins.setAccessibleName("The broadcast day begins at")
        self.begins.setMaximumWidth(90)
        self.sentence = QLabel("")
        self.sentence.setProperty("role", "sentence")
        self.sentence.setWordWrap(True)
        browse = push_button("Browse …", "Choose another folder", self._browse)
        place = QHBoxLayout()
        place.addWidget(self.folder, 1)
        place.addWidget(browse)
        form = QFormLayout()
        form.setSpacing(9)
        form.addRow("Name", self.title)
        form.addRow("Time zone", self.zone)
        form.addRow("Folder", place)
        form.addRow("Day begins at", self.begins)
        self.box.addLayout(form)
        self.box.addWidget(self.sentence)
        self.box.addStretch(1)
        self._own_folder = False
        self.folder.textEdited.connect(self._on_folder)
        self.title.textEdited.connect(self._on_title)
        self.zone.currentTextChanged.connect(lambda _: self._on_typed())
        self.begins.textEdited.connect(lambda _: self._on_typed())
        self._on_typed()

    def open(self, station: SetUp | None) -> None:
        """Show what was said; once the station is made its place stays."""
        super().open(station)
        if station is None:
            return
        self.made = station.folder
        self.title.setText(station.settings.name)
        self.zone.setCurrentText(station.settings.timezone)
        self.begins.setText(f"{station.settings.day_start:%H:%M}")
        self.folder.setText(str(station.folder))
        for field in (self.title, self.zone, self.folder, self.begins):
            field.setEnabled(False)
        self.go_on = "Next"
        self._on_typed()

    def first_field(self) -> QWidget:
        """Return the name."""
        return self.title

    def _browse(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "A folder for the station")
        if chosen:
            self.folder.setText(chosen)
            self._on_folder()

    def _on_folder(self) -> None:
        self._own_folder = bool(self.folder.text().strip())
        self._on_typed()

    def _on_title(self) -> None:
        if not self._own_folder:
            plain = re.sub(r"[/\0]+", " ", self.title.text()).strip().strip(".")
            self.folder.setText(str(home_of_stations() / plain) if plain else "")
        self._on_typed()

    def _values(self) -> dict[str, str]:
        return {
            "name": " ".join(self.title.text().split()),
            "timezone": self.zone.currentText().strip(),
            "day_start": self.begins.text().strip(),
        }

    def lacks(self) -> str:
        """Return what is missing or cannot be."""
        try:
            self._typed()
        except NightlySpindleError as error:
            return str(error)
        return "" if self.folder.text().strip() else "the station needs a folder"

    def _typed(self) -> StationSettings:
        return settings_from(self._values())

    def _on_typed(self) -> None:
        lacks = self.lacks()
        if self.made is not None:
            self.sentence.setText(f"{self.title.text()} is made, in {self.made}.")
        elif lacks:
            self.sentence.setText(f"{lacks[:1].upper()}{lacks[1:]}.")
        else:
            settings = self._typed()
            self.sentence.setText(
                f"{settings.name} will be in {self.folder.text().strip()}. Its clock is that of "
                f"{settings.timezone}, its days begin at {settings.day_start:%H:%M}."
            )
        self.moved.emit()

    def finish(self, then: Callable[[], None]) -> None:
        """Make the station."""
        if self.made is not None:
            then()
            return
        folder = Path(self.folder.text().strip()).expanduser().absolute()
        values = self._values()

        def make() -> Path:
            new_station(folder, values)
            remember_station(folder, values["name"], time.time_ns() // 1000)
            return folder

        def done(folder: Path) -> None:
            self.made = folder
            then()

        self.work.do(make, done, self.wrong.emit)

"""Station, General: what the station is called, its clock, what players show."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Qt, QTimer, Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.declared import texts_of
from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.outputs.now_playing import TitleRules
from nightly_spindle.core.station.settings import PLAIN, RATES, settings_from, texts_from
from nightly_spindle.desk.kit.choice_box import ChoiceBox, EditableChoiceBox
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.fields import DecimalField, Field
from nightly_spindle.desk.kit.settings_edit import settings_edit
from nightly_spindle.desk.kit.time_zones import time_zones
from nightly_spindle.desk.station.cards import card
from nightly_spindle.store.base.station_folder import read_settings

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_TITLES = {
    "pattern": "Songs show",
    "between": "Between songs",
    "coming": "The page tells what comes next",
    "kept": "Past titles on the page",
}
_PLAIN = {  # caption, sentence
    "rejoin_s": (
        "Goes on after a break from",
        "An item that was broken off goes on when at least this much of it is left.",
    ),
    "separation_s": (
        "In logs, marked within",
        "An artist or title again within this is marked in logs; 0 marks none.",
    ),
    "seed": ("Shuffled by the number", "The same number gives the same turns."),
}
_WIDE = 420  # pixels of a field
_REST_MS = 900  # typing has come to rest
_ANEW = "Name and clock are shown everywhere once the desk is opened again."
_ENGINE = "The mix rate holds once the engine starts again."


class GeneralPage(QWidget):
    """What is typed is kept once typing rests. Signals: `said` (str); `kept` (StationSettings)."""

    said = Signal(str)
    kept = Signal(object)

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, settings: StationSettings) -> None:
        super().__init__()
        self._shelf, self._undo, self._settings = shelf, undo, settings
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_REST_MS)
        self._soon.timeout.connect(self.save)
        self.name, self.begins = Field(), Field()
        self.zone = EditableChoiceBox(finds=True)
        self.zone.addItems(time_zones())
        self.rate = ChoiceBox()
        for rate in RATES:
            self.rate.addItem(f"{rate} Hz", str(rate))
        self.numbers = {name: DecimalField(low, high, unit) for name, (unit, low, high) in
                        PLAIN.items() if name in _PLAIN}  # fmt: skip
        self.titles = DeclaredForm(TitleRules, _TITLES)
        self.trouble = QLabel("")
        self.trouble.setProperty("role", "warn")
        self.trouble.setWordWrap(True)
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 8, 22, 12)
        box.setSpacing(12)
        box.addWidget(self._station_card())
        box.addWidget(self._titles_card())
        box.addWidget(self._plain_card())
        box.addWidget(self.trouble)
        box.addStretch(1)
        self.show_settings(settings)

    # -- making ------------------------------------------------------------------------------------

    def _station_card(self) -> QWidget:
        made, grid = card("THE STATION")
        for row, (text, widget) in enumerate(
            (
                ("Name", self.name),
                ("Time zone", self.zone),
                ("Broadcast day begins at", self.begins),
                ("Mixed at", self.rate),
            ),
            2,
        ):
            _row(grid, row, text, widget)
        self.name.textEdited.connect(self._on_typed)
        self.begins.textEdited.connect(self._on_typed)
        self.zone.currentTextChanged.connect(self._on_typed)
        self.rate.activated.connect(self._on_typed)
        self.rate.setToolTip(_ENGINE)
        self.name.setToolTip(_ANEW)
        self.zone.setToolTip(_ANEW)
        return made

    def _titles_card(self) -> QWidget:
        made, grid = card("WHAT LISTENERS' PLAYERS SHOW")
        grid.addWidget(self.titles, 2, 0, 1, 2)
        self.titles.changed.connect(self._on_typed)
        return made

    def _plain_card(self) -> QWidget:
        made, grid = card("ON AIR AND IN LOGS")
        for row, (name, field) in enumerate(self.numbers.items(), 2):
            text, sentence = _PLAIN[name]
            _row(grid, row, text, field)
            field.setToolTip(sentence)
            field.entered.connect(self._on_typed)
        return made

    # -- showing and keeping -----------------------------------------------------------------------

    def refresh(self) -> None:
        """Read the settings anew; what is being typed stays."""
        folder = self._shelf.folder
        self._shelf.look(lambda _: read_settings(folder), self._on_read, "general")

    def _on_read(self, settings: StationSettings) -> None:
        if self._soon.isActive():
            return
        if settings != self._settings:
            self.show_settings(settings)
            self.kept.emit(settings)

    def show_settings(self, settings: StationSettings) -> None:
        """Show settings."""
        self._settings = settings
        plain = texts_from(settings)
        for widget, text in (
            (self.name, settings.name),
            (self.begins, f"{settings.day_start:%H:%M}"),
        ):
            if widget.text() != text:
                widget.setText(text)
        with QSignalBlocker(self.zone):
            self.zone.setCurrentText(settings.timezone)
        self.rate.setCurrentIndex(max(0, self.rate.findData(str(settings.rate))))
        for name, field in self.numbers.items():
            field.show_value(float(plain[name]))
        self.titles.show_values(settings.titles)
        self.trouble.setText("")

    def _on_typed(self, *_: Any) -> None:
        self._soon.start()

    def _values(self) -> dict[str, str]:
        values = {
            "name": " ".join(self.name.text().split()),
            "timezone": self.zone.currentText().strip(),
            "day_start": self.begins.text().strip(),
            "rate": str(self.rate.currentData()),
        }
        values |= {name: str(field.value()) for name, field in self.numbers.items()}
        return values | texts_of(typed_group(self._settings.titles, self.titles.texts()), "titles")

    def save(self) -> None:
        """Keep what is typed, undoably; where it cannot be, say why and keep what was."""
        self._soon.stop()
        before = texts_from(self._settings)
        try:
            settings = settings_from(before | self._values())
        except NightlySpindleError as error:
            text = str(error)
            self.trouble.setText(f"Not saved: {text}.")
            return
        self.trouble.setText("")
        after = texts_from(settings)
        changed = {name: text for name, text in after.items() if text != before[name]}
        if not changed:
            return
        self._settings = settings
        self._undo.push(settings_edit(self._shelf, "change the station's settings", changed))
        notes = [_ANEW] if {"name", "timezone", "day_start"} & set(changed) else []
        notes += [_ENGINE] if "rate" in changed else []
        self.said.emit(" ".join(["Saved.", *notes]))
        self.kept.emit(settings)

    def close_down(self) -> None:
        """Keep what was typed last."""
        if self._soon.isActive():
            self.save()


def _row(grid: QGridLayout, row: int, text: str, widget: QWidget) -> None:
    label = QLabel(text)
    label.setProperty("role", "muted")
    label.setMinimumWidth(180)
    widget.setAccessibleName(text)
    widget.setFixedWidth(_WIDE)
    grid.addWidget(label, row, 0)
    grid.addWidget(widget, row, 1, Qt.AlignmentFlag.AlignLeft)
    grid.setColumnStretch(1, 1)

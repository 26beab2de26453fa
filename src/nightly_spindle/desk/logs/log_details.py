"""Beside the board: the chosen log in words, and what can be done with it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import clock, length, short_date
from nightly_spindle.core.reports.log_status import ALARMS, BoardLog, LogState
from nightly_spindle.core.station.log_sources import WhenShort
from nightly_spindle.desk.kit.buttons import push_button

if TYPE_CHECKING:
    from nightly_spindle.core.station.settings import StationSettings

_FACTS = ("State", "File", "Found", "Length", "Written", "Loaded", "Then")


class LogDetails(QWidget):
    """Signals: `open_asked`, `load_asked`, `file_asked`, `near_asked` (file name), all about the
    log that is shown.
    """

    open_asked = Signal(object)
    load_asked = Signal(object)
    file_asked = Signal(object)
    near_asked = Signal(object, str)

    def __init__(self, settings: StationSettings) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(300)
        self._settings = settings
        self.log: BoardLog | None = None
        self.title, self.drop, self.sentence = QLabel(""), QLabel(""), QLabel("")
        self.title.setProperty("role", "name")
        self.drop.setProperty("role", "muted")
        self.sentence.setProperty("role", "sentence")
        self.change = QLabel("")
        self.change.setProperty("role", "warn")
        for label in (self.title, self.sentence, self.change):
            label.setWordWrap(True)
        self.facts = {name: QLabel("") for name in _FACTS}
        self.open = push_button(
            "Open the log", "Line by line (Enter)", lambda: self.open_asked.emit(self.log)
        )
        self.use = push_button(
            "", "Load the file with the similar name instead, at its time", self._use_near
        )
        self.load = push_button(
            "Load it now",
            "Into the running order, after the item on air",
            lambda: self.load_asked.emit(self.log),
        )
        self.other = push_button(
            "Load another file …",
            "In its place, at its time or now",
            lambda: self.file_asked.emit(self.log),
        )
        self._lay_out()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 14, 12)
        box.setSpacing(8)
        for widget in (self.title, self.drop, self.sentence, self.use, self.change):
            box.addWidget(widget)
        rule = QFrame()
        rule.setProperty("role", "rule")
        box.addWidget(rule)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        for row, (name, value) in enumerate(self.facts.items()):
            label = QLabel(name)
            label.setProperty("role", "muted")
            grid.addWidget(label, row, 0, Qt.AlignmentFlag.AlignTop)
            value.setWordWrap(True)
            value.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            grid.addWidget(value, row, 1)
        box.addLayout(grid)
        box.addStretch(1)
        for button in (self.open, self.load, self.other):
            box.addWidget(button)

    def show_log(self, log: BoardLog | None, *, on_air: bool) -> None:
        """Show a log; without an engine nothing can be loaded."""
        self.log = log
        for button in (self.open, self.load, self.other):
            button.setEnabled(log is not None)
        if log is None:
            self.title.setText("No log is chosen")
            return
        reading, tz = log.reading, self._settings.tz
        self.title.setText(log.slot.text)
        self.drop.setText(f"{log.drop.name}, in {log.drop.folder}")
        self.sentence.setText(log.sentence())
        near = None if reading.usable else reading.close
        self.use.setVisible(near is not None)
        self.use.setText("" if near is None else f"Use {near.name} instead")
        self.use.setEnabled(on_air)
        self.change.setText(f"It changed: {reading.change.sentence()}." if reading.change else "")
        self.change.setVisible(bool(self.change.text()))
        loaded = log.loaded
        texts = {
            "State": str(log.state),
            "File": reading.file,
            "Found": f"{log.found} of {log.named} lines" if reading.matches else "–",
            "Length": f"{length(log.duration_s)} of {length(log.slot.seconds)}"
            if log.duration_s
            else "–",
            "Written": short_date(reading.written_us, tz) if reading.written_us else "–",
            "Loaded": f"{clock(loaded.at_us, tz)}" if loaded and loaded.ok else "not yet",
            "Then": _then(log),
        }
        for name, text in texts.items():
            self.facts[name].setText(text)
            bad = name == "State" and log.state in ALARMS
            self.facts[name].setProperty("role", "warn" if bad else "")
            self.facts[name].style().unpolish(self.facts[name])
            self.facts[name].style().polish(self.facts[name])
        self.open.setEnabled(bool(reading.matches))
        self.load.setEnabled(on_air and reading.usable)
        self.load.setText("Load it again now" if log.state is LogState.LOADED else "Load it now")
        self.other.setEnabled(on_air)

    def _use_near(self) -> None:
        if self.log is not None and self.log.reading.close is not None:
            self.near_asked.emit(self.log, self.log.reading.close.name)


def _then(log: BoardLog) -> str:
    """Return what follows a log in its time."""
    net = {
        WhenShort.AGAIN: "it starts again",
        WhenShort.ROTATION: "rotation",
        WhenShort.NET: "the safety net",
    }
    if not log.reading.usable and log.state not in {LogState.LOADED, LogState.AIRED}:
        return "what is lined up goes on, then the safety net"
    return f"{net[log.drop.options.short]}, as it is short" if log.short else "the next log"

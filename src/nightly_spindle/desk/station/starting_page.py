"""Station, Start and stop: whether the station goes on air with the computer, by itself."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.air.autostart import (
    FIRST_DELAY_S,
    Autostart,
    Starter,
    autostart_of,
    switch_off,
    switch_on,
)
from nightly_spindle.air.places import engine_pid
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import NumberField
from nightly_spindle.desk.station.cards import card

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_LONGEST_S = 600


class StartingPage(QWidget):
    """Switches the start with the computer. Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, shelf: LibraryWorker, settings: StationSettings) -> None:
        super().__init__()
        self._shelf, self._settings = shelf, settings
        self.found: Autostart | None = None
        self.head = QLabel("Being looked at …")
        self.head.setProperty("role", "name")
        self.head.setWordWrap(True)
        self.head.setAccessibleName("How the station starts")
        self.engine = QLabel("")
        self.engine.setProperty("role", "muted")
        self.engine.setWordWrap(True)
        self.problem = QLabel("")
        self.problem.setProperty("role", "warn")
        self.problem.setWordWrap(True)
        made, grid = card(
            "START WITH THE COMPUTER",
            "After a power cut, an update, a restart: the air engine starts and takes the air, "
            "whether the desk is opened or not. It goes on where it was, as the log and the clock "
            "have it.",
        )
        self.delay = NumberField(0, _LONGEST_S)
        self.delay.setValue(round(FIRST_DELAY_S))
        self.delay.setMaximumWidth(80)
        self.delay.setAccessibleName("Seconds until it takes the air")
        self.delay.editingFinished.connect(self._on_delay)
        self.switch = push_button("Switch it on", "", self.turn)
        row = QHBoxLayout()
        row.addWidget(QLabel("Takes the air"))
        row.addWidget(self.delay)
        row.addWidget(QLabel("s after the start"))
        row.addStretch(1)
        row.addWidget(self.switch)
        grid.addLayout(row, 2, 0, 1, 2)
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 8, 22, 12)
        box.setSpacing(12)
        for widget in (self.head, made, self.problem, self.engine):
            box.addWidget(widget)
        box.addStretch(1)

    def refresh(self) -> None:
        """Ask how the station starts now."""
        folder = self._shelf.folder
        self._do(lambda: autostart_of(folder))

    def _do(self, what: Callable[[], Autostart]) -> None:
        self.switch.setEnabled(False)
        folder = self._shelf.folder
        self._shelf.look(lambda _: (what(), engine_pid(folder) is not None), self._show, "starting")

    def _show(self, answer: tuple[Autostart, bool]) -> None:
        found, on_air = answer
        self.found = found
        copy = self._settings.copy_of
        self.head.setText(
            f"This is a copy of {copy}: it does not go on air." if copy else found.sentence()
        )
        on = found.by is not Starter.NOTHING
        self.switch.setEnabled(not copy)
        self.switch.setText("Switch it off" if on else "Switch it on")
        self.switch.setToolTip(
            f"Remove {found.place}; an engine that runs goes on"
            if on
            else "By systemd where it runs for you, else by an entry of the desktop"
        )
        if on and not self.delay.hasFocus():
            self.delay.setValue(round(found.delay_s))
        self.problem.setText(
            f"{found.problem[:1].upper()}{found.problem[1:]}." if found.problem else ""
        )
        runs = (
            "systemd runs the engine now, and starts it again should it end."
            if found.runs
            else "The engine was started by hand or by the desk; a supervisor starts it again "
            "should it end."
        )
        self.engine.setText(runs if on_air else "The engine does not run now.")

    def turn(self) -> None:
        """Switch it on or off."""
        folder, delay = self._shelf.folder, float(self.delay.value())
        if self.found is not None and self.found.by is not Starter.NOTHING:
            self._do(lambda: switch_off(folder))
        else:
            self._do(lambda: switch_on(folder, delay))

    def _on_delay(self) -> None:
        on = self.found is not None and self.found.by is not Starter.NOTHING
        folder, delay = self._shelf.folder, float(self.delay.value())
        if on and self.found is not None and delay != self.found.delay_s:
            self._do(lambda: switch_on(folder, delay))

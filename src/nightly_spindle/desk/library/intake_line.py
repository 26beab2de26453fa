"""How far the intake is, in a line that is there while there is something to be measured."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel, QProgressBar, QWidget

from nightly_spindle.store.station.set_up import IntakeProgress, intake_progress

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_LOOK_MS = 1000


class IntakeLine(QWidget):
    """Looks once a second while files wait; hidden while none does."""

    def __init__(self, shelf: LibraryWorker) -> None:
        super().__init__()
        self._shelf = shelf
        self._before = 0  # arrivals that were done when this lot began
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedSize(90, 6)
        self.text = QLabel("")
        self.text.setProperty("role", "muted")
        self.text.setAccessibleName("How far the intake is")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.bar)
        row.addWidget(self.text)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.look)
        self.hide()

    def look(self) -> None:
        """Look how far the intake is."""
        folder = self._shelf.folder
        self._shelf.look(lambda _: intake_progress(folder), self._show, "intake line", news=True)

    def _show(self, now: IntakeProgress) -> None:
        if not now.waiting:
            self._before = now.done
            self._timer.stop()
            self.hide()
            return
        done = now.done - self._before
        self.bar.setRange(0, done + now.waiting)
        self.bar.setValue(done)
        self.text.setText(f"Measuring {done} of {done + now.waiting}")
        self.show()
        self._timer.start()

    def stop(self) -> None:
        """Look no more: the desk closes."""
        self._timer.stop()

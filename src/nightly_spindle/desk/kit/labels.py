"""Labels that tell when they are cut off."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QLabel, QSizePolicy

if TYPE_CHECKING:
    from PySide6.QtGui import QPaintEvent

_NOTE_MS = 9000


class ElidedLabel(QLabel):
    """Text whose lines end in "…" where there is no room; the tool tip has all of it."""

    def __init__(self) -> None:
        super().__init__("")
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the text as far as it goes."""
        del event
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(self.palette().windowText().color())
        metrics = painter.fontMetrics()
        text = "\n".join(
            metrics.elidedText(line, Qt.TextElideMode.ElideRight, self.width())
            for line in self.text().split("\n")
        )
        painter.drawText(self.rect(), Qt.AlignmentFlag.AlignVCenter, text)


class NoteLabel(ElidedLabel):
    """Says something for a while, and is empty then."""

    def __init__(self) -> None:
        super().__init__()
        self.setProperty("role", "muted")
        self._quiet = QTimer(self)
        self._quiet.setSingleShot(True)
        self._quiet.setInterval(_NOTE_MS)
        self._quiet.timeout.connect(self.clear)

    def say(self, sentence: str) -> None:
        """Show a sentence; the tool tip has all of it."""
        self.setText(sentence)
        self.setToolTip(sentence)
        self._quiet.start()

    def stop(self) -> None:
        """Leave what is said standing: the window closes."""
        self._quiet.stop()

"""The buttons of the rail; something dragged onto one and held there opens its place."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QToolButton

from nightly_spindle.desk.library.item_table import MIME

if TYPE_CHECKING:
    from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent

_HOLD_MS = 450


class PlaceButton(QToolButton):
    """Signal: `hovered` when items were held over it for a moment."""

    hovered = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setAcceptDrops(True)
        self._held = QTimer(self)
        self._held.setSingleShot(True)
        self._held.setInterval(_HOLD_MS)
        self._held.timeout.connect(self.hovered)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Begin to wait."""
        if event.mimeData().hasFormat(MIME) or event.mimeData().hasUrls():
            event.acceptProposedAction()
            self._held.start()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        """They are gone."""
        self._held.stop()
        super().dragLeaveEvent(event)

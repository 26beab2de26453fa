"""A line to type into that leaves undoing to the window when it has nothing to undo itself."""

from __future__ import annotations

from PySide6.QtCore import QEvent
from PySide6.QtGui import QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit


class Field(QLineEdit):
    """A line edit whose Ctrl+Z takes back typing first, and then the last edit of the station."""

    def event(self, event: QEvent) -> bool:
        """Claim undo and redo only where there is typing to take back."""
        if event.type() is QEvent.Type.ShortcutOverride and isinstance(event, QKeyEvent):
            undo = event.matches(QKeySequence.StandardKey.Undo) and not self.isUndoAvailable()
            redo = event.matches(QKeySequence.StandardKey.Redo) and not self.isRedoAvailable()
            if undo or redo:
                event.ignore()
                return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Type; undo and redo that are not ours go on to the window."""
        undo = event.matches(QKeySequence.StandardKey.Undo) and not self.isUndoAvailable()
        redo = event.matches(QKeySequence.StandardKey.Redo) and not self.isRedoAvailable()
        if undo or redo:
            event.ignore()
            return
        super().keyPressEvent(event)

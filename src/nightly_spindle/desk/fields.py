"""A line to type into that leaves undoing to the window when it has nothing to undo itself."""

from __future__ import annotations

from PySide6.QtCore import QEvent, Signal
from PySide6.QtGui import QIntValidator, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit


class Field(QLineEdit):
    """A line edit whose Ctrl+Z takes back typing first, and then the last edit of the station."""

    def event(self, event: QEvent) -> bool:
        """Claim undo and redo only where there is typing to take back."""
        override = event.type() is QEvent.Type.ShortcutOverride
        if override and isinstance(event, QKeyEvent) and self._not_ours(event):
            event.ignore()
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Type; undo and redo that are not ours go on to the window."""
        if self._not_ours(event):
            event.ignore()
            return
        super().keyPressEvent(event)

    def _not_ours(self, event: QKeyEvent) -> bool:
        undo = event.matches(QKeySequence.StandardKey.Undo) and not self.isUndoAvailable()
        redo = event.matches(QKeySequence.StandardKey.Redo) and not self.isRedoAvailable()
        return undo or redo


class NumberField(Field):
    """A whole number to type. Signal: `valueChanged` when another one was typed or set."""

    valueChanged = Signal(int)  # noqa: N815 - as Qt names it

    def __init__(self, low: int, high: int) -> None:
        super().__init__()
        self._low, self._high = low, high
        self._value = low
        self.setValidator(QIntValidator(low, high, self))
        self.textEdited.connect(self._on_typed)
        self.editingFinished.connect(lambda: self.setText(str(self._value)))

    def value(self) -> int:
        """Return the number; what is out of bounds does not count."""
        return self._value

    def setValue(self, value: int) -> None:
        """Show a number."""
        self._value = min(max(self._low, value), self._high)
        self.setText(str(self._value))
        self.valueChanged.emit(self._value)

    def _on_typed(self, text: str) -> None:
        if self.hasAcceptableInput():
            self._value = int(text)
            self.valueChanged.emit(self._value)

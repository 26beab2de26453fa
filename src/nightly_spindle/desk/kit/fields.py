"""A line to type into that leaves undoing to the window when it has nothing to undo itself."""

from __future__ import annotations

import contextlib

from PySide6.QtCore import QEvent, Qt, Signal
from PySide6.QtGui import QIntValidator, QKeyEvent, QKeySequence
from PySide6.QtWidgets import QLineEdit

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import parse_stamp, stamp


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


class TimeField(Field):
    """A position to type, to the millisecond.

    Signals: `entered` (seconds) when another one was typed; `refused` (str) when it is none.
    """

    entered = Signal(float)
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setFixedWidth(104)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.editingFinished.connect(self._on_done)
        self._was = ""

    def show_time(self, at_s: float | None) -> None:
        """Show a position; what is being typed is not taken away."""
        self._was = "" if at_s is None else stamp(at_s)
        if not (self.hasFocus() and self.isModified()):
            self.setText(self._was)
            self.setModified(False)

    def _on_done(self) -> None:
        if not self.isModified():
            return
        text = self.text().strip()
        self.setModified(False)
        if text == self._was or not text:
            self.setText(self._was)
            return
        try:
            self.entered.emit(parse_stamp(text))
        except SettingRefused as error:
            self.setText(self._was)
            self.refused.emit(str(error))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Type; Escape takes the typing back."""
        if event.key() == Qt.Key.Key_Escape and self.isModified():
            self.setText(self._was)
            self.setModified(False)
            return
        super().keyPressEvent(event)
        _keep_return(event)


class DecimalField(Field):
    """A number within bounds, or nothing where `blank` says what that means.

    Signal: `entered` (float or None) when another one was typed.
    """

    entered = Signal(object)

    def __init__(self, low: float, high: float, unit: str, blank: str = "") -> None:
        super().__init__()
        self._low, self._high, self._unit, self._blank = low, high, unit, blank
        self._value: float | None = None
        self.setPlaceholderText(blank)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setToolTip(f"{low:g} to {high:g} {unit}")
        self.editingFinished.connect(self._on_done)

    def value(self) -> float | None:
        """Return the number, None where nothing is typed."""
        return self._value

    def show_value(self, value: float | None) -> None:
        """Show a number, or nothing; what is being typed is not taken away."""
        self._value = value
        if not (self.hasFocus() and self.isModified()):
            self._show()

    def _show(self) -> None:
        self.setText("" if self._value is None else f"{self._value:g} {self._unit}".strip())
        self.setModified(False)

    def _on_done(self) -> None:
        if not self.isModified():
            return
        text = self.text().removesuffix(self._unit).replace(",", ".").strip()
        value = self._value
        if not text and self._blank:
            value = None
        else:
            with contextlib.suppress(ValueError):
                value = min(max(self._low, float(text)), self._high)
        changed = value != self._value
        self._value = value
        self._show()
        if changed:
            self.entered.emit(value)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Type."""
        super().keyPressEvent(event)
        _keep_return(event)


def _keep_return(event: QKeyEvent) -> None:
    """Keep the key that ends typing from whatever lies around the field."""
    if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
        event.accept()

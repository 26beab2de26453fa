"""A box of choices that the wheel does not change by the way.

A wheel turned over a form is meant for scrolling. It changes a choice only once the box was clicked
and still has the keyboard, or in its opened list.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QCompleter

from nightly_spindle.desk.kit.fields import Field

if TYPE_CHECKING:
    from PySide6.QtGui import QFocusEvent, QMouseEvent, QWheelEvent


_COMES_BACK = {
    Qt.FocusReason.MouseFocusReason,
    Qt.FocusReason.PopupFocusReason,  # its own list was closed
    Qt.FocusReason.ActiveWindowFocusReason,
}


class ChoiceBox(QComboBox):
    """A combo box as every form of the desk has it."""

    def __init__(self) -> None:
        super().__init__()
        self._clicked = False
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)  # not by the wheel

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Open the list; from now on the wheel is meant for this box."""
        self._clicked = True
        super().mousePressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        """Whoever comes by the keyboard has not clicked this time."""
        if event.reason() not in _COMES_BACK:
            self._clicked = False
        super().focusInEvent(event)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Scroll what lies around, unless this box was chosen."""
        if self._clicked and self.hasFocus():
            super().wheelEvent(event)
        else:
            event.ignore()


class EditableChoiceBox(ChoiceBox):
    """A box of choices that can be typed into as well: `line` is what is typed in.

    `finds`: what is typed finds choices that have it anywhere, and is never added to them.
    """

    def __init__(self, placeholder: str = "", *, finds: bool = False) -> None:
        super().__init__()
        self.setEditable(True)
        self.line = Field()  # undoing is the window's where nothing is typed
        self.line.setPlaceholderText(placeholder)
        self.setLineEdit(self.line)
        if finds:
            self.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
            completer = self.completer()
            assert completer is not None
            completer.setFilterMode(Qt.MatchFlag.MatchContains)
            completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)

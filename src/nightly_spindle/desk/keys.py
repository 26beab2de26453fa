"""The keyboard on one page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QWidget

if TYPE_CHECKING:
    from PySide6.QtGui import QKeyEvent

SHORTCUTS = (
    ("F6", "attend, or leave unattended"),
    ("F8", "skip to the next line"),
    ("F9", "stop, start, go on air"),
    ("Ctrl+N", "add an item to the running order"),
    ("Ctrl+Up, Ctrl+Down", "move the chosen line"),
    ("Delete", "take the chosen lines out"),
    ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo"),
    ("Ctrl+C", "copy the chosen rows as text"),
    ("+ and -", "night line: closer, further"),
    ("Left, Right, Home", "night line: choose a line, back to now"),
    ("Ctrl+1, Ctrl+2, Ctrl+3", "go to Air, Library, Station"),
    ("Ctrl+F", "find items in the library"),
    ("Space", "library: listen to the chosen item, or stop"),
    ("Ctrl+Return", "library: add the chosen items to the running order"),
    ("F4", "show the next finding"),
    ("Ctrl+L", "light or dark"),
    ("F1", "this page"),
    ("Ctrl+Q", "close the desk; the station stays on air"),
)


class KeysPage(QFrame):
    """Lies over the window; any key or click takes it away."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("keys")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        grid = QGridLayout(self)
        grid.setContentsMargins(32, 24, 32, 24)
        grid.setHorizontalSpacing(28)
        grid.setVerticalSpacing(9)
        title = QLabel("Keys")
        title.setProperty("role", "title")
        grid.addWidget(title, 0, 0, 1, 2)
        for row, (key, what) in enumerate(SHORTCUTS, 1):
            name = QLabel(key)
            name.setProperty("role", "name")
            grid.addWidget(name, row, 0)
            grid.addWidget(QLabel(what), row, 1)
        self.hide()

    def open(self) -> None:
        """Show the page in the middle of the window."""
        self.adjustSize()
        parent = self.parentWidget()
        self.move((parent.width() - self.width()) // 2, (parent.height() - self.height()) // 2)
        self.show()
        self.raise_()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Any key closes it."""
        del event
        self.hide()

    def mousePressEvent(self, event: object) -> None:
        """Any click closes it."""
        del event
        self.hide()

"""A row of tabs: the pages of a place, or the parts of a panel."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QToolButton, QWidget

if TYPE_CHECKING:
    from collections.abc import Mapping


class Tabs(QWidget):
    """One button for each page; `pages` has each one's tool tip by its name.

    Signal: `chosen` (name) when one was clicked. `buttons` are they by name.
    """

    chosen = Signal(str)

    def __init__(self, pages: Mapping[str, str], of: str = "") -> None:
        super().__init__()
        self.buttons: dict[str, QToolButton] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        for name, tip in pages.items():
            tab = QToolButton()
            tab.setText(name)
            tab.setAccessibleName(f"{name}{of}")
            tab.setToolTip(tip)
            tab.setCheckable(True)
            tab.setProperty("role", "tab")
            tab.clicked.connect(lambda _=False, name=name: self.chosen.emit(name))
            self.buttons[name] = tab
            row.addWidget(tab)

    def show_page(self, name: str) -> int:
        """Mark a page as the one that is shown; returns its place in the row."""
        for other, tab in self.buttons.items():
            tab.setChecked(other == name)
        return list(self.buttons).index(name)

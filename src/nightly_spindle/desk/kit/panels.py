"""The panel that stands beside what a page shows, and the page that has one."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QHBoxLayout, QLayout, QVBoxLayout, QWidget


def details_panel(width: int, spacing: int = 6) -> tuple[QWidget, QVBoxLayout]:
    """Return a panel of so many pixels in the panels' colour, and the column of what is in it."""
    panel = QWidget()
    panel.setObjectName("details")
    panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    panel.setFixedWidth(width)
    box = QVBoxLayout(panel)
    box.setContentsMargins(12, 10, 8, 10)
    box.setSpacing(spacing)
    return panel, box


def lay_beside(page: QWidget, tools: QLayout, panel: QWidget) -> QVBoxLayout:
    """Lay a page out: a column that begins with its tools, the panel beside it.

    Returns the column, for more below the tools.
    """
    left = QVBoxLayout()
    left.setContentsMargins(12, 0, 4, 8)
    left.setSpacing(5)
    left.addLayout(tools)
    whole = QHBoxLayout(page)
    whole.setContentsMargins(0, 0, 0, 0)
    whole.setSpacing(4)
    whole.addLayout(left, 1)
    whole.addWidget(panel)
    return left

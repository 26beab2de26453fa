"""A form in an area that scrolls where it is higher than there is room."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QScrollArea, QVBoxLayout, QWidget


def scrolled(*widgets: QWidget) -> QScrollArea:
    """Return an area with widgets below each other."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    holder = QWidget()
    box = QVBoxLayout(holder)
    box.setContentsMargins(0, 0, 4, 0)
    box.setSpacing(5)
    for widget in widgets:
        box.addWidget(widget)
    box.addStretch(1)
    area.setWidget(holder)
    return area


def in_sight(widget: QWidget) -> QScrollArea:
    """Return an area that a widget fills, and that scrolls where the widget has too little room."""
    area = QScrollArea()
    area.setWidgetResizable(True)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setWidget(widget)
    return area

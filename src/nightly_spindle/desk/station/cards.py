"""A card of the place Station: a caption, a sentence, what is set below."""

from __future__ import annotations

from PySide6.QtWidgets import QFrame, QGridLayout, QLabel, QWidget


def card(title: str, text: str = "") -> tuple[QWidget, QGridLayout]:
    """Return a card, and the grid below its head: rows from 2 on are free."""
    made = QFrame()
    made.setObjectName("card")
    grid = QGridLayout(made)
    grid.setContentsMargins(14, 12, 14, 12)
    grid.setVerticalSpacing(6)
    caption = QLabel(title)
    caption.setProperty("role", "caption")
    grid.addWidget(caption, 0, 0, 1, 2)
    if text:
        said = QLabel(text)
        said.setWordWrap(True)
        grid.addWidget(said, 1, 0, 1, 2)
    return made, grid

"""Making buttons."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QPushButton

if TYPE_CHECKING:
    from collections.abc import Callable


def push_button(text: str, tip: str, act: Callable[[], object]) -> QPushButton:
    """Return a button that does something when it is clicked; `tip` says what."""
    made = QPushButton(text)
    made.setToolTip(tip)
    # clicked tells whether it is checked, which nobody here wants to know
    made.clicked.connect(lambda _=False: act())
    return made

"""A place of the desk, as the window knows all of them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QWidget

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.desk.kit.theme import Palette


class Place(QWidget):
    """`undo` are the edits made here. Whatever a place has no use for it leaves as it is."""

    undo: QUndoStack

    def open(self) -> None:
        """Look at what the place shows, and go on looking: it is gone to."""

    def begin_new(self) -> None:
        """Begin something new of what the place is about (Ctrl+N)."""

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        raise NotImplementedError

    def show_plan(self, planned: NightPlan) -> None:
        """Show the coming hours, planned anew."""

    def close_down(self) -> None:
        """Finish what is under way: the desk closes."""

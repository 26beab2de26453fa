"""Station, Safety net: what plays when nothing else is there, as it stands now."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.net_view import NetView
from nightly_spindle.store.reports.net_levels import net_levels

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.library_worker import LibraryWorker


class NetPage(QWidget):
    """Shows the levels of the net. Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, shelf: LibraryWorker) -> None:
        super().__init__()
        self._shelf = shelf
        self.view = NetView()
        again = push_button("Look again", "See what each level has now", self.refresh)
        head = QLabel(
            "When nothing is lined up, the first of these that has something plays. What follows "
            "a log that is too short can be set for each log drop, at the place Logs."
        )
        head.setWordWrap(True)
        head.setProperty("role", "muted")
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 8, 22, 12)
        box.setSpacing(14)
        for widget in (head, self.view, again):
            box.addWidget(widget)
        again.setMaximumWidth(140)
        box.addStretch(1)

    def refresh(self) -> None:
        """Look at the net anew."""
        folder, now_us = self._shelf.folder, time.time_ns() // 1000
        self._shelf.look(lambda _: net_levels(folder, now_us), self.view.show_levels, "net")

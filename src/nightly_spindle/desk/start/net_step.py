"""The fifth step: what listeners hear when all else fails."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from nightly_spindle.desk.kit.net_view import NetView
from nightly_spindle.desk.start.set_up_step import SetUpStep
from nightly_spindle.store.reports.net_levels import net_levels

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nightly_spindle.desk.start.background_work import BackgroundWork
    from nightly_spindle.desk.start.set_up_step import SetUp


class NetStep(SetUpStep):
    """Shows the safety net: there is nothing to be answered, only to be known."""

    name = "If all else fails"
    question = "What plays if a log is missing, a file is gone, a drive is away?"
    why = "The safety net: the first of these that has something plays. There is never dead air."
    skip = ""

    def __init__(self, work: BackgroundWork) -> None:
        super().__init__(work)
        self.view = NetView()
        self.box.addWidget(self.view)
        self.box.addStretch(1)

    def open(self, station: SetUp | None) -> None:
        """Look at the net as it stands now."""
        super().open(station)
        if station is not None:
            folder, now_us = station.folder, time.time_ns() // 1000
            self.work.do(lambda: net_levels(folder, now_us), self.view.show_levels, self.wrong.emit)

    def first_field(self) -> QWidget:
        """Return the view."""
        return self.view

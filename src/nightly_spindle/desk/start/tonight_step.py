"""The last step: what tonight will sound like, and going on air."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtWidgets import QLabel, QListWidget

from nightly_spindle.core.base.timebase import clock
from nightly_spindle.core.reports.tonight import Answer, tonight_of
from nightly_spindle.desk.kit.planner import Planner
from nightly_spindle.desk.music.log_maker import LogMaker
from nightly_spindle.desk.start.set_up_step import SetUpStep

if TYPE_CHECKING:
    from PySide6.QtWidgets import QWidget

    from nightly_spindle.core.reports.tonight import Cause
    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.desk.start.background_work import BackgroundWork
    from nightly_spindle.desk.start.set_up_step import SetUp

_MOST_LINES = 14
_MOST_MARKS = 5
_HOURS = 24


class TonightStep(SetUpStep):
    """Rehearses the coming twelve hours."""

    name = "Tonight"
    question = "What tonight will sound like"
    why = "The coming twelve hours, played ahead as the air engine would play them."
    go_on = "Go on air"
    skip = "Open the desk without going on air"

    def __init__(self, work: BackgroundWork) -> None:
        super().__init__(work)
        self._planner: Planner | None = None
        self._maker: LogMaker | None = None
        self.verdict = QLabel("")
        self.verdict.setProperty("role", "name")
        self.verdict.setWordWrap(True)
        self.verdict.setAccessibleName("Whether tonight works")
        self.marks = QLabel("")
        self.marks.setWordWrap(True)
        self.marks.setProperty("role", "warn")
        self.lines = QListWidget()
        self.lines.setAccessibleName("What comes first")
        self.box.addWidget(self.verdict)
        self.box.addWidget(self.marks)
        self.box.addWidget(self.lines, 1)

    def first_field(self) -> QWidget:
        """Return the lines."""
        return self.lines

    def open(self, station: SetUp | None) -> None:
        """Play the night ahead anew."""
        super().open(station)
        if station is None:
            return
        self.verdict.setText("Working the night out …")
        self.marks.setText("")
        self.lines.clear()
        if self._planner is None:
            self._planner = Planner(station.folder, self)
            self._planner.planned.connect(self._show)
            self._planner.failed.connect(self.verdict.setText)
            self._maker = LogMaker(station.folder, self)
            self._maker.made.connect(lambda _: self._plan())
            self._maker.failed.connect(lambda _: self._plan())  # no clock: nothing to be made
        if self._maker is not None and not self._maker.busy:
            self._maker.start(["--hours", str(_HOURS)])

    def _plan(self) -> None:
        if self._planner is not None:
            self._planner.ask(None, time.time_ns() // 1000, live=False)

    def _show(self, planned: NightPlan) -> None:
        night, tz = planned.night, planned.settings.tz
        found = tonight_of(night, tz, planned.left)
        self.verdict.setText(found.sentence)
        grave = found.answer is Answer.NEEDS_YOU
        self.marks.setProperty("role", "warn" if grave else "muted")
        self.marks.style().polish(self.marks)
        told = [_said(one) for one in found.counting]
        more = [f"… and {len(told) - _MOST_MARKS} more, in the desk."] * (len(told) > _MOST_MARKS)
        self.marks.setText("\n".join([*told[:_MOST_MARKS], *more]))
        self.marks.setVisible(bool(told))
        self.lines.clear()
        for block in night.blocks[:_MOST_LINES]:
            who = f"{block.artist} – {block.title}" if block.artist else block.title
            self.lines.addItem(f"{clock(block.start_us, tz)}   {who}")

    def close_down(self) -> None:
        """End what runs beside."""
        if self._maker is not None:
            self._maker.close()
        if self._planner is not None:
            self._planner.close()


def _said(cause: Cause) -> str:
    """Return a finding as a sentence, with how many of its like there are."""
    times = f" ({cause.many} times tonight)" if cause.many > 1 else ""
    return f"{cause.text} {cause.mend}{times}"

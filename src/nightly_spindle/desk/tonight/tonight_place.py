"""The place Tonight: will it work, what is to be known, hour by hour."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QGuiApplication, QUndoStack
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QSplitter,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.reports.handover import handover_of, handover_text
from nightly_spindle.core.reports.tonight import Answer, Cause, Tonight, tonight_of
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.place import Place
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.timeline.timeline import Timeline
from nightly_spindle.desk.tonight.cause_panel import CausePanel
from nightly_spindle.desk.tonight.drill_page import DrillPage
from nightly_spindle.desk.tonight.tonight_tables import CauseTable, HourTable
from nightly_spindle.store.reports.findings_left import leave, put_left, take_up
from nightly_spindle.store.reports.handovers import write_handover

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.desk.kit.theme import Palette

_WINDOW = 3.0  # of the twenty minutes that a night line shows at first: an hour
HAND_OVER, ALL_THE_SAME = "Hand over", "Hand over all the same"
_PAGES = {
    "Hour by hour": "What fills each hour, and how it lands",
    "Drills": "What listeners would hear if one thing broke",
}
_ROLES = {Answer.NEEDS_YOU: "verdict-bad", Answer.KNOWN: "verdict", Answer.WORKS: "verdict"}


class TonightPlace(Place):
    """The verdict above, the night to scale, findings by cause and hours below.

    Signals: `gone_to` (DeskPage), where a finding is mended; `asked` (str), an order for the
    engine; `anew`, when the night is to be rehearsed again; `chosen` (int), a line of the night.
    """

    gone_to = Signal(object)
    asked = Signal(str)
    anew = Signal()
    chosen = Signal(int)

    def __init__(self, shelf: LibraryWorker, palette: Palette, now_us: Callable[[], int]) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._shelf = shelf
        self.undo = QUndoStack(self)
        self.planned: NightPlan | None = None
        self.found: Tonight | None = None
        self._at = -1
        self._worst = ""  # drill, in a sentence
        self._clock = QTimer(self)
        self._clock.setInterval(1000)
        self._clock.timeout.connect(self._tick)
        self._now_us = now_us
        self.verdict = QLabel("Working the night out …")
        self.verdict.setProperty("role", "verdict")
        self.verdict.setAccessibleName("Whether tonight works")
        self.verdict.setWordWrap(True)
        self.under = QLabel("")
        self.under.setProperty("role", "muted")
        self.under.setWordWrap(True)
        self.again = push_button(
            "Rehearse now", "Play the coming hours ahead again", self.begin_anew
        )
        self.over = push_button(
            HAND_OVER,
            "Unattended from now on; what is known and planned is written down for Morning",
            self.hand_over,
        )
        self.night = Timeline(palette)
        self.night.zoom(_WINDOW)
        self.causes = CauseTable(palette)
        self.hours = HourTable(palette)
        self.drills = DrillPage(shelf.folder, palette)
        self.panel = CausePanel()
        self._lay_out()
        self.causes.picked.connect(self._on_picked)
        self.causes.opened.connect(lambda _: self.panel.go.click())
        self.night.picked.connect(self.chosen)
        self.hours.opened.connect(self._on_hour)
        self.hours.picked.connect(self._on_hour)
        self.panel.gone_to.connect(self.gone_to)
        self.panel.asked.connect(self.asked)
        self.panel.left.connect(self._leave)
        self.panel.taken_up.connect(self._take_up)
        self.drills.told.connect(self._on_drilled)
        shelf.changed.connect(self.drills.forget)

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        words = QVBoxLayout()
        words.setSpacing(2)
        words.addWidget(self.verdict)
        words.addWidget(self.under)
        top.addLayout(words, 1)
        for button in (self.again, self.over):
            top.addWidget(button, 0, Qt.AlignmentFlag.AlignTop)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setChildrenCollapsible(False)
        split.addWidget(_headed("What is to be known", self.causes))
        split.addWidget(self._lower())
        split.setStretchFactor(0, 3)
        split.setStretchFactor(1, 2)
        left = QVBoxLayout()
        left.setContentsMargins(16, 12, 12, 8)
        left.setSpacing(8)
        left.addLayout(top)
        left.addWidget(self.night)
        left.addWidget(split, 1)
        self.panel.setFixedWidth(300)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addLayout(left, 1)
        row.addWidget(self.panel)

    def _lower(self) -> QWidget:
        """Hours and drills, one of them at a time."""
        self.pages = Tabs(_PAGES)
        self.stage = QStackedWidget()
        for widget in (self.hours, self.drills):
            self.stage.addWidget(widget)
        self.pages.chosen.connect(self.show_page)
        self.show_page("Hour by hour")
        row = QHBoxLayout()
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.pages)
        row.addStretch(1)
        whole = QWidget()
        box = QVBoxLayout(whole)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addLayout(row)
        box.addWidget(self.stage, 1)
        return whole

    def show_page(self, name: str) -> None:
        """Show the hours, or the drills."""
        self.stage.setCurrentIndex(self.pages.show_page(name))

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.night.set_palette(palette)
        self.causes.set_palette(palette)
        self.hours.set_palette(palette)
        self.drills.table.set_palette(palette)

    def open(self) -> None:
        """Show the night as it is planned."""
        self._clock.start()
        self.causes.setFocus()

    def _tick(self) -> None:
        self.night.set_now(self._now_us(), 0)

    def close_down(self) -> None:
        """The desk closes."""
        self._clock.stop()
        self.drills.close_down()

    # -- what is shown ----------------------------------------------------------------------------

    def begin_anew(self) -> None:
        """Rehearse again: until that is done what is shown is grey."""
        self.set_working()
        self.anew.emit()

    def set_working(self) -> None:
        """Say that the night is being worked out: what is shown may be old."""
        self.verdict.setEnabled(False)
        if self.planned is not None and not self.under.text().startswith("Being"):
            self.under.setText(f"Being rehearsed again … {self.under.text()}")

    def show_plan(self, planned: NightPlan) -> None:
        """Show a new plan."""
        self.planned = planned
        tz, night = planned.settings.tz, planned.night
        self.found = found = tonight_of(night, tz, planned.left)
        self.verdict.setEnabled(True)
        self.verdict.setText(found.sentence)
        self.verdict.setProperty("role", _ROLES[found.answer])
        self.verdict.style().polish(self.verdict)
        self.under.setText(_under(found, planned, self._worst))
        self.night.show_plan(planned)
        chosen = self.panel.cause.key if self.panel.cause is not None else ""
        self.causes.show_causes(found.causes, tz)
        self.hours.show_hours(found.hours, tz)
        keys = [one.key for one in found.causes]
        self.show_cause(keys.index(chosen) if chosen in keys else 0)

    def _on_drilled(self, worst: str) -> None:
        """Have the worst drill stand under the verdict."""
        if worst and self.planned is not None:
            at = local_from(self._now_us(), self.planned.settings.tz)
            worst = f"Drilled at {at:%H:%M}. {worst}"
        self._worst = worst
        if self.found is not None and self.planned is not None:
            self.under.setText(_under(self.found, self.planned, worst))

    def show_cause(self, at: int) -> None:
        """Choose a cause by its place."""
        found = self.found
        if found is None or not found.causes:
            self._at = -1
            self.panel.show_cause(None, None)
            return
        self._at = at % len(found.causes)
        self.causes.choose(self._at)
        self._on_picked(self._at)

    def next_cause(self) -> None:
        """Choose the next cause that counts, from the first again after the last."""
        found = self.found
        if found is None:
            return
        counting = [at for at, one in enumerate(found.causes) if one in found.counting]
        if counting:
            self.show_cause(next((at for at in counting if at > self._at), counting[0]))

    def _on_picked(self, at: object) -> None:
        found, planned = self.found, self.planned
        if found is None or planned is None or not isinstance(at, int):
            return
        if not 0 <= at < len(found.causes):
            return
        self._at = at
        cause = found.causes[at]
        self.panel.show_cause(cause, planned)
        self.night.show_instant(max(cause.first_us, found.from_us))

    def _on_hour(self, at: object) -> None:
        if self.found is not None and isinstance(at, int) and 0 <= at < len(self.found.hours):
            self.night.show_instant(self.found.hours[at].start_us)

    # -- leaving ---------------------------------------------------------------------------------

    def hand_over(self) -> None:
        """Hand the station over; where something needs the operator, only when asked again."""
        found, planned = self.found, self.planned
        if found is None or planned is None:
            return
        if found.answer is Answer.NEEDS_YOU and self.over.text() == HAND_OVER:
            self.over.setText(ALL_THE_SAME)
            return
        self.over.setText(HAND_OVER)
        if planned.live:
            self.asked.emit("unattended")
        settings, now = planned.settings, self._now_us()
        one = handover_of(found, planned.night, now)
        text = handover_text(one, settings.name, settings.tz)
        folder = self._shelf.folder

        def write(_catalogue: object) -> str:
            write_handover(folder, one, settings.name, settings.tz)
            return text

        self._shelf.look(write, self._on_handed_over)

    def _on_handed_over(self, text: str) -> None:
        QGuiApplication.clipboard().setText(text)
        self.under.setText(
            "Handed over: what is known and planned is written down, and its text is on the "
            "clipboard. Morning compares with it."
        )

    # -- edits ---------------------------------------------------------------------------------

    def _leave(self, cause: Cause, reason: str) -> None:
        now = time.time_ns() // 1000
        self._push(
            f"leave “{cause.code}” as it is", cause, lambda lib: leave(lib, cause, reason, now)
        )

    def _take_up(self, cause: Cause) -> None:
        self._push(f"take “{cause.code}” up again", cause, lambda lib: take_up(lib, cause.key))

    def _push(self, text: str, cause: Cause, do: object) -> None:
        self.set_working()
        self.undo.push(
            LibraryEdit(
                self._shelf,
                text,
                do,  # type: ignore[arg-type]
                lambda lib, before: put_left(lib, cause.key, before),
            )
        )


def _headed(text: str, widget: QWidget) -> QWidget:
    whole = QWidget()
    box = QVBoxLayout(whole)
    box.setContentsMargins(0, 0, 0, 0)
    box.setSpacing(3)
    head = QLabel(text)
    head.setProperty("role", "name")
    box.addWidget(head)
    box.addWidget(widget, 1)
    return whole


def _under(found: Tonight, planned: NightPlan, worst: str) -> str:
    """Return how far ahead the night was rehearsed, and when, and the worst drill."""
    tz = planned.settings.tz
    hours = (found.until_us - found.from_us) / US / 3600
    made = local_from(planned.made_us, tz)
    left = sum(one.left is not None for one in found.causes)
    kept = f" {counted(left, 'finding')} left as they are." if left > 1 else ""
    kept = " One finding is left as it is." if left == 1 else kept
    how = "" if planned.live else " The engine is off: this is how it would start now."
    until = local_from(found.until_us, tz)
    ahead = f"{hours:.0f} hours ahead, until {until:%a %H:%M}"
    drilled = f"\n{worst}" if worst else ""
    return f"Rehearsed at {made:%H:%M:%S}, {ahead}.{kept}{how}{drilled}"

"""The place Formats: clocks, the week, day plans, made logs, rules, use."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QTimer
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QHBoxLayout, QStackedWidget, QVBoxLayout, QWidget

from nightly_spindle.core.actions import Severity
from nightly_spindle.core.day_words import counted
from nightly_spindle.core.timebase import US
from nightly_spindle.desk.board_reading import BoardReading
from nightly_spindle.desk.clocks_page import ClocksPage
from nightly_spindle.desk.days_page import DaysPage
from nightly_spindle.desk.format_week_page import FormatWeekPage
from nightly_spindle.desk.labels import ElidedLabel, NoteLabel
from nightly_spindle.desk.listen import Ear
from nightly_spindle.desk.made_page import MadePage
from nightly_spindle.desk.rotation_page import RotationPage
from nightly_spindle.desk.tabs import Tabs
from nightly_spindle.desk.uses_page import UsesPage
from nightly_spindle.store.format_board import FormatBoard, FormatSheet

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.settings import StationSettings
    from nightly_spindle.desk.shelf import Shelf
    from nightly_spindle.desk.theme import Palette

_LOOK_MS = 20_000
_WEEK_US = 7 * 86_400 * US
_PAGES = {"Clocks": "The patterns of hours", "Week": "Which hour of the week has which clock",
          "Days": "Whole-day plans, and the calendar that they are pulled onto",
          "Made": "Logs made ahead, line by line", "Rules": "What keeps its distance, turns",
          "Use": "How often what plays, what never airs and why"}  # fmt: skip


class FormatsPlace(QWidget):
    """`now_us` gives the station's instant."""

    def __init__(
        self, shelf: Shelf, settings: StationSettings, palette: Palette, now_us: Callable[[], int]
    ) -> None:
        super().__init__()
        self.setObjectName("place")
        self._shelf = shelf
        self.undo = QUndoStack(self)
        self.reading = BoardReading(shelf.folder, self, FormatBoard, now_us)
        self.ear = Ear(self)
        self.sheet: FormatSheet | None = None
        self.clocks = ClocksPage(shelf, self.undo, palette, self.reading)
        self.week = FormatWeekPage(shelf, self.undo, palette)
        self.days = DaysPage(shelf, self.undo, palette)
        self.made = MadePage(shelf, self.undo, palette, self.reading, settings)
        self.rules = RotationPage(shelf, self.undo, palette)
        self.uses = UsesPage(shelf, self.undo, palette, self.reading)
        self.worst, self.note = ElidedLabel(), NoteLabel()
        self.worst.setProperty("role", "name")
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self.refresh)
        self._lay_out()
        self._connect()
        self.show_page("Clocks")

    def _all(self) -> tuple[Any, ...]:
        """Return the pages in the order of their tabs."""
        return (self.clocks, self.week, self.days, self.made, self.rules, self.uses)

    def _lay_out(self) -> None:
        self.stage = QStackedWidget()
        for page in self._all():
            self.stage.addWidget(page)
        bar = QHBoxLayout()
        bar.setContentsMargins(12, 8, 12, 0)
        bar.setSpacing(4)
        self.pages = Tabs(_PAGES)
        self.pages.chosen.connect(self.show_page)
        self.tabs = self.pages.buttons
        bar.addWidget(self.pages)
        bar.addSpacing(10)
        bar.addWidget(self.note, 1)
        told = QHBoxLayout()
        told.setContentsMargins(14, 0, 8, 0)
        told.addWidget(self.worst)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(6)
        box.addLayout(bar)
        box.addLayout(told)
        box.addWidget(self.stage, 1)

    def _connect(self) -> None:
        for page in self._all():
            page.said.connect(self.say)
        self.made.hear.connect(self._hear)
        self.reading.shelf.failed.connect(self.say)
        self._shelf.failed.connect(self.say)
        self._shelf.changed.connect(self.refresh)
        self.ear.failed.connect(self.say)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for page in self._all():
            page.set_palette(palette)

    def open(self) -> None:
        """Look at the formats, and go on looking."""
        self._timer.start()
        self.ear.warm()
        self.refresh()

    def close_down(self) -> None:
        """Finish what is under way."""
        self._timer.stop()
        self.note.stop()
        self.made.cost.stop()
        self.made.maker.close()
        self.reading.close()
        self.ear.close()

    def say(self, sentence: str) -> None:
        """Say something at the top, for a while."""
        self.note.say(sentence)

    def show_page(self, name: str) -> None:
        """Show one of the pages."""
        self.stage.setCurrentIndex(self.pages.show_page(name))
        {"Clocks": self.clocks.table, "Week": self.week.week, "Days": self.days.calendar,
         "Made": self.made.table, "Rules": self.rules.table, "Use": self.uses.items}[
            name
        ].setFocus()  # fmt: skip
        if name == "Use":
            self.uses.refresh()

    def begin_new(self) -> None:
        """Begin a new clock, day plan or rule, by the page that is shown."""
        page: Any = self.stage.currentWidget()
        if page not in (self.days, self.rules):
            self.show_page("Clocks")
            page = self.clocks
        page.make()

    def refresh(self) -> None:
        """Read the formats again, where they can be seen."""
        if self.isVisible():
            self.reading.look(lambda board, now: board.sheet(now, now, now + _WEEK_US), self._show,
                              "sheet")  # fmt: skip

    def _show(self, sheet: FormatSheet) -> None:
        self.sheet = sheet
        for page in self._all():
            page.show_sheet(sheet)
        self._show_worst(sheet)

    def _show_worst(self, sheet: FormatSheet) -> None:
        """Say the gravest thing about formats in one line."""
        found = [one for one in sheet.findings if one.severity is not Severity.NOTE]
        broken = sum(row.made.broken for row in sheet.hours if row.made is not None)
        planned = [row for row in sheet.hours if row.clock is not None]
        made = sum(row.made is not None for row in planned)
        if found:
            more = f"  ({len(found) - 1} more)" if len(found) > 1 else ""
            text = f"{found[0].text} {found[0].mend}{more}"
        elif not sheet.formats.clocks:
            text = "There are no format clocks yet: “New clock”. Then paint the week with them."
        elif not planned:
            text = "No hour of the coming week has a format clock; paint them under Week."
        elif broken:
            text = f"{counted(broken, 'firm rule')} could not be kept in the coming week; see Made."
        else:
            text = (f"{made} of {counted(len(planned), 'hour')} of the coming week "
                    f"{'is' if made == 1 else 'are'} made, every firm rule is kept.")  # fmt: skip
        self.worst.setText(text)
        self.worst.setToolTip("\n".join(f"{one.text} {one.mend}" for one in found) or text)

    def _hear(self, path: str) -> None:
        if self.ear.playing:
            self.ear.stop()
        elif path:
            self.ear.play(path)

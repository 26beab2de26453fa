"""The page of the week plan: clocks to paint with, the week, what a chosen hour gets."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.week_grid import QUICK
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.music.clock_palette import ClockPalette
from nightly_spindle.desk.music.week_clocks import WeekClocks
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatSheet

_LEFT_PX = 216


class FormatWeekPage(QWidget):
    """Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        super().__init__()
        self._shelf, self._undo, self.palette_ = shelf, undo, palette
        self.sheet: FormatSheet | None = None
        self.clocks = ClockPalette(palette, base=False)
        self.week = WeekClocks(palette)
        self.told = QLabel("")
        self.told.setWordWrap(True)
        self.told.setProperty("role", "sentence")
        self.clocks.taken.connect(self._take)
        self.week.painted.connect(self.paint_hours)
        left = QWidget()
        left.setFixedWidth(_LEFT_PX)
        column = QVBoxLayout(left)
        column.setContentsMargins(12, 0, 8, 10)
        column.setSpacing(5)
        head = QLabel("Paint with")
        head.setProperty("role", "strong")
        column.addWidget(head)
        column.addWidget(self.clocks, 1)
        quick = QLabel("One click")
        quick.setProperty("role", "muted")
        column.addWidget(quick)
        self.quick = {}
        for name, hours in QUICK.items():
            button = push_button(
                name, f"Give {name.lower()} to the chosen clock", partial(self._paint_quick, hours)
            )
            self.quick[name] = button
            column.addWidget(button)
        column.addWidget(self.told)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 10, 8)
        row.setSpacing(6)
        row.addWidget(left)
        row.addWidget(self.week, 1)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.palette_ = self.week.palette_ = palette
        if self.sheet is not None:
            self.show_sheet(self.sheet)

    def show_sheet(self, sheet: FormatSheet) -> None:
        """Show the week anew."""
        self.sheet = sheet
        formats = sheet.formats
        self.clocks.show_clocks(formats.clocks, self.palette_)
        self.week.show_week(formats.plans.week, formats.clocks)
        planned = sum(1 for one in formats.plans.week if one)
        text = f"{counted(planned, 'hour')} of the week planned."
        text += " What is not painted is left to logs from outside, or to rotation."
        if formats.plans.days:
            text += " Day plans and the calendar go before the week plan."
        self.told.setText(text)

    def _take(self, number: int) -> None:
        self.week.hand = number

    def _paint_quick(self, hours: tuple[int, ...]) -> None:
        hand = self.clocks.hand
        changed = {hour: hand for hour in hours if self.week.week[hour] != hand}
        if changed:
            self.paint_hours(changed)

    def paint_hours(self, hours: dict[int, int]) -> None:
        """Give hours to clocks, undoably."""

        def do(library: LibraryTransaction) -> Any:
            return {"week_hour": editors.formats.paint_week(library, hours)}

        text = f"paint {counted(len(hours), 'hour')}"
        self._undo.push(LibraryEdit(self._shelf, text, do, editors.restore_formats))
        self.said.emit(f"{counted(len(hours), 'hour')} painted; Ctrl+Z takes it back.")

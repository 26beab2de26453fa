"""The week plan: 168 hours, each painted with the format clock that it has."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from nightly_spindle.core.calendar.day_plans import NO_WEEK, NOTHING
from nightly_spindle.core.calendar.week_grid import hour_of_week
from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.kit.cell_pull import CellPull
from nightly_spindle.desk.music.clock_marks import paint_clock

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from PySide6.QtGui import QPaintEvent

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.desk.kit.cell_pull import Cell
    from nightly_spindle.desk.kit.theme import Palette

_LEFT, _TOP = 46, 24
_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


class WeekClocks(CellPull):
    """Days across, hours down, painted with the clock in hand (`hand`).

    Signal: `painted` ({hour of the week: clock}) after a change by hand.
    """

    painted = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__(7, 24, _LEFT, _TOP, (2, 1))
        self.palette_ = palette
        self.week: Sequence[int] = NO_WEEK
        self.clocks: Mapping[int, FormatClock] = {}
        self.hand = NOTHING
        self.setAccessibleName("The week plan")
        self.setToolTip(
            "Drag over hours to give them the chosen clock; arrows and Space do the "
            "same, Delete clears"
        )

    def minimumSizeHint(self) -> QSize:
        """Return the least size that can be read."""
        return QSize(520, 400)

    def show_week(self, week: Sequence[int], clocks: Mapping[int, FormatClock]) -> None:
        """Show a week."""
        self.week, self.clocks = week, clocks
        self.update()

    def paint_cells(self, cells: set[Cell]) -> None:
        """Give hours to the clock in hand."""
        self._give(cells, self.hand)

    def clear_cells(self, cells: set[Cell]) -> None:
        """Give hours to no clock."""
        self._give(cells, NOTHING)

    def _give(self, cells: set[Cell], clock: int) -> None:
        # all of them: what is shown may have been read before the edit just made, and an hour
        # that seems to have the clock already would be left out
        given = {hour_of_week(*cell): clock for cell in cells}
        if given:
            self.week = [given.get(hour, one) for hour, one in enumerate(self.week)]
            self.painted.emit(given)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the week."""
        del event
        painter = QPainter(self)
        p, pulled = self.palette_, self.pulled()
        painter.setFont(theme.font(theme.SMALL))
        for day, name in enumerate(_DAYS):
            box = self.box(day, 0)
            painter.setPen(QColor(p.text))
            painter.drawText(
                QRect(box.left(), 0, box.width(), _TOP - 2), Qt.AlignmentFlag.AlignCenter, name
            )
            for hour in range(24):
                number = hour_of_week(day, hour)
                clock = self.hand if (day, hour) in pulled else self.week[number]
                above = self.week[number - 1] if hour else -1
                paint_clock(
                    painter,
                    self.box(day, hour),
                    clock,
                    self.clocks,
                    p,
                    named=above != clock or (day, hour) in pulled,
                )
        painter.setPen(QColor(p.muted))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        for hour in range(24):
            box = self.box(0, hour)
            painter.drawText(QRect(0, box.top(), _LEFT - 8, box.height()), right, f"{hour:02}:00")
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(p.text), 2))
            painter.drawRect(self.box(*self.at))
        painter.end()

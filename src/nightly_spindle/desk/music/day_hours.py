"""The 24 hours of a day plan, painted with format clocks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from nightly_spindle.core.calendar.day_plans import AS_BASE, NOTHING, painted
from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.kit.cell_pull import CellPull
from nightly_spindle.desk.music.clock_marks import paint_clock

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from PySide6.QtGui import QPaintEvent

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.desk.kit.cell_pull import Cell
    from nightly_spindle.desk.kit.theme import Palette

_LEFT = 44


class DayHours(CellPull):
    """Hours down, from the day's start on, painted with the clock in hand (`hand`).

    Signal: `changed` after a change by hand; `hours` are the clock numbers by the hour on the wall.
    """

    changed = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__(1, 24, _LEFT, 0)
        self.palette_ = palette
        self.hours: tuple[int, ...] = (AS_BASE,) * 24
        self.clocks: Mapping[int, FormatClock] = {}
        self.first = 0  # the hour that the broadcast day begins with
        self.hand = NOTHING
        self.setAccessibleName("Hours of the day plan")
        self.setToolTip(
            "Drag over hours to give them the chosen clock; arrows and Space do the "
            "same, Delete leaves them to the plan under it"
        )

    def minimumSizeHint(self) -> QSize:
        """Return a size in which names can be read."""
        return QSize(200, 24 * 12)

    def show_hours(
        self, hours: Sequence[int], clocks: Mapping[int, FormatClock], first: int
    ) -> None:
        """Show hours."""
        self.hours, self.clocks, self.first = tuple(hours), clocks, first
        self.update()

    def paint_cells(self, cells: set[Cell]) -> None:
        """Give hours to the clock in hand."""
        self._give(cells, self.hand)

    def clear_cells(self, cells: set[Cell]) -> None:
        """Leave hours to the plan under this one."""
        self._give(cells, AS_BASE)

    def _give(self, cells: set[Cell], clock: int) -> None:
        self.hours = painted(self.hours, [(self.first + row) % 24 for _, row in cells], clock)
        self.changed.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the hours."""
        del event
        painter = QPainter(self)
        p, pulled = self.palette_, self.pulled()
        painter.setFont(theme.font(theme.SMALL))
        before = None
        for row in range(24):
            hour, box = (self.first + row) % 24, self.box(0, row)
            clock = self.hand if (0, row) in pulled else self.hours[hour]
            paint_clock(painter, box, clock, self.clocks, p, named=clock != before)
            before = clock
            painter.setPen(QColor(p.muted))
            painter.drawText(
                QRect(0, box.top(), _LEFT - 6, box.height()),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                f"{hour:02}:00",
            )
        if self.hasFocus():
            painter.setPen(QPen(QColor(p.text), 2))
            painter.drawRect(self.box(*self.at))
        painter.end()

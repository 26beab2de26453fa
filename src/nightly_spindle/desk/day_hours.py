"""The 24 hours of a day plan, painted with format clocks."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QWidget

from nightly_spindle.core.day_plans import AS_BASE, NOTHING, painted
from nightly_spindle.desk import theme
from nightly_spindle.desk.clock_marks import paint_clock

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from PySide6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent

    from nightly_spindle.core.format_clocks import FormatClock
    from nightly_spindle.desk.theme import Palette

_LEFT = 44


class DayHours(QWidget):
    """Hours down, from the day's start on. A pull paints with the clock in hand (`hand`).

    Signal: `changed` after a change by hand; `hours` are the clock numbers by the hour on the wall.
    """

    changed = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.hours: tuple[int, ...] = (AS_BASE,) * 24
        self.clocks: Mapping[int, FormatClock] = {}
        self.first = 0  # the hour that the broadcast day begins with
        self.hand = NOTHING
        self._from: int | None = None
        self._to = self._at = 0
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Hours of the day plan")
        self.setToolTip("Pull over hours to give them the chosen clock; arrows and Space do the "
                        "same, Delete leaves them to the plan under it")  # fmt: skip

    def minimumSizeHint(self) -> QSize:
        """Return a size in which names can be read."""
        return QSize(200, 24 * 13)

    def show_hours(
        self, hours: Sequence[int], clocks: Mapping[int, FormatClock], first: int
    ) -> None:
        """Show hours."""
        self.hours, self.clocks, self.first = tuple(hours), clocks, first
        self.update()

    def cell(self, row: int) -> QRect:
        """Return where the row-th hour from the day's start is painted."""
        height = self.height() / 24
        y = row * height
        return QRect(_LEFT, round(y), self.width() - _LEFT - 1, round(y + height) - round(y) - 1)

    def _hit(self, at: QPoint) -> int:
        return min(max(int(at.y() * 24 / max(1, self.height())), 0), 23)

    def _pulled(self) -> set[int]:
        if self._from is None:
            return set()
        a, b = sorted((self._from, self._to))
        return set(range(a, b + 1))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to paint."""
        if event.button() is Qt.MouseButton.LeftButton:
            self._from = self._to = self._at = self._hit(event.position().toPoint())
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Paint on."""
        if self._from is not None:
            self._to = self._at = self._hit(event.position().toPoint())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """What was pulled over is painted."""
        if event.button() is Qt.MouseButton.LeftButton and self._from is not None:
            rows = self._pulled()
            self._from = None
            self._paint_rows(rows, self.hand)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go and paint by keyboard."""
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        if step is not None:
            self._at = (self._at + step) % 24
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._paint_rows({self._at}, self.hand)
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self._paint_rows({self._at}, self.hand)
        elif event.key() in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            self._paint_rows({self._at}, AS_BASE)
        else:
            super().keyPressEvent(event)

    def _paint_rows(self, rows: set[int], clock: int) -> None:
        self.hours = painted(self.hours, [(self.first + row) % 24 for row in rows], clock)
        self.update()
        self.changed.emit()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the hours."""
        del event
        painter = QPainter(self)
        p, pulled = self.palette_, self._pulled()
        painter.setFont(theme.font(theme.SMALL))
        before = None
        for row in range(24):
            hour, box = (self.first + row) % 24, self.cell(row)
            clock = self.hand if row in pulled else self.hours[hour]
            paint_clock(painter, box, clock, self.clocks, p, named=clock != before)
            before = clock
            painter.setPen(QColor(p.muted))
            painter.drawText(QRect(0, box.top(), _LEFT - 6, box.height()),
                             Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                             f"{hour:02}:00")  # fmt: skip
        if self.hasFocus():
            painter.setPen(QPen(QColor(p.text), 2))
            painter.drawRect(self.cell(self._at))
        painter.end()

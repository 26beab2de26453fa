"""The week plan: 168 hours, each painted with the format clock that it has."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QWidget

from nightly_spindle.core.day_plans import NO_WEEK, NOTHING
from nightly_spindle.core.hour_grid import hour_of_week
from nightly_spindle.desk import theme
from nightly_spindle.desk.clock_marks import paint_clock

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from PySide6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent

    from nightly_spindle.core.format_clocks import FormatClock
    from nightly_spindle.desk.theme import Palette

_LEFT, _TOP = 46, 24
_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_STEPS = {Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Up: (0, -1),
          Qt.Key.Key_Down: (0, 1)}  # fmt: skip


class WeekClocks(QWidget):
    """Days across, hours down. A pull paints a rectangle with the clock in hand (`hand`).

    With the keyboard: arrows go, Space paints, Shift with arrows paints on, Delete clears.
    Signal: `painted` ({hour of the week: clock}) after a change by hand.
    """

    painted = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.week: Sequence[int] = NO_WEEK
        self.clocks: Mapping[int, FormatClock] = {}
        self.hand = NOTHING
        self._from: tuple[int, int] | None = None
        self._to = self._at = (0, 0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("The week plan")
        self.setToolTip("Pull over hours to give them the chosen clock; arrows and Space do the "
                        "same, Delete clears")  # fmt: skip

    def minimumSizeHint(self) -> QSize:
        """Return the least size that can be read."""
        return QSize(520, 400)

    def show_week(self, week: Sequence[int], clocks: Mapping[int, FormatClock]) -> None:
        """Show a week."""
        self.week, self.clocks = week, clocks
        self.update()

    def cell(self, day: int, hour: int) -> QRect:
        """Return where an hour is painted."""
        width, height = (self.width() - _LEFT) / 7, (self.height() - _TOP) / 24
        x, y = _LEFT + day * width, _TOP + hour * height
        return QRect(round(x), round(y), round(x + width) - round(x) - 2,
                     round(y + height) - round(y) - 1)  # fmt: skip

    def _hit(self, at: QPoint) -> tuple[int, int]:
        day = int((at.x() - _LEFT) * 7 / max(1, self.width() - _LEFT))
        hour = int((at.y() - _TOP) * 24 / max(1, self.height() - _TOP))
        return (min(max(day, 0), 6), min(max(hour, 0), 23))

    def _pulled(self) -> set[tuple[int, int]]:
        if self._from is None:
            return set()
        (a, b), (c, d) = self._from, self._to
        return {
            (day, hour)
            for day in range(min(a, c), max(a, c) + 1)
            for hour in range(min(b, d), max(b, d) + 1)
        }

    # -- mouse and keys -----

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
            cells = self._pulled()
            self._from = None
            self._paint_cells(cells, self.hand)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go and paint by keyboard."""
        step = _STEPS.get(Qt.Key(event.key()))
        if step is not None:
            self._at = ((self._at[0] + step[0]) % 7, (self._at[1] + step[1]) % 24)
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._paint_cells({self._at}, self.hand)
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self._paint_cells({self._at}, self.hand)
        elif event.key() in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            self._paint_cells({self._at}, NOTHING)
        else:
            super().keyPressEvent(event)

    def _paint_cells(self, cells: set[tuple[int, int]], clock: int) -> None:
        hours = {hour_of_week(*cell): clock for cell in cells}
        changed = {hour: clock for hour in hours if self.week[hour] != clock}
        if changed:
            self.week = [changed.get(hour, one) for hour, one in enumerate(self.week)]
            self.painted.emit(changed)
        self.update()

    # -- painting -----

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the week."""
        del event
        painter = QPainter(self)
        p, pulled = self.palette_, self._pulled()
        painter.setFont(theme.font(theme.SMALL))
        for day, name in enumerate(_DAYS):
            box = self.cell(day, 0)
            painter.setPen(QColor(p.text))
            painter.drawText(QRect(box.left(), 0, box.width(), _TOP - 2),
                             Qt.AlignmentFlag.AlignCenter, name)  # fmt: skip
            for hour in range(24):
                number = hour_of_week(day, hour)
                clock = self.hand if (day, hour) in pulled else self.week[number]
                above = self.week[number - 1] if hour else -1
                paint_clock(painter, self.cell(day, hour), clock, self.clocks, p,
                            named=above != clock or (day, hour) in pulled)  # fmt: skip
        painter.setPen(QColor(p.muted))
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        for hour in range(24):
            box = self.cell(0, hour)
            painter.drawText(QRect(0, box.top(), _LEFT - 8, box.height()), right, f"{hour:02}:00")
        if self.hasFocus():
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(p.text), 2))
            painter.drawRect(self.cell(*self._at))
        painter.end()

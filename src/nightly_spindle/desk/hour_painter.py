"""The 168 hours of a week, painted with the mouse or the keyboard."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QToolButton, QVBoxLayout, QWidget

from nightly_spindle.core.hour_grid import (
    EVERY_HOUR,
    NO_HOUR,
    QUICK,
    HourGrid,
    grid_from,
    hour_of_week,
)
from nightly_spindle.desk import theme

if TYPE_CHECKING:
    from PySide6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent

    from nightly_spindle.desk.theme import Palette

_LEFT, _TOP = 34, 16
_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_STEPS = {Qt.Key.Key_Left: (0, -1), Qt.Key.Key_Right: (0, 1), Qt.Key.Key_Up: (-1, 0),
          Qt.Key.Key_Down: (1, 0)}  # fmt: skip


class HourPainter(QWidget):
    """Days down, hours across. A pull paints a rectangle; beginning on a painted hour it clears.

    With the keyboard: arrows go, Space paints or clears, Shift with arrows goes on doing so.
    Signal: `painted` (HourGrid) after a change by hand.
    """

    painted = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.grid: HourGrid = EVERY_HOUR
        self._from: tuple[int, int] | None = None
        self._to = (0, 0)
        self._at = (0, 6)
        self._on = True
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Hours of the week")
        self.setToolTip("Pull over hours to paint them, from a painted one to clear; "
                        "arrows and Space do the same")  # fmt: skip

    def sizeHint(self) -> QSize:
        """Return a size in which hours are square."""
        return QSize(_LEFT + 24 * 13, _TOP + 7 * 15 + 2)

    def minimumSizeHint(self) -> QSize:
        """Return the same: smaller it cannot be painted in."""
        return self.sizeHint()

    def show_grid(self, grid: HourGrid) -> None:
        """Show other hours."""
        self.grid = grid
        self.update()

    def cell(self, day: int, hour: int) -> QRect:
        """Return where an hour is painted."""
        width, height = (self.width() - _LEFT) / 24, (self.height() - _TOP) / 7
        x, y = _LEFT + hour * width, _TOP + day * height
        return QRect(round(x), round(y), max(2, round(x + width) - round(x) - 1),
                     max(2, round(y + height) - round(y) - 1))  # fmt: skip

    def _hit(self, at: QPoint) -> tuple[int, int]:
        hour = int((at.x() - _LEFT) * 24 / max(1, self.width() - _LEFT))
        day = int((at.y() - _TOP) * 7 / max(1, self.height() - _TOP))
        return (min(max(day, 0), 6), min(max(hour, 0), 23))

    def _pulled(self) -> set[int]:
        if self._from is None:
            return set()
        (a, b), (c, d) = self._from, self._to
        return {
            hour_of_week(day, hour)
            for day in range(min(a, c), max(a, c) + 1)
            for hour in range(min(b, d), max(b, d) + 1)
        }

    # -- mouse and keys ----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to paint, or to clear."""
        if event.button() is Qt.MouseButton.LeftButton:
            self._from = self._to = self._at = self._hit(event.position().toPoint())
            self._on = hour_of_week(*self._at) not in self.grid
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Paint on."""
        if self._from is not None:
            self._to = self._at = self._hit(event.position().toPoint())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """What was pulled over is painted."""
        if event.button() is Qt.MouseButton.LeftButton and self._from is not None:
            hours = self._pulled()
            self._from = None
            self._paint_hours(hours, on=self._on)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go and paint by keyboard."""
        step = _STEPS.get(Qt.Key(event.key()))
        if step is not None:
            self._at = ((self._at[0] + step[0]) % 7, (self._at[1] + step[1]) % 24)
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._paint_hours({hour_of_week(*self._at)}, on=self._on)
            self.update()
        elif event.key() == Qt.Key.Key_Space:
            self._on = hour_of_week(*self._at) not in self.grid
            self._paint_hours({hour_of_week(*self._at)}, on=self._on)
        else:
            super().keyPressEvent(event)

    def _paint_hours(self, hours: set[int], *, on: bool) -> None:
        self.grid = self.grid.painted(hours, on=on)
        self.update()
        self.painted.emit(self.grid)

    # -- painting ----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the week."""
        del event
        painter = QPainter(self)
        p, pulled = self.palette_, self._pulled()
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(p.muted))
        for hour in range(0, 24, 3):
            box = self.cell(0, hour)
            painter.drawText(QRect(box.left() - 12, 0, 30, _TOP - 2),
                             Qt.AlignmentFlag.AlignCenter, f"{hour:02}")  # fmt: skip
        for day, name in enumerate(_DAYS):
            box = self.cell(day, 0)
            painter.setPen(QColor(p.muted))
            right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
            painter.drawText(QRect(0, box.top() - 1, _LEFT - 6, box.height() + 2), right, name)
            for hour in range(24):
                number = hour_of_week(day, hour)
                inside = self._on if number in pulled else number in self.grid
                colour = theme.kind_color("spot") if inside else QColor(p.raised)
                painter.fillRect(self.cell(day, hour), colour)
        if self.hasFocus():
            painter.setPen(QPen(QColor(p.text), 2))
            painter.drawRect(self.cell(*self._at))
        painter.end()


class HourChoice(QWidget):
    """The painter with its one-click choices. Signal: `painted` (HourGrid)."""

    painted = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._written = ""
        self.painter_ = HourPainter(palette)
        self.painter_.painted.connect(self.painted)
        self.buttons: dict[str, QToolButton] = {}
        grid = QGridLayout()
        grid.setSpacing(3)
        choices = {**QUICK, "Every hour": None, "Clear": None}
        for at, name in enumerate(choices):
            button = QToolButton()
            button.setText(name)
            button.setProperty("role", "day")
            told = {"Every hour": "Paint the whole week", "Clear": "No hour at all"}
            button.setToolTip(told.get(name, f"Add {name.lower()} to what is painted"))
            button.clicked.connect(partial(self._on_choice, name))
            button.setSizePolicy(self.sizePolicy())
            grid.addWidget(button, at // 4, at % 4)
            self.buttons[name] = button
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addWidget(self.painter_)
        box.addLayout(grid)

    @property
    def grid(self) -> HourGrid:
        """What is painted."""
        return self.painter_.grid

    def show_text(self, written: str) -> None:
        """Show the hours of a text."""
        self._written = written
        self.show_grid(grid_from(written))

    def text(self) -> str:
        """Return the hours as text: as it was written where nothing was painted since."""
        same = self.grid == grid_from(self._written)
        return self._written if same else self.grid.text()

    def show_grid(self, grid: HourGrid) -> None:
        """Show other hours."""
        self.painter_.show_grid(grid)

    def _on_choice(self, name: str, _: bool = False) -> None:
        if name in QUICK:
            grid = self.grid
            # the first choice says which hours: "always" is no beginning to add to
            grid = NO_HOUR if grid == EVERY_HOUR else grid
            grid = grid.painted(QUICK[name], on=True)
        else:
            grid = EVERY_HOUR if name == "Every hour" else NO_HOUR
        self.show_grid(grid)
        self.painted.emit(grid)

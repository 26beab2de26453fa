"""The 168 hours of a week, painted with the mouse or the keyboard."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QGridLayout, QToolButton, QVBoxLayout, QWidget

from nightly_spindle.core.calendar.week_grid import (
    EVERY_HOUR,
    NO_HOUR,
    QUICK,
    WeekGrid,
    grid_from,
    hour_of_week,
)
from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.kit.cell_pull import CellPull

if TYPE_CHECKING:
    from PySide6.QtGui import QPaintEvent

    from nightly_spindle.desk.kit.cell_pull import Cell
    from nightly_spindle.desk.kit.theme import Palette

_LEFT, _TOP = 34, 16
_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")


class HourPainter(CellPull):
    """Days down, hours across. A pull paints a rectangle; beginning on a painted hour it clears.

    With the keyboard: arrows go, Space paints or clears, Shift with arrows goes on doing so.
    Signal: `painted` (HourGrid) after a change by hand.
    """

    painted = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__(24, 7, _LEFT, _TOP)
        self.palette_ = palette
        self.grid: WeekGrid = EVERY_HOUR
        self.at = (6, 0)
        self._on = True
        self.setMouseTracking(True)
        self.setAccessibleName("Hours of the week")
        self.setToolTip(
            "Drag over hours to paint them, from a painted one to clear; "
            "arrows and Space do the same"
        )

    def sizeHint(self) -> QSize:
        """Return a size in which hours are square."""
        return QSize(_LEFT + 24 * 13, _TOP + 7 * 15 + 2)

    def minimumSizeHint(self) -> QSize:
        """Return the same: smaller it cannot be painted in."""
        return self.sizeHint()

    def show_grid(self, grid: WeekGrid) -> None:
        """Show other hours."""
        self.grid = grid
        self.update()

    def cell(self, day: int, hour: int) -> QRect:
        """Return where an hour is painted."""
        return self.box(hour, day)

    def begin_pull(self, cell: Cell) -> None:
        """From a painted hour on it clears."""
        self._on = hour_of_week(cell[1], cell[0]) not in self.grid

    def paint_cells(self, cells: set[Cell]) -> None:
        """Paint hours, or clear them."""
        self._set(cells, on=self._on)

    def clear_cells(self, cells: set[Cell]) -> None:
        """Clear hours."""
        self._set(cells, on=False)

    def _set(self, cells: set[Cell], *, on: bool) -> None:
        hours = {hour_of_week(day, hour) for hour, day in cells}
        self.grid = self.grid.painted(hours, on=on)
        self.painted.emit(self.grid)

    # -- painting ----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the week."""
        del event
        painter = QPainter(self)
        p = self.palette_
        pulled = {hour_of_week(day, hour) for hour, day in self.pulled()}
        painter.setFont(theme.font(theme.SMALL))
        painter.setPen(QColor(p.muted))
        for hour in range(0, 24, 3):
            box = self.cell(0, hour)
            painter.drawText(
                QRect(box.left() - 12, 0, 30, _TOP - 2), Qt.AlignmentFlag.AlignCenter, f"{hour:02}"
            )
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
            painter.drawRect(self.box(*self.at))
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
    def grid(self) -> WeekGrid:
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

    def show_grid(self, grid: WeekGrid) -> None:
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

"""Cells in columns and rows that a pull paints as a rectangle, by mouse or keyboard."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, Qt
from PySide6.QtWidgets import QWidget

if TYPE_CHECKING:
    from PySide6.QtGui import QKeyEvent, QMouseEvent

Cell = tuple[int, int]  # column, row

_STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


class CellPull(QWidget):
    """What is painted in cells. A class of it says what `paint_cells` does, and paints.

    Keys: arrows go, Space paints, Shift with arrows paints on, Delete clears. `at` is the cell
    that keys act on.
    """

    def __init__(self, columns: int, rows: int, left: int, top: int, gap: Cell = (1, 1)) -> None:
        super().__init__()
        self.columns, self.rows = columns, rows
        self._left, self._top, self._gap = left, top, gap
        self._from: Cell | None = None
        self._to: Cell = (0, 0)
        self.at: Cell = (0, 0)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def box(self, column: int, row: int) -> QRect:
        """Return where a cell is painted."""
        width = (self.width() - self._left) / self.columns
        height = (self.height() - self._top) / self.rows
        x, y = self._left + column * width, self._top + row * height
        return QRect(
            round(x),
            round(y),
            max(2, round(x + width) - round(x) - self._gap[0]),
            max(2, round(y + height) - round(y) - self._gap[1]),
        )

    def _hit(self, at: QPoint) -> Cell:
        column = int((at.x() - self._left) * self.columns / max(1, self.width() - self._left))
        row = int((at.y() - self._top) * self.rows / max(1, self.height() - self._top))
        return (min(max(column, 0), self.columns - 1), min(max(row, 0), self.rows - 1))

    def pulled(self) -> set[Cell]:
        """Return the cells that are being pulled over."""
        if self._from is None:
            return set()
        (a, b), (c, d) = self._from, self._to
        return {
            (column, row)
            for column in range(min(a, c), max(a, c) + 1)
            for row in range(min(b, d), max(b, d) + 1)
        }

    # -- what a class of it does -----

    def begin_pull(self, cell: Cell) -> None:
        """A pull, or painting by keyboard, begins at a cell."""

    def paint_cells(self, cells: set[Cell]) -> None:
        """Paint cells, and say so."""
        raise NotImplementedError

    def clear_cells(self, cells: set[Cell]) -> None:
        """Clear cells, and say so."""

    # -- mouse and keys -----

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Begin to paint."""
        if event.button() is Qt.MouseButton.LeftButton:
            self._from = self._to = self.at = self._hit(event.position().toPoint())
            self.begin_pull(self.at)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Paint on."""
        if self._from is not None:
            self._to = self.at = self._hit(event.position().toPoint())
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """What was pulled over is painted."""
        if event.button() is Qt.MouseButton.LeftButton and self._from is not None:
            cells = self.pulled()
            self._from = None
            self.paint_cells(cells)
            self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go and paint by keyboard."""
        step = _STEPS.get(Qt.Key(event.key()))
        if step is not None:
            self.at = ((self.at[0] + step[0]) % self.columns, (self.at[1] + step[1]) % self.rows)
            if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self.paint_cells({self.at})
        elif event.key() == Qt.Key.Key_Space:
            self.begin_pull(self.at)
            self.paint_cells({self.at})
        elif event.key() in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            self.clear_cells({self.at})
        else:
            super().keyPressEvent(event)
            return
        self.update()

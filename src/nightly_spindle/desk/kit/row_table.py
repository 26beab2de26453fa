"""Tables of few rows: a thin model with texts by column, and what keys do in them."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeySequence
from PySide6.QtWidgets import QHeaderView, QStyledItemDelegate, QTableView

from nightly_spindle.desk.kit.signs import paint_sign
from nightly_spindle.desk.kit.tables import Index, chosen_rows, copy_rows, dress, sides

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PySide6.QtGui import QKeyEvent, QPainter
    from PySide6.QtWidgets import QStyleOptionViewItem

    from nightly_spindle.desk.kit.theme import Palette

_KIND = Qt.ItemDataRole.UserRole


class _Sign(QStyledItemDelegate):
    """Paints a kind's shape before the text of a cell."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """Paint the cell and its sign."""
        super().paint(painter, option, index)
        box = QRectF(option.rect)
        kind = index.data(_KIND)
        if kind:
            paint_sign(painter, kind, QRectF(box.left() + 5, box.center().y() - 4.5, 9, 9))


class Rows(QAbstractTableModel):
    """A thin view of rows; the columns are given by name, width, side and text."""

    heads: tuple[str, ...] = ()
    right: tuple[int, ...] = ()
    sign = 0  # the column that has the kind's shape before its text

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.rows: Sequence[Any] = ()
        self.coming: dict[int, int] = {}
        self._sides = sides(len(self.heads), self.right)

    def show_rows(self, rows: Sequence[Any], coming: dict[int, int]) -> None:
        """Show other rows; `coming` counts what airs in the next 24 h, by cart."""
        same = 0 < len(rows) == len(self.rows)
        if not same:
            self.beginResetModel()
        self.rows, self.coming = rows, coming
        if same:
            last = self.index(len(rows) - 1, len(self.heads) - 1)
            self.dataChanged.emit(self.index(0, 0), last)
        else:
            self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Return how many rows there are."""
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Return how many columns there are."""
        return 0 if parent.isValid() else len(self.heads)

    def headerData(
        self, section: int, way: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        """Return the heads."""
        if way is Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return self.heads[section]
        if role == Qt.ItemDataRole.TextAlignmentRole and way is Qt.Orientation.Horizontal:
            return self._sides[section]
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return a cell."""
        row, column = self.rows[index.row()], index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            text = self.text(row, column)
            return f"     {text}" if column == self.sign else text
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return self._sides[column]
        if role == Qt.ItemDataRole.ToolTipRole:
            return self.tip(row)
        if role == _KIND and column == self.sign:
            return self.kind(row)
        if role == Qt.ItemDataRole.ForegroundRole:
            return self.ink(row, column)
        return None

    def text(self, row: Any, column: int) -> str:
        """Return a cell's text."""
        raise NotImplementedError

    def tip(self, row: Any) -> str:
        """Return a row's tool tip."""
        raise NotImplementedError

    def kind(self, row: Any) -> str:
        """Return the kind whose shape a row has."""
        raise NotImplementedError

    def ink(self, row: Any, column: int) -> QColor | None:
        """Return a cell's colour where it is not the usual one."""
        raise NotImplementedError


class RowTable(QTableView):
    """A table of few rows.

    Signals: `picked` (row), `removed` (rows), `shifted` (row, -1 or 1), `heard` (row).
    """

    picked = Signal(int)
    removed = Signal(list)
    shifted = Signal(int, int)
    heard = Signal(int)

    def __init__(self, rows: Rows, name: str, widths: Sequence[int]) -> None:
        super().__init__()
        self.rows = rows
        self.setModel(rows)
        dress(self, name, widths)
        self.setItemDelegateForColumn(rows.sign, _Sign(self))
        self.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.horizontalHeader().setDefaultAlignment(
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        )
        self.selectionModel().currentRowChanged.connect(self._on_row)

    def _on_row(self, index: Index) -> None:
        if index.isValid():
            self.picked.emit(index.row())

    def choose(self, row: int) -> None:
        """Choose a row without saying so."""
        if 0 <= row < self.rows.rowCount():
            self.selectionModel().blockSignals(True)
            self.setCurrentIndex(self.rows.index(row, 0))
            self.selectRow(row)
            self.selectionModel().blockSignals(False)
            self.viewport().update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Delete removes, Ctrl+Up and Ctrl+Down move, Space listens, Ctrl+C copies."""
        row, key = self.currentIndex().row(), event.key()
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.matches(QKeySequence.StandardKey.Copy):
            copy_rows(self, lambda r, c: str(self.rows.index(r, c).data() or "").strip())
        elif row >= 0 and key == Qt.Key.Key_Delete:
            self.removed.emit(chosen_rows(self))
        elif row >= 0 and ctrl and key in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            self.shifted.emit(row, -1 if key == Qt.Key.Key_Up else 1)
        elif row >= 0 and key == Qt.Key.Key_Space:
            self.heard.emit(row)
        else:
            super().keyPressEvent(event)

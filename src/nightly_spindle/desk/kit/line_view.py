"""Tables whose rows have an order of their own: lines are dragged about, items put in."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QMimeData, Qt, Signal
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import QAbstractItemView

from nightly_spindle.desk.kit.dragged_items import MIME, carts_in, put_carts
from nightly_spindle.desk.kit.row_model import Index, RowModel
from nightly_spindle.desk.kit.row_view import ROW_PX, RowView
from nightly_spindle.desk.kit.table_layout import Row, TableLayout

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PySide6.QtCore import QModelIndex
    from PySide6.QtGui import QPaintEvent

    from nightly_spindle.desk.kit.theme import Palette


class LineModel(RowModel[Row]):
    """`mime` is the form that lines of this table are dragged in."""

    def __init__(
        self,
        layout: TableLayout[Row],
        mime: str,
        movable: Callable[[Row], bool],
        told: Callable[[Row], str],
        cart: Callable[[Row], int] | None,
    ) -> None:
        super().__init__(layout)
        self.mime = mime
        self._movable, self._told, self._cart = movable, told, cart

    def flags(self, index: Index) -> Qt.ItemFlag:
        """Let lines be dragged, and anything be dropped between them."""
        base = Qt.ItemFlag.ItemIsDropEnabled
        if not index.isValid():
            return base
        base |= Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        row = self.row(index.row())
        movable = row is not None and self._movable(row)
        return base | Qt.ItemFlag.ItemIsDragEnabled if movable else base

    def mimeTypes(self) -> list[str]:
        """Return what may be dropped here."""
        return [self.mime, MIME]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        """Return the lines that are dragged: as lines, as text, as items where they are some."""
        places = sorted({index.row() for index in indexes})
        rows = [row for at in places if (row := self.row(at)) is not None]
        data = QMimeData()
        data.setData(self.mime, json.dumps([self.key(at) for at in places]).encode())
        data.setText("\n".join(map(self._told, rows)))
        if self._cart is not None:
            put_carts(data, map(self._cart, rows))
        return data


class LineView(RowView[Row]):
    """Signals: `lines_dropped` (keys, before key), `items_dropped` (carts, before key).

    The key before which something goes is None below the last line.
    """

    lines_dropped = Signal(list, object)
    items_dropped = Signal(list, object)

    def __init__(
        self,
        layout: TableLayout[Row],
        palette: Palette,
        mime: str,
        movable: Callable[[Row], bool],
        told: Callable[[Row], str],
        cart: Callable[[Row], int] | None = None,
    ) -> None:
        super().__init__(layout, palette, LineModel(layout, mime, movable, told, cart))
        self._mime = mime
        self._gap: int | None = None  # the row before which what is dragged would go
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.setDropIndicatorShown(False)  # it would stand on a row; lines go between two

    def row_before(self, y: int) -> int:
        """Return the row that something let go at `y` goes before: one too far below the last."""
        at = self.rowAt(y)
        if at >= 0 and y - self.rowViewportPosition(at) > ROW_PX // 2:
            at += 1
        return self.cells.rowCount() if at < 0 else at

    def key_before(self, y: int) -> Any:
        """Return the key of that row; None below the last."""
        at = self.row_before(y)
        return self.cells.key(at) if at < self.cells.rowCount() else None

    def dragEnterEvent(self, event: Any) -> None:
        """Take lines of this table, and items."""
        if event.mimeData().hasFormat(self._mime) or event.mimeData().hasFormat(MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: Any) -> None:
        """Show between which rows it would go."""
        super().dragMoveEvent(event)
        self._show_gap(self.row_before(event.position().toPoint().y()))
        event.accept()

    def dragLeaveEvent(self, event: Any) -> None:
        """Show it no more."""
        super().dragLeaveEvent(event)
        self._show_gap(None)

    def dropEvent(self, event: Any) -> None:
        """Move lines of this table, put in items from elsewhere."""
        self._show_gap(None)
        before, data = self.key_before(event.position().toPoint().y()), event.mimeData()
        if data.hasFormat(self._mime):
            self.lines_dropped.emit(json.loads(bytes(data.data(self._mime).data())), before)
        elif data.hasFormat(MIME):
            self.items_dropped.emit(carts_in(data), before)
        # nothing is taken away at the source: whoever was asked moves the line
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()

    def _show_gap(self, at: int | None) -> None:
        if at != self._gap:
            self._gap = at
            self.viewport().update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the rows, and where what is dragged would go."""
        super().paintEvent(event)
        if self._gap is not None:
            last = self.cells.rowCount() - 1
            y = self.rowViewportPosition(min(self._gap, last)) if last >= 0 else 0
            y += ROW_PX if self._gap > last >= 0 else 0
            painter = QPainter(self.viewport())
            self.painting.paint_gap(painter, y, self.viewport().width())
            painter.end()

"""The running order as a table: what airs when, how it joins, where it comes from."""

from __future__ import annotations

from bisect import bisect_left
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from PySide6.QtCore import (
    QAbstractTableModel,
    QMimeData,
    QModelIndex,
    QRectF,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QFont, QKeyEvent, QKeySequence, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.reports.timeline import CUT_IN, Block, cut_short
from nightly_spindle.desk.kit.signs import paint_sign
from nightly_spindle.desk.kit.tables import (
    ROW_PX,
    Index,
    chosen_rows,
    copy_rows,
    dress,
    row_before,
    sides,
)
from nightly_spindle.desk.kit.theme import TEXT, Palette, font
from nightly_spindle.desk.library.item_table import MIME, carts_in

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

COLUMNS = ("At", "Length", "Running order", "Artist", "Join", "From")
_RIGHT = {0, 1, 4}
_WIDTHS = (86, 60, 250, 190, 66, 124)
_MIME = "application/x-nightly-spindle-line"
MOST_ROWS = 400

_SIDES = sides(len(COLUMNS), _RIGHT)


class RunningOrderModel(QAbstractTableModel):
    """A thin view of the night's blocks."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.set_palette(palette)
        self._fonts = {strong: font(TEXT, bold=strong) for strong in (False, True)}
        self._answers: dict[int, Callable[[int, int], Any]] = {
            Qt.ItemDataRole.DisplayRole: self.text,
            Qt.ItemDataRole.TextAlignmentRole: lambda _row, column: _SIDES[column],
            Qt.ItemDataRole.ForegroundRole: self._color,
            Qt.ItemDataRole.FontRole: self._font,
            Qt.ItemDataRole.ToolTipRole: self._tip,
            Qt.ItemDataRole.AccessibleTextRole: self._spoken,
        }
        self.blocks: Sequence[Block] = ()
        self._texts: dict[int, tuple[str, ...]] = {}  # of the rows that were looked at
        self.marked: set[int] = set()
        self.fixed_rows: set[int] = set()
        self.on_air = 0
        self.tz = ZoneInfo("UTC")

    def show_blocks(
        self, blocks: Sequence[Block], marked: set[int], pins: Sequence[int], tz: ZoneInfo
    ) -> None:
        """Show other blocks; `marked` lines have a finding, `pins` are fixed times (µs)."""
        self.beginResetModel()
        self.blocks, self.marked, self.tz = blocks[:MOST_ROWS], marked, tz
        self._texts = {}
        starts = [block.start_us for block in self.blocks]
        self.fixed_rows = {bisect_left(starts, pin) for pin in pins} - {0, len(starts)}
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.blocks)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return _SIDES[section]
        return None

    def text(self, row: int, column: int) -> str:
        """Return what a cell says."""
        if row not in self._texts:
            self._texts[row] = self._say(row)
        return self._texts[row][column]

    def _say(self, row: int) -> tuple[str, ...]:
        block = self.blocks[row]
        lasts = (block.end_us - block.start_us) / US
        return (
            clock(block.start_us, self.tz),
            length(lasts),
            block.title,
            block.artist,
            block.join,
            block.brief,
        )

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        # asked some thousand times for one picture: one look-up, nothing made anew
        answer = self._answers.get(role)
        return answer(index.row(), index.column()) if answer else None

    def _font(self, row: int, column: int) -> QFont:
        strong = column == 2 and self.blocks[row].line_id == self.on_air
        return self._fonts[strong]

    def _tip(self, row: int, _column: int) -> str:
        block = self.blocks[row]
        return f"{block.title} ({block.kind}): {block.why}"

    def _spoken(self, row: int, column: int) -> str:
        return f"{COLUMNS[column]}: {self.text(row, column)}"

    def _color(self, row: int, column: int) -> QColor:
        block = self.blocks[row]
        if block.line_id == self.on_air and column in {0, 1}:
            return self._colors["air"]
        if column == 1 and cut_short(block):
            return self._colors["alarm"]
        if column == 4 and block.join == CUT_IN:
            return self._colors["alarm"]
        return self._colors["muted" if column >= 3 else "text"]

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.palette = palette
        self._colors = {
            name: QColor(getattr(palette, name)) for name in ("air", "alarm", "muted", "text")
        }

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        if not index.isValid():
            return Qt.ItemFlag.ItemIsDropEnabled
        if self.blocks[index.row()].movable:
            return base | Qt.ItemFlag.ItemIsDragEnabled | Qt.ItemFlag.ItemIsDropEnabled
        return base

    def mimeTypes(self) -> list[str]:
        return [_MIME, MIME]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        data = QMimeData()
        block = self.blocks[indexes[0].row()]
        data.setData(_MIME, str(block.line_id).encode())
        data.setText(f"{block.artist} - {block.title}")
        return data

    def row_of(self, line_id: int) -> int | None:
        """Return the row of a line."""
        found = (i for i, block in enumerate(self.blocks) if block.line_id == line_id)
        return next(found, None)


class _Sign(QStyledItemDelegate):
    """Paints the kind's sign before the title, and the finding's mark behind it."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, RunningOrderModel)
        block = model.blocks[index.row()]
        box = QRectF(option.rect)
        option.rect.adjust(20, 0, 0, 0)
        super().paint(painter, option, index)
        side = 10.0
        where = QRectF(box.x() + 6, box.center().y() - side / 2 + 0.5, side, side)
        paint_sign(painter, block.kind, where)
        if block.line_id in model.marked:
            painter.save()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setBrush(QColor(model.palette.alarm))
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QRectF(box.right() - 16, box.center().y() - 5, 11, 11))
            painter.restore()


class RunningOrderTable(QTableView):
    """The running order. Dragging, Ctrl+Up/Down and Delete change what is still to come.

    Signals: `picked` (line id), `move_asked` (line id, before id), `remove_asked` (ids),
    `step_asked` (line id, -1 or 1), `items_dropped` (carts, before id).
    """

    picked = Signal(int)
    move_asked = Signal(int, int)
    remove_asked = Signal(list)
    step_asked = Signal(int, int)
    items_dropped = Signal(list, int)

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.order = RunningOrderModel(palette)
        self.setModel(self.order)
        self.setItemDelegateForColumn(2, _Sign(self))
        dress(self, "Running order", _WIDTHS)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        self.setDropIndicatorShown(True)
        header = self.horizontalHeader()
        header.setSectionsMovable(True)
        header.setSectionResizeMode(2, QHeaderView.ResizeMode.Stretch)
        self.selectionModel().currentRowChanged.connect(self._on_current)

    def show_blocks(
        self, blocks: Sequence[Block], marked: set[int], pins: Sequence[int], tz: ZoneInfo
    ) -> None:
        """Show other blocks, keeping the choice and the place."""
        chosen = self.chosen()
        top = self.verticalScrollBar().value()
        self.order.show_blocks(blocks, marked, pins, tz)
        if chosen:
            self.choose(chosen[0], quiet=True)
        self.verticalScrollBar().setValue(top)

    def set_on_air(self, line_id: int) -> None:
        """Say which line is on air."""
        if line_id != self.order.on_air:
            self.order.on_air = line_id
            self.viewport().update()

    def chosen(self) -> list[int]:
        """Return the ids of the chosen lines, in order."""
        return [
            self.order.blocks[row].line_id
            for row in chosen_rows(self)
            if row < len(self.order.blocks)
        ]

    def choose(self, line_id: int, *, quiet: bool = False) -> None:
        """Choose a line and scroll to it."""
        row = self.order.row_of(line_id)
        if row is None:
            return
        self.selectionModel().blockSignals(quiet)
        self.selectRow(row)
        self.selectionModel().blockSignals(False)
        self.viewport().update()
        if not quiet:
            self.scrollTo(self.order.index(row, 0))

    def paintEvent(self, event: Any) -> None:
        """Paint the table, the mark of the line on air, a dashed line at each fixed time."""
        super().paintEvent(event)
        painter = QPainter(self.viewport())
        painter.setPen(QPen(QColor(self.order.palette.muted), 1, Qt.PenStyle.DashLine))
        for fixed in self.order.fixed_rows:
            y = self.rowViewportPosition(fixed)
            painter.drawLine(0, y, self.viewport().width(), y)
        row = self.order.row_of(self.order.on_air)
        if row is None:
            painter.end()
            return
        top = self.rowViewportPosition(row)
        painter.fillRect(0, top, 3, ROW_PX, QColor(self.order.palette.air))
        painter.setPen(QPen(QColor(self.order.palette.line)))
        painter.drawLine(0, top + ROW_PX - 1, self.viewport().width(), top + ROW_PX - 1)
        painter.end()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move, remove, copy."""
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        lines = self.chosen()
        if ctrl and event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down} and lines:
            self.step_asked.emit(lines[0], -1 if event.key() == Qt.Key.Key_Up else 1)
        elif event.key() == Qt.Key.Key_Delete and lines:
            self.remove_asked.emit(lines)
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        """Copy the chosen rows as text, a tab between the columns."""
        copy_rows(self, self.order.text)

    def dragMoveEvent(self, event: Any) -> None:
        super().dragMoveEvent(event)
        event.accept()

    def dropEvent(self, event: Any) -> None:
        """Move the dragged line before the one it was dropped on; put items in there."""
        if event.mimeData().hasFormat(MIME):
            before = self._line_at(event.position().toPoint().y())
            self.items_dropped.emit(carts_in(event.mimeData()), before)
            event.acceptProposedAction()
            return
        if not event.mimeData().hasFormat(_MIME):
            return
        line = int(bytes(event.mimeData().data(_MIME).data()))
        self.drop_line(line, event.position().toPoint().y())
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()

    def drop_line(self, line: int, y: int) -> None:
        """Ask for a line to be moved to where it was let go."""
        before = self._line_at(y)
        if before != line:
            self.move_asked.emit(line, before)

    def _line_at(self, y: int) -> int:
        """Return the line that something let go at `y` goes before, 0 for the end."""
        row = row_before(self, y)
        blocks = self.order.blocks
        return blocks[row].line_id if 0 <= row < len(blocks) else 0

    def _on_current(self, current: QModelIndex, _before: QModelIndex) -> None:
        if current.isValid() and current.row() < len(self.order.blocks):
            self.picked.emit(self.order.blocks[current.row()].line_id)

"""An opened log line by line: what stands in the file beside what it became."""

from __future__ import annotations

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
from PySide6.QtGui import QColor, QKeyEvent, QKeySequence, QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from nightly_spindle.core.base.timebase import clock, length
from nightly_spindle.core.logs.log_matching import ITEM_LINES, MatchStatus
from nightly_spindle.desk.kit.signs import paint_sign
from nightly_spindle.desk.kit.tables import Index, chosen_rows, copy_rows, dress, row_before, sides
from nightly_spindle.desk.kit.theme import TEXT, Palette, font
from nightly_spindle.desk.library.item_table import MIME, carts_in

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from nightly_spindle.core.station.log_forecast import Forecast

COLUMNS = ("Line", "At", "Length", "In the log", "What it is", "Found by")
_WIDTHS = (42, 74, 54, 220, 240, 136)
_RIGHT = {0, 1, 2}
_MIME = "application/x-nightly-spindle-log-line"
_SIDES = sides(len(COLUMNS), _RIGHT)


class LogModel(QAbstractTableModel):
    """A thin view of a log's lines; `shown` are those that the filter lets through."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette = palette
        self.tz = ZoneInfo("UTC")
        self.lines: Sequence[Forecast] = ()
        self.shown: list[Forecast] = []
        self.only_open = False
        self._answers: dict[int, Callable[[Forecast, int], Any]] = {
            Qt.ItemDataRole.DisplayRole: self._text,
            Qt.ItemDataRole.TextAlignmentRole: lambda _line, column: _SIDES[column],
            Qt.ItemDataRole.ForegroundRole: self._color,
            Qt.ItemDataRole.FontRole: lambda _line, _column: font(TEXT),
            Qt.ItemDataRole.ToolTipRole: lambda line, _column: told(line),
            Qt.ItemDataRole.AccessibleTextRole: self._spoken,
        }

    def show_lines(self, lines: Sequence[Forecast], tz: ZoneInfo) -> None:
        """Show other lines."""
        self.beginResetModel()
        self.lines, self.tz = lines, tz
        self.shown = [line for line in lines if not self.only_open or needs_settling(line)]
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.shown)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        if role == Qt.ItemDataRole.DisplayRole:
            return COLUMNS[section]
        return _SIDES[section] if role == Qt.ItemDataRole.TextAlignmentRole else None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        answer = self._answers.get(role)
        return answer(self.shown[index.row()], index.column()) if answer else None

    def text(self, row: int, column: int) -> str:
        """Return what a cell says."""
        return self._text(self.shown[row], column)

    def _text(self, line: Forecast, column: int) -> str:
        match = line.match
        if column == 0:
            return str(match.line.number or "+")
        if column == 1:
            return "" if line.at_us is None else clock(line.at_us, self.tz)
        if column == 2:
            return length(line.length_s) if line.item is not None else ""
        if column == 3:
            return match.line.raw
        if column == 4:
            return what_it_is(line)
        return match.how if match.status is MatchStatus.MATCHED else ""

    def _spoken(self, line: Forecast, column: int) -> str:
        return f"{COLUMNS[column]}: {self._text(line, column)}"

    def _color(self, line: Forecast, column: int) -> QColor:
        if needs_settling(line) and column in {3, 4}:
            return QColor(self.palette.alarm)
        quiet = line.item is None or column in {0, 3, 5}
        return QColor(self.palette.muted if quiet else self.palette.text)

    def flags(self, index: Index) -> Qt.ItemFlag:
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        base |= Qt.ItemFlag.ItemIsDropEnabled
        return base | Qt.ItemFlag.ItemIsDragEnabled if index.isValid() else base

    def mimeTypes(self) -> list[str]:
        return [_MIME, MIME]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        data = QMimeData()
        line = self.shown[indexes[0].row()]
        data.setData(_MIME, line.match.key.encode())
        data.setText(line.match.line.raw)
        return data


def needs_settling(line: Forecast) -> bool:
    """Whether a line should air but cannot."""
    return line.match.status in ITEM_LINES and line.match.status is not MatchStatus.MATCHED


def what_it_is(line: Forecast) -> str:
    """Return what a line became, in a few words."""
    match, item = line.match, line.item
    if item is not None:
        return item.label
    if match.status is MatchStatus.BREAK:
        return f"break of {match.value:.0f} {'spot' if match.value == 1 else 'spots'}"
    if match.status is MatchStatus.MARK:
        if line.off_s is None:
            return "timed mark"
        off = "on time" if abs(line.off_s) < 1 else length(abs(line.off_s))
        way = "" if abs(line.off_s) < 1 else " late" if line.off_s > 0 else " early"
        at = f"{int(match.value) // 3600:02}:{int(match.value) // 60 % 60:02}"
        return f"timed mark {at}, met {off}{way}"
    if match.status in ITEM_LINES:
        named = match.line.label or match.line.title
        return f"{match.status}: {named or match.how}"
    return str(match.status)


def told(line: Forecast) -> str:
    """Return all that is known of a line."""
    clash = f"\nToo soon: {line.clash}." if line.clash else ""
    return f"{line.match.line.raw}\n{what_it_is(line)}. {line.match.how}.{clash}"


class _Sign(QStyledItemDelegate):
    """Paints the kind's sign before an item, and a mark where it is heard too soon again."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        model = index.model()
        assert isinstance(model, LogModel)
        line = model.shown[index.row()]
        box = QRectF(option.rect)
        option.rect.adjust(20, 0, -18 if line.clash else 0, 0)
        super().paint(painter, option, index)
        side = 10.0
        if line.item is not None:
            where = QRectF(box.x() + 6, box.center().y() - side / 2 + 0.5, side, side)
            paint_sign(painter, str(line.item.kind), where)
        if line.clash or needs_settling(line):
            painter.save()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            open_ = needs_settling(line)
            painter.setBrush(QColor(model.palette.alarm) if open_ else Qt.BrushStyle.NoBrush)
            painter.setPen(Qt.PenStyle.NoPen if open_ else QPen(QColor(model.palette.muted), 1.4))
            x = box.x() + 7 if open_ else box.right() - 15
            painter.drawEllipse(QRectF(x, box.center().y() - 4, 8, 8))
            painter.restore()


class _Tail(QStyledItemDelegate):
    """Shows the end of what is too long: of a path that is its file name."""

    def initStyleOption(self, option: QStyleOptionViewItem, index: Index) -> None:
        super().initStyleOption(option, index)
        option.textElideMode = Qt.TextElideMode.ElideLeft


class LogTable(QTableView):
    """The lines of a log. Ctrl+Up/Down and dragging move, Delete drops.

    Signals: `picked` (Forecast or None), `move_asked` (key, before key), `step_asked` (key,
    -1 or 1), `drop_asked` (keys), `items_dropped` (carts, before key).
    """

    picked = Signal(object)
    move_asked = Signal(str, str)
    step_asked = Signal(str, int)
    drop_asked = Signal(list)
    items_dropped = Signal(list, str)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.log = LogModel(palette)
        self.setModel(self.log)
        self.setItemDelegateForColumn(3, _Tail(self))
        self.setItemDelegateForColumn(4, _Sign(self))
        dress(self, "Lines of the log", _WIDTHS)
        self.setDragEnabled(True)
        self.setAcceptDrops(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragDrop)
        header = self.horizontalHeader()
        header.setSectionsMovable(True)
        header.setSectionResizeMode(4, QHeaderView.ResizeMode.Stretch)
        self.selectionModel().currentRowChanged.connect(lambda *_: self.picked.emit(self.current()))

    def show_lines(self, lines: Sequence[Forecast], tz: ZoneInfo) -> None:
        """Show other lines, keeping the choice and the place."""
        line = self.current()
        top = self.verticalScrollBar().value()
        self.log.show_lines(lines, tz)
        self.choose(line.match.key if line else "")
        self.verticalScrollBar().setValue(top)

    def show_only_open(self, only: bool) -> None:
        """Show all lines, or only those that need settling."""
        self.log.only_open = only
        self.show_lines(self.log.lines, self.log.tz)

    def current(self) -> Forecast | None:
        """Return the chosen line."""
        row = self.currentIndex().row()
        return self.log.shown[row] if 0 <= row < len(self.log.shown) else None

    def chosen(self) -> list[Forecast]:
        """Return the chosen lines, in order."""
        return [self.log.shown[row] for row in chosen_rows(self) if row < len(self.log.shown)]

    def choose(self, key: str) -> None:
        """Choose a line; the first when there is none of that key."""
        rows = [row for row, line in enumerate(self.log.shown) if line.match.key == key]
        if self.log.shown:
            self.selectRow(rows[0] if rows else min(max(0, self.currentIndex().row()),
                                                    len(self.log.shown) - 1))  # fmt: skip
        self.picked.emit(self.current())

    def next_open(self) -> None:
        """Go to the next line that needs settling."""
        shown = self.log.shown
        begin = self.currentIndex().row() + 1
        order = [*range(begin, len(shown)), *range(begin)]
        at = next((row for row in order if needs_settling(shown[row])), None)
        if at is not None:
            self.selectRow(at)
            self.scrollTo(self.log.index(at, 0))

    def copy(self) -> None:
        """Copy the chosen rows as text, a tab between the columns."""
        copy_rows(self, self.log.text)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Move, drop, copy, go on to the next open line."""
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        line = self.current()
        if ctrl and event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down} and line is not None:
            self.step_asked.emit(line.match.key, -1 if event.key() == Qt.Key.Key_Up else 1)
        elif event.key() == Qt.Key.Key_Delete and self.chosen():
            self.drop_asked.emit([one.match.key for one in self.chosen()])
        elif event.key() == Qt.Key.Key_N and not ctrl:
            self.next_open()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)

    def dragMoveEvent(self, event: Any) -> None:
        super().dragMoveEvent(event)
        event.accept()

    def dropEvent(self, event: Any) -> None:
        """Move the dragged line before the one it was let go on; put items in there."""
        before = self._key_at(event.position().toPoint().y())
        data = event.mimeData()
        if data.hasFormat(MIME):
            self.items_dropped.emit(carts_in(data), before)
            event.acceptProposedAction()
        elif data.hasFormat(_MIME):
            self.move_asked.emit(bytes(data.data(_MIME).data()).decode(), before)
            event.setDropAction(Qt.DropAction.IgnoreAction)
            event.accept()

    def _key_at(self, y: int) -> str:
        row = row_before(self, y)
        return self.log.shown[row].match.key if 0 <= row < len(self.log.shown) else ""

"""The view of all tables of the desk: whole rows painted, columns remembered, rows copied."""

from __future__ import annotations

import csv
import io
from typing import TYPE_CHECKING, Any, Generic

from PySide6.QtCore import QMimeData, QRect, Qt, Signal
from PySide6.QtGui import QGuiApplication, QKeySequence, QPainter
from PySide6.QtWidgets import QAbstractItemView, QHeaderView, QMenu, QTableView

from nightly_spindle.desk.kit.row_model import Index, RowModel
from nightly_spindle.desk.kit.row_painting import RowPainter
from nightly_spindle.desk.kit.table_layout import Row, TableLayout

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from PySide6.QtGui import QContextMenuEvent, QKeyEvent, QPaintEvent, QShowEvent

    from nightly_spindle.desk.kit.row_painting import Span
    from nightly_spindle.desk.kit.theme import Palette

ROW_PX = 22
MOST_RECHOSEN = 2000  # of more chosen rows none is chosen again when other rows are shown
_CTRL = Qt.KeyboardModifier.ControlModifier
_SHIFT = Qt.KeyboardModifier.ShiftModifier


class RowView(QTableView, Generic[Row]):
    """A table as its layout describes it. Rows are called by their keys.

    Signals: `picked` (key), `opened` (key), `removed` (keys), `shifted` (key, -1 or 1), `heard`
    (key): by a click or an arrow, by Return or a double click, Delete, Ctrl+Up and Ctrl+Down,
    Space. `laid_out` when a hand changed columns or sorting.

    The window that it stands in may have `columns`, a `ColumnMemory`: it is followed from its first
    showing on, however late its page is made.
    """

    picked = Signal(object)
    opened = Signal(object)
    removed = Signal(list)
    shifted = Signal(object, int)
    heard = Signal(object)
    laid_out = Signal()

    def __init__(
        self, layout: TableLayout[Row], palette: Palette, model: RowModel[Row] | None = None
    ) -> None:
        super().__init__()
        self.layout_ = layout
        self.cells: RowModel[Row] = RowModel(layout) if model is None else model
        self.painting = RowPainter(palette)
        self.sorted_by = ("", False)
        self._followed = False
        self.setModel(self.cells)
        self._dress()
        self._columns_as_at_first()
        self.selectionModel().currentRowChanged.connect(self._on_row)
        self.doubleClicked.connect(lambda index: self.opened.emit(self.cells.key(index.row())))

    def _dress(self) -> None:
        self.setAccessibleName(self.layout_.name)
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        rows = self.verticalHeader()
        rows.hide()
        rows.setMinimumSectionSize(ROW_PX)
        rows.setDefaultSectionSize(ROW_PX)
        rows.setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header = self.horizontalHeader()
        header.setHighlightSections(False)
        header.setSectionsMovable(True)
        header.setSectionsClickable(self.layout_.sortable)
        header.setSortIndicatorShown(self.layout_.sortable)
        header.sectionClicked.connect(self._on_head)
        header.sectionMoved.connect(lambda *_: self.laid_out.emit())
        header.sectionResized.connect(self._on_resized)
        header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        header.customContextMenuRequested.connect(
            lambda at: self._head_menu().popup(header.mapToGlobal(at))
        )

    # -- columns -----------------------------------------------------------------------------------

    def _columns_as_at_first(self) -> None:
        header, columns = self.horizontalHeader(), self.layout_.columns
        for at, column in enumerate(columns):
            header.moveSection(header.visualIndex(at), at)
            mode = QHeaderView.ResizeMode
            header.setSectionResizeMode(at, mode.Stretch if column.wide else mode.Interactive)
            if not column.wide:
                self.setColumnWidth(at, column.width)
        self.sort_by(self.layout_.sorted_by)

    def _head_menu(self) -> QMenu:
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)

        def reset() -> None:
            self._columns_as_at_first()
            self.laid_out.emit()

        menu.addAction("Columns as at first", reset)
        return menu

    def _on_resized(self, column: int, _was: int, _width: int) -> None:
        # the wide column follows the window; only a hand's pull is worth remembering
        pulled = bool(QGuiApplication.mouseButtons() & Qt.MouseButton.LeftButton)
        if pulled and not self.layout_.columns[column].wide:
            self.laid_out.emit()

    def showEvent(self, event: QShowEvent) -> None:
        """Lay the columns as they were left, the first time."""
        memory = getattr(self.window(), "columns", None)
        if memory is not None and not self._followed:
            self._followed = True
            memory.follow(self)
        super().showEvent(event)

    def columns_laid(self) -> dict[str, Any]:
        """Return the columns' order from the left, widths (px), and what they are sorted by."""
        header, columns = self.horizontalHeader(), self.layout_.columns
        order = [columns[header.logicalIndex(at)].name for at in range(len(columns))]
        widths = {c.name: self.columnWidth(at) for at, c in enumerate(columns) if not c.wide}
        return {"order": order, "widths": widths, "sort": list(self.sorted_by)}

    def lay_columns(self, laid: dict[str, Any]) -> None:
        """Lay the columns as they were; what the table has no longer is passed over."""
        header = self.horizontalHeader()
        known = [at for name in laid["order"] if (at := self.layout_.at(name)) >= 0]
        for to, at in enumerate(known):
            header.moveSection(header.visualIndex(at), to)
        for name, width in laid["widths"].items():
            at = self.layout_.at(name)
            if at >= 0 and not self.layout_.columns[at].wide:
                self.setColumnWidth(at, max(16, int(width)))
        name, descending = laid["sort"]
        if self.layout_.sortable:
            self.sort_by(name, descending=bool(descending))

    def sort_by(self, name: str, *, descending: bool = False) -> None:
        """Sort by the column of that name; by none, in the rows' own order, for ""."""
        at = self.layout_.at(name)
        self.sorted_by = (name, descending) if at >= 0 else ("", False)
        way = Qt.SortOrder.DescendingOrder if descending else Qt.SortOrder.AscendingOrder
        self.horizontalHeader().setSortIndicator(at, way)
        self.arrange(at, descending=descending)

    def arrange(self, column: int, *, descending: bool) -> None:
        """Have the rows sorted by a column, below 0 by none."""
        self._keeping(lambda: self.cells.sort_by(column, descending=descending))

    def _on_head(self, column: int) -> None:
        """Sort upwards at the first click, downwards at the second, not at all at the third."""
        name = self.layout_.columns[column].name
        if self.sorted_by == (name, True):
            self.sort_by(self.layout_.sorted_by)
        else:
            self.sort_by(name, descending=self.sorted_by == (name, False))
        self.laid_out.emit()

    # -- rows --------------------------------------------------------------------------------------

    @property
    def rows(self) -> Sequence[Row]:
        """The rows as they were given."""
        return self.cells.rows

    def show_rows(self, rows: Sequence[Row]) -> None:
        """Show other rows, keeping the choice and the place; nothing is said of it."""
        self._keeping(lambda: self.cells.show_rows(rows))

    def let_through(self, test: Callable[[Row], bool] | None) -> None:
        """Show only the rows that a test lets through, None for all."""
        self._keeping(lambda: self.cells.let_through(test))

    def _keeping(self, change: Callable[[], None]) -> None:
        """Change what is shown; what was chosen stays chosen, where it is still there."""
        at = self.currentIndex().row()
        current = self.cells.key(at) if 0 <= at < self.cells.rowCount() else None
        kept, top = self.chosen(), self.verticalScrollBar().value()
        change()
        self.rechoose(kept, current)
        self.verticalScrollBar().setValue(top)

    def rechoose(self, keys: Sequence[Any], current: Any) -> None:
        """Choose rows again without saying so; `current` is the one that keys go on from."""
        if (not keys and current is None) or len(keys) > MOST_RECHOSEN:
            return
        model = self.selectionModel()
        flags = model.SelectionFlag.Select | model.SelectionFlag.Rows
        model.blockSignals(True)
        for at in self.cells.seen_among(set(keys)):
            model.select(self.cells.index(at, 0), flags)
        at = -1 if current is None else self.cells.seen_at(current)
        if at >= 0:
            model.setCurrentIndex(self.cells.index(at, 0), model.SelectionFlag.NoUpdate)
        model.blockSignals(False)
        self.viewport().update()

    def chosen(self) -> list[Any]:
        """Return the keys of the chosen rows, from the top."""
        return [self.cells.key(at) for at in self._chosen_places()]

    def _chosen_places(self) -> list[int]:
        seen = self.cells.rowCount()
        places = (index.row() for index in self.selectionModel().selectedRows())
        return sorted(at for at in places if at < seen)

    def current(self) -> Row | None:
        """Return the row that keys go to."""
        at = self.currentIndex().row()
        return self.cells.row(at) if 0 <= at < self.cells.rowCount() else None

    def choose(self, key: Any, *, scroll: bool = False) -> None:
        """Choose a row without saying so; `scroll` has it seen as well."""
        at = self.cells.seen_at(key)
        if at >= 0:
            self.selectionModel().blockSignals(True)
            self.setCurrentIndex(self.cells.index(at, 0))
            self.selectRow(at)
            self.selectionModel().blockSignals(False)
            self.viewport().update()
            if scroll:
                self.scrollTo(self.cells.index(at, 0))

    def _on_row(self, index: Index) -> None:
        if index.isValid() and index.row() < self.cells.rowCount():
            self.picked.emit(self.cells.key(index.row()))

    # -- keys and copies ---------------------------------------------------------------------------

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Copy, remove, move, listen, open."""
        at, key = self.currentIndex().row(), Qt.Key(event.key())
        ctrl = bool(event.modifiers() & _CTRL)
        there = 0 <= at < self.cells.rowCount()
        if event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        elif ctrl and event.modifiers() & _SHIFT and key == Qt.Key.Key_C:
            self.copy_csv()
        elif there and key == Qt.Key.Key_Delete:
            self.removed.emit(self.chosen())
        elif there and ctrl and key in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            self.shifted.emit(self.cells.key(at), -1 if key == Qt.Key.Key_Up else 1)
        elif there and key == Qt.Key.Key_Space:
            self.heard.emit(self.cells.key(at))
        elif there and not ctrl and key in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self.opened.emit(self.cells.key(at))
        else:
            super().keyPressEvent(event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """Offer the copies."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.addAction("Copy rows as text", QKeySequence("Ctrl+C"), self.copy)
        menu.addAction("Copy rows as CSV", QKeySequence("Ctrl+Shift+C"), self.copy_csv)
        menu.addAction("Choose all rows", QKeySequence("Ctrl+A"), self.selectAll)
        menu.popup(event.globalPos())

    def _columns_shown(self) -> list[int]:
        header = self.horizontalHeader()
        order = (header.logicalIndex(at) for at in range(self.cells.columnCount()))
        return [column for column in order if not self.isColumnHidden(column)]

    def _cells_chosen(self) -> Iterable[list[str]]:
        columns = self._columns_shown()
        for at in self._chosen_places():
            texts = self.cells.texts(at)
            yield [texts[column] for column in columns]

    def copy(self) -> None:
        """Copy the chosen rows as text, a tab between the columns, as they stand."""
        QGuiApplication.clipboard().setText("\n".join(map("\t".join, self._cells_chosen())))

    def copy_csv(self) -> None:
        """Copy the chosen rows as CSV (RFC 4180), under the names of their columns."""
        out = io.StringIO()
        writer = csv.writer(out)
        writer.writerow(self.layout_.columns[column].name for column in self._columns_shown())
        writer.writerows(self._cells_chosen())
        data = QMimeData()
        data.setText(out.getvalue())
        data.setData("text/csv", out.getvalue().encode())
        QGuiApplication.clipboard().setMimeData(data)

    # -- painting ----------------------------------------------------------------------------------

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.painting.set_palette(palette)
        self.viewport().update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the rows that are seen."""
        painter = QPainter(self.viewport())
        area, width = event.rect(), self.viewport().width()
        painter.fillRect(area, self.painting.ground)
        first, last = self.rowAt(area.top()), self.rowAt(area.bottom())
        last = self.cells.rowCount() - 1 if last < 0 else last
        spans: list[Span] = [
            (column, self.columnViewportPosition(column), self.columnWidth(column))
            for column in self._columns_shown()
        ]
        model, current = self.selectionModel(), self.currentIndex().row()
        for at in range(first, last + 1) if first >= 0 else ():  # the area lies below all rows
            band = QRect(0, self.rowViewportPosition(at), width, ROW_PX)
            chosen = model.isRowSelected(at)
            self.painting.paint_row(painter, self.cells, at, band, spans, chosen=chosen)
            if at == current and not chosen and self.hasFocus():
                self.painting.paint_outline(painter, band)
        painter.end()

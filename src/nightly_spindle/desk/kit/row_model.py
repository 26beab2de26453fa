"""The rows of a table as Qt asks for them: filtered, sorted, texts made when they are looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Generic

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, Qt

from nightly_spindle.desk.kit.table_layout import Row, TableLayout

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Sequence

Index = QModelIndex | QPersistentModelIndex
_MIDDLE = Qt.AlignmentFlag.AlignVCenter
LEFT = int(Qt.AlignmentFlag.AlignLeft | _MIDDLE)
RIGHT = int(Qt.AlignmentFlag.AlignRight | _MIDDLE)


class RowModel(QAbstractTableModel, Generic[Row]):
    """`rows` as they were given; `shown` are the places of those that are seen, in their order."""

    def __init__(self, layout: TableLayout[Row]) -> None:
        super().__init__()
        self.layout_ = layout
        self.columns = layout.columns
        self.rows: Sequence[Row] = ()
        self.shown: Sequence[int] = range(0)
        self._sort: tuple[int, bool] | None = None
        self._lets: Callable[[Row], bool] | None = None
        self._texts: dict[int, tuple[str, ...]] = {}

    # -- what is shown -----------------------------------------------------------------------------

    def show_rows(self, rows: Sequence[Row]) -> None:
        """Show other rows."""
        self.beginResetModel()
        self.rows = rows
        self._texts = {}
        self._arrange()
        self.endResetModel()

    def sort_by(self, column: int, *, descending: bool) -> None:
        """Sort by a column; below 0 for the rows' own order."""
        self._sort = (column, descending) if column >= 0 else None
        self.beginResetModel()
        self._arrange()
        self.endResetModel()

    def let_through(self, test: Callable[[Row], bool] | None) -> None:
        """Show only the rows that a test lets through, None for all."""
        self._lets = test
        self.beginResetModel()
        self._arrange()
        self.endResetModel()

    def _arrange(self) -> None:
        rows, lets = self.rows, self._lets
        places = range(len(rows))
        shown = places if lets is None else [at for at in places if lets(rows[at])]
        if self._sort is not None:
            by, descending = self.columns[self._sort[0]].sorted_by, self._sort[1]
            shown = sorted(shown, key=lambda at: by(rows[at]), reverse=descending)
        self.shown = shown

    def row(self, at: int) -> Row | None:
        """Return the row that is seen at a place from the top; None where it is not there yet."""
        return self.rows[self.shown[at]]

    def key(self, at: int) -> Any:
        """Return what the row that is seen there is called."""
        place, key = self.shown[at], self.layout_.key
        return place if key is None else key(self.rows[place])

    def seen_at(self, key: Any) -> int:
        """Return where a row is seen, -1 when it is not."""
        return next(iter(self.seen_among({key})), -1)

    def seen_among(self, keys: Collection[Any]) -> list[int]:
        """Return where the rows of some keys are seen, from the top."""
        return [at for at in range(self.rowCount()) if self.key(at) in keys]

    def texts(self, at: int) -> tuple[str, ...]:
        """Return what the cells of a row say."""
        place = self.shown[at]
        if place not in self._texts:
            row = self.rows[place]
            self._texts[place] = tuple(column.text(row) for column in self.columns)
        return self._texts[place]

    # -- what Qt asks ------------------------------------------------------------------------------

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Return how many rows are seen."""
        return 0 if parent.isValid() else len(self.shown)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        """Return how many columns there are."""
        return 0 if parent.isValid() else len(self.columns)

    def headerData(
        self, section: int, way: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        """Return the heads."""
        if way is not Qt.Orientation.Horizontal:
            return None
        column = self.columns[section]
        if role == Qt.ItemDataRole.DisplayRole:
            return column.name if column.head is None else column.head
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return RIGHT if column.right else LEFT
        named = {Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole}
        return column.name if role in named else None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """Return a cell for tips, for screen readers and for search by typing."""
        if role == Qt.ItemDataRole.DisplayRole:
            return self.texts(index.row())[index.column()]
        if role == Qt.ItemDataRole.AccessibleTextRole:
            column = self.columns[index.column()]
            return f"{column.name}: {self.texts(index.row())[index.column()]}"
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return RIGHT if self.columns[index.column()].right else LEFT
        if role == Qt.ItemDataRole.ToolTipRole and self.layout_.tip is not None:
            row = self.row(index.row())
            return None if row is None else self.layout_.tip(row)
        return None

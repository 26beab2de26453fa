"""The table of items: any number of them, texts read for the rows that are looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from PySide6.QtCore import QMimeData, QModelIndex, Qt, QTimer, Signal
from PySide6.QtWidgets import QAbstractItemView

from nightly_spindle.desk.kit.dragged_items import MIME, put_carts
from nightly_spindle.desk.kit.row_model import Index, RowModel
from nightly_spindle.desk.kit.row_view import MOST_RECHOSEN, RowView
from nightly_spindle.desk.library.item_columns import ORDERS, item_layout
from nightly_spindle.store.library.catalogue import CatalogueRow

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence
    from zoneinfo import ZoneInfo

    from numpy.typing import NDArray
    from PySide6.QtGui import QKeyEvent, QResizeEvent

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.library.catalogue import Catalogue, Found

_PAGE = 100
_ROOM_FOR_ALBUM = 820  # pixels of the whole table
_FLAGS = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled


class ItemModel(RowModel[CatalogueRow]):
    """What a query found, by cart numbers. Rows come in pages; one that is under way is blank."""

    def __init__(self, shelf: LibraryWorker, tz: ZoneInfo) -> None:
        super().__init__(item_layout(tz))
        self._shelf = shelf
        self.carts: NDArray[np.int64] = np.zeros(0, np.int64)
        self._there: dict[int, CatalogueRow] = {}
        self._said: dict[int, tuple[str, ...]] = {}  # by cart, of the rows that were looked at
        self._asked: set[int] = set()
        self._wanted: set[int] = set()
        self._blank = ("",) * len(self.columns)
        self._collect = QTimer(self)
        self._collect.setSingleShot(True)
        self._collect.setInterval(0)
        self._collect.timeout.connect(self._fetch)

    def show_found(self, found: Found) -> None:
        """Show another answer."""
        self._show(found.carts, found.first)

    def show_rows(self, rows: Sequence[CatalogueRow]) -> None:
        """Show these rows, all there are for now."""
        self._show(np.array([row.cart for row in rows], np.int64), rows)

    def _show(self, carts: NDArray[np.int64], rows: Sequence[CatalogueRow]) -> None:
        self.beginResetModel()
        self.carts, self.shown = carts, range(len(carts))
        self._there = {row.cart: row for row in rows}
        self._said, self._asked = {}, set()
        self.endResetModel()

    def _arrange(self) -> None:
        """Leave the order as it is: the store was asked for it."""

    def row(self, at: int) -> CatalogueRow | None:
        """Return a row; None, and it is sent for, when it is not there yet."""
        found = self._there.get(self.key(at))
        if found is None and at // _PAGE not in self._asked:
            self._wanted.add(at // _PAGE)
            self._collect.start()
        return found

    def key(self, at: int) -> int:
        """Return the cart number of a row."""
        return int(self.carts[at])

    def seen_among(self, keys: Collection[int]) -> list[int]:
        """Return where items are seen, from the top."""
        wanted = np.array([key for key in keys if key is not None], np.int64)
        return np.flatnonzero(np.isin(self.carts, wanted)).tolist()

    def texts(self, at: int) -> tuple[str, ...]:
        """Return what the cells of a row say."""
        cart = self.key(at)
        if cart not in self._said:
            row = self.row(at)
            if row is None:
                return self._blank
            self._said[cart] = tuple(column.text(row) for column in self.columns)
        return self._said[cart]

    def _fetch(self) -> None:
        pages, self._wanted = sorted(self._wanted), set()
        self._asked.update(pages)
        shown = self.carts
        for page in pages:
            carts = shown[page * _PAGE : (page + 1) * _PAGE].tolist()

            def look(catalogue: Catalogue, carts: list[int] = carts) -> Any:
                return catalogue.rows(carts)

            def then(rows: list[CatalogueRow], page: int = page) -> None:
                if self.carts is shown:
                    self._there.update({row.cart: row for row in rows})
                    last = min(len(shown), (page + 1) * _PAGE) - 1
                    self.dataChanged.emit(
                        self.index(page * _PAGE, 0), self.index(last, len(self.columns) - 1)
                    )

            self._shelf.look(look, then)

    def flags(self, index: Index) -> Qt.ItemFlag:
        """Let items be chosen and dragged out."""
        return _FLAGS if index.isValid() else Qt.ItemFlag.NoItemFlags

    def mimeTypes(self) -> list[str]:
        """Return what items are dragged as."""
        return [MIME, "text/uri-list", "text/plain"]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        """Return the items that are dragged, as cart numbers and as text."""
        places = sorted({index.row() for index in indexes})[:MOST_RECHOSEN]
        data = QMimeData()
        put_carts(data, (self.key(at) for at in places))
        lines = [self.row(at) for at in places]
        data.setText("\n".join(f"{row.artist} - {row.title}" for row in lines if row))
        return data


class ItemTable(RowView[CatalogueRow]):
    """Items to look through, choose, drag out, by cart numbers.

    Signals besides: `choice` when other items are chosen; `sort_asked` (name, descending);
    `add_asked` for Ctrl+Return.
    """

    choice = Signal()
    sort_asked = Signal(str, bool)
    add_asked = Signal()

    def __init__(self, shelf: LibraryWorker, palette: Palette, tz: ZoneInfo) -> None:
        self.items = ItemModel(shelf, tz)
        super().__init__(self.items.layout_, palette, self.items)
        self.setDragEnabled(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(self.choice)
        self.selectionModel().selectionChanged.connect(lambda *_: self._later.start())

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Show the album where there is room for it."""
        self.setColumnHidden(self.layout_.at("Album"), event.size().width() < _ROOM_FOR_ALBUM)
        super().resizeEvent(event)

    def show_found(self, found: Found) -> None:
        """Show another answer, keeping the choice and, for the same query, the place."""
        self._keeping(lambda: self.items.show_found(found))
        self._later.start()

    def carts(self) -> list[int]:
        """Return the chosen cart numbers, in the order of the table."""
        return self.chosen()

    def choose_items(self, carts: Sequence[int]) -> None:
        """Choose items, those of them that are shown, and have the first seen."""
        self.clearSelection()
        there = self.items.seen_among(set(carts))
        if there:
            self.rechoose(carts, self.items.key(there[0]))
            self.scrollTo(self.currentIndex())
            self._later.start()

    def arrange(self, column: int, *, descending: bool) -> None:
        """Have the store asked for another order."""
        order = ORDERS.get(self.layout_.columns[column].name)
        if order is not None:
            self.sort_asked.emit(order, descending)

    def _on_head(self, column: int) -> None:
        if self.layout_.columns[column].name in ORDERS:
            super()._on_head(column)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Add to the running order; other keys as in all tables."""
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if ctrl and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self.add_asked.emit()
        else:
            super().keyPressEvent(event)

"""The table of items: any number of them, texts read for the rows that are looked at."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import (
    QAbstractTableModel,
    QMimeData,
    QModelIndex,
    QRect,
    QRectF,
    Qt,
    QTimer,
    QUrl,
    Signal,
)
from PySide6.QtGui import (
    QColor,
    QFontMetrics,
    QKeyEvent,
    QKeySequence,
    QPainter,
    QPen,
    QResizeEvent,
)
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
    QWidget,
)

from nightly_spindle.core.base.timebase import length, short_date
from nightly_spindle.desk.kit.signs import paint_sign
from nightly_spindle.desk.kit.tables import Index, copy_rows, dress
from nightly_spindle.desk.kit.theme import TEXT, Palette, font

if TYPE_CHECKING:
    from collections.abc import Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.store.library.catalogue import Catalogue, CatalogueRow, Found

MIME = "application/x-nightly-spindle-items"
_PAGE = 100
# heading, sort, width in pixels, right-aligned
COLUMNS = (
    ("Title", "title", 210, False),
    ("Artist", "artist", 130, False),
    ("Length", "length", 58, True),
    ("LUFS", "loudness", 50, True),
    ("Album", "album", 120, False),
    ("Cart", "cart", 52, True),
    ("Last aired", "aired", 106, True),
    ("Categories", "", 108, False),
)
_ALBUM, _ROOM_FOR_ALBUM = 4, 820  # column; pixels of the whole table
_MOST_DRAGGED = 2000
_BLANK = ("",) * len(COLUMNS)
_SIDES = [
    int((Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft)
        | Qt.AlignmentFlag.AlignVCenter)
    for _, _, _, right in COLUMNS
]  # fmt: skip
_FLAGS = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable | Qt.ItemFlag.ItemIsDragEnabled
_LETTER_PX = 9  # hardly a letter is wider: shorter texts need no measuring


def carts_in(data: QMimeData) -> list[int]:
    """Return the cart numbers that are being dragged."""
    text = bytes(data.data(MIME).data()).decode("ascii")
    return [int(part) for part in text.split(",") if part]


class ItemModel(QAbstractTableModel):
    """A thin view of what a query found. Rows come in pages; a page that is under way is blank."""

    def __init__(self, shelf: LibraryWorker, tz: ZoneInfo) -> None:
        super().__init__()
        self._shelf = shelf
        self._tz = tz
        self.carts: Sequence[int] = []
        self._rows: dict[int, CatalogueRow] = {}
        self._texts: dict[int, tuple[str, ...]] = {}  # of the rows that were looked at
        self._asked: set[int] = set()
        self._wanted: set[int] = set()
        self._collect = QTimer(self)
        self._collect.setSingleShot(True)
        self._collect.setInterval(0)
        self._collect.timeout.connect(self._fetch)

    def show_found(self, found: Found) -> None:
        """Show another answer."""
        self.beginResetModel()
        self.carts = found.carts.tolist()
        self._rows = {row.cart: row for row in found.first}
        self._texts = {}
        self._asked = set()
        self.endResetModel()

    def show_rows(self, rows: Sequence[CatalogueRow]) -> None:
        """Show these rows, all there are for now."""
        self.beginResetModel()
        self.carts = [row.cart for row in rows]
        self._texts = {}
        self._rows = {row.cart: row for row in rows}
        self.endResetModel()

    def row(self, at: int) -> CatalogueRow | None:
        """Return a row's texts; None, and they are sent for, when they are not there yet."""
        found = self._rows.get(self.carts[at])
        if found is None and at // _PAGE not in self._asked:
            self._wanted.add(at // _PAGE)
            self._collect.start()
        return found

    def _fetch(self) -> None:
        pages, self._wanted = sorted(self._wanted), set()
        self._asked.update(pages)
        shown = self.carts
        for page in pages:
            carts = list(shown[page * _PAGE : (page + 1) * _PAGE])

            def look(catalogue: Catalogue, carts: list[int] = carts) -> Any:
                return catalogue.rows(carts)

            def then(rows: list[CatalogueRow], page: int = page) -> None:
                if self.carts is shown:
                    self._rows.update({row.cart: row for row in rows})
                    last = min(len(shown), (page + 1) * _PAGE) - 1
                    self.dataChanged.emit(self.index(page * _PAGE, 0),
                                          self.index(last, len(COLUMNS) - 1))  # fmt: skip

            self._shelf.look(look, then)

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.carts)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(COLUMNS)

    def headerData(
        self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole
    ) -> Any:
        if orientation is not Qt.Orientation.Horizontal:
            return None
        name, _, _, right = COLUMNS[section]
        if role == Qt.ItemDataRole.DisplayRole:
            return name
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft
            return int(side | Qt.AlignmentFlag.AlignVCenter)
        return None

    def text(self, at: int, column: int) -> str:
        """Return what a cell says."""
        return self.texts(at)[column]

    def texts(self, at: int) -> tuple[str, ...]:
        """Return what the cells of a row say."""
        cart = self.carts[at]
        if cart not in self._texts:
            row = self.row(at)
            if row is None:
                return _BLANK
            self._texts[cart] = _texts(row, self._tz)
        return self._texts[cart]

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if role == Qt.ItemDataRole.DisplayRole:
            return self.text(index.row(), index.column())
        if role == Qt.ItemDataRole.ToolTipRole:
            row = self.row(index.row())
            return None if row is None else f"{row.kind}, cart {row.cart}: {self.data(index)}"
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return f"{COLUMNS[index.column()][0]}: {self.data(index)}"
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        return _FLAGS if index.isValid() else Qt.ItemFlag.NoItemFlags

    def mimeTypes(self) -> list[str]:
        return [MIME, "text/uri-list", "text/plain"]

    def mimeData(self, indexes: Sequence[QModelIndex]) -> QMimeData:
        places = sorted({index.row() for index in indexes})[:_MOST_DRAGGED]
        data = QMimeData()
        data.setData(MIME, ",".join(str(self.carts[at]) for at in places).encode())
        lines = [self.row(at) for at in places]
        data.setText("\n".join(f"{row.artist} - {row.title}" for row in lines if row))
        return data


def _texts(row: CatalogueRow, tz: ZoneInfo) -> tuple[str, ...]:
    return (
        row.title,
        row.artist,
        length(row.duration_s),
        "" if row.lufs is None else f"{row.lufs:.1f}",
        row.album,
        str(row.cart),
        "" if row.aired_us is None else short_date(row.aired_us, tz),
        row.categories,
    )


class RowPainter(QStyledItemDelegate):
    """Paints cells without the style sheet, which is too slow for a full table."""

    def __init__(self, palette: Palette, parent: QWidget) -> None:
        super().__init__(parent)
        self.set_palette(palette)
        self._metrics = QFontMetrics(font(TEXT))  # the style sheet's own font

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._colors = {
            name: QColor(getattr(palette, name)) for name in ("text", "muted", "select", "alarm")
        }
        self._pens = [QPen(self._colors[name]) for name in ("text", "muted")]

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        box: QRect = option.rect
        model = index.model()
        assert isinstance(model, ItemModel)
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, self._colors["select"])
        row = model.row(index.row())
        if row is None:
            return
        column = index.column()
        inner = box.adjusted(22 if column == 0 else 5, 0, -5, 0)
        if column == 0:
            side = 10
            paint_sign(painter, row.kind, QRectF(box.x() + 6, box.center().y() - 4, side, side))
            if row.waits:
                painter.save()
                painter.setRenderHint(QPainter.RenderHint.Antialiasing)
                painter.setPen(Qt.PenStyle.NoPen)
                painter.setBrush(self._colors["alarm"])
                painter.drawEllipse(QRect(box.right() - 14, box.center().y() - 4, 9, 9))
                painter.restore()
                inner.adjust(0, 0, -14, 0)
        text = model.texts(index.row())[column]
        if not text:
            return
        painter.setPen(self._pens[column >= 3])
        if len(text) * _LETTER_PX > inner.width():
            text = self._metrics.elidedText(text, Qt.TextElideMode.ElideRight, inner.width())
        painter.drawText(inner, _SIDES[column], text)


class ItemTable(QTableView):
    """Items to look through, choose, drag out.

    Signals: `chosen` (carts) when the choice changes; `sort_asked` (name, descending);
    `play_asked`, `remove_asked`, `add_asked` for Space, Delete and Ctrl+Return.
    """

    chosen = Signal(list)
    sort_asked = Signal(str, bool)
    play_asked = Signal()
    remove_asked = Signal()
    add_asked = Signal()

    def __init__(self, shelf: LibraryWorker, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__()
        self.items = ItemModel(shelf, tz)
        self.setModel(self.items)
        self.painter_ = RowPainter(palette, self)
        self.setItemDelegate(self.painter_)
        dress(self, "Items", (width for _, _, width, _ in COLUMNS))
        self.setDragEnabled(True)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DragOnly)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        header = self.horizontalHeader()
        header.setSectionsMovable(True)
        header.setSortIndicatorShown(True)
        header.setSectionsClickable(True)
        header.sectionClicked.connect(self._on_header)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self._sort = ("artist", False)
        header.setSortIndicator(1, Qt.SortOrder.AscendingOrder)
        self._kept: list[int] = []
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(0)
        self._later.timeout.connect(lambda: self.chosen.emit(self.carts()))
        self.selectionModel().selectionChanged.connect(lambda *_: self._later.start())

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Show the album where there is room for it."""
        self.setColumnHidden(_ALBUM, event.size().width() < _ROOM_FOR_ALBUM)
        super().resizeEvent(event)

    def show_found(self, found: Found) -> None:
        """Show another answer, keeping the choice and, for the same query, the place."""
        kept, top = self.carts(), self.verticalScrollBar().value()
        self.items.show_found(found)
        self.choose(kept, scroll=False)
        self.verticalScrollBar().setValue(top)

    def carts(self) -> list[int]:
        """Return the chosen cart numbers, in the order of the table."""
        rows = self.selectionModel().selectedRows()
        return [self.items.carts[i.row()] for i in sorted(rows, key=lambda i: i.row())]

    def choose(self, carts: Sequence[int], *, scroll: bool = True) -> None:
        """Choose items, those of them that are shown."""
        if not carts or len(carts) > _MOST_DRAGGED:
            return
        wanted = set(carts)
        places = [at for at, cart in enumerate(self.items.carts) if cart in wanted]
        model = self.selectionModel()
        model.clearSelection()
        flags = model.SelectionFlag.Select | model.SelectionFlag.Rows
        for at in places:
            model.select(self.items.index(at, 0), flags)
        if places:
            model.setCurrentIndex(self.items.index(places[0], 0), model.SelectionFlag.NoUpdate)
            if scroll:
                self.scrollTo(self.items.index(places[0], 0))

    def _on_header(self, column: int) -> None:
        name = COLUMNS[column][1]
        if name:
            self._sort = (name, self._sort == (name, False))
            way = Qt.SortOrder.DescendingOrder if self._sort[1] else Qt.SortOrder.AscendingOrder
            self.horizontalHeader().setSortIndicator(column, way)
            self.sort_asked.emit(*self._sort)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Play, remove, add to the running order, copy."""
        ctrl = bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
        if event.key() == Qt.Key.Key_Space:
            self.play_asked.emit()
        elif event.key() == Qt.Key.Key_Delete:
            self.remove_asked.emit()
        elif ctrl and event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self.add_asked.emit()
        elif event.matches(QKeySequence.StandardKey.Copy):
            self.copy()
        else:
            super().keyPressEvent(event)

    def copy(self) -> None:
        """Copy the chosen rows as text, a tab between the columns."""
        copy_rows(self, self.items.text)


def file_urls(data: QMimeData) -> list[str]:
    """Return the local files that are being dragged in, empty for anything else."""
    if data.hasFormat(MIME):
        return []
    urls: list[QUrl] = list(data.urls()) if data.hasUrls() else []
    return [url.toLocalFile() for url in urls if url.isLocalFile()]

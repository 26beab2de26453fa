"""The groups at the left of the items: kinds, categories, lists, artists and their albums."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import (
    QAbstractListModel,
    QMimeData,
    QModelIndex,
    QPersistentModelIndex,
    QRect,
    QRectF,
    Qt,
    Signal,
)
from PySide6.QtGui import QColor, QKeyEvent, QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QListView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from nightly_spindle.desk.kit.dragged_items import MIME, carts_in
from nightly_spindle.desk.kit.signs import paint_sign
from nightly_spindle.desk.kit.theme import SMALL, TEXT, Palette, font

if TYPE_CHECKING:
    from collections.abc import Sequence

Index = QModelIndex | QPersistentModelIndex
ALL, HEAD, KIND, CATEGORY, LOOSE, LIST, ARTIST, ALBUM = (
    "all",
    "head",
    "kind",
    "category",
    "loose",
    "list",
    "artist",
    "album",
)


@dataclass(frozen=True, slots=True)
class GroupLine:
    """One line: what it is, its text, a count, and a weight where that says something."""

    sort: str
    text: str
    count: int = 0
    id: int = 0
    weight: float = 1.0


class _Model(QAbstractListModel):
    """A thin view of the entries."""

    dropped = Signal(object, list)

    def __init__(self) -> None:
        super().__init__()
        self.entries: Sequence[GroupLine] = ()

    def show_entries(self, entries: Sequence[GroupLine]) -> None:
        if [e.text for e in entries] == [e.text for e in self.entries]:
            self.entries = entries  # only counts have changed: the place is kept
            self.dataChanged.emit(self.index(0), self.index(len(entries) - 1))
            return
        self.beginResetModel()
        self.entries = entries
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's signature
        return 0 if parent.isValid() else len(self.entries)

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        entry = self.entries[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return entry.text
        if role == Qt.ItemDataRole.AccessibleTextRole:
            return entry.text if entry.sort == HEAD else f"{entry.text}, {entry.count} items"
        if role == Qt.ItemDataRole.ToolTipRole and entry.sort == CATEGORY:
            return (
                f"{entry.text}: {entry.count} items found, weight {entry.weight:g}. Drop items "
                "here to put them in; F2 renames, Delete removes it, + and - change the weight."
            )
        if role == Qt.ItemDataRole.ToolTipRole and entry.sort == LIST:
            return f"{entry.text}: {entry.count} lines. Drop items here to add them at the end."
        return None

    def flags(self, index: Index) -> Qt.ItemFlag:
        if not index.isValid():
            return Qt.ItemFlag.NoItemFlags
        entry = self.entries[index.row()]
        if entry.sort == HEAD:
            return Qt.ItemFlag.NoItemFlags
        base = Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable
        return base | Qt.ItemFlag.ItemIsDropEnabled if entry.sort in {CATEGORY, LIST} else base

    def mimeTypes(self) -> list[str]:
        return [MIME]

    def supportedDropActions(self) -> Qt.DropAction:
        return Qt.DropAction.CopyAction

    def dropMimeData(
        self, data: QMimeData, action: Qt.DropAction, row: int, column: int, parent: Index
    ) -> bool:
        del action, row, column
        if not data.hasFormat(MIME) or not parent.isValid():
            return False
        self.dropped.emit(self.entries[parent.row()], carts_in(data))
        return True


class _Painter(QStyledItemDelegate):
    """Paints a line: sign, text, weight, count."""

    def __init__(self, palette: Palette, parent: QWidget) -> None:
        super().__init__(parent)
        self.palette_ = palette

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        box: QRect = option.rect
        model = index.model()
        assert isinstance(model, _Model)
        entry = model.entries[index.row()]
        palette = self.palette_
        left = int(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        right = int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if entry.sort == HEAD:
            painter.setFont(font(SMALL, bold=True))
            painter.setPen(QColor(palette.muted))
            painter.drawText(box.adjusted(6, 6, -6, 0), left, entry.text)
            return
        state = option.state
        if state & QStyle.StateFlag.State_Selected:
            painter.fillRect(box, QColor(palette.select))
        painter.setFont(font(TEXT))
        painter.setPen(QColor(palette.text if entry.count else palette.muted))
        inset = 6
        if entry.sort == KIND:
            paint_sign(painter, entry.text, QRectF(box.x() + 7, box.center().y() - 4, 10, 10))
            inset = 24
        inner = box.adjusted(inset, 0, -6, 0)
        count = f"{entry.count:,}"
        if entry.sort == CATEGORY and entry.weight != 1:
            count = f"×{entry.weight:g}   {count}"
        room = inner.width() - painter.fontMetrics().horizontalAdvance(count) - 8
        text = painter.fontMetrics().elidedText(entry.text, Qt.TextElideMode.ElideRight, room)
        painter.drawText(inner, left, text)
        painter.setPen(QColor(palette.muted))
        painter.drawText(inner, right, count)

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> Any:
        hint = super().sizeHint(option, index)
        model = index.model()
        assert isinstance(model, _Model)
        hint.setHeight(28 if model.entries[index.row()].sort == HEAD else 22)
        return hint


class GroupList(QListView):
    """A list of groups to narrow the items by; items can be dropped on some.

    Signals: `picked` (Entry); `dropped` (Entry, carts); `rename_asked`, `remove_asked` (Entry);
    `weight_asked` (Entry, factor).
    """

    picked = Signal(object)
    dropped = Signal(object, list)
    rename_asked = Signal(object)
    remove_asked = Signal(object)
    weight_asked = Signal(object, float)

    def __init__(self, palette: Palette, name: str) -> None:
        super().__init__()
        self.groups = _Model()
        self.groups.dropped.connect(self.dropped)
        self.setModel(self.groups)
        self.painter_ = _Painter(palette, self)
        self.setItemDelegate(self.painter_)
        self.setAccessibleName(name)
        self.setProperty("role", "groups")
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setDragDropMode(QAbstractItemView.DragDropMode.DropOnly)
        self.setAcceptDrops(True)
        self.selectionModel().currentChanged.connect(self._on_current)

    def show_entries(self, entries: Sequence[GroupLine]) -> None:
        """Show other entries, keeping the choice where it is still there."""
        chosen = self.entry()
        selection = self.selectionModel()
        selection.blockSignals(True)
        self.groups.show_entries(entries)
        if chosen is not None:
            self.choose(chosen.sort, chosen.text)
        selection.blockSignals(False)

    def entry(self) -> GroupLine | None:
        """Return the chosen entry."""
        at = self.currentIndex().row()
        return self.groups.entries[at] if 0 <= at < len(self.groups.entries) else None

    def choose(self, sort: str, text: str) -> bool:
        """Choose an entry; returns whether there is one."""
        for at, entry in enumerate(self.groups.entries):
            if (entry.sort, entry.text) == (sort, text):
                self.setCurrentIndex(self.groups.index(at))
                return True
        return False

    def _on_current(self, current: QModelIndex, _before: QModelIndex) -> None:
        if current.isValid():
            self.picked.emit(self.groups.entries[current.row()])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Rename, remove, weigh a category."""
        entry = self.entry()
        own = entry is not None and entry.sort in {CATEGORY, LIST}
        if own and event.key() == Qt.Key.Key_F2:
            self.rename_asked.emit(entry)
        elif own and event.key() == Qt.Key.Key_Delete:
            self.remove_asked.emit(entry)
        elif own and event.key() in {Qt.Key.Key_Plus, Qt.Key.Key_Minus}:
            self.weight_asked.emit(entry, 2.0 if event.key() == Qt.Key.Key_Plus else 0.5)
        else:
            super().keyPressEvent(event)

"""Finding an item and putting it into the running order, beside the list."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QKeyEvent
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import length
from nightly_spindle.store.library.catalogue import Query

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.store.library.catalogue import CatalogueRow, Found

_MOST = 200


class ItemFinder(QWidget):
    """Search as you type; Enter puts the item in before the chosen line.

    Signals: `add_asked` (cart, title), `closed`.
    """

    add_asked = Signal(int, str)
    closed = Signal()

    def __init__(self, shelf: LibraryWorker, heading: str = "Add to the running order") -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(300)
        self._shelf = shelf
        self._hits: list[CatalogueRow] = []
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 14, 14, 12)
        box.setSpacing(8)
        title = QLabel(heading)
        title.setProperty("role", "name")
        self.where = QLabel("")
        self.where.setProperty("role", "muted")
        self.where.setWordWrap(True)
        self.field = QLineEdit()
        self.field.setPlaceholderText("Artist, title, kind or cart number")
        self.field.setAccessibleName("Search the library")
        self.field.textChanged.connect(self._search)
        self.field.returnPressed.connect(self._add)
        self.field.installEventFilter(self)
        self.list = QListWidget()
        self.list.setAccessibleName("Items found")
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setWordWrap(True)
        self.list.itemActivated.connect(lambda _: self._add())
        add = QPushButton("Add")
        add.setToolTip("Put the item in before the chosen line (Enter)")
        add.clicked.connect(self._add)
        close = QPushButton("Close")
        close.setToolTip("Back to the details (Esc)")
        close.clicked.connect(self.closed)
        row = QHBoxLayout()
        row.addWidget(add, 1)
        row.addWidget(close, 1)
        for widget in (title, self.where, self.field, self.list):
            box.addWidget(widget)
        box.addLayout(row)

    def open(self, before: str) -> None:
        """Get ready; `before` says where an item will go."""
        self.where.setText(before)
        self.field.setFocus()
        self.field.selectAll()
        self._search(self.field.text())

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        """Let the arrow keys walk through the list while typing; Esc closes."""
        if (
            watched is self.field
            and isinstance(event, QKeyEvent)
            and (event.type() is QEvent.Type.KeyPress)
        ):
            if event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
                step = 1 if event.key() == Qt.Key.Key_Down else -1
                row = self.list.currentRow() + step
                self.list.setCurrentRow(min(max(0, row), self.list.count() - 1))
                return True
            if event.key() == Qt.Key.Key_Escape:
                self.closed.emit()
                return True
        return super().eventFilter(watched, event)

    def _search(self, text: str) -> None:
        self._shelf.look(lambda catalogue: catalogue.find(Query(text), _MOST), self._show, "add")

    def _show(self, found: Found) -> None:
        self.list.clear()
        self._hits = list(found.first)
        for hit in self._hits:
            name = f"{hit.artist} – {hit.title}" if hit.artist else hit.title
            entry = QListWidgetItem(
                f"{name}\n{hit.kind} · cart {hit.cart} · {length(hit.duration_s)}"
            )
            self.list.addItem(entry)
        if self._hits:
            self.list.setCurrentRow(0)

    def _add(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._hits):
            self.add_asked.emit(self._hits[row].cart, self._hits[row].title)

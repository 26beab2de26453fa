"""Finding an item and putting it into the running order, beside the list."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QObject, QRunnable, Qt, QThreadPool, Signal
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

from nightly_spindle.core.errors import NightlySpindleError
from nightly_spindle.core.timebase import length
from nightly_spindle.store.catalogue import Catalogue, Query

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.store.catalogue import Row

_MOST = 200


class AddPanel(QWidget):
    """Search as you type; Enter puts the item in before the chosen line.

    Signals: `add_asked` (cart, title), `closed`.
    """

    add_asked = Signal(int, str)
    closed = Signal()
    _found = Signal(int, object)

    def __init__(self, folder: Path) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(300)
        self._folder = folder
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._number = 0
        self._hits: list[Row] = []
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 14, 14, 12)
        box.setSpacing(8)
        title = QLabel("Add to the running order")
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
        self._found.connect(self._show)

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

    def close_down(self) -> None:
        """Wait for a running search."""
        self._pool.waitForDone(5000)

    def _search(self, text: str) -> None:
        self._number += 1
        number, folder, found = self._number, self._folder, self._found

        def work() -> None:
            try:
                catalogue = Catalogue(folder)
                try:
                    carts = catalogue.find(Query(text), _MOST).first
                finally:
                    catalogue.close()
                found.emit(number, list(carts))
            except NightlySpindleError as error:
                found.emit(number, str(error))

        self._pool.start(QRunnable.create(work))

    def _show(self, number: int, hits: list[Row] | str) -> None:
        if number != self._number:
            return
        self.list.clear()
        if isinstance(hits, str):
            self.where.setText(hits)
            return
        self._hits = hits
        for hit in hits:
            name = f"{hit.artist} – {hit.title}" if hit.artist else hit.title
            entry = QListWidgetItem(
                f"{name}\n{hit.kind} · cart {hit.cart} · {length(hit.duration_s)}"
            )
            self.list.addItem(entry)
        if hits:
            self.list.setCurrentRow(0)

    def _add(self) -> None:
        row = self.list.currentRow()
        if 0 <= row < len(self._hits):
            self.add_asked.emit(self._hits[row].cart, self._hits[row].title)

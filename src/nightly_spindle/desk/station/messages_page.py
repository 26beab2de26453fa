"""Station, Messages: what the engine, the intake and the desk have said, the newest first."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QAbstractItemView, QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.store.base.messages import last_messages

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_MOST = 2000


class MessagesPage(QWidget):
    """Lists, filters and copies the messages."""

    def __init__(self, shelf: LibraryWorker) -> None:
        super().__init__()
        self._shelf = shelf
        self._lines: list[str] = []
        self.field = Field()
        self.field.setPlaceholderText("Filter: engine, WARNING, 02:1 …")
        self.field.setAccessibleName("Filter the messages")
        self.field.textChanged.connect(lambda _: self._show_lines())
        self.list = QListWidget()
        self.list.setAccessibleName("Messages")
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setUniformItemSizes(True)
        row = QHBoxLayout()
        row.addWidget(self.field, 1)
        row.addWidget(push_button("Look again", "Read the newest messages", self.refresh))
        row.addWidget(push_button("Copy", "Copy the chosen lines, else all that are shown",
                                  self.copy))  # fmt: skip
        box = QVBoxLayout(self)
        box.setContentsMargins(22, 8, 22, 12)
        box.addLayout(row)
        box.addWidget(self.list, 1)

    def refresh(self) -> None:
        """Read the messages anew."""
        folder = self._shelf.folder
        self._shelf.look(lambda _: last_messages(folder, _MOST), self._show, "messages")

    def _show(self, lines: list[str]) -> None:
        self._lines = lines[::-1]
        self._show_lines()

    def _show_lines(self) -> None:
        words = self.field.text().casefold().split()
        self.list.clear()
        self.list.addItems(
            [line for line in self._lines if all(word in line.casefold() for word in words)]
            or ["Nothing has been said yet." if not words else "No message has that in it."]
        )

    def copy(self) -> None:
        """Copy lines as text."""
        chosen = self.list.selectedItems() or [
            self.list.item(row) for row in range(self.list.count())
        ]
        QGuiApplication.clipboard().setText("\n".join(item.text() for item in chosen))

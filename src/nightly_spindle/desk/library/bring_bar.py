"""The bar that asks how dropped files are to be brought in, above the items."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSizePolicy, QWidget

from nightly_spindle.core.library.folder_kinds import kind_of_folder
from nightly_spindle.core.library.intake import FileFate, IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.desk.kit.choice_box import ChoiceBox, EditableChoiceBox

if TYPE_CHECKING:
    from PySide6.QtGui import QKeyEvent


class BringBar(QWidget):
    """Kind and category for files that were dropped, then Enter.

    Signal: `asked` (paths, IntakeOptions).
    """

    asked = Signal(list, object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bar")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.paths: list[str] = []
        self.told = QLabel("")
        self.kind = ChoiceBox()
        self.kind.setAccessibleName("Kind")
        self.kind.addItems([str(kind) for kind in Kind])
        self.into = EditableChoiceBox("no category")
        self.into.setAccessibleName("Category")
        self.into.line.returnPressed.connect(self._on_bring)
        self.copy = ChoiceBox()
        self.copy.setAccessibleName("What becomes of the files")
        self.copy.addItem("left there", FileFate.LEAVE)
        self.copy.addItem("copied in", FileFate.COPY)
        self.copy.setToolTip(
            "The audio stays where it is and is played from there, or is copied into the "
            "station's own audio first"
        )
        # the window must not grow with the bar
        for box in (self.kind, self.into, self.copy):
            box.setMinimumWidth(60)
            box.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.bring = QPushButton("Import")
        self.bring.setToolTip("Measure the files and take them into the library (Enter)")
        self.bring.clicked.connect(self._on_bring)
        self.leave = QPushButton("Cancel")
        self.leave.setToolTip("Leave the files where they are (Esc)")
        self.leave.clicked.connect(self.hide)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 6, 10, 6)
        row.setSpacing(6)
        for widget, share in (
            (self.told, 0),
            (QLabel("as"), 0),
            (self.kind, 2),
            (QLabel("into"), 0),
            (self.into, 3),
            (self.copy, 3),
        ):
            row.addWidget(widget, share)
        row.addWidget(self.bring)
        row.addWidget(self.leave)
        self.hide()

    def open(self, paths: Sequence[str], kind: str, category: str, known: Sequence[str]) -> None:
        """Ask about these files and folders; without a kind their folder's name proposes one."""
        self.paths = list(paths)
        folders = sum(Path(path).is_dir() for path in paths)
        files = len(paths) - folders
        parts = [
            f"{n} {word}{'s' if n > 1 else ''}"
            for n, word in ((folders, "folder"), (files, "file"))
            if n
        ]
        self.told.setText(" and ".join(parts))
        self.into.clear()
        self.into.addItems(list(known))
        self.into.setEditText(category)
        said = Path(paths[0]) if paths else Path()
        named = said.name if said.is_dir() else said.parent.name
        self.kind.setCurrentText(kind or str(kind_of_folder(named)))
        self.show()
        self.bring.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Esc closes it, Enter brings in."""
        if event.key() == Qt.Key.Key_Escape:
            self.hide()
        elif event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter}:
            self._on_bring()
        else:
            super().keyPressEvent(event)

    def _on_bring(self) -> None:
        category = " ".join(self.into.currentText().split())
        options = IntakeOptions(
            kind=Kind(self.kind.currentText()),
            categories=(category,) if category else (),
            source=FileFate(self.copy.currentData()),
        )
        self.hide()
        self.asked.emit(self.paths, options)

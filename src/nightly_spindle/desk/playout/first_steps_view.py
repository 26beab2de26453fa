"""In place of an empty running order: what the station still needs, with a button for each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nightly_spindle.store.reports.first_steps import Step

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.store.reports.first_steps import FirstStep

_BUTTONS = {
    Step.MUSIC: ("Add a folder …", "Import music, jingles and the rest"),
    Step.LOG: ("Choose how …", "Say where logs arrive, or have the station make its own hours"),
    Step.OUTPUT: ("Set up an output …", "A stream, a sound card, a recording"),
    Step.NET: ("See the safety net …", "What plays if all else fails"),
}


class FirstStepsView(QWidget):
    """Signals: `asked` (Step) when one is to be done; `passed` when the order is to be seen."""

    asked = Signal(object)
    passed = Signal()

    def __init__(self) -> None:
        super().__init__()
        head = QLabel("Before the first night")
        head.setProperty("role", "title")
        said = QLabel("The station needs these four. The rest can wait.")
        said.setProperty("role", "muted")
        self.grid = QGridLayout()
        self.grid.setHorizontalSpacing(16)
        self.grid.setVerticalSpacing(12)
        self.grid.setColumnStretch(2, 1)
        self.buttons: dict[Step, QPushButton] = {}
        self._signs: dict[Step, QLabel] = {}
        self._said: dict[Step, QLabel] = {}
        for row, (step, (text, tip)) in enumerate(_BUTTONS.items()):
            self._add(row, step, text, tip)
        self.on = QPushButton("Show the running order")
        self.on.setToolTip("As it stands, with what is still missing")
        self.on.clicked.connect(self.passed)
        box = QVBoxLayout(self)
        box.setContentsMargins(20, 26, 20, 16)
        box.setSpacing(8)
        box.addWidget(head)
        box.addWidget(said)
        box.addSpacing(14)
        box.addLayout(self.grid)
        box.addStretch(1)
        box.addWidget(self.on)

    def _add(self, row: int, step: Step, text: str, tip: str) -> None:
        sign, name, said = QLabel(""), QLabel(str(step)), QLabel("")
        sign.setFixedWidth(20)
        for label in (sign, name):
            label.setProperty("role", "name")
        said.setWordWrap(True)
        button = QPushButton(text)
        button.setToolTip(tip)
        button.clicked.connect(lambda _=False, step=step: self.asked.emit(step))
        for column, widget in enumerate((sign, name, said, button)):
            self.grid.addWidget(widget, row, column)
        self._signs[step], self._said[step], self.buttons[step] = sign, said, button

    def show_steps(self, steps: Sequence[FirstStep]) -> None:
        """Show how far the station is."""
        for one in steps:
            self._signs[one.step].setText("✓" if one.done else "○")
            self._signs[one.step].setAccessibleName("done" if one.done else "still to be done")
            said = self._said[one.step]
            said.setText(one.said)
            said.setProperty("role", "muted" if one.done else "")
            said.style().polish(said)

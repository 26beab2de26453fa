"""Beside an opened log: the chosen line, what it may mean, and how to settle it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.logs.log_matching import MatchStatus
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.logs.log_table import needs_settling, what_it_is

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.station.log_forecast import Forecast
    from nightly_spindle.store.reports.log_boards import Lookalikes


class LogLinePanel(QWidget):
    """One line of a log. What it asks for is about the line that is shown.

    Signals: `settle_asked` (cart, for every log), `choose_asked`, `take_in_asked`,
    `category_asked` (name), `drop_asked`, `insert_asked`, `again_asked` (as the file has it).
    """

    settle_asked = Signal(int, bool)
    choose_asked = Signal()
    take_in_asked = Signal()
    category_asked = Signal(str)
    drop_asked = Signal()
    insert_asked = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(322)
        self.line: Forecast | None = None
        self._carts: list[int] = []
        self.title = QLabel("")
        self.title.setProperty("role", "name")
        self.raw, self.how, self.clash = QLabel(""), QLabel(""), QLabel("")
        self.raw.setProperty("role", "sentence")
        self.raw.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.clash.setProperty("role", "warn")
        for label in (self.title, self.raw, self.how, self.clash):
            label.setWordWrap(True)
        self.caption = QLabel("IT MAY BE")
        self.caption.setProperty("role", "caption")
        self.near = QListWidget()
        self.near.setAccessibleName("What the line may mean")
        self.near.setWordWrap(True)
        self.near.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.near.itemActivated.connect(lambda _: self._take())
        self.every = QCheckBox("In every log from now on")
        self.every.setChecked(True)
        self.every.setToolTip("Lines that say this mean the item, here and in other logs")
        self.take = push_button(
            "Use this item", "The line means the chosen item (Enter)", self._take
        )
        self.choose = push_button(
            "Choose an item …", "Find the item in the library (Ctrl+N)", self.choose_asked.emit
        )
        self.file = push_button(
            "Import the file", "Have the intake measure it and import it", self.take_in_asked.emit
        )
        self.category = ChoiceBox()
        self.category.setAccessibleName("Replace by one from a category")
        self.category.activated.connect(self._on_category)
        self.drop = push_button("Remove line", "It does not air (Delete)", self.drop_asked.emit)
        self.insert = push_button(
            "Insert item …", "Before this line (Insert)", self.insert_asked.emit
        )
        self._lay_out()
        self.show_line(None, None, editable=False)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 10, 14, 12)
        box.setSpacing(8)
        for widget in (
            self.title,
            self.raw,
            self.how,
            self.clash,
            self.caption,
            self.near,
            self.every,
            self.take,
        ):
            box.addWidget(widget)
        grid = QGridLayout()
        grid.setSpacing(6)
        grid.addWidget(self.choose, 0, 0)
        grid.addWidget(self.drop, 0, 1)
        grid.addWidget(self.insert, 1, 0)
        grid.addWidget(self.file, 1, 1)
        grid.addWidget(self.category, 2, 0, 1, 2)
        box.addLayout(grid)
        box.addStretch(1)

    def set_categories(self, names: Sequence[str]) -> None:
        """Offer categories to take an item from."""
        self.category.clear()
        self.category.addItem("Replace by one from a category …")
        self.category.addItems(list(names))

    def show_line(
        self, line: Forecast | None, lookalikes: Lookalikes | None, *, editable: bool
    ) -> None:
        """Show a line. Without `editable` nothing can be changed: the log is on air, or over."""
        self.line = line
        lost = line is not None and needs_settling(line)
        self.title.setText("No line is chosen" if line is None else what_it_is(line))
        self.raw.setText("" if line is None else line.match.line.raw)
        self.raw.setVisible(bool(self.raw.text()))
        self.how.setText(_how(line))
        self.clash.setText("" if line is None or not line.clash else f"Too soon: {line.clash}.")
        self.clash.setVisible(bool(self.clash.text()))
        self._show_near(line, lookalikes if lost else None)
        looking = lost and lookalikes is None
        self.caption.setText("LOOKING FOR NAMES THAT ARE CLOSE …" if looking else "IT MAY BE")
        self.caption.setVisible(looking or bool(self._carts))
        for widget in (self.near, self.take):
            widget.setVisible(bool(self._carts))
        self.every.setVisible(lost)
        for button in (self.choose, self.drop, self.insert, self.category):
            button.setEnabled(editable and line is not None)
        self.take.setEnabled(editable)
        has_file = line is not None and bool(line.match.file) and lost
        self.file.setEnabled(has_file)
        self.drop.setEnabled(
            editable and line is not None and line.match.status is not MatchStatus.IGNORED
        )

    def _show_near(self, line: Forecast | None, lookalikes: Lookalikes | None) -> None:
        self.near.clear()
        self._carts = []
        if line is None or lookalikes is None:
            return
        for proposal in lookalikes.proposed.get(line.match.key, ()):
            item = lookalikes.items.get(proposal.cart)
            if item is None:
                continue
            self._carts.append(item.cart)
            text = (
                f"{item.label}\n{proposal.score:.0f} of 100 alike · {item.kind} · cart {item.cart}"
                f" · {length(item.measure.duration_s)}"
            )
            self.near.addItem(QListWidgetItem(text))
        if self._carts:
            self.near.setCurrentRow(0)
            self.near.setFixedHeight(self.near.sizeHintForRow(0) * len(self._carts) + 14)

    def _take(self) -> None:
        row = self.near.currentRow()
        if 0 <= row < len(self._carts):
            self.settle_asked.emit(self._carts[row], self.every.isChecked())

    def _on_category(self, row: int) -> None:
        if row > 0:
            self.category_asked.emit(self.category.itemText(row))
            self.category.setCurrentIndex(0)


def _how(line: Forecast | None) -> str:
    if line is None:
        return "Choose a line to see where it comes from and what can be done with it."
    match = line.match
    if line.item is not None:
        facts = f"Cart {line.item.cart}, {line.item.kind}. Found by {match.how}."
        said = match.line.length_s
        if said is not None and abs(said - line.item.measure.duration_s) > 5:
            is_s = line.item.measure.duration_s
            facts += f" The log has it {length(said)} long, it is {length(is_s)}."
        return facts
    return f"{match.how[:1].upper()}{match.how[1:]}."

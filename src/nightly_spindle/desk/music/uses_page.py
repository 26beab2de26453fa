"""The page of use: how often what plays, how evenly, what never airs and why; turn cards."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.library.rotation_card import RotationCard, card_from, card_values
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.row_table import RowTable
from nightly_spindle.desk.music.format_rows import ArtistUseRows, CategoryUseRows, ItemUseRows
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.music.rotation_stats import ItemUse
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatBoard, FormatSheet, Statistics

_PANEL_PX = 320
_SPANS = {"4 weeks back, 4 ahead": (28, 28), "The coming week": (0, 7), "The last week": (7, 0),
          "The coming 4 weeks": (0, 28)}  # fmt: skip
_CARD = {"hours": "Hours", "first": "From", "last": "Until", "most_a_day": "Plays a day",
         "rest_h": "Rests for", "yesterday_min": "From yesterday's time", "weight": "Weight",
         "product": "Product", "traits": "Traits"}  # fmt: skip
_BLANK = {"hours": "mon-fri 06-10", "first": "2026-12-01", "last": "2026-12-24",
          "traits": "tempo=slow, voice=female"}  # fmt: skip


class UsesPage(QWidget):
    """Signal: `said` (str)."""

    said = Signal(str)

    def __init__(
        self,
        shelf: LibraryWorker,
        undo: QUndoStack,
        palette: Palette,
        reading: BoardReading[FormatBoard],
    ) -> None:
        super().__init__()
        self._shelf, self._undo, self._reading = shelf, undo, reading
        self._found: Statistics | None = None
        self._uses: list[ItemUse] = []
        self._kept: tuple[int, RotationCard] | None = None
        self.categories = RowTable(CategoryUseRows(palette), "Use of categories",
                                   (150, 52, 52, 56, 82, 48))  # fmt: skip
        self.artists = RowTable(ArtistUseRows(palette), "Use of artists", (160, 52, 70, 70))
        self.items = RowTable(ItemUseRows(palette), "Use of items", (230, 130, 48, 72, 66, 200))
        self.card = DeclaredForm(RotationCard, _CARD, _BLANK)
        self._lay_out()
        self.items.picked.connect(lambda _: self._show_card())
        self.card.changed.connect(self._on_typed)
        self.span.activated.connect(lambda _: self.refresh())
        self.never.toggled.connect(lambda _: self._show_items())

    def _lay_out(self) -> None:
        self.span = ChoiceBox()
        for name in _SPANS:
            self.span.addItem(name)
        self.span.setAccessibleName("Stretch of time")
        self.never = QCheckBox("Only what never airs")
        self.whole = QLabel("")
        self.whole.setProperty("role", "muted")
        tools = QHBoxLayout()
        tools.addWidget(self.span)
        tools.addWidget(self.never)
        tools.addSpacing(8)
        tools.addWidget(self.whole, 1)
        above = QHBoxLayout()
        above.setSpacing(8)
        above.addWidget(self.categories, 5)
        above.addWidget(self.artists, 4)
        left = QVBoxLayout()
        left.setContentsMargins(12, 0, 4, 8)
        left.setSpacing(5)
        left.addLayout(tools)
        left.addLayout(above, 2)
        left.addWidget(self.items, 5)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        row.addLayout(left, 1)
        row.addWidget(self._panel())

    def _panel(self) -> QWidget:
        panel = QWidget()
        panel.setObjectName("details")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        panel.setFixedWidth(_PANEL_PX)
        box = QVBoxLayout(panel)
        box.setContentsMargins(12, 10, 8, 10)
        box.setSpacing(6)
        self.who, self.sentence, self.trouble = QLabel(""), QLabel(""), QLabel("")
        for label, role in ((self.who, "name"), (self.sentence, "sentence"),
                            (self.trouble, "warn")):  # fmt: skip
            label.setWordWrap(True)
            label.setProperty("role", role)
        head = QLabel("Its own limits in rotation")
        head.setProperty("role", "muted")
        for widget in (self.who, head, self.card, self.sentence, self.trouble):
            box.addWidget(widget)
        box.addStretch(1)
        row = QHBoxLayout()
        self.keep = push_button("Keep", "Keep what was changed (Ctrl+S)", self.save)
        self.discard = push_button("Discard", "Forget what was changed", self._show_card)
        row.addWidget(self.keep)
        row.addWidget(self.discard)
        box.addLayout(row)
        return panel

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for table in (self.categories, self.artists, self.items):
            table.rows.palette_ = palette

    def show_sheet(self, sheet: FormatSheet) -> None:
        """Something was edited: count anew where it can be seen."""
        del sheet
        if self.isVisible():
            self.refresh()

    def refresh(self) -> None:
        """Count anew."""
        back, ahead = _SPANS[self.span.currentText()]
        self._reading.look(lambda board, now: board.statistics(now, back, ahead), self._show, "use")

    def _show(self, found: Statistics) -> None:
        self._found = found
        self.categories.rows.show_rows(found.categories, {})
        self.artists.rows.show_rows(found.artists, {})
        plays = sum(one.plays for one in found.categories)
        never = sum(one.never for one in found.categories)
        self.whole.setText(f"{counted(plays, 'play')}, {counted(never, 'item')} never")
        self._show_items()

    def _show_items(self) -> None:
        found = self._found.items if self._found else ()
        uses = [use for use in found if not (self.never.isChecked() and use.plays)]
        self._uses = sorted(uses, key=lambda use: (use.plays, use.item.label))
        chosen = self._kept[0] if self._kept else 0
        self.items.rows.show_rows(self._uses, {})
        place = next((at for at, use in enumerate(self._uses) if use.item.cart == chosen), 0)
        if not self._dirty():
            self.items.choose(place)
            self._show_card()

    # -- the turn card of an item -----

    def _use(self) -> ItemUse | None:
        at = self.items.currentIndex().row()
        return self._uses[at] if 0 <= at < len(self._uses) else None

    def _show_card(self) -> None:
        use = self._use()
        self.card.setEnabled(use is not None)
        self._kept = (use.item.cart, use.item.turn) if use else None
        self.who.setText(use.item.label if use else "Choose an item")
        self.card.show_values(use.item.turn if use else RotationCard())
        self._on_typed()

    def _typed(self) -> RotationCard | None:
        kept = self._kept[1] if self._kept else RotationCard()
        try:
            card = typed_group(kept, self.card.texts())
            card = card_from(card_values(card))
        except NightlySpindleError as error:
            text = str(error)
            self.trouble.setText(f"{text[:1].upper()}{text[1:]}.")
            return None
        self.trouble.setText("")
        return card

    def _dirty(self) -> bool:
        return self._kept is not None and self._typed() != self._kept[1]

    def _on_typed(self) -> None:
        card = self._typed()
        dirty = self._dirty()
        self.keep.setEnabled(card is not None and dirty)
        self.discard.setEnabled(dirty)
        self.trouble.setVisible(card is None)
        if card is not None:
            said = card.sentence() or "no limit of its own"
            self.sentence.setText(f"{said[:1].upper()}{said[1:]}.")

    def save(self) -> None:
        """Keep the card as it is typed, undoably."""
        card = self._typed()
        if card is None or self._kept is None:
            return
        cart = self._kept[0]
        self._kept = (cart, card)
        do = partial(_write, cart=cart, card=card)
        self._undo.push(
            LibraryEdit(self._shelf, f"limits of item {cart}", do, editors.put_marks_back)
        )
        self._on_typed()

    def keyPressEvent(self, event: Any) -> None:
        """Ctrl+S keeps."""
        if event.key() == Qt.Key.Key_S and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.save()
        else:
            super().keyPressEvent(event)


def _write(library: LibraryTransaction, cart: int, card: RotationCard) -> Any:
    """Set the card of an item; returns rows to put back."""
    return editors.rotation_cards.change_cards(library, [cart], lambda _was: replace(card))[1]

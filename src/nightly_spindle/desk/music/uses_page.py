"""The page of use: how often what plays, how evenly, what never airs and why; turn cards."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QCheckBox, QHBoxLayout, QLabel, QWidget

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.library.rotation_card import RotationCard, card_from, card_values
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.panels import details_panel, lay_beside
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.music.format_rows import ARTIST_USES, CATEGORY_USES, ITEM_USES
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
_SPANS = {
    "4 weeks back, 4 ahead": (28, 28),
    "The coming week": (0, 7),
    "The last week": (7, 0),
    "The coming 4 weeks": (0, 28),
}
_CARD = {
    "hours": "Hours",
    "first": "From",
    "last": "Until",
    "most_a_day": "Plays a day",
    "rest_h": "Rests for",
    "yesterday_min": "From yesterday's time",
    "weight": "Weight",
    "product": "Product",
    "traits": "Traits",
}
_BLANK = {
    "hours": "mon-fri 06-10",
    "first": "2026-12-01",
    "last": "2026-12-24",
    "traits": "tempo=slow, voice=female",
}


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
        self.categories = RowView(CATEGORY_USES, palette)
        self.artists = RowView(ARTIST_USES, palette)
        self.items = RowView(ITEM_USES, palette)
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
        left = lay_beside(self, tools, self._panel())
        left.addLayout(above, 2)
        left.addWidget(self.items, 5)

    def _panel(self) -> QWidget:
        panel, box = details_panel(_PANEL_PX)
        self.who, self.sentence, self.trouble = QLabel(""), QLabel(""), QLabel("")
        for label, role in (
            (self.who, "name"),
            (self.sentence, "sentence"),
            (self.trouble, "warn"),
        ):
            label.setWordWrap(True)
            label.setProperty("role", role)
        head = QLabel("Its own limits in rotation")
        head.setProperty("role", "muted")
        for widget in (self.who, head, self.card, self.sentence, self.trouble):
            box.addWidget(widget)
        box.addStretch(1)
        row = QHBoxLayout()
        self.keep = push_button("Save", "Save the changes (Ctrl+S)", self.save)
        self.discard = push_button("Discard", "Discard the changes", self._show_card)
        row.addWidget(self.keep)
        row.addWidget(self.discard)
        box.addLayout(row)
        return panel

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for table in (self.categories, self.artists, self.items):
            table.set_palette(palette)

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
        self.categories.show_rows(found.categories)
        self.artists.show_rows(found.artists)
        plays = sum(one.plays for one in found.categories)
        never = sum(one.never for one in found.categories)
        self.whole.setText(f"{counted(plays, 'play')}, {counted(never, 'item')} never")
        self._show_items()

    def _show_items(self) -> None:
        found = self._found.items if self._found else ()
        uses = [use for use in found if not (self.never.isChecked() and use.plays)]
        self._uses = sorted(uses, key=lambda use: (use.plays, use.item.label))
        chosen = self._kept[0] if self._kept else 0
        self.items.show_rows(self._uses)
        if not self._dirty():
            there = any(use.item.cart == chosen for use in self._uses)
            self.items.choose(chosen if there else next((u.item.cart for u in self._uses), 0))
            self._show_card()

    # -- the turn card of an item -----

    def _use(self) -> ItemUse | None:
        return self.items.current()

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

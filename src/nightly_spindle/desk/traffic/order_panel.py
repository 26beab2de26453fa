"""The panel beside the orders: one campaign as it is typed, in three parts, read back below."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, check_campaign
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import EditableChoiceBox
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.dragged_items import MIME, carts_in
from nightly_spindle.desk.kit.fields import DecimalField, Field
from nightly_spindle.desk.kit.hour_painter import HourChoice
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.scrolled import scrolled
from nightly_spindle.desk.kit.tabs import Tabs
from nightly_spindle.desk.traffic.order_rows import COPIES, CopyRow

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PySide6.QtGui import QDragEnterEvent, QDropEvent

    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import SpotSheet

_WHAT = {
    "advertiser": "Advertiser",
    "product": "Product",
    "group": "Industry",
    "category": "Category",
    "amount": "How many",
    "per": "… counted",
    "importance": "Importance",
    "position": "In its break",
    "terms": "Terms",
    "on_hold": "On hold: nothing of it airs",
}
_WHEN = {
    "first": "Start",
    "last": "End",
    "shows": "Within shows",
    "breaks": "Only in breaks",
    "clocks": "In format clocks",
    "apart_s": "Own separation",
    "rivals_s": "Competitor separation",
}
_AUDIO = {"order": "Its audio comes", "folder": "Folder as well"}
_BLANK = {
    "advertiser": "whose it is",
    "product": "what for",
    "group": "bakeries",
    "category": "none",
    "first": "2026-12-01",
    "last": "2026-12-24",
    "shows": "none",
    "breaks": "all patterns",
    "clocks": "all hours",
    "folder": "none",
}
_PARTS = {
    "Order": "Whose it is, how much, what it weighs",
    "When": "Hours, days, breaks",
    "Audio": "Its copies, and when each airs",
}


class OrderPanel(QWidget):
    """Shows and changes one campaign. Signals: `changed`; `hear` (path)."""

    changed = Signal()
    hear = Signal(str)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._campaign: Campaign | None = None
        self._copies: tuple[Copy, ...] = ()
        self._sheet: SpotSheet | None = None
        self.setAcceptDrops(True)
        self.name = Field()
        self.name.setAccessibleName("Name of the campaign")
        self.name.setPlaceholderText("its name")
        self.what = DeclaredForm(CampaignOptions, _WHAT, _BLANK, (), ("category",))
        self.when = DeclaredForm(CampaignOptions, _WHEN, _BLANK, (), ("shows", "breaks", "clocks"))
        self.audio = DeclaredForm(CampaignOptions, _AUDIO, _BLANK)
        self.hours = HourChoice(palette)
        self.copies = RowView(COPIES, palette)
        self._lay_out()
        self._connect()
        self.show_part("Order")

    def _lay_out(self) -> None:
        self.parts = Tabs(_PARTS, " of the campaign")
        self.parts.chosen.connect(self.show_part)
        self.tabs = self.parts.buttons
        bar = QHBoxLayout()
        bar.addWidget(self.parts)
        bar.addStretch(1)
        self.stage = QStackedWidget()
        self.stage.addWidget(scrolled(self.what))
        self.stage.addWidget(scrolled(self._when_part()))
        self.stage.addWidget(self._audio_part())
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(self.name)
        box.addLayout(bar)
        box.addWidget(self.stage, 1)

    def _when_part(self) -> QWidget:
        part = QWidget()
        caption = QLabel("HOURS: PULL TO PAINT, FROM A PAINTED ONE TO CLEAR")
        caption.setProperty("role", "caption")
        box = QVBoxLayout(part)
        box.setContentsMargins(0, 0, 4, 0)
        box.setSpacing(6)
        box.addWidget(caption)
        box.addWidget(self.hours)
        box.addWidget(self.when)
        box.addStretch(1)
        return part

    def _audio_part(self) -> QWidget:
        part = QWidget()
        self.able = EditableChoiceBox("an item to add", finds=True)
        self.able.setAccessibleName("Item to add to the copies")
        self.add = push_button("Add", "Add the item to the copies", self.add_copy)
        self.out = push_button("Remove", "Remove the chosen copies (Delete)", self._take_out)
        self.weight = DecimalField(0.1, 100.0, "")
        self.weight.setFixedWidth(60)
        self.weight.setAccessibleName("Weight of the copy")
        self.copy_when = Field()
        self.copy_when.setPlaceholderText("always; mon-fri 06-10")
        self.copy_when.setAccessibleName("Hours of the copy")
        self.copy_from, self.copy_to = Field(), Field()
        for field, text in ((self.copy_from, "from day"), (self.copy_to, "to day")):
            field.setPlaceholderText(text)
            field.setAccessibleName(f"Copy airs {text}")
        adding, one, dates = QHBoxLayout(), QHBoxLayout(), QHBoxLayout()
        adding.addWidget(self.able, 1)
        adding.addWidget(self.add)
        adding.addWidget(self.out)
        for widget in (QLabel("Weight"), self.weight, QLabel("Hours")):
            one.addWidget(widget)
        one.addWidget(self.copy_when, 1)
        dates.addWidget(QLabel("Days"))
        dates.addWidget(self.copy_from)
        dates.addWidget(self.copy_to)
        box = QVBoxLayout(part)
        box.setContentsMargins(0, 0, 4, 0)
        box.setSpacing(5)
        box.addLayout(adding)
        box.addWidget(self.copies, 1)
        box.addLayout(one)
        box.addLayout(dates)
        box.addWidget(self.audio)
        return part

    def _connect(self) -> None:
        self.name.textEdited.connect(self.changed)
        for form in (self.what, self.when, self.audio):
            form.changed.connect(self.changed)
        self.hours.painted.connect(lambda _: self.changed.emit())
        self.able.line.returnPressed.connect(self.add_copy)
        self.copies.removed.connect(self._remove)
        self.copies.heard.connect(self._hear)
        self.copies.picked.connect(lambda _: self._show_copy())
        self.weight.entered.connect(lambda _: self._change_copy())
        for field in (self.copy_when, self.copy_from, self.copy_to):
            field.textEdited.connect(lambda _: self._change_copy())

    # -- showing -----------------------------------------------------------------------------------

    def show_part(self, name: str) -> None:
        """Show one of the three parts."""
        self.stage.setCurrentIndex(self.parts.show_page(name))

    def show_campaign(self, campaign: Campaign, sheet: SpotSheet | None) -> None:
        """Show a campaign; what can be chosen comes from the sheet."""
        self._campaign, self._sheet = campaign, sheet
        options = campaign.options
        with QSignalBlocker(self):
            if sheet is not None:
                self.what.offer("category", [(c, c) for c in ("", *sheet.categories)])
                self.when.offer("shows", [(s, s) for s in ("", *sheet.shows)])
                names = [pattern.name for pattern in sheet.patterns]
                self.when.offer("breaks", [(n, n) for n in ("", *names)])
                self.when.offer("clocks", [(n, n) for n in ("", *sheet.clocks)])
            self.name.setText(campaign.name)
            for form in (self.what, self.when, self.audio):
                form.show_values(options)
            self.hours.show_text(options.hours)
            self._show_copies(campaign.copies)

    def _show_copies(self, copies: Sequence[Copy]) -> None:
        self._copies = tuple(copies)
        at = self._place()
        self._show_rows()
        self.copies.choose(min(max(at, 0), len(self._copies) - 1))
        self._show_copy()
        self.able.clear()
        there = {copy.cart for copy in self._copies}
        for item in self._sheet.able if self._sheet else ():
            if item.cart not in there:
                self.able.addItem(f"{item.title}  {item.measure.duration_s:.1f} s", item.cart)
        self.able.setCurrentIndex(-1)

    def _show_rows(self) -> None:
        items = {item.cart: item for item in self._sheet.able} if self._sheet else {}
        self.copies.show_rows([CopyRow(copy, items.get(copy.cart)) for copy in self._copies])

    def _place(self) -> int:
        """Return which of the copies is chosen, -1 for none."""
        return next(iter(self.copies.chosen()), -1)

    def _show_copy(self) -> None:
        at = self._place()
        copy = self._copies[at] if at >= 0 else None
        for widget in (self.weight, self.copy_when, self.copy_from, self.copy_to):
            widget.setEnabled(copy is not None)
        self.weight.show_value(copy.weight if copy else None)
        for field, text in (
            (self.copy_when, copy.hours if copy else ""),
            (self.copy_from, copy.first if copy else ""),
            (self.copy_to, copy.last if copy else ""),
        ):
            if not field.hasFocus():
                field.setText(text)

    # -- copies ------------------------------------------------------------------------------------

    def add_copy(self) -> None:
        """Add the item that is typed or chosen to the copies."""
        at = self.able.findText(self.able.currentText(), Qt.MatchFlag.MatchContains)
        if not self.able.currentText().strip() or at < 0:
            return
        cart = int(self.able.itemData(at))
        # a completer says Return twice
        if all(copy.cart != cart for copy in self._copies):
            self._show_copies((*self._copies, Copy(cart)))
            self.changed.emit()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Take items of the library that are dragged here."""
        if event.mimeData().hasFormat(MIME) and self._campaign is not None:
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """Add the items that were dragged here to the copies."""
        there = {copy.cart for copy in self._copies}
        carts = [cart for cart in carts_in(event.mimeData()) if cart not in there]
        event.acceptProposedAction()
        if carts:
            self.show_part("Audio")
            self._show_copies((*self._copies, *map(Copy, dict.fromkeys(carts))))
            self.changed.emit()

    def _take_out(self) -> None:
        self._remove(self.copies.chosen())

    def _remove(self, rows: Sequence[int]) -> None:
        if rows:
            self._show_copies([c for n, c in enumerate(self._copies) if n not in set(rows)])
            self.changed.emit()

    def _change_copy(self) -> None:
        at = self._place()
        if at < 0:
            return
        copies = list(self._copies)
        copies[at] = replace(
            copies[at],
            weight=self.weight.value() or copies[at].weight,
            hours=self.copy_when.text().strip(),
            first=self.copy_from.text().strip(),
            last=self.copy_to.text().strip(),
        )
        self._copies = tuple(copies)
        self._show_rows()
        self.changed.emit()

    def _hear(self, place: int) -> None:
        item = self.copies.rows[place].item
        if item is not None:
            self.hear.emit(item.path)

    # -- what is typed -----------------------------------------------------------------------------

    def typed(self) -> Campaign:
        """Return the campaign as it is typed; SettingRefused says what cannot be."""
        assert self._campaign is not None
        texts = [form.texts() for form in (self.what, self.when, self.audio)]
        options = typed_group(self._campaign.options, *texts, {"hours": self.hours.text()})
        name = " ".join(self.name.text().split())
        made = replace(self._campaign, name=name, options=options, copies=self._copies)
        check_campaign(made)
        return made

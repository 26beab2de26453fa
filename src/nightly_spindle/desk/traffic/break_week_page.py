"""The page of the week: its breaks, how full each is and with what; spots are moved by pulling."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from nightly_spindle.core.base.timebase import US, length
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.local_days import day_of, local_day
from nightly_spindle.core.traffic.campaigns import Campaign
from nightly_spindle.core.traffic.spot_plan import Booking
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.panels import details_panel, lay_beside
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.desk.kit.theme import icon
from nightly_spindle.desk.traffic.break_week import DAYS, BreakWeek, title_of
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.traffic.campaigns import Key
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import SpotSheet

_PANEL_PX = 292


@dataclass(frozen=True, slots=True)
class _Spot:
    """One spot of the chosen break."""

    booking: Booking
    campaign: Campaign
    length_s: float


_SPOTS: TableLayout[_Spot] = TableLayout(
    "Spots of the break",
    (
        Column("Spot", 140, lambda r: r.campaign.name, wide=True, sign=lambda _: "spot"),
        Column("Length", 50, lambda r: length(r.length_s) if r.length_s else "–", right=True),
        Column("Set", 58, lambda r: "by hand" if r.booking.fixed else "", ink="muted"),
    ),
    tip=lambda r: r.campaign.sentence(),
    sortable=False,
)


class BreakWeekPage(QWidget):
    """Signals: `said` (str), `hear` (path)."""

    said = Signal(str)
    hear = Signal(str)

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        super().__init__()
        self._shelf, self._undo = shelf, undo
        self.sheet: SpotSheet | None = None
        self.week = BreakWeek(palette)
        self.spots = RowView(_SPOTS, palette)
        self.title, self.room, self.trouble = QLabel(""), QLabel(""), QLabel("")
        self.span = QLabel("")
        self.who = ChoiceBox()
        self._lay_out(palette)
        self._connect()

    def _lay_out(self, palette: Palette) -> None:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.back, self.on = QToolButton(), QToolButton()
        turns = (
            (self.back, "chevron-left", "A week back", -DAYS),
            (self.on, "chevron-right", "A week on", DAYS),
        )
        for button, picture, tip, by in turns:
            button.setProperty("role", "mini")
            button.setProperty("picture", picture)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _=False, by=by: self._turn(by))
            button.setIcon(icon(picture, palette.text))
        self.span.setProperty("role", "strong")
        self.who.setAccessibleName("Campaign whose spots are shown and moved")
        self.who.setToolTip("Show one campaign's spots; its spots are dragged from break to break")
        self.who.setMinimumWidth(220)
        told = QLabel("Show")
        told.setProperty("role", "muted")
        for widget in (self.back, self.span, self.on):
            row.addWidget(widget)
        row.addStretch(1)
        row.addWidget(told)
        row.addWidget(self.who)
        lay_beside(self, row, self._panel()).addWidget(self.week, 1)

    def _panel(self) -> QWidget:
        panel, box = details_panel(_PANEL_PX)
        self.title.setProperty("role", "name")
        self.room.setProperty("role", "muted")
        self.trouble.setProperty("role", "warn")
        for label in (self.title, self.room, self.trouble):
            label.setWordWrap(True)
        self.loosen = push_button("Unlock", "Give up the place that was set by hand", self.give_up)
        self.fix = push_button(
            "Lock here", "Keep the spot in this break, whatever changes", self.fix_here
        )
        self.put = push_button(
            "Add spot", "Put a spot of the shown campaign into this break", self.put_here
        )
        self.listen = push_button("Listen", "Listen to the spot, or stop (Space)", self._hear_row)
        buttons = QHBoxLayout()
        more = QHBoxLayout()
        for button in (self.put, self.fix):
            buttons.addWidget(button)
        for button in (self.loosen, self.listen):
            more.addWidget(button)
        told = QLabel(
            "Pull a spot to another break in the week, or press Ctrl with an arrow. "
            "The others make room for it."
        )
        told.setWordWrap(True)
        told.setProperty("role", "muted")
        for widget in (self.title, self.room, self.trouble):
            box.addWidget(widget)
        box.addWidget(self.spots, 1)
        box.addLayout(buttons)
        box.addLayout(more)
        box.addWidget(told)
        return panel

    def _connect(self) -> None:
        self.week.picked.connect(lambda _: self._show_break())
        self.week.moved.connect(self.move_spot)
        self.spots.picked.connect(self._on_row)
        self.spots.heard.connect(lambda _row: self._hear_row())
        self.who.activated.connect(lambda _: self._on_who())

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.week.palette_ = palette
        self.spots.set_palette(palette)
        for button in (self.back, self.on):
            button.setIcon(icon(str(button.property("picture")), palette.text))
        self.week.update()

    # -- showing -----------------------------------------------------------------------------------

    def show_sheet(self, sheet: SpotSheet) -> None:
        """Show the week anew."""
        first = self.week.first
        today = local_day(sheet.now_us, sheet.tz)
        if self.sheet is None or first < today:
            first = today
        self.sheet = sheet
        was = self.who.currentData()
        self.who.clear()
        self.who.addItem("all campaigns", 0)
        for order in sorted(sheet.orders, key=lambda one: one.campaign.name.casefold()):
            self.who.addItem(order.campaign.name, order.campaign.id)
        self.who.setCurrentIndex(max(0, self.who.findData(was)))
        self._show_week(first)

    def _show_week(self, first: int) -> None:
        assert self.sheet is not None
        self.week.show_week(self.sheet, first)
        begin, end = day_of(first), day_of(first + DAYS - 1)
        self.span.setText(f"{begin.day} {begin:%b} to {end.day} {end:%b %Y}")
        self.back.setEnabled(first > local_day(self.sheet.now_us, self.sheet.tz))
        last = self.sheet.places[-1].day if self.sheet.places else first
        self.on.setEnabled(first + DAYS <= last)
        self._show_break()

    def _turn(self, by: int) -> None:
        if self.sheet is not None:
            today = local_day(self.sheet.now_us, self.sheet.tz)
            self._show_week(max(today, self.week.first + by))

    def show_campaign(self, name: str) -> None:
        """Show the spots of the campaign of that name, of all where there is none."""
        self.who.setCurrentIndex(max(0, self.who.findText(name)))
        self._on_who()

    def _on_who(self) -> None:
        self.week.hand = self.who.currentData() or 0
        self.week.update()
        self._show_break()

    def _show_break(self) -> None:
        key, sheet = self.week.chosen, self.sheet
        if key is None or sheet is None:
            self.title.setText("No breaks in these days.")
            self.room.setText("“Breaks” has “New break”.")
            self.spots.show_rows(())
            self._allow()
            return
        inside = [
            _Spot(booking, campaign, sheet.lengths_us.get(campaign.id, 0) / US)
            for booking in sheet.by_break.get(key, ())
            if (campaign := sheet.campaign(booking.campaign)) is not None
        ]
        self.title.setText(title_of(sheet, key))
        self.spots.show_rows(inside)
        self._show_room(key, inside)
        wrong = [f for f in sheet.findings if (f.pattern, f.at_us) == key]
        self.trouble.setText("\n".join(f"{one.text} {one.mend}" for one in wrong))
        self.trouble.setVisible(bool(wrong))
        rows = [n for n, spot in enumerate(inside) if spot.campaign.id == self.week.hand]
        if rows:
            self.spots.choose(rows[0])
        else:
            self.spots.clearSelection()
        self._allow()

    def _show_room(self, key: Key, inside: list[_Spot]) -> None:
        assert self.sheet is not None
        options = next((p.options for p in self.sheet.patterns if p.id == key[0]), None)
        parts = []
        if options is not None and options.spots:
            parts.append(f"{len(inside)} of {counted(int(options.spots), 'seat')}")
        lasts = length(sum(spot.length_s for spot in inside))
        whole = options is not None and options.length_s
        parts.append(f"{lasts} of {length(options.length_s)}" if whole and options else lasts)
        likes = f", prefers {options.categories}" if options and options.categories else ""
        self.room.setText(f"{', '.join(parts)}{likes}")

    def _spot(self) -> _Spot | None:
        return self.spots.current() if self.spots.chosen() else None

    def _on_row(self, row: int) -> None:
        spot = self.spots.rows[row]
        self.week.hand = spot.campaign.id
        self.who.setCurrentIndex(max(0, self.who.findData(spot.campaign.id)))
        self.week.update()
        self._allow()

    def _allow(self) -> None:
        spot = self._spot()
        self.fix.setEnabled(spot is not None and not spot.booking.fixed)
        self.loosen.setEnabled(spot is not None and spot.booking.fixed)
        self.listen.setEnabled(spot is not None)
        key, sheet = self.week.chosen, self.sheet
        inside = sheet.by_break.get(key, ()) if sheet is not None and key is not None else ()
        there = any(booking.campaign == self.week.hand for booking in inside)
        self.put.setEnabled(bool(self.week.hand) and key is not None and not there)

    # -- acts --------------------------------------------------------------------------------------

    def move_spot(self, number: int, from_: Key, to: Key) -> None:
        """Set a spot into another break by hand, undoably."""
        campaign = self.sheet.campaign(number) if self.sheet else None
        if campaign is None or self.sheet is None:
            return
        if any(b.campaign == number for b in self.sheet.by_break.get(to, ())):
            self.said.emit(f"“{campaign.name}” stands in that break already.")
            return
        self.week.chosen = to
        self._pin(campaign, f"move “{campaign.name}”", to, from_)
        self.said.emit(f"“{campaign.name}” moves to {title_of(self.sheet, to)}.")

    def put_here(self) -> None:
        """Set a spot of the campaign in hand into the chosen break, undoably."""
        key, sheet = self.week.chosen, self.sheet
        campaign = sheet.campaign(self.week.hand) if sheet is not None else None
        if campaign is not None and key is not None and self.put.isEnabled():
            self._pin(campaign, f"put “{campaign.name}” in", key, None)

    def fix_here(self) -> None:
        """Keep the chosen spot where it is, undoably."""
        spot = self._spot()
        if spot is not None:
            key = spot.booking.key
            self._pin(spot.campaign, f"fix “{spot.campaign.name}”", key, key)

    def give_up(self) -> None:
        """Let the chosen spot be placed like the others, undoably."""
        spot = self._spot()
        if spot is not None:
            self._pin(spot.campaign, f"let “{spot.campaign.name}” move", None, spot.booking.key)

    def _pin(self, campaign: Campaign, text: str, to: Key | None, from_: Key | None) -> None:
        def do(library: LibraryTransaction) -> Any:
            return editors.campaigns.pin(library, campaign.id, to, from_)

        self._undo.push(LibraryEdit(self._shelf, text, do, editors.unpin))

    def _hear_row(self) -> None:
        spot = self._spot()
        able = {item.cart: item for item in self.sheet.able} if self.sheet else {}
        carts = [c for c in spot.campaign.carts if c in able] if spot is not None else []
        if carts:
            self.hear.emit(able[carts[0]].path)

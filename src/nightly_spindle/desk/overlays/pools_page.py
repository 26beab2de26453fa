"""The page of pools: which there are, who is in each and whose turn it is, the editor beside."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QMenu,
    QToolButton,
)

from nightly_spindle.core.overlays.overlay_pools import Pool, PoolUse, with_members
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import EditableChoiceBox
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.theme import icon
from nightly_spindle.desk.overlays.pool_form import PoolForm
from nightly_spindle.desk.overlays.pool_tables import MEMBERS, POOLS, MemberRow, PoolRow
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.overlay_board import OverlaySheet, PoolSheet

_PANEL_PX = 330
_NEW = {
    PoolUse.SWEEPERS: "Sweepers on segues",
    PoolUse.VOICEOVERS: "Voiceovers on intros",
    PoolUse.LINKS: "Links between items",
}


class PoolsPage(KeptPage):
    """Signal: `hear` (path) to listen to a member, or to stop."""

    hear = Signal(str)
    noun = "pool"
    empty = "Choose a pool, or make one: “New pool”."

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        self.pools = RowView(POOLS, palette)
        self.pool_form = PoolForm()
        super().__init__(shelf, undo, self.pools, self.pool_form, _PANEL_PX)
        self.sheet: OverlaySheet | None = None
        self.members = RowView(MEMBERS, palette)
        self.who = QLabel("")
        self._coming: tuple[dict[int, int], dict[int, int]] = ({}, {})
        left = self.frame(self._pool_tools(), 4)
        left.addLayout(self._member_tools())
        left.addWidget(self.members, 5)
        self.pools.shifted.connect(lambda _row, by: self.shift(by))
        self.members.removed.connect(self._take_out)
        self.members.shifted.connect(self._shift_member)
        self.members.heard.connect(self._hear)
        self.able.line.returnPressed.connect(self.add_member)

    # -- making ------------------------------------------------------------------------------------

    def _pool_tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.new = QToolButton()
        self.new.setText("New pool")
        self.new.setToolTip("Make a pool of sweepers, voiceovers or links (Ctrl+N)")
        self.new.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.new.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        menu = QMenu(self.new)
        for use, text in _NEW.items():
            menu.addAction(text, partial(self.make, use))
        self.new.setMenu(menu)
        self.sooner = push_button(
            "Move up",
            "This pool is asked before the one above it (Ctrl+Up)",
            lambda: self.shift(-1),
        )
        self.later = push_button(
            "Move down",
            "This pool is asked after the one below it (Ctrl+Down)",
            lambda: self.shift(1),
        )
        told = QLabel("Asked from top to bottom: the first that is open, fits and is due serves.")
        told.setProperty("role", "muted")
        told.setWordWrap(True)
        row.addWidget(self.new)
        row.addWidget(self.sooner)
        row.addWidget(self.later)
        row.addSpacing(8)
        row.addWidget(told, 1)
        return row

    def _member_tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.who.setProperty("role", "strong")
        self.able = EditableChoiceBox("an item to add", finds=True)
        self.able.setMinimumWidth(210)
        self.able.setAccessibleName("Item to add to the pool")
        self.able.setToolTip("Type part of the title; Enter adds it")
        self.add = push_button("Add", "Put the item into the pool", self.add_member)
        self.out = push_button(
            "Remove", "Remove the chosen members from the pool (Delete)", self._take_out_rows
        )
        self.listen = push_button("Listen", "Listen to the member, or stop (Space)", self._hear_row)
        row.addWidget(self.who, 1)
        for widget in (self.able, self.add, self.out, self.listen):
            row.addWidget(widget)
        return row

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.pools.set_palette(palette)
        self.members.set_palette(palette)
        self.new.setIcon(icon("plus", palette.text))

    # -- showing -----------------------------------------------------------------------------------

    def show_sheet(self, sheet: OverlaySheet) -> None:
        """Show the pools anew; what is being edited stays."""
        self.sheet = sheet
        self._fill()
        self.show_things()
        self._show_members()

    def show_coming(self, by_pool: dict[int, int], by_cart: dict[int, int]) -> None:
        """Show how often pools and members will air in the next 24 hours."""
        self._coming = (by_pool, by_cart)
        self._fill()
        self._show_members()

    def _fill(self) -> None:
        if self.sheet is not None:
            coming = self._coming[0]
            self.pools.show_rows(
                [PoolRow(one, coming.get(one.pool.id, 0)) for one in self.sheet.pools]
            )

    def _sheet_of(self, number: int) -> PoolSheet | None:
        pools = self.sheet.pools if self.sheet else ()
        return next((one for one in pools if one.pool.id == number), None)

    def kept(self) -> list[Pool]:
        """Return the pools in the order of the table."""
        return [one.pool for one in self.sheet.pools] if self.sheet else []

    def show_form(self, thing: Pool) -> None:
        """Show a pool in the panel."""
        self.pool_form.show_pool(thing, self.sheet)

    def read_form(self) -> Pool:
        """Return the pool as it is typed."""
        return self.pool_form.typed()

    def troubles(self, thing: Pool) -> list[str]:
        """Return what is wrong with a pool as it is kept."""
        one = self._sheet_of(thing.id)
        return [f"{finding.text} {finding.mend}" for finding in one.findings] if one else []

    def show_one(self, thing: Pool | None) -> None:
        """Show a pool and its members, None for none."""
        super().show_one(thing)
        self._offer_members()
        self._show_members()

    def _offer_members(self) -> None:
        pool = self.shown
        self.able.clear()
        if pool is not None and self.sheet is not None:
            for item in self.sheet.able.get(str(pool.use), ()):
                if item.cart not in pool.carts:
                    self.able.addItem(f"{item.title}  {item.measure.duration_s:.1f} s", item.cart)
        self.able.setCurrentIndex(-1)

    def _show_members(self) -> None:
        one = self._sheet_of(self.shown.id) if self.shown is not None else None
        coming = self._coming[1]
        self.members.show_rows(
            [
                MemberRow(place, member, coming.get(member.cart, 0))
                for place, member in enumerate(one.members if one else ())
            ]
        )
        there = one is not None
        self.who.setText(f"Members of “{one.pool.name}”" if one else "Members")
        for widget in (self.able, self.add, self.out, self.listen, self.sooner, self.later):
            widget.setEnabled(there)

    # -- editing -----------------------------------------------------------------------------------

    def make(self, use: PoolUse) -> None:
        """Begin a new pool; it is made when it is kept."""
        self.begin_new(Pool(0, _NEW[use], use))
        self.pool_form.name.setFocus()
        self.pool_form.name.selectAll()

    def renamed(self, thing: Pool, name: str) -> Pool:
        """Return a pool with another name."""
        return replace(thing, name=name)

    def write(self, thing: Pool) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps a pool."""

        def do(library: LibraryTransaction) -> Any:
            return editors.pools.save_pool(library, thing)[1]

        return do, editors.restore_pools

    def take_out(self, thing: Pool) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes a pool."""

        def do(library: LibraryTransaction) -> Any:
            return editors.pools.remove_pool(library, thing.id)

        return do, editors.restore_pools

    def shift(self, by: int) -> None:
        """Have the chosen pool asked sooner or later, undoably."""
        if self.sheet is None or self.shown is None:
            return
        numbers = [one.pool.id for one in self.sheet.pools]
        if self.shown.id not in numbers:
            return
        at = numbers.index(self.shown.id)
        to = at + by
        if not 0 <= to < len(numbers):
            return
        numbers[at], numbers[to] = numbers[to], numbers[at]

        def do(library: LibraryTransaction) -> Any:
            return editors.pools.order_pools(library, numbers)

        text = f"ask “{self.shown.name}” {'sooner' if by < 0 else 'later'}"
        self._undo.push(LibraryEdit(self._shelf, text, do, editors.restore_pools))

    # -- members -----------------------------------------------------------------------------------

    def _settled(self) -> Pool | None:
        """Return the chosen pool as it is kept; what is typed of it must be kept first."""
        one = self._sheet_of(self.shown.id) if self.shown is not None else None
        return one.pool if one is not None and self.free() else None

    def _write_members(self, text: str, pool: Pool) -> None:
        self._undo.push(LibraryEdit(self._shelf, text, *self.write(pool)))

    def add_member(self) -> None:
        """Put the item that is chosen in the box into the pool."""
        words = self.able.currentText().strip()
        pool = self._settled() if words else None
        if pool is None:
            return
        at = self.able.findText(words, Qt.MatchFlag.MatchFixedString)
        if at < 0:
            at = self.able.findText(words, Qt.MatchFlag.MatchContains)
        cart = self.able.itemData(at) if at >= 0 else None
        if cart is None:
            self.said.emit("No item of that name can be in this pool; see its kind in Library.")
            return
        self.able.clearEditText()  # the completer may press Return a second time
        self._write_members(f"add to “{pool.name}”", with_members(pool, (*pool.carts, int(cart))))

    def _take_out_rows(self) -> None:
        self._take_out(self.members.chosen())

    def _take_out(self, rows: list[int]) -> None:
        pool = self._settled()
        if pool is not None and rows:
            carts = tuple(cart for n, cart in enumerate(pool.carts) if n not in rows)
            self._write_members(f"take out of “{pool.name}”", with_members(pool, carts))

    def _shift_member(self, row: int, by: int) -> None:
        pool = self._settled()
        if pool is None or not 0 <= row + by < len(pool.members):
            return
        members = list(pool.members)
        members[row], members[row + by] = members[row + by], members[row]
        self._write_members(f"order of “{pool.name}”", replace(pool, members=tuple(members)))
        self.members.choose(row + by)

    def _hear_row(self) -> None:
        self._hear(self.members.currentIndex().row())

    def _hear(self, row: int) -> None:
        one = self._sheet_of(self.shown.id) if self.shown is not None else None
        if one is not None and 0 <= row < len(one.members):
            self.hear.emit(one.members[row].path)

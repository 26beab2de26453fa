"""The page of pools: which there are, who is in each and whose turn it is, the editor beside."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut, QUndoStack
from PySide6.QtWidgets import (
    QComboBox,
    QCompleter,
    QHBoxLayout,
    QLabel,
    QMenu,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.errors import NightlySpindleError
from nightly_spindle.core.overlay_pools import Pool, Use, with_members
from nightly_spindle.desk.buttons import push_button
from nightly_spindle.desk.fields import Field
from nightly_spindle.desk.pool_form import PoolForm
from nightly_spindle.desk.pool_tables import MemberRows, PoolRows
from nightly_spindle.desk.row_table import RowTable
from nightly_spindle.desk.shelf import LibraryEdit, Shelf
from nightly_spindle.desk.theme import icon
from nightly_spindle.store import editing

if TYPE_CHECKING:
    from nightly_spindle.desk.theme import Palette
    from nightly_spindle.store.overlay_board import OverlaySheet, PoolSheet

_PANEL_PX = 330
_NEW = {Use.SWEEPERS: "Sweepers on segues", Use.VOICEOVERS: "Voiceovers on intros",
        Use.LINKS: "Links between items"}  # fmt: skip


class PoolsPage(QWidget):
    """Signals: `said` (str), `hear` (path) to listen to a member, or to stop."""

    said = Signal(str)
    hear = Signal(str)

    def __init__(self, shelf: Shelf, undo: QUndoStack, palette: Palette) -> None:
        super().__init__()
        self._shelf, self._undo, self._palette = shelf, undo, palette
        self.sheet: OverlaySheet | None = None
        self.shown: Pool | None = None
        self._make_next = ""
        self.pools = RowTable(PoolRows(palette), "Pools", (150, 86, 62, 170, 74, 66, 24))
        self.members = RowTable(MemberRows(palette), "Members", (180, 54, 54, 62, 62, 74, 66))
        self.form = PoolForm()
        self.sentence, self.trouble = QLabel(""), QLabel("")
        self.who = QLabel("")
        self._coming: tuple[dict[int, int], dict[int, int]] = ({}, {})
        self._lay_out()
        self._connect()

    # -- making ------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.setContentsMargins(12, 0, 4, 8)
        left.setSpacing(5)
        left.addLayout(self._pool_tools())
        left.addWidget(self.pools, 4)
        left.addLayout(self._member_tools())
        left.addWidget(self.members, 5)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(4)
        whole.addLayout(left, 1)
        whole.addWidget(self._panel())

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
        self.sooner = push_button("Asked sooner", "This pool is asked before the one above it "
                                  "(Ctrl+Up)", lambda: self.shift(-1))  # fmt: skip
        self.later = push_button("Asked later", "This pool is asked after the one below it "
                                 "(Ctrl+Down)", lambda: self.shift(1))  # fmt: skip
        told = QLabel("Asked from top to bottom: the first that is open, fits and is due serves.")
        told.setProperty("role", "muted")
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
        self.able = QComboBox()
        self.able.setEditable(True)
        self.able.setLineEdit(Field())  # undoing is the window's where nothing is typed
        self.able.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.able.setMinimumWidth(210)
        self.able.setAccessibleName("Item to add to the pool")
        self.able.setToolTip("Type a part of the title, Return adds it")
        completer = self.able.completer()
        completer.setFilterMode(Qt.MatchFlag.MatchContains)
        completer.setCompletionMode(QCompleter.CompletionMode.PopupCompletion)
        self.add = push_button("Add", "Put the item into the pool", self.add_member)
        self.out = push_button("Take out", "Take the chosen members out of the pool (Delete)",
                               self._take_out_rows)  # fmt: skip
        self.listen = push_button("Hear", "Listen to the member, or stop (Space)", self._hear_row)
        row.addWidget(self.who, 1)
        for widget in (self.able, self.add, self.out, self.listen):
            row.addWidget(widget)
        return row

    def _panel(self) -> QWidget:
        panel = QWidget()
        panel.setObjectName("details")
        panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        panel.setFixedWidth(_PANEL_PX)
        box = QVBoxLayout(panel)
        box.setContentsMargins(12, 10, 8, 10)
        box.setSpacing(6)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(self.form)
        box.addWidget(scroll, 1)
        for label, role in ((self.sentence, "sentence"), (self.trouble, "worst")):
            label.setWordWrap(True)
            label.setProperty("role", role)
            box.addWidget(label)
        row = QHBoxLayout()
        self.keep = push_button("Keep", "Keep what was changed (Ctrl+S)", self.save)
        self.discard = push_button("Discard", "Forget what was changed", self.take_back)
        self.remove = push_button("Remove", "Take the pool out; its members stay in the library",
                                  self.remove_pool)  # fmt: skip
        for button in (self.keep, self.discard, self.remove):
            row.addWidget(button)
        box.addLayout(row)
        return panel

    def _connect(self) -> None:
        self.pools.picked.connect(self._on_picked)
        self.pools.shifted.connect(lambda _row, by: self.shift(by))
        self.pools.removed.connect(lambda _rows: self.remove_pool())
        self.members.removed.connect(self._take_out)
        self.members.shifted.connect(self._shift_member)
        self.members.heard.connect(self._hear)
        self.form.changed.connect(self._on_changed)
        self.able.lineEdit().returnPressed.connect(self.add_member)
        shortcut = QShortcut(QKeySequence("Ctrl+S"), self)
        shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(self.save)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = self.pools.rows.palette_ = self.members.rows.palette_ = palette
        self.new.setIcon(icon("plus", palette.text))

    # -- showing -----------------------------------------------------------------------------------

    def show_sheet(self, sheet: OverlaySheet) -> None:
        """Show the pools anew; what is being edited stays."""
        self.sheet = sheet
        self._fill()
        named = [one.pool for one in sheet.pools if one.pool.name == self._make_next]
        if named:
            self._make_next = ""
            self._show(named[0])
        elif self.shown is None and sheet.pools:
            self._show(sheet.pools[0].pool)
        elif self.shown is not None and self.shown.id and not self.dirty():
            now = self._sheet_of(self.shown.id)
            self._show(now.pool if now else None)
        else:
            self._show_members()

    def show_coming(self, by_pool: dict[int, int], by_cart: dict[int, int]) -> None:
        """Show how often pools and members will air in the next 24 hours."""
        self._coming = (by_pool, by_cart)
        self._fill()
        self._show_members()

    def _fill(self) -> None:
        if self.sheet is not None:
            by_pool = {-number: count for number, count in self._coming[0].items()}
            self.pools.rows.show_rows(self.sheet.pools, by_pool)

    def _sheet_of(self, number: int) -> PoolSheet | None:
        pools = self.sheet.pools if self.sheet else ()
        return next((one for one in pools if one.pool.id == number), None)

    def _on_picked(self, row: int) -> None:
        assert self.sheet is not None
        if self.shown is not None and self.dirty():
            self.said.emit(f"“{self.shown.name}” was changed: keep or discard that first.")
            self._choose_shown()
            return
        self._show(self.sheet.pools[row].pool)

    def _choose_shown(self) -> None:
        pools = self.sheet.pools if self.sheet else ()
        rows = [n for n, one in enumerate(pools) if self.shown and one.pool.id == self.shown.id]
        if rows:
            self.pools.choose(rows[0])
        else:
            self.pools.clearSelection()

    def _show(self, pool: Pool | None) -> None:
        self.shown = pool
        self.form.setVisible(pool is not None)
        if pool is not None:
            self.form.show_pool(pool, self.sheet)
        self._choose_shown()
        self._offer_members()
        self._show_members()
        self._on_changed()

    def _offer_members(self) -> None:
        pool = self.shown
        self.able.clear()
        if pool is not None and self.sheet is not None:
            for item in self.sheet.able.get(str(pool.use), ()):
                if item.cart not in pool.carts:
                    self.able.addItem(f"{item.title}  {item.measure.duration_s:.1f} s", item.cart)
        self.able.setCurrentIndex(-1)
        self.able.lineEdit().setPlaceholderText("an item to add")

    def _show_members(self) -> None:
        one = self._sheet_of(self.shown.id) if self.shown is not None else None
        self.members.rows.show_rows(one.members if one else (), self._coming[1])
        there = one is not None
        self.who.setText(f"Members of “{one.pool.name}”" if one else "Members")
        for widget in (self.able, self.add, self.out, self.listen, self.sooner, self.later):
            widget.setEnabled(there)

    # -- editing -----------------------------------------------------------------------------------

    def make(self, use: Use) -> None:
        """Begin a new pool; it is made when it is kept."""
        if self.shown is not None and self.shown.id and self.dirty():
            self.said.emit(f"“{self.shown.name}” was changed: keep or discard that first.")
            return
        taken = {one.pool.name for one in self.sheet.pools} if self.sheet else set()
        name, number = _NEW[use], 2
        while name in taken:
            name, number = f"{_NEW[use]} {number}", number + 1
        self._show(Pool(0, name, use))
        self.form.name.setFocus()
        self.form.name.selectAll()

    def typed(self) -> Pool | None:
        """Return the pool as it is typed, None (and why) when it cannot be."""
        if self.shown is None:
            return None
        try:
            pool = self.form.typed()
        except NightlySpindleError as error:
            text = str(error).removeprefix(f"pool “{self.form.name.text().strip()}”: ")
            self.trouble.setText(f"{text[:1].upper()}{text[1:]}.")
            return None
        one = self._sheet_of(pool.id)
        wrong = [f"{finding.text} {finding.mend}" for finding in one.findings] if one else []
        self.trouble.setText("\n".join(wrong))
        return pool

    def dirty(self) -> bool:
        """Whether anything was changed that is not kept."""
        try:
            return self.shown is not None and self.form.typed() != self.shown
        except NightlySpindleError:
            return True

    def _on_changed(self) -> None:
        pool = self.typed()
        new = self.shown is not None and not self.shown.id
        dirty = self.dirty()
        self.keep.setEnabled(pool is not None and (dirty or new))
        self.discard.setEnabled(dirty or new)
        self.remove.setEnabled(self.shown is not None and not new)
        self.trouble.setVisible(bool(self.trouble.text()))
        if pool is not None:
            self.sentence.setText(pool.sentence())
        elif self.shown is None:
            self.sentence.setText("Choose a pool, or make one: “New pool”.")
            self.trouble.setVisible(False)

    def _write(self, text: str, pool: Pool) -> None:
        def do(library: Any) -> Any:
            return editing.pools.save_pool(library, pool)[1]

        self._undo.push(LibraryEdit(self._shelf, text, do, editing.restore_pools))

    def save(self) -> None:
        """Have the pool written as it is typed."""
        pool = self.typed()
        if pool is None or not self.keep.isEnabled():
            return
        self.shown = pool if pool.id else None
        self._make_next = "" if pool.id else pool.name
        self._write(f"change the pool “{pool.name}”", pool)
        self.keep.setEnabled(False)

    def take_back(self) -> None:
        """Show the pool as it is kept; a new one goes."""
        kept = self._sheet_of(self.shown.id) if self.shown is not None else None
        self._show(kept.pool if kept else None)

    def remove_pool(self) -> None:
        """Take the pool out, undoably."""
        pool = self.shown
        if pool is None or not pool.id:
            return

        def do(library: Any) -> Any:
            return editing.pools.remove_pool(library, pool.id)

        self._show(None)
        text = f"remove the pool “{pool.name}”"
        self._undo.push(LibraryEdit(self._shelf, text, do, editing.restore_pools))
        self.said.emit(f"“{pool.name}” is removed; Ctrl+Z brings it back.")

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

        def do(library: Any) -> Any:
            return editing.pools.order_pools(library, numbers)

        text = f"ask “{self.shown.name}” {'sooner' if by < 0 else 'later'}"
        self._undo.push(LibraryEdit(self._shelf, text, do, editing.restore_pools))

    # -- members -----------------------------------------------------------------------------------

    def _kept(self) -> Pool | None:
        """Return the chosen pool as it is kept; what is typed of it must be kept first."""
        one = self._sheet_of(self.shown.id) if self.shown is not None else None
        if one is not None and self.dirty():
            self.said.emit(f"“{one.pool.name}” was changed: keep or discard that first.")
            return None
        return one.pool if one else None

    def add_member(self) -> None:
        """Put the item that is chosen in the box into the pool."""
        words = self.able.currentText().strip()
        pool = self._kept() if words else None
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
        self._write(f"add to “{pool.name}”", with_members(pool, (*pool.carts, int(cart))))

    def _take_out_rows(self) -> None:
        rows = {index.row() for index in self.members.selectionModel().selectedRows()}
        self._take_out(sorted(rows))

    def _take_out(self, rows: list[int]) -> None:
        pool = self._kept()
        if pool is not None and rows:
            carts = tuple(cart for n, cart in enumerate(pool.carts) if n not in rows)
            self._write(f"take out of “{pool.name}”", with_members(pool, carts))

    def _shift_member(self, row: int, by: int) -> None:
        pool = self._kept()
        if pool is None or not 0 <= row + by < len(pool.members):
            return
        members = list(pool.members)
        members[row], members[row + by] = members[row + by], members[row]
        self._write(f"order of “{pool.name}”", replace(pool, members=tuple(members)))
        self.members.choose(row + by)

    def _hear_row(self) -> None:
        self._hear(self.members.currentIndex().row())

    def _hear(self, row: int) -> None:
        one = self._sheet_of(self.shown.id) if self.shown is not None else None
        if one is not None and 0 <= row < len(one.members):
            self.hear.emit(one.members[row].path)

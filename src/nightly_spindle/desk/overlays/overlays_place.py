"""The place Overlays: the coming joins with what lies on each, and the pools behind them."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QCheckBox,
    QHBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.playout.overlay_choice import ducking_of
from nightly_spindle.core.playout.overlay_position import trial_s
from nightly_spindle.core.programme.running_order import OverlayPlace, OverlayWish, Wish
from nightly_spindle.desk.kit.board_reading import BoardReading
from nightly_spindle.desk.kit.paged_place import PagedPlace
from nightly_spindle.desk.kit.planner import Planner
from nightly_spindle.desk.kit.running_order_undo import SetOverlay, SetTag, SwitchOverlays
from nightly_spindle.desk.overlays.coming_joins import ComingJoin, ComingJoins, joins_of
from nightly_spindle.desk.overlays.lay_panel import LayPanel
from nightly_spindle.desk.overlays.overlay_rules import OverlayRulesPage
from nightly_spindle.desk.overlays.pools_page import PoolsPage
from nightly_spindle.desk.waves.join_session import JoinSession, Meeting
from nightly_spindle.store.reports.overlay_board import OverlayBoard, OverlaySheet

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.engine_link import EngineLink
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.library.catalogue import Catalogue

_LOOK_MS = 10_000
_DAY_H = 24.0
_PAGES = {
    "Coming": "The coming joins, and what plays over each",
    "Pools": "The pools of sweepers, voiceovers and links",
    "Rules": "How the programme goes down under them, what is kept clear",
}


class OverlaysPlace(PagedPlace):
    """`now_us` gives the station's instant, `state` the engine's state while it is on air."""

    def __init__(
        self,
        shelf: LibraryWorker,
        link: EngineLink,
        settings: StationSettings,
        palette: Palette,
        now_us: Callable[[], int],
        state: Callable[[], AirState | None],
    ) -> None:
        super().__init__(shelf, _LOOK_MS)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self._link, self._tz = link, settings.tz
        self._now_us, self._state = now_us, state
        self.reading = BoardReading(shelf.folder, self, OverlayBoard, now_us)
        self.day = Planner(shelf.folder, self, _DAY_H)
        self.sheet: OverlaySheet | None = None
        self.planned: NightPlan | None = None
        self.joins = ComingJoins(palette, settings.tz)
        self.panel = LayPanel()
        self.pools = PoolsPage(shelf, self.undo, palette)
        self.rules = OverlayRulesPage(shelf, self.undo, palette)
        self.only = QCheckBox("Only joins with overlays")
        self.only.setToolTip("Leave out the joins without an overlay")
        self.sound = QCheckBox("Overlays on")
        self.sound.setToolTip("Whether any overlay plays; timed events can switch it as well")
        self._lay_out()
        self._connect()
        self.set_palette(palette)
        self.show_page("Coming")

    # -- making ------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        coming = QWidget()
        row = QHBoxLayout(coming)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(4)
        row.addWidget(self.joins, 1)
        row.addWidget(self.panel)
        self.frame(_PAGES, (coming, self.pools, self.rules), before=(self.sound, self.only))

    def _connect(self) -> None:
        self.joins.picked.connect(lambda _: self._show_chosen())
        self.joins.moved.connect(self.move_overlay)
        self.joins.said.connect(self.say)
        self.panel.wished.connect(self.wish)
        self.panel.tagged.connect(self.tag)
        self.panel.hear.connect(self.hear)
        self.only.toggled.connect(lambda _: self._show_joins())
        self.sound.clicked.connect(self.switch)
        self.reading.shelf.failed.connect(self.say)
        self.day.planned.connect(self._on_day)
        self.day.failed.connect(self.say)
        self.ear.ended.connect(lambda: self.panel.play.setText("Listen"))
        for keys, act in (
            ("Space", self.hear),
            ("Delete", lambda: self.wish(OverlayWish(Wish.NONE))),
            ("Backspace", lambda: self.wish(None)),
        ):
            shortcut = QShortcut(QKeySequence(keys), self.joins)
            shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
            shortcut.activated.connect(act)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.joins.palette_ = palette
        self.pools.set_palette(palette)
        self.rules.set_palette(palette)
        self.joins.viewport().update()

    # -- showing -----------------------------------------------------------------------------------

    def open(self) -> None:
        """Look at the pools, and go on looking."""
        super().open()
        if self.tabs["Coming"].isChecked():
            self.joins.setFocus()

    def begin_new(self) -> None:
        """Offer kinds of pools to begin with."""
        self.show_page("Pools")
        self.pools.new.showMenu()

    def close_down(self) -> None:
        """Finish what is under way."""
        super().close_down()
        self.reading.close()
        self.day.close()

    def first_focus(self, name: str) -> QWidget:
        """Return the widget that keys go to when a page is shown."""
        return {"Coming": self.joins, "Pools": self.pools.pools, "Rules": self.rules}[name]

    def show_page(self, name: str) -> None:
        """Show the coming joins, the pools or the rules."""
        super().show_page(name)
        self.only.setVisible(name == "Coming")

    def refresh(self) -> None:
        """Read the pools again, and count the coming day, where they can be seen."""
        if self.isVisible():
            self.reading.look(lambda board, now: board.sheet(now), self._show, "sheet", news=True)
            state = self._state()
            self._show_switch(state)
            self.day.ask(state, self._now_us(), live=state is not None)

    def _show(self, sheet: OverlaySheet) -> None:
        fresh = self.sheet is None or [p.pool for p in self.sheet.pools] != [
            p.pool for p in sheet.pools
        ]
        self.sheet = sheet
        self.pools.show_sheet(sheet)
        if fresh:
            self.panel.offer(sheet)
            self._show_chosen()
        self._show_worst()

    def show_plan(self, planned: NightPlan) -> None:
        """Take a new plan of the coming hours."""
        self.planned = planned
        self.rules.show_settings(planned.settings)
        self._show_switch(self._state())
        self._show_joins()
        self._show_worst()

    def _show_switch(self, state: AirState | None) -> None:
        self.sound.setEnabled(state is not None)
        self.sound.setChecked(state is None or state.overlays.on)

    def _show_joins(self) -> None:
        if self.planned is None:
            return
        rows = joins_of(self.planned, self._now_us())
        if self.only.isChecked():
            rows = [row for row in rows if row.overlays]
        self.joins.show_joins(rows)
        self._show_chosen()

    def _show_chosen(self) -> None:
        join, planned = self.joins.join(), self.planned
        marks = (
            []
            if join is None or planned is None
            else [mark for mark in planned.night.counting() if mark.line_id == join.line_id]
        )
        self.panel.show_join(join, self._tz, marks, self._why_not(join))

    def _why_not(self, join: ComingJoin | None) -> str:
        """Say why nothing can be set for a join now, empty when it can."""
        if not self._link.on_air:
            return "The engine is off: what plays over one join can be set once it is on air."
        if join is None or not join.into.movable:
            return "This line is not lined up yet: nothing can be set for it alone."
        return ""

    def _show_worst(self) -> None:
        """Say the gravest thing about overlays in one line."""
        told = []
        if self.sheet is not None:
            told = [f for one in self.sheet.pools for f in one.findings]
        wrong = [one for one in told if one.severity is not Severity.NOTE]
        if self.sheet is None:
            text = "Looking at the pools …"
        elif wrong:
            more = f"  ({len(wrong) - 1} more)" if len(wrong) > 1 else ""
            text = f"{wrong[0].text} {wrong[0].mend}{more}"
        elif not self.sheet.pools:
            text = "There are no pools yet. “Pools” has “New pool”: sweepers, voiceovers, links."
        elif self.planned is None:
            text = "Working the night out …"
        else:
            night = self.planned.night
            hours = (night.until_us - night.from_us) / US / 3600
            text = f"{len(night.overlays)} overlays in the coming {hours:.0f} h, none in the way."
        self.worst.setText(text)
        self.worst.setToolTip("\n".join(f"{one.text} {one.mend}" for one in told) or text)

    def _on_day(self, planned: NightPlan) -> None:
        """Count what airs in the coming 24 hours, by pool and by item."""
        by_pool: dict[int, int] = {}
        by_cart: dict[int, int] = {}
        for over in planned.night.overlays:
            by_pool[over.pool] = by_pool.get(over.pool, 0) + 1
            by_cart[over.cart] = by_cart.get(over.cart, 0) + 1
        for block in planned.night.blocks:
            by_cart[block.cart] = by_cart.get(block.cart, 0) + 1
            if block.pool:
                by_pool[block.pool] = by_pool.get(block.pool, 0) + 1
        self.pools.show_coming(by_pool, by_cart)

    # -- acts --------------------------------------------------------------------------------------

    def move_overlay(self, line_id: int, cart: int, at_s: float) -> None:
        """Place an overlay by hand, undoably."""
        self.wish(OverlayWish(Wish.THIS, cart, at_s=at_s), line_id)

    def wish(self, wish: OverlayWish | None, line_id: int = 0) -> None:
        """Set what lies over a join (the chosen one), this time alone, undoably."""
        join = next((row for row in self.joins.rows if row.line_id == line_id), self.joins.join())
        why_not = self._why_not(join)
        if why_not or join is None:
            self.say(why_not or "Choose a join first.")
            self._show_chosen()
            return
        self.undo.push(SetOverlay(self._link, join.into.title, join.line_id, wish))

    def switch(self, on: bool) -> None:
        """Let overlays sound, or not, undoably."""
        self.undo.push(SwitchOverlays(self._link, on=on))

    def tag(self, word: str) -> None:
        """Give the chosen line a tag, undoably."""
        join = self.joins.join()
        if join is not None and not self._why_not(join):
            self.undo.push(SetTag(self._link, join.into.title, join.line_id, word))

    # -- listening ---------------------------------------------------------------------------------

    def hear(self) -> None:
        """Listen to the chosen join with what lies over it, or stop."""
        join = self.joins.join()
        if self.ear.playing:
            self.ear.stop()
            return
        if join is None:
            return
        over = [one for one in join.overlays if one.where != OverlayPlace.POINT]
        carts = [join.out.cart, join.into.cart]
        tried = self.panel.tried()

        def look(catalogue: Catalogue) -> tuple[Meeting, dict[int, Item]] | None:
            items = catalogue.items([*carts, *(one.cart for one in over), *tried])
            settings, segues = catalogue.rules()
            if any(cart not in items for cart in carts):
                return None
            meeting = Meeting(items[carts[0]], items[carts[1]], settings, segues, {}, {})
            return meeting, items

        def then(found: tuple[Meeting, dict[int, Item]] | None) -> None:
            if found is None:
                self.say("One of the two items is not in the library any more.")
                return
            meeting, items = found
            session = JoinSession(meeting, join.out.from_s, join.into.edit)
            laid = [
                (items[one.cart], (one.start_us - join.into.start_us) / US)
                for one in over
                if one.cart in items
            ]
            if tried:
                settings = meeting.settings
                laid = [
                    (
                        items[cart],
                        trial_s(
                            items[cart],
                            meeting.into,
                            settings.rate,
                            settings.overlay_by(ducking_of(settings, items[cart])),
                        ),
                    )
                    for cart in tried
                    if cart in items
                ]
            self.ear.play_join(session.to_hear(laid)[0])
            self.panel.play.setText("Stop")

        self._shelf.look(look, then, "hear")

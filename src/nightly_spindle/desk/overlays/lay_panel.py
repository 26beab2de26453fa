"""What lies over one join: why, another choice for it, and listening."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import US, clock
from nightly_spindle.core.overlays.overlay_pools import PoolUse
from nightly_spindle.core.playout.overlay_playout import REACH_S
from nightly_spindle.core.programme.running_order import OverlayPlace, OverlayWish, Wish
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import DecimalField, Field

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.timeline import Mark
    from nightly_spindle.desk.overlays.coming_joins import ComingJoin
    from nightly_spindle.store.reports.overlay_board import OverlaySheet

_WIDE_PX = 300
_USUAL: tuple[str, dict[str, Any] | None] = ("automatic, from the pools", None)


class LayPanel(QWidget):
    """Signals: `wished` (OverlayWish or None), `tagged` (str), `hear` () to listen or stop."""

    wished = Signal(object)
    tagged = Signal(str)
    hear = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDE_PX)
        self._join: ComingJoin | None = None
        self._why_not = ""
        self.title, self.facts, self.why = QLabel(""), QLabel(""), QLabel("")
        self.wrong, self.fixed = QLabel(""), QLabel("")
        self.choice = ChoiceBox()
        self.at = DecimalField(-REACH_S, 600.0, "s", "by the rules")
        self.tag = Field()
        self.play = push_button(
            "Listen", "Listen to the join with what plays over it, or stop (Space)", self.hear.emit
        )
        self._lay_out()
        self.choice.activated.connect(self._on_choice)
        self.at.entered.connect(self._on_at)
        self.tag.editingFinished.connect(self._on_tag)

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 12, 12)
        box.setSpacing(6)
        self.title.setProperty("role", "name")
        self.facts.setProperty("role", "muted")
        self.wrong.setProperty("role", "worst")
        self.fixed.setProperty("role", "muted")
        for label in (self.title, self.facts, self.why, self.wrong, self.fixed):
            label.setWordWrap(True)
            label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            label.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        box.addWidget(self.title)
        box.addWidget(self.facts)
        caption = QLabel("WHAT LIES OVER IT, AND WHY")
        caption.setProperty("role", "caption")
        box.addSpacing(6)
        box.addWidget(caption)
        box.addWidget(self.why)
        box.addWidget(self.wrong)
        row = QHBoxLayout()
        row.addWidget(self.play)
        row.addStretch(1)
        box.addLayout(row)
        other = QLabel("THIS TIME")
        other.setProperty("role", "caption")
        box.addSpacing(6)
        box.addWidget(other)
        grid = QGridLayout()
        grid.setVerticalSpacing(4)
        rows: tuple[tuple[str, str, QWidget], ...] = (
            ("Over it", "What plays over this join, this time only", self.choice),
            (
                "Begins at",
                "Seconds from the item's start, negative for before; drag it as well",
                self.at,
            ),
            ("Tag", "A word that pools can go by, such as request", self.tag),
        )
        for n, (text, tip, widget) in enumerate(rows):
            label = QLabel(text)
            label.setProperty("role", "muted")
            widget.setToolTip(tip)
            widget.setAccessibleName(text)
            grid.addWidget(label, n, 0)
            grid.addWidget(widget, n, 1)
        grid.setColumnStretch(1, 1)
        box.addLayout(grid)
        box.addWidget(self.fixed)
        box.addStretch(1)

    def offer(self, sheet: OverlaySheet) -> None:
        """Offer what can lie over a join."""
        now = self._chosen()
        with QSignalBlocker(self.choice):
            self.choice.clear()
            self.choice.addItem(*_USUAL)
            self.choice.addItem("nothing", OverlayWish(Wish.NONE))
            for one in sheet.pools:
                if one.pool.use is PoolUse.SWEEPERS:
                    wish = OverlayWish(Wish.POOL, pool=one.pool.id)
                    self.choice.addItem(f"next of “{one.pool.name}”", wish)
            seen = set()
            for use in (PoolUse.SWEEPERS, PoolUse.VOICEOVERS):
                for item in sheet.able.get(str(use), ()):
                    if item.cart not in seen:
                        seen.add(item.cart)
                        wish = OverlayWish(Wish.THIS, item.cart)
                        self.choice.addItem(f"{item.title} ({item.kind})", wish)
        self._choose(now)

    def _chosen(self) -> OverlayWish | None:
        found: OverlayWish | None = self.choice.currentData()
        return found

    def tried(self) -> list[int]:
        """Return the overlay that is chosen to be tried and not laid, as a list of one; or none."""
        wish, join = self._chosen(), self._join
        if wish is None or join is None or wish.wish is not Wish.THIS:
            return []
        laid = [one.cart for one in join.overlays]
        return [] if wish.cart in laid else [wish.cart]

    def _choose(self, wish: OverlayWish | None) -> None:
        plain = None if wish is None else replace(wish, at_s=None)
        for at in range(self.choice.count()):
            if self.choice.itemData(at) == plain:
                self.choice.setCurrentIndex(at)
                return
        self.choice.setCurrentIndex(0 if self.choice.count() else -1)

    def show_join(
        self, join: ComingJoin | None, tz: ZoneInfo, marks: list[Mark], why_not: str
    ) -> None:
        """Show a join; `why_not` says why nothing can be set for it now, empty when it can."""
        same = join is not None and self._join is not None and join.line_id == self._join.line_id
        self._join, self._why_not = join, why_not
        for widget in (self.play, self.choice, self.at, self.tag):
            widget.setEnabled(join is not None)
        if join is None:
            self.title.setText("No join chosen")
            self.facts.setText("Choose one to see what plays over it, and why.")
            for label in (self.why, self.wrong, self.fixed):
                label.setText("")
            return
        self.title.setText(f"{join.out.title} → {join.into.title}")
        self.facts.setText(f"{clock(join.into.start_us, tz)}, {_room(join)}")
        self.why.setText(
            "\n".join(
                f"{clock(one.start_us, tz)}  “{one.title}”, {one.origin}. {one.why}"
                for one in join.overlays
            )
            or "Nothing plays over it."
        )
        self.wrong.setText("\n".join(f"{mark.text} {mark.mend}" for mark in marks))
        self.wrong.setVisible(bool(marks))
        wish = join.into.wish
        if not (same and why_not):  # what cannot be laid may be tried: the choice stays
            self._choose(wish)
        over = next((one for one in join.overlays if one.where != OverlayPlace.POINT), None)
        placed = wish is not None and wish.at_s is not None
        self.at.show_value(wish.at_s if placed and wish is not None else None)
        self.at.setEnabled(over is not None and not why_not)
        if not self.tag.hasFocus():
            self.tag.setText(join.into.tag)
        self.tag.setEnabled(not why_not)
        self.fixed.setText(f"{why_not} “Listen” plays what is chosen." if why_not else "")

    def _on_choice(self, _row: int) -> None:
        if not self._why_not:
            self.wished.emit(self._chosen())

    def _on_at(self, at_s: float | None) -> None:
        join = self._join
        over = (
            next((o for o in join.overlays if o.where != OverlayPlace.POINT), None)
            if join
            else None
        )
        if over is None:
            return
        self.wished.emit(OverlayWish(Wish.THIS, over.cart, at_s=at_s))

    def _on_tag(self) -> None:
        if self._join is not None and self.tag.text().strip() != self._join.into.tag:
            self.tagged.emit(self.tag.text().strip())


def _room(join: ComingJoin) -> str:
    """Say how far the incoming item may be talked over."""
    if join.into.intro_us is None:
        return "its intro end is not marked: nothing is said over it"
    seconds = (join.into.intro_us - join.into.start_us) / US
    return f"may be talked over for {seconds:.1f} s"

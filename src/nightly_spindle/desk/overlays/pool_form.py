"""The form of one pool of overlays: what is set for its use, grown from the declaration."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QVBoxLayout, QWidget

from nightly_spindle.core.overlays.overlay_pools import FOR, Pool, PoolOptions, PoolUse, check_pool
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.scrolled import scrolled

if TYPE_CHECKING:
    from nightly_spindle.store.reports.overlay_board import OverlaySheet

NAMES = {
    "enabled": "Switched on",
    "order": "Order of members",
    "least_s": "Same one again",
    "days": "Days",
    "hours": "Hours",
    "first": "Start",
    "last": "End",
    "alone": "While it is open, those after it rest",
    "fallback": "When none can play",
    "every": "Every … segues",
    "apart_s": "Minimum gap",
    "pairs": "Passing from > into",
    "beside": "Never next to",
    "lies": "Position",
    "offset_s": "… later by",
    "points": "Serves sweeper points as well",
    "fits": "Of those that fit",
    "categories": "Only categories",
    "tags": "Only lines tagged",
    "at_post": "Ends at the post",
    "after_s": "Else after the start",
    "songs": "After … songs",
    "minutes": "Every … minutes",
    "edge": "Edges of the hour",
}
_BLANK = {
    "days": "every day",
    "hours": "always; 22:00-06:00",
    "first": "2026-12-01",
    "last": "2026-12-24",
    "categories": "all",
    "tags": "all",
    "beside": "nothing",
}
_ORDER = (
    "order",
    "every",
    "songs",
    "minutes",
    "edge",
    "apart_s",
    "least_s",
    "pairs",
    "beside",
    "lies",
    "offset_s",
    "at_post",
    "after_s",
    "fits",
    "categories",
    "tags",
    "hours",
    "days",
    "first",
    "last",
    "fallback",
    "points",
    "alone",
    "enabled",
)


class PoolForm(QWidget):
    """Shows and changes the name and the options of one pool. Signal: `changed`."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._pool: Pool | None = None
        self.name = Field()
        self.name.setAccessibleName("Name of the pool")
        self.name.setPlaceholderText("its name")
        self.name.textEdited.connect(self.changed)
        self.form = DeclaredForm(PoolOptions, {n: NAMES[n] for n in _ORDER}, _BLANK, ("fallback",))
        self.form.changed.connect(self.changed)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(3)
        box.addWidget(self.name)
        box.addWidget(scrolled(self.form), 1)

    @property
    def fields(self) -> dict[str, QWidget]:
        """The fields by the option that each is for."""
        return self.form.fields

    def show_pool(self, pool: Pool, sheet: OverlaySheet | None) -> None:
        """Show a pool; only what matters to its use is there."""
        self._pool = pool
        able = sheet.able.get(str(pool.use), ()) if sheet else ()
        with QSignalBlocker(self):
            self.name.setText(pool.name)
            offered = [("nothing", 0), *((f"{i.title} ({i.cart})", i.cart) for i in able)]
            self.form.offer("fallback", offered)
            self.form.show_values(pool.options, FOR[pool.use])
        songs = pool.use is PoolUse.VOICEOVERS
        self.form.captions["every"].setText("Every … songs" if songs else "Every … segues")

    def typed(self) -> Pool:
        """Return the pool as it is typed; SettingRefused says what cannot be."""
        assert self._pool is not None
        options = typed_group(PoolOptions(), self.form.texts())
        pool = replace(self._pool, name=" ".join(self.name.text().split()), options=options)
        check_pool(pool)
        return pool

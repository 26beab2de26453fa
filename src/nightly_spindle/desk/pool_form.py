"""The form of one pool of overlays: what is set for its use, grown from the declaration."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QWidget

from nightly_spindle.core.declared import group_from, specs
from nightly_spindle.core.errors import SettingRefused
from nightly_spindle.core.overlay_pools import FOR, Pool, PoolOptions, Use, check_pool
from nightly_spindle.desk.fields import DecimalField, Field

if TYPE_CHECKING:
    from dataclasses import Field as Spec

    from nightly_spindle.store.overlay_board import OverlaySheet

NAMES = {
    "enabled": "Switched on", "order": "Its members come", "least_s": "Same one again",
    "days": "Days", "hours": "Hours", "first": "From the day", "last": "Up to the day",
    "alone": "While it is open, those after it rest", "fallback": "When none can play",
    "every": "Every … segues", "apart_s": "Apart at least", "pairs": "Passing from > into",
    "beside": "Never beside", "lies": "It", "offset_s": "… later by",
    "points": "Serves sweeper points as well", "fits": "Of those that fit",
    "categories": "Only categories", "tags": "Only lines tagged", "at_post": "Ends at the post",
    "after_s": "Else after the start", "songs": "After … songs", "minutes": "Every … minutes",
    "edge": "Edges of the hour",
}  # fmt: skip
_BLANK = {
    "days": "every day", "hours": "always; 22:00-06:00", "first": "2026-12-01",
    "last": "2026-12-24", "categories": "all", "tags": "all", "beside": "nothing",
}  # fmt: skip
_ORDER = ("order", "every", "songs", "minutes", "edge", "apart_s", "least_s", "pairs", "beside",
          "lies", "offset_s", "at_post", "after_s", "fits", "categories", "tags", "hours", "days",
          "first", "last", "fallback", "points", "alone", "enabled")  # fmt: skip


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
        self.fields: dict[str, QWidget] = {}
        self._captions: dict[str, QLabel] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 4, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        grid.addWidget(self.name, 0, 0, 1, 2)
        known = specs(PoolOptions)
        for row, name in enumerate(_ORDER, 1):
            spec = known[name]
            field = self._field(name, spec)
            field.setToolTip(spec.metadata["sentence"])
            field.setAccessibleName(f"{NAMES[name]}: {spec.metadata['sentence']}")
            self.fields[name] = field
            if isinstance(field, QCheckBox):
                grid.addWidget(field, row, 0, 1, 2)
                continue
            caption = QLabel(NAMES[name])
            caption.setProperty("role", "muted")
            caption.setToolTip(spec.metadata["sentence"])
            self._captions[name] = caption
            grid.addWidget(caption, row, 0)
            grid.addWidget(field, row, 1)
        grid.setColumnStretch(1, 1)

    def _field(self, name: str, spec: Spec[Any]) -> QWidget:
        meta = spec.metadata
        if name == "fallback":
            box = QComboBox()
            box.activated.connect(self.changed)
            return box
        if "flag" in meta:
            check = QCheckBox(NAMES[name])
            check.toggled.connect(self.changed)
            return check
        if "choices" in meta:
            box = QComboBox()
            for one in meta["choices"]:
                box.addItem(str(one), str(one))
            box.activated.connect(self.changed)
            return box
        if "text" in meta:
            text = Field()
            text.setPlaceholderText(_BLANK.get(name, ""))
            text.textEdited.connect(self.changed)
            return text
        number = DecimalField(meta["low"], meta["high"], meta["unit"])
        number.entered.connect(lambda _: self.changed.emit())
        return number

    def show_pool(self, pool: Pool, sheet: OverlaySheet | None) -> None:
        """Show a pool; only what matters to its use is there."""
        self._pool = pool
        with QSignalBlocker(self):
            self.name.setText(pool.name)
            self._offer_fallback(pool, sheet)
            for name, field in self.fields.items():
                value = getattr(pool.options, name)
                here = name in FOR[pool.use]
                field.setVisible(here)
                if name in self._captions:
                    self._captions[name].setVisible(here)
                if isinstance(field, QCheckBox):
                    field.setChecked(value)
                elif isinstance(field, DecimalField):
                    field.show_value(value)
                elif isinstance(field, QComboBox) and name != "fallback":
                    field.setCurrentIndex(max(0, field.findData(str(value))))
                elif isinstance(field, Field):
                    field.setText(value)
        songs = pool.use is Use.VOICEOVERS
        self._captions["every"].setText("Every … songs" if songs else "Every … segues")

    def _offer_fallback(self, pool: Pool, sheet: OverlaySheet | None) -> None:
        box = self.fields["fallback"]
        assert isinstance(box, QComboBox)
        box.clear()
        box.addItem("nothing", 0)
        for item in sheet.able.get(str(pool.use), ()) if sheet else ():
            box.addItem(f"{item.title} ({item.cart})", item.cart)
        if pool.fallback and box.findData(pool.fallback) < 0:
            box.addItem(f"item {pool.fallback}", pool.fallback)
        box.setCurrentIndex(max(0, box.findData(pool.fallback)))

    def typed(self) -> Pool:
        """Return the pool as it is typed; SettingRefused says what cannot be."""
        assert self._pool is not None
        texts = {f"pool.{name}": self._text(name) for name in self.fields}
        wrong: list[str] = []
        options = group_from(PoolOptions, texts, "pool", wrong)
        if wrong:
            raise SettingRefused("; ".join(wrong))
        name = " ".join(self.name.text().split())
        pool = replace(self._pool, name=name, options=options)
        check_pool(pool)
        return pool

    def _text(self, name: str) -> str:
        field = self.fields[name]
        if isinstance(field, QCheckBox):
            return str(field.isChecked())
        if isinstance(field, DecimalField):
            return str(field.value())
        if isinstance(field, QComboBox):
            return str(field.currentData())
        assert isinstance(field, Field)
        return field.text().strip()

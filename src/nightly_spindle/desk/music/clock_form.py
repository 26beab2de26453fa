"""The form of a format clock: name, the strip slot by slot, weights, rules of its own, options."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

from PySide6.QtCore import QModelIndex, QSignalBlocker, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.music.format_clocks import (
    NAMING,
    ClockOptions,
    ClockSlot,
    FormatClock,
    SlotKind,
    check_clock,
    minute_from,
    weights_from,
    weights_text,
)
from nightly_spindle.core.music.rotation_rules import RotationRule, rule_from, rule_values
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox, EditableChoiceBox
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.music.format_rows import SLOTS, SlotRow

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatSheet, Names

_OPTIONS = {
    "opens": "Opens with",
    "closes": "Closes with",
    "link_pool": "Links from",
    "link_songs": "Link after",
    "shares": "Weights share out",
    "fixed_end": "The hour ends to the second",
    "note": "Note",
}
_KINDS = {
    SlotKind.CATEGORY: "From a category",
    SlotKind.MUSIC: "Music by weights",
    SlotKind.BREAK: "Break",
    SlotKind.LINK: "Link from a pool",
    SlotKind.LIST: "Next of a list",
    SlotKind.ITEM: "Fixed item",
    SlotKind.MARK: "Timed mark",
}


class ClockForm(QWidget):
    """Signal: `changed` when anything was typed. `strip` is its part for the slots, laid apart."""

    changed = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._clock = FormatClock(0, "")
        self._slots: list[ClockSlot] = []
        self._names: Names | None = None
        self.name, self.weights, self.rules = Field(), Field(), Field()
        self.slots = RowView(SLOTS, palette)
        self.options = DeclaredForm(
            ClockOptions, _OPTIONS, {"link_pool": "none"}, ("opens", "closes"), ("link_pool",)
        )
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        self.weights.setPlaceholderText("those of the categories")
        self.rules.setPlaceholderText("the station's: kind=artist,amount=90; …")
        for row, (caption, field, tip) in enumerate(
            (
                ("Name", self.name, "What the clock is called"),
                ("Weights", self.weights, "What no slot fixes: Standards 50, Fresh 30"),
                (
                    "Own rules",
                    self.rules,
                    "Before the station's: kind=artist,amount=90; more after ;",
                ),
            )
        ):
            label = QLabel(caption)
            label.setProperty("role", "muted")
            label.setToolTip(tip)
            field.setToolTip(tip)
            field.setAccessibleName(f"{caption}: {tip}")
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        box.addLayout(grid)
        box.addWidget(self.options)
        box.addStretch(1)
        self.strip = QWidget()
        inside = QVBoxLayout(self.strip)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(5)
        inside.addLayout(self._tools())
        inside.addWidget(self.slots, 1)
        inside.addLayout(self._adding())

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        head = QLabel("Slots, from the start of the hour on")
        head.setProperty("role", "strong")
        row.addWidget(head, 1)
        self.up = push_button("Up", "The slot comes earlier (Ctrl+Up)", lambda: self._shift(-1))
        self.down = push_button("Down", "The slot comes later (Ctrl+Down)", lambda: self._shift(1))
        self.out = push_button("Remove", "Remove the slot (Delete)", self._take_out_chosen)
        for button in (self.up, self.down, self.out):
            row.addWidget(button)
        return row

    def _adding(self) -> QHBoxLayout:
        self.kind, self.what, self.at = ChoiceBox(), EditableChoiceBox(), Field()
        for kind, text in _KINDS.items():
            self.kind.addItem(text, kind)
        self.kind.setAccessibleName("Kind of slot to add")
        self.what.setAccessibleName("What the slot puts in")
        self.at.setPlaceholderText("mm:ss")
        self.at.setAccessibleName("Place in the hour, minutes and seconds")
        self.at.setFixedWidth(62)
        self.fixed = QCheckBox("Fixed")
        self.fixed.setToolTip("The mark is met to the second")
        self.add = push_button(
            "Add slot", "Put the slot in after the chosen one (Enter)", self.add_slot
        )
        row = QHBoxLayout()
        row.setSpacing(4)
        row.addWidget(self.kind)
        row.addWidget(self.what, 1)
        for widget in (self.at, self.fixed, self.add):
            row.addWidget(widget)
        return row

    def _connect(self) -> None:
        for field in (self.name, self.weights, self.rules):
            field.textEdited.connect(self.changed)
        self.options.changed.connect(self.changed)
        self.kind.currentIndexChanged.connect(lambda _: self._offer_what())
        self.what.line.returnPressed.connect(self.add_slot)
        self.at.returnPressed.connect(self.add_slot)
        self.slots.removed.connect(self._take_out)
        self.slots.shifted.connect(lambda _row, by: self._shift(by))

    # -- showing -----

    def offer(self, sheet: FormatSheet) -> None:
        """Say what slots can name."""
        self._names = sheet.names
        shorts = [("nothing", 0)]
        shorts += [
            (item.label, cart)
            for cart, item in sorted(sheet.items.items())
            if item.kind not in {"song", "spot"} and cart > 0
        ]
        for name in ("opens", "closes"):
            self.options.offer(name, shorts)
        self.options.offer("link_pool", [(pool, pool) for pool in sheet.names.pools])
        self._offer_what()

    def _offer_what(self) -> None:
        kind, names = SlotKind(self.kind.currentData()), self._names
        self.what.setEnabled(kind is not SlotKind.MUSIC)
        self.at.setEnabled(kind in {SlotKind.MUSIC, SlotKind.MARK})
        self.fixed.setEnabled(kind is SlotKind.MARK)
        text = self.what.currentText()
        with QSignalBlocker(self.what):
            self.what.clear()
            for name in (
                {
                    SlotKind.CATEGORY: names.categories,
                    SlotKind.LIST: names.lists,
                    SlotKind.BREAK: names.breaks,
                    SlotKind.LINK: names.pools,
                }.get(kind, ())
                if names
                else ()
            ):
                self.what.addItem(name)
            if kind in {SlotKind.ITEM, SlotKind.MARK}:
                self.what.setCurrentText(text if kind is SlotKind.MARK else "")
        hints = {SlotKind.ITEM: "cart number", SlotKind.MARK: "what it is called"}
        self.what.line.setPlaceholderText(hints.get(kind, ""))

    def show_clock(self, clock: FormatClock) -> None:
        """Show a clock."""
        if clock.id != self._clock.id:
            self.slots.setCurrentIndex(QModelIndex())  # of another strip no slot is chosen yet
        self._clock = clock
        self.name.setText(clock.name)
        self.weights.setText(weights_text(clock.weights))
        self.rules.setText("; ".join(_written(rule) for rule in clock.rules))
        for field in (self.weights, self.rules):
            field.setCursorPosition(0)
        self.options.show_values(clock.options)
        self._show_slots(clock.slots)

    def _show_slots(self, slots: Sequence[ClockSlot], chosen: int = -1) -> None:
        self._slots = list(slots)
        self.slots.show_rows([SlotRow(slot, 0.0) for slot in self._slots])
        if chosen >= 0:
            self.slots.choose(chosen)

    def show_lengths(self, seconds: Mapping[int, float]) -> None:
        """Show how long slots run, by their places."""
        self.slots.show_rows(
            [SlotRow(slot, seconds.get(at, 0.0)) for at, slot in enumerate(self._slots)]
        )

    def typed(self) -> FormatClock:
        """Return the clock as it is typed; SettingRefused says what cannot be."""
        clock = replace(
            self._clock,
            name=" ".join(self.name.text().split()),
            slots=tuple(self._slots),
            weights=weights_from(self.weights.text()),
            rules=tuple(_rule(one) for one in self.rules.text().split(";") if one.strip()),
            options=typed_group(self._clock.options, self.options.texts()),
        )
        check_clock(clock)
        return clock

    # -- slots -----

    def add_slot(self) -> None:
        """Put the slot that is set in after the chosen one."""
        try:
            slot = self._slot()
        except SettingRefused:
            self.at.setFocus()
            self.at.selectAll()
            return
        if slot is None:
            self.what.setFocus()
            return
        row = self.slots.currentIndex().row()
        place = row + 1 if row >= 0 else len(self._slots)
        self._show_slots([*self._slots[:place], slot, *self._slots[place:]], place)
        self.at.clear()
        self.changed.emit()

    def _slot(self) -> ClockSlot | None:
        kind, what = SlotKind(self.kind.currentData()), self.what.currentText().strip()
        at = minute_from(self.at.text()) if self.at.text().strip() else 0.0
        if kind is SlotKind.MUSIC:
            return ClockSlot(kind, at_s=at)
        if kind is SlotKind.MARK:
            if not self.at.text().strip():
                raise SettingRefused("a mark needs its place in the hour")
            return ClockSlot(kind, what, at_s=at, fixed=self.fixed.isChecked())
        if kind in NAMING:
            return ClockSlot(kind, what) if what else None
        return ClockSlot(kind, cart=int(what)) if what.isdecimal() else None

    def _take_out_chosen(self) -> None:
        row = self.slots.currentIndex().row()
        if row >= 0:
            self._take_out([row])

    def _take_out(self, rows: Sequence[int]) -> None:
        left = [slot for place, slot in enumerate(self._slots) if place not in set(rows)]
        self._show_slots(left, min(*rows, len(left) - 1))
        self.changed.emit()

    def _shift(self, by: int) -> None:
        row = self.slots.currentIndex().row()
        if row < 0 or not 0 <= row + by < len(self._slots):
            return
        slots = list(self._slots)
        slots[row], slots[row + by] = slots[row + by], slots[row]
        self._show_slots(slots, row + by)
        self.changed.emit()


def _written(rule: RotationRule) -> str:
    return ",".join(f"{name}={value}" for name, value in rule_values(rule).items())


def _rule(written: str) -> RotationRule:
    values = {}
    for part in written.split(","):
        name, _, value = part.partition("=")
        values[name.strip()] = value.strip()
    return rule_from(values)

"""The clocks to paint with: one is in hand."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QColor, QIcon, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QListWidget, QListWidgetItem

from nightly_spindle.core.calendar.day_plans import AS_BASE, NOTHING
from nightly_spindle.desk.music.clock_marks import clock_colour

if TYPE_CHECKING:
    from collections.abc import Mapping

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.desk.kit.theme import Palette

_CHIP = 16


class ClockPalette(QListWidget):
    """Signal: `taken` (clock number) when another one is in hand."""

    taken = Signal(int)

    def __init__(self, palette: Palette, *, base: bool) -> None:
        super().__init__()
        self.palette_ = palette
        self._base = base
        self._clocks: Mapping[int, FormatClock] = {}
        self.setAccessibleName("Format clock to paint with")
        self.setToolTip("Choose a clock, then drag over hours")
        self.currentRowChanged.connect(self._on_row)

    @property
    def hand(self) -> int:
        """The number of the clock in hand."""
        item = self.currentItem()
        return NOTHING if item is None else int(item.data(0x100))

    def show_clocks(self, clocks: Mapping[int, FormatClock], palette: Palette) -> None:
        """Show the clocks; the one in hand stays."""
        hand = self.hand if self.count() else next(iter(clocks), NOTHING)
        self._clocks, self.palette_ = clocks, palette
        self.blockSignals(True)
        self.clear()
        choices = [(number, clock.name) for number, clock in clocks.items()]
        choices.append((NOTHING, "No clock"))
        choices += [(AS_BASE, "Inherit")] if self._base else []
        for number, name in choices:
            item = QListWidgetItem(self._chip(number), name)
            item.setData(0x100, number)
            self.addItem(item)
        numbers = [number for number, _ in choices]
        self.setCurrentRow(numbers.index(hand) if hand in numbers else 0)
        self.blockSignals(False)
        self._on_row(self.currentRow())

    def _chip(self, number: int) -> QIcon:
        pixmap = QPixmap(_CHIP, _CHIP)
        pixmap.fill(clock_colour(number, self._clocks, self.palette_))
        painter = QPainter(pixmap)
        painter.setPen(QPen(QColor(self.palette_.line), 1))
        painter.drawRect(0, 0, _CHIP - 1, _CHIP - 1)
        if number == AS_BASE:
            painter.drawLine(0, _CHIP, _CHIP, 0)
        painter.end()
        return QIcon(pixmap)

    def _on_row(self, row: int) -> None:
        if row >= 0:
            self.taken.emit(self.hand)

"""The list of an item's markers: where each is, how that is known, and what can be done."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent
from PySide6.QtWidgets import QGridLayout, QLabel, QToolButton, QWidget

from nightly_spindle.core.library.markers import Marker
from nightly_spindle.core.segues.effective_markers import sure_words
from nightly_spindle.desk.kit.fields import TimeField
from nightly_spindle.desk.kit.theme import Palette, icon
from nightly_spindle.desk.markers.marker_session import MarkerPlace
from nightly_spindle.desk.markers.marker_signs import KEY_OF, TIPS, name_of

if TYPE_CHECKING:
    from nightly_spindle.core.segues.effective_markers import Placed

_ACTS = (
    ("set", "locate-fixed", "Set it at the playhead"),
    ("clear", "eraser", "Clear it: there is none, whatever was measured (Delete)"),
    ("again", "ruler", "As it is measured (Backspace)"),
)


class SureBar(QWidget):
    """Says how sure a marker is: five steps, filled as far as it is; a hand where set by hand."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.sure: float | None = None
        self.there = False
        self.setFixedSize(48, 16)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the steps, or the hand."""
        del event
        if not self.there:
            return
        painter = QPainter(self)
        if self.sure is None:
            painter.drawPixmap(0, 0, icon("hand", self.palette_.text, 14).pixmap(14, 14))
        else:
            filled = max(1, round(self.sure * 5))
            for step in range(5):
                ink = self.palette_.text if step < filled else self.palette_.line
                painter.fillRect(step * 8, 12 - 2 * step, 6, 2 + 2 * step, QColor(ink))
        painter.end()


class MarkerList(QWidget):
    """All markers, one below the other.

    Signals: `chosen` (marker), `typed` (marker, seconds), `refused` (str); `set_asked`,
    `clear_asked`, `again_asked` (marker).
    """

    chosen = Signal(object)
    typed = Signal(object, float)
    refused = Signal(str)
    set_asked = Signal(object)
    clear_asked = Signal(object)
    again_asked = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._palette = palette
        self.fields: dict[Marker, TimeField] = {}
        self._names: dict[Marker, QLabel] = {}
        self._how: dict[Marker, QLabel] = {}
        self._bars: dict[Marker, SureBar] = {}
        self.buttons: dict[tuple[str, Marker], QToolButton] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(1)
        grid.setColumnMinimumWidth(4, 150)
        grid.setColumnStretch(8, 1)
        for row, marker in enumerate(Marker):
            self._add(grid, row, marker)
        self.set_palette(palette)

    def _add(self, grid: QGridLayout, row: int, marker: Marker) -> None:
        key = QLabel(KEY_OF[marker])
        key.setProperty("role", "key")
        key.setAlignment(Qt.AlignmentFlag.AlignCenter)
        key.setFixedSize(20, 20)
        name = QLabel(name_of(marker))
        name.setToolTip(f"{TIPS[marker]} ({KEY_OF[marker]} sets it at the playhead)")
        name.setMinimumWidth(112)
        field = TimeField()
        field.setAccessibleName(f"{name_of(marker)}, position")
        field.setToolTip(f"{TIPS[marker]}. Type 3:07.250 or seconds.")
        field.entered.connect(lambda at, m=marker: self.typed.emit(m, at))
        field.refused.connect(self.refused)
        how = QLabel("")
        how.setProperty("role", "muted")
        bar = SureBar(self._palette)
        self.fields[marker], self._names[marker], self._how[marker] = field, name, how
        self._bars[marker] = bar
        for column, widget in enumerate((key, name, field, bar, how)):
            grid.addWidget(widget, row, column)
        signals = {"set": self.set_asked, "clear": self.clear_asked, "again": self.again_asked}
        for column, (act, _, tip) in enumerate(_ACTS, 5):
            button = QToolButton()
            button.setProperty("role", "mini")
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setToolTip(f"{name_of(marker)}: {tip[:1].lower()}{tip[1:]}")
            button.setAccessibleName(f"{name_of(marker)}: {tip}")
            button.setIconSize(QSize(14, 14))
            button.clicked.connect(lambda _=False, m=marker, s=signals[act]: s.emit(m))
            self.buttons[act, marker] = button
            grid.addWidget(button, row, column)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self._palette = palette
        for (act, _), button in self.buttons.items():
            picture = next(picture for name, picture, _ in _ACTS if name == act)
            button.setIcon(icon(picture, palette.text, 14))
        for bar in self._bars.values():
            bar.palette_ = palette
            bar.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the marker whose row was clicked."""
        for marker, name in self._names.items():
            if abs(name.geometry().center().y() - event.position().y()) <= name.height() / 2 + 3:
                self.chosen.emit(marker)

    def show_markers(self, rows: list[Placed], spot: MarkerPlace | None) -> None:
        """Show where the markers are, one of them chosen."""
        first = {row.marker: row for row in reversed(rows)}
        many = [row for row in rows if row.marker is Marker.SWEEPER]
        if spot is not None and spot.marker is Marker.SWEEPER:
            here = [row for row in many if abs(row.at_s - spot.at_s) < 1e-6]
            first |= {Marker.SWEEPER: here[0]} if here else {}
        for marker, field in self.fields.items():
            row = first.get(marker)
            there = row is not None and not row.absent
            field.show_time(row.at_s if row is not None and there else None)
            how = "cleared" if row is not None and row.absent else "none"
            if row is not None and there:
                how = sure_words(row.sure)
            if marker is Marker.SWEEPER and len(many) > 1 and row is not None:
                how = f"set by hand, {many.index(row) + 1} of {len(many)}"
            self._how[marker].setText(how)
            bar = self._bars[marker]
            bar.sure, bar.there = (row.sure if row is not None else None), there
            bar.update()
            name = self._names[marker]
            chosen = spot is not None and spot.marker is marker
            if name.property("chosen") != chosen:
                name.setProperty("chosen", chosen)
                name.style().polish(name)
            self.buttons["clear", marker].setEnabled(there)
            again = row is not None and (row.absent or row.sure is None)
            self.buttons["again", marker].setEnabled(again and marker is not Marker.SWEEPER)

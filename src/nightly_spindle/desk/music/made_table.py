"""The table of a made day: hours as heads, their lines below; lines are moved by pulling."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QApplication

from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.music.made_logs import MadeLine
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.store.reports.format_board import FormatSheet, HourRow

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from zoneinfo import ZoneInfo

    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QMouseEvent

    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette

_LATE_S = 30.0


@dataclass(frozen=True, slots=True)
class MadeRow:
    """A line of a made hour, or the head of an hour (`place` below 0)."""

    hour: HourRow
    place: int
    line: MadeLine | None = None
    item: Item | None = None
    seconds: float = 0.0
    category: str = ""


def rows_of(hours: Sequence[HourRow], sheet: FormatSheet | None) -> list[MadeRow]:
    """Return the rows of some hours: only those that have a clock, or are made."""
    items: Mapping[int, Item] = sheet.items if sheet else {}
    names = {key: one.name for key, one in sheet.formats.categories.items()} if sheet else {}
    found = []
    for hour in hours:
        if hour.clock is None and hour.made is None:
            continue
        found.append(MadeRow(hour, -1))
        lines = hour.made.lines if hour.made else ()
        end = hour.slot.seconds + (hour.made.lands_s if hour.made else 0.0)
        for place, line in enumerate(lines):
            after = lines[place + 1].at_s if place + 1 < len(lines) else end
            name = names.get(line.category, line.category)
            found.append(MadeRow(hour, place, line, items.get(line.cart), after - line.at_s, name))
    return found


def _described(tz: ZoneInfo) -> TableLayout[MadeRow]:
    columns: tuple[Column[MadeRow], ...] = (
        Column("Time", 82, lambda r: _time(r, tz), right=True),
        Column("Title", 250, _title, wide=True, sign=_kind, ink=_title_ink),
        Column("Artist", 180, lambda r: r.item.artist if r.item else "", ink="muted"),
        Column("From", 140, _from, ink="muted"),
        Column(
            "Length", 58, lambda r: length(r.seconds) if r.line else "", right=True, ink="muted"
        ),
        Column("Marks", 120, _marks, ink=_marks_ink),
    )
    return TableLayout(
        "Made day", columns, _tip, heading=lambda row: row.line is None, sortable=False
    )


def _time(row: MadeRow, tz: ZoneInfo) -> str:
    if row.line is None:
        return f"{row.hour.slot.local:%H:%M}"
    return clock(row.hour.slot.start_us + round(row.line.at_s * US), tz)


def _title(row: MadeRow) -> str:
    if row.line is None:
        made, form = row.hour.made, row.hour.clock
        name = made.clock_name if made else form.name if form else ""
        return f"{name}   ·   {row.hour.gets.comes_from}"
    if row.item is not None:
        return row.item.title
    return "Break" if row.line.pattern else f"item {row.line.cart} is gone"


def _from(row: MadeRow) -> str:
    if row.line is None:
        return ""
    if row.line.by_hand:
        return "by hand"
    return row.category or ("break" if row.line.pattern else "clock")


def _marks(row: MadeRow) -> str:
    made = row.hour.made
    if row.line is not None:
        told = [f"▸ {row.line.mark}"] if row.line.mark else []
        return "  ".join([*told, *(["!"] if row.line.broken else [])])
    if made is None:
        return "not made yet"
    return f"lands {abs(made.lands_s):.0f} s {'late' if made.lands_s > 0 else 'early'}"


def _tip(row: MadeRow) -> str:
    """Return what a line breaks and why it is there; of an hour, what could not be kept."""
    if row.line is None:
        notes = row.hour.made.notes if row.hour.made else ()
        return "\n".join(note.text for note in notes) or row.hour.gets.comes_from
    return "\n".join([*row.line.broken, row.line.why])


def _kind(row: MadeRow) -> str:
    if row.line is None:
        return ""
    return str(row.item.kind) if row.item else "spot"


def _title_ink(row: MadeRow) -> Ink:
    return "alarm" if row.line is not None and row.line.broken else "text"


def _marks_ink(row: MadeRow) -> Ink:
    made = row.hour.made
    if row.line is not None:
        return "alarm" if row.line.broken else "muted"
    off = made is not None and abs(made.lands_s) > (2 if made.fixed else _LATE_S)
    return "alarm" if off or made is None else "text"


class MadeTable(RowView[MadeRow]):
    """Rows are called by their places.

    Signals besides: `pulled` (row, to row) while a line is pulled, `dropped` (row, to row).
    """

    pulled = Signal(int, int)
    dropped = Signal(int, int)

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__(_described(tz), palette)
        self._from = -1
        self._pressed: QPointF | None = None
        self._to = -1

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a line into the hand."""
        super().mousePressEvent(event)
        self._from = self.indexAt(event.position().toPoint()).row()
        self._pressed, self._to = event.position(), -1

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Pull it; what it would cost there is told meanwhile."""
        if self._pressed is None or self._from < 0:
            return
        far = (event.position() - self._pressed).manhattanLength()
        if self._to < 0 and far < QApplication.startDragDistance():
            return
        to = self.indexAt(event.position().toPoint()).row()
        if to >= 0 and to != self._to and self._may(to):
            self._to = to
            self.setCursor(Qt.CursorShape.SizeVerCursor)
            self.pulled.emit(self._from, to)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go."""
        super().mouseReleaseEvent(event)
        begun, to = self._from, self._to
        self._from, self._to, self._pressed = -1, -1, None
        self.unsetCursor()
        if to >= 0 and to != begun:
            self.dropped.emit(begun, to)

    def _may(self, to: int) -> bool:
        """Whether the line in hand may go there: within its hour."""
        rows = self.rows
        here, there = rows[self._from], rows[to]
        same = here.hour.slot.start_us == there.hour.slot.start_us
        return here.line is not None and there.line is not None and same

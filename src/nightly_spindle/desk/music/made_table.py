"""The table of a made day: hours as heads, their lines below; lines are moved by pulling."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor
from PySide6.QtWidgets import QApplication, QHeaderView

from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.music.made_logs import MadeLine
from nightly_spindle.desk.kit.row_table import Rows, RowTable
from nightly_spindle.store.reports.format_board import FormatSheet, HourRow

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from zoneinfo import ZoneInfo

    from PySide6.QtCore import QPointF
    from PySide6.QtGui import QMouseEvent

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


class MadeRows(Rows):
    """A made day: time, title, artist, where it comes from, length, marks."""

    heads = ("Time", "Title", "Artist", "From", "Length", "Marks")
    right = (0, 4)
    sign = 1

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__(palette)
        self._tz = tz

    def text(self, row: MadeRow, column: int) -> str:
        """Return a cell's text."""
        if row.line is None:
            return self._head(row, column)
        line, item = row.line, row.item
        at = row.hour.slot.start_us + round(line.at_s * US)
        title = item.title if item else "Break" if line.pattern else f"item {line.cart} is gone"
        came = "by hand" if line.by_hand else row.category or ("break" if line.pattern else "clock")
        return (clock(at, self._tz), title, item.artist if item else "", came,
                length(row.seconds), self._marks(row))[column]  # fmt: skip

    @staticmethod
    def _marks(row: MadeRow) -> str:
        assert row.line is not None
        told = [f"▸ {row.line.mark}"] if row.line.mark else []
        return "  ".join([*told, *(["!"] if row.line.broken else [])])

    def _head(self, row: MadeRow, column: int) -> str:
        hour = row.hour
        if column == 1:
            name = hour.made.clock_name if hour.made else hour.clock.name if hour.clock else ""
            return f"{name}   ·   {hour.gets.comes_from}"
        if column == 0:
            return f"{hour.slot.local:%H:%M}"
        if column == 5 and hour.made is None:
            return "not made yet"
        if column == 5 and hour.made is not None:
            way = "late" if hour.made.lands_s > 0 else "early"
            return f"lands {abs(hour.made.lands_s):.0f} s {way}"
        return ""

    def tip(self, row: MadeRow) -> str:
        """Return what a line breaks and why it is there; of an hour, what could not be kept."""
        if row.line is None:
            notes = row.hour.made.notes if row.hour.made else ()
            return "\n".join(note.text for note in notes) or row.hour.gets.comes_from
        return "\n".join([*row.line.broken, row.line.why])

    def kind(self, row: MadeRow) -> str:
        """Return the shape of a row."""
        if row.line is None:
            return ""
        return str(row.item.kind) if row.item else "spot"

    def ink(self, row: MadeRow, column: int) -> QColor | None:
        """Return the colour of a cell."""
        made = row.hour.made
        if row.line is None:
            off = made is not None and abs(made.lands_s) > (2 if made.fixed else _LATE_S)
            return QColor(self.palette_.alarm) if column == 5 and (off or made is None) else (
                QColor(self.palette_.text)
            )  # fmt: skip
        if row.line.broken and column in {1, 5}:
            return QColor(self.palette_.alarm)
        return None if column in {0, 1} else QColor(self.palette_.muted)

    def data(self, index, role=Qt.ItemDataRole.DisplayRole):  # type: ignore[no-untyped-def]  # noqa: ANN001, ANN201 - Qt's signature
        """Return a cell; heads are set apart by their ground and bold type."""
        row = self.rows[index.row()]
        if row.line is None and role == Qt.ItemDataRole.BackgroundRole:
            return QColor(self.palette_.panel)
        if role == Qt.ItemDataRole.DisplayRole and row.line is None:
            return self.text(row, index.column())
        return super().data(index, role)


class MadeTable(RowTable):
    """Signals besides: `pulled` (row, to row) while a line is pulled, `dropped` (row, to row)."""

    pulled = Signal(int, int)
    dropped = Signal(int, int)

    def __init__(self, rows: MadeRows) -> None:
        super().__init__(rows, "Made day", (82, 250, 180, 140, 58, 120))
        self.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Fixed)
        self.horizontalHeader().setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        self._from = -1
        self._pressed: QPointF | None = None
        self._to = -1

    def show_day(self, rows: Sequence[MadeRow]) -> None:
        """Show other rows; the name of an hour has the room of three columns."""
        self.clearSpans()
        self.rows.show_rows(rows, {})
        for place, row in enumerate(rows):
            if row.line is None:
                self.setSpan(place, 1, 1, 3)

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
        rows = self.rows.rows
        here, there = rows[self._from], rows[to]
        same = here.hour.slot.start_us == there.hour.slot.start_us
        return here.line is not None and there.line is not None and same

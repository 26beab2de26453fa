"""The running order as a table: what airs when, how it joins, where it comes from."""

from __future__ import annotations

from bisect import bisect_left
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen

from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.reports.timeline import CUT_IN, Block, cut_short
from nightly_spindle.desk.kit.line_view import LineView
from nightly_spindle.desk.kit.row_view import ROW_PX
from nightly_spindle.desk.kit.table_layout import Column, TableLayout

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PySide6.QtGui import QPaintEvent

    from nightly_spindle.desk.kit.theme import Palette

_MIME = "application/x-nightly-spindle-line"
MOST_ROWS = 400


class RunningOrderTable(LineView[Block]):
    """The running order, by line ids. Dragging, Ctrl+Up/Down and Delete change what is to come.

    Signals besides: `move_asked` (line id, before id; 0 for the end).
    """

    move_asked = Signal(int, int)

    def __init__(self, palette: Palette) -> None:
        self.marked: set[int] = set()  # lines that have a finding
        self.fixed_rows: set[int] = set()  # rows that something fixed in time comes before
        self.on_air = 0
        self.tz = ZoneInfo("UTC")
        super().__init__(
            self._described(),
            palette,
            _MIME,
            movable=lambda block: block.movable,
            told=lambda block: f"{block.artist} - {block.title}",
        )
        self.lines_dropped.connect(self.drop_lines)

    def _described(self) -> TableLayout[Block]:
        def on_air(block: Block) -> bool:
            return block.line_id == self.on_air

        columns: tuple[Column[Block], ...] = (
            Column(
                "At",
                86,
                lambda b: clock(b.start_us, self.tz),
                right=True,
                ink=lambda b: "air" if on_air(b) else "text",
            ),
            Column(
                "Length",
                60,
                lambda b: length((b.end_us - b.start_us) / US),
                right=True,
                ink=lambda b: "air" if on_air(b) else "alarm" if cut_short(b) else "text",
            ),
            Column(
                "Running order",
                250,
                lambda b: b.title,
                wide=True,
                bold=on_air,
                sign=lambda b: b.kind,
                mark=lambda b: "full" if b.line_id in self.marked else "",
            ),
            Column("Artist", 190, lambda b: b.artist, ink="muted"),
            Column(
                "Join",
                66,
                lambda b: b.join,
                right=True,
                ink=lambda b: "alarm" if b.join == CUT_IN else "muted",
            ),
            Column("From", 124, lambda b: b.brief, ink="muted"),
        )
        return TableLayout(
            "Running order",
            columns,
            tip=lambda b: f"{b.title} ({b.kind}): {b.why}",
            key=lambda b: b.line_id,
            sortable=False,
        )

    def show_blocks(
        self, blocks: Sequence[Block], marked: set[int], pins: Sequence[int], tz: ZoneInfo
    ) -> None:
        """Show other blocks; `marked` lines have a finding, `pins` are fixed times (µs)."""
        shown = blocks[:MOST_ROWS]
        self.marked, self.tz = marked, tz
        starts = [block.start_us for block in shown]
        self.fixed_rows = {bisect_left(starts, pin) for pin in pins} - {0, len(starts)}
        self.show_rows(shown)

    def set_on_air(self, line_id: int) -> None:
        """Say which line is on air."""
        if line_id != self.on_air:
            self.on_air = line_id
            self.viewport().update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the table, the mark of the line on air, a dashed line at each fixed time."""
        super().paintEvent(event)
        painter = QPainter(self.viewport())
        palette, width = self.painting.palette, self.viewport().width()
        painter.setPen(QPen(QColor(palette.muted), 1, Qt.PenStyle.DashLine))
        for fixed in self.fixed_rows:
            y = self.rowViewportPosition(fixed)
            painter.drawLine(0, y, width, y)
        row = self.cells.seen_at(self.on_air)
        if row >= 0:
            top = self.rowViewportPosition(row)
            painter.fillRect(0, top, 3, ROW_PX, QColor(palette.air))
            painter.setPen(QPen(QColor(palette.line)))
            painter.drawLine(0, top + ROW_PX - 1, width, top + ROW_PX - 1)
        painter.end()

    def drop_lines(self, lines: Sequence[int], before: int | None) -> None:
        """Ask for a line to be moved to where it was let go."""
        if lines and lines[0] != before:
            self.move_asked.emit(lines[0], before or 0)

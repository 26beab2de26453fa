"""Paints the rows of a table whole: cell by cell by style sheet is too slow for a full one."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, QRectF, Qt
from PySide6.QtGui import QColor, QFontMetrics, QPen, QStaticText, QTransform

from nightly_spindle.desk.kit.signs import sign_picture
from nightly_spindle.desk.kit.table_layout import NEEDS_YOU, Ink
from nightly_spindle.desk.kit.theme import TEXT, font

if TYPE_CHECKING:
    from collections.abc import Sequence
    from typing import Any

    from PySide6.QtGui import QPainter

    from nightly_spindle.desk.kit.row_model import RowModel
    from nightly_spindle.desk.kit.table_layout import Column, Mark
    from nightly_spindle.desk.kit.theme import Palette

_EDGE_PX = 5  # between a cell's edge and its text
_SIGN_PX = 10
_MOST_LAID = 4000  # texts whose layout is remembered: laying out is most of the work
_INKS: tuple[Ink, ...] = ("text", "muted", "alarm", "air")

Span = tuple[int, int, int]  # a column, its left edge and its width in pixels


class RowPainter:
    """Paints rows in the colours of `palette`."""

    def __init__(self, palette: Palette) -> None:
        self._fonts = {strong: font(TEXT, bold=strong) for strong in (False, True)}
        self._metrics = {strong: QFontMetrics(one) for strong, one in self._fonts.items()}
        self._laid: dict[tuple[str, int, bool, bool], tuple[QStaticText, int]] = {}
        self._high = self._metrics[False].height()
        self.set_palette(palette)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.palette = palette
        self._pens = {ink: QPen(QColor(getattr(palette, ink))) for ink in _INKS}
        self.ground, self._heading = QColor(palette.ground), QColor(palette.panel)
        self._select, self._alarm = QColor(palette.select), QColor(palette.alarm)
        self._muted = QColor(palette.muted)

    def paint_row(
        self,
        painter: QPainter,
        model: RowModel[Any],
        at: int,
        band: QRect,
        spans: Sequence[Span],
        *,
        chosen: bool,
    ) -> None:
        """Paint one row into its band; `spans` are the columns from left to right."""
        row = model.row(at)
        heads = row is not None and model.layout_.heading is not None and model.layout_.heading(row)
        if chosen or heads:
            painter.fillRect(band, self._select if chosen else self._heading)
        if row is None:
            return
        texts = model.texts(at)
        for place, (column, left, width) in enumerate(spans):
            text = texts[column]
            wide = _running_on(texts, spans, place) if heads and text else width
            box = QRect(left, band.y(), wide, band.height())
            self._paint_cell(painter, model.columns[column], row, text, box, heads)

    def _paint_cell(
        self, painter: QPainter, column: Column[Any], row: Any, text: str, box: QRect, heads: bool
    ) -> None:
        inner = box.adjusted(_EDGE_PX, 0, -_EDGE_PX, 0)
        if column.sign is not None and not heads:
            self._paint_sign(painter, column.sign(row), box)
            inner.setLeft(box.x() + 22)
        mark = column.mark(row) if column.mark is not None else ""
        if mark:
            self._paint_dot(painter, mark, box.right() - 15, box)
            inner.setRight(box.right() - 19)
        if column.paint is not None:
            column.paint(painter, QRectF(box), row, self.palette)
        if not text:
            return
        strong = heads or (column.bold is not None and column.bold(row))
        painter.setPen(self._pens[column.ink_of(row)])
        painter.setFont(self._fonts[strong])
        laid, wide = self._lay(text, inner.width(), strong, column.keeps_end)
        left = inner.x() + (inner.width() - wide if column.right else 0)
        painter.drawStaticText(left, inner.y() + (inner.height() - self._high) // 2, laid)

    def _paint_sign(self, painter: QPainter, kind: str, box: QRect) -> None:
        if kind == NEEDS_YOU:
            self._paint_dot(painter, "full", box.x() + 7, box)
        elif kind:
            picture = sign_picture(kind, _SIGN_PX, painter.device().devicePixelRatioF())
            painter.drawPixmap(box.x() + 6, box.center().y() - _SIGN_PX // 2 + 1, picture)

    def _paint_dot(self, painter: QPainter, mark: Mark, left: int, box: QRect) -> None:
        painter.save()
        painter.setRenderHint(painter.RenderHint.Antialiasing)
        full = mark == "full"
        painter.setBrush(self._alarm if full else Qt.BrushStyle.NoBrush)
        painter.setPen(Qt.PenStyle.NoPen if full else QPen(self._muted, 1.4))
        painter.drawEllipse(QRectF(left, box.center().y() - 4, 9, 9))
        painter.restore()

    def _lay(self, text: str, room: int, strong: bool, keeps_end: bool) -> tuple[QStaticText, int]:
        """Return a text laid out within so many pixels, and how wide it is; remembered."""
        asked = (text, room, strong, keeps_end)
        if asked not in self._laid:
            if len(self._laid) >= _MOST_LAID:
                self._laid.clear()
            metrics = self._metrics[strong]
            side = Qt.TextElideMode.ElideLeft if keeps_end else Qt.TextElideMode.ElideRight
            cut = metrics.elidedText(text, side, room)
            laid = QStaticText(cut)
            laid.setTextFormat(Qt.TextFormat.PlainText)
            laid.setPerformanceHint(QStaticText.PerformanceHint.AggressiveCaching)
            laid.prepare(QTransform(), self._fonts[strong])
            self._laid[asked] = (laid, metrics.horizontalAdvance(cut))
        return self._laid[asked]

    def paint_outline(self, painter: QPainter, band: QRect) -> None:
        """Paint the outline of the row that keys go to while it is not chosen."""
        painter.setPen(self._pens["muted"])
        painter.drawRect(band.adjusted(0, 0, -1, -1))

    def paint_gap(self, painter: QPainter, y: int, width: int) -> None:
        """Paint the line between two rows where what is dragged would go."""
        painter.fillRect(0, max(0, y - 1), width, 2, QColor(self.palette.text))


def _running_on(texts: Sequence[str], spans: Sequence[Span], place: int) -> int:
    """Return the width of a heading's text: its own column's and that of empty ones after it."""
    width = spans[place][2]
    for column, _, more in spans[place + 1 :]:
        if texts[column]:
            break
        width += more
    return width

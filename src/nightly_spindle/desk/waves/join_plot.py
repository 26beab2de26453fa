"""The level through a join, drawn: the outgoing item, the incoming one, and both together."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from nightly_spindle.audio.join_level import DIP_DB, STEP_S
from nightly_spindle.desk.kit.theme import SMALL, Palette, font, kind_color

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from nightly_spindle.audio.join_level import JoinLevels

_DEEP_DB = 36.0
_OVER_DB = 6.0


def paint_levels(
    painter: QPainter,
    box: QRectF,
    levels: JoinLevels,
    kinds: tuple[str, str],
    palette: Palette,
    span_s: tuple[float, float],
) -> None:
    """Paint levels between two moments, counted from the incoming item's start.

    The line where a dip begins to be heard as a hole is dotted.
    """
    top = max(levels.out_ref, levels.in_ref) + _OVER_DB

    def y(db: float) -> float:
        part = (top - db) / (_OVER_DB + _DEEP_DB)
        return box.top() + min(1.0, max(0.0, part)) * box.height()

    def x(at_s: float) -> float:
        return box.left() + (at_s - span_s[0]) / (span_s[1] - span_s[0]) * box.width()

    first = max(0, levels.start + round(span_s[0] / STEP_S))
    last = min(len(levels.both), levels.start + round(span_s[1] / STEP_S) + 1)
    step = max(1, int((last - first) / max(1.0, box.width()) + 0.5))
    at = np.arange(first, last, step)

    def line(values: NDArray[np.floating]) -> list[QPointF]:
        return [QPointF(x((i - levels.start) * STEP_S), y(float(values[i]))) for i in at.tolist()]

    for values, kind in ((levels.out, kinds[0]), (levels.into, kinds[1])):
        color = kind_color(kind).lighter(115)
        edge_ink = QPen(color, 1)
        color.setAlpha(115)
        painter.setBrush(color)
        points = line(values)
        painter.setPen(Qt.PenStyle.NoPen)
        foot = box.bottom()
        edge = [QPointF(points[-1].x(), foot), QPointF(points[0].x(), foot)]
        painter.drawPolygon(QPolygonF(points + edge))
        painter.setPen(edge_ink)
        painter.drawPolyline(QPolygonF(points))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    hole = y(min(levels.out_ref, levels.in_ref) - DIP_DB)
    painter.setPen(QPen(QColor(palette.muted), 1, Qt.PenStyle.DotLine))
    painter.drawLine(QPointF(box.left(), hole), QPointF(box.right(), hole))
    painter.setPen(QPen(QColor(palette.text), 1.6))
    painter.drawPolyline(QPolygonF(line(levels.both)))


class JoinPlot(QWidget):
    """One join's level, seven seconds either side. `caption` stands above, `told` below."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.caption, self.told, self.bad = "", "", False
        self._levels: JoinLevels | None = None
        self._kinds = ("song", "song")
        self._together_s = 0.0
        self.setMinimumHeight(96)
        self.setAccessibleName("Level through the join")

    def show_levels(
        self,
        levels: JoinLevels | None,
        kinds: tuple[str, str],
        together_s: float,
        caption: str,
        told: str,
        *,
        bad: bool,
    ) -> None:
        """Show a join, or nothing."""
        self._levels, self._kinds, self._together_s = levels, kinds, together_s
        self.caption, self.told, self.bad = caption, told, bad
        self.setAccessibleDescription(f"{caption}: {told}")
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the overlap, the levels, and the two lines of text."""
        del event
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        box = QRectF(0, 17, self.width(), self.height() - 34)
        painter.fillRect(box, QColor(self.palette_.ground))
        painter.setFont(font(SMALL, bold=True))
        painter.setPen(QColor(self.palette_.muted))
        painter.drawText(QRectF(0, 0, self.width(), 15), 0, self.caption)
        if self._levels is not None:
            start, end = (box.width() * (7.0 + at) / 14.0 for at in (0.0, self._together_s))
            shade = QColor(self.palette_.select)
            left, wide = min(start, end), abs(end - start)
            painter.fillRect(QRectF(left, box.top(), max(1.0, wide), box.height()), shade)
            kinds, span = self._kinds, (-7.0, 7.0)
            paint_levels(painter, box, self._levels, kinds, self.palette_, span)
        painter.setFont(font(SMALL))
        painter.setPen(QColor(self.palette_.alarm if self.bad else self.palette_.text))
        foot = QRectF(0, box.bottom() + 2, self.width(), 15)
        text = painter.fontMetrics().elidedText(
            self.told, Qt.TextElideMode.ElideRight, self.width()
        )
        painter.drawText(foot, 0, text)
        painter.end()

"""Painting the week of timed events: a strip for each day, on the night line's scale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF

from nightly_spindle.core.week import Box, Does
from nightly_spindle.desk.theme import SMALL, font

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.desk.nightpaint import Scale
    from nightly_spindle.desk.theme import Palette

LEAST_PX = 11.0  # what is shorter is drawn so wide: its sign
_SIGN = 8.0
_NAME_GAP = 3.0

# Okabe and Ito's set, as the kinds of items have it; vermilion stays for alarms
COLORS = {
    Does.PLAYS: "#009E73",
    Does.LOADS: "#0072B2",
    Does.STREAM: "#CC79A7",
    Does.SWITCHES: "#999999",
}
_INK = {Does.LOADS: "#ffffff"}


def box_rect(box: Box, top: float, height: float, scale: Scale) -> QRectF:
    """Return where a box is drawn in its day's strip."""
    tall = height / box.lanes
    left = scale.x(box.at_us)
    wide = max(LEAST_PX, box.length_s * 1e6 / scale.us_per_px)
    return QRectF(left, top + tall * box.lane, wide, max(4.0, tall - 1.5))


def paint_box(
    painter: QPainter,
    rect: QRectF,
    box: Box,
    palette: Palette,
    *,
    chosen: bool,
    finding: bool,
    room: float,
) -> None:
    """Paint one firing: its colour, its sign, its name where there is room up to x `room`."""
    color = QColor(COLORS[box.does])
    painter.setPen(Qt.PenStyle.NoPen)
    if box.enabled:
        painter.setBrush(color)
        painter.drawRect(rect)
    else:
        painter.setBrush(QColor(palette.panel))
        painter.drawRect(rect)
        painter.setBrush(Qt.BrushStyle.BDiagPattern)
        painter.setPen(QPen(color, 1))
        painter.drawRect(rect)
    if chosen:
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(palette.text), 2))
        painter.drawRect(rect.adjusted(-1, -1, 1, 1))
    inside = QColor(_INK.get(box.does, "#10151c")) if box.enabled else QColor(palette.text)
    if rect.height() >= _SIGN:
        centre = QPointF(rect.left() + LEAST_PX / 2, rect.center().y())
        paint_does(painter, centre, box.does, inside)
    if finding:
        _paint_finding(painter, rect, palette)
    if rect.height() < SMALL:
        return
    long = rect.width() > LEAST_PX * 3
    left = rect.left() + LEAST_PX + _NAME_GAP
    right = rect.right() if long else room
    if right - left < 12:
        return
    painter.setFont(font(SMALL))
    painter.setPen(inside if long else QColor(palette.text if box.enabled else palette.muted))
    words = painter.fontMetrics().elidedText(
        box.name, Qt.TextElideMode.ElideRight, round(right - left - 2)
    )
    if len(words) > 2 or words == box.name:
        where = QRectF(left, rect.top(), right - left, rect.height())
        align = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft
        painter.drawText(where, align, words)


def paint_does(painter: QPainter, centre: QPointF, does: Does, ink: QColor) -> None:
    """Paint the sign of what an event does; each has a shape of its own."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    x, y, r = centre.x(), centre.y(), _SIGN / 2 - 0.5
    if does is Does.PLAYS:
        painter.drawEllipse(centre, r - 0.5, r - 0.5)
    elif does is Does.LOADS:
        for row in (-2.6, 0.0, 2.6):
            painter.drawRect(QRectF(x - r, y + row - 0.7, 2 * r, 1.4))
    elif does is Does.STREAM:
        points = [QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r), QPointF(x - r, y)]
        painter.drawPolygon(QPolygonF(points))
    else:
        painter.drawPolygon(
            QPolygonF([QPointF(x - r, y - r), QPointF(x + r, y - r), QPointF(x, y + r)])
        )


def _paint_finding(painter: QPainter, rect: QRectF, palette: Palette) -> None:
    centre = QPointF(min(rect.right(), rect.left() + max(LEAST_PX, rect.width())), rect.top() + 3)
    painter.setPen(QPen(QColor(palette.ground), 1))
    painter.setBrush(QColor(palette.alarm))
    painter.drawEllipse(centre, 4, 4)


def room_right(rects: Sequence[QRectF], place: int, edge: float) -> float:
    """Return how far right a name may go before the next box of the same lane begins."""
    here = rects[place]
    for other in rects[place + 1 :]:
        if abs(other.top() - here.top()) < here.height() and other.left() > here.left():
            return other.left() - 3
    return edge

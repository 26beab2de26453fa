"""Painting the week of timed events: a strip for each day, on the night line's scale."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPixmap, QPolygonF

from nightly_spindle.core.reports.event_week import Box, Does
from nightly_spindle.desk.kit.theme import SMALL, font

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.desk.timeline.timeline_painting import Scale

PIN_PX = 11.0  # pins are so wide, whatever their length
_PIN_TALL = 13.0
_MOST_PIN_LANES = 3
_SIGN = 8.0
_NAME_GAP = 3.0

# Okabe and Ito's set, as the kinds of items have it; vermilion stays for alarms
COLORS = {
    Does.SHOW: "#009E73",
    Does.SHORT: "#56B4E9",
    Does.LOG: "#0072B2",
    Does.STREAM: "#CC79A7",
    Does.SWITCH: "#999999",
}
_INK = {Does.LOG: "#ffffff"}


def boxes_rects(boxes: Sequence[Box], strip: QRectF, scale: Scale) -> list[QRectF]:
    """Return where the boxes of a day are drawn: blocks above, pins in rows at the foot."""
    pins = max((box.lane + 1 for box in boxes if not box.long), default=0)
    rows = min(pins, _MOST_PIN_LANES)
    foot = min(rows * (_PIN_TALL + 1.5), strip.height() * 0.62)
    blocks = QRectF(strip.left(), strip.top(), strip.width(), max(14.0, strip.height() - foot - 2))
    found = []
    for box in boxes:
        left = scale.x(box.at_us)
        if box.long:
            tall = blocks.height() / box.lanes
            wide = max(PIN_PX, box.length_s * 1e6 / scale.us_per_px)
            found.append(QRectF(left, blocks.top() + tall * box.lane, wide, max(5.0, tall - 1.5)))
        else:
            tall = foot / max(1, rows)
            # more pins at one time than there are rows stand beside each other
            aside = box.lane // _MOST_PIN_LANES * (PIN_PX + 1)
            top = strip.bottom() - foot + tall * (box.lane % _MOST_PIN_LANES)
            found.append(QRectF(left + aside, top, PIN_PX, max(5.0, tall - 1.5)))
    return found


class Stamps:
    """Pictures of pins and signs, painted once for each look and size: there can be thousands."""

    def __init__(self, palette: Palette, ratio: float) -> None:
        self._palette = palette
        self._ratio = ratio
        self._made: dict[tuple[Does, bool, int], QPixmap] = {}

    def pin(self, does: Does, height: int, *, enabled: bool) -> QPixmap:
        """Return a whole pin, ground and sign."""
        key = (does, enabled, height)
        if key not in self._made:
            picture, painter = self._blank(height)
            rect = QRectF(0.5, 0.5, PIN_PX - 1, height - 1)
            color = QColor(COLORS[does])
            painter.setPen(Qt.PenStyle.NoPen if enabled else QPen(color, 1))
            painter.setBrush(color if enabled else Qt.BrushStyle.BDiagPattern)
            painter.drawRoundedRect(rect, 2, 2)
            if height >= _SIGN:
                paint_does(painter, rect.center(), does, self._ink(does, enabled=enabled))
            painter.end()
            self._made[key] = picture
        return self._made[key]

    def sign(self, does: Does, *, enabled: bool) -> QPixmap:
        """Return the sign alone, for the corner of a block."""
        key = (does, enabled, 0)
        if key not in self._made:
            picture, painter = self._blank(round(PIN_PX))
            centre = QPointF(PIN_PX / 2, PIN_PX / 2)
            paint_does(painter, centre, does, self._ink(does, enabled=enabled))
            painter.end()
            self._made[key] = picture
        return self._made[key]

    def _blank(self, height: int) -> tuple[QPixmap, QPainter]:
        picture = QPixmap(QSize(round(PIN_PX), max(1, height)) * self._ratio)
        picture.setDevicePixelRatio(self._ratio)
        picture.fill(Qt.GlobalColor.transparent)
        painter = QPainter(picture)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        return picture, painter

    def _ink(self, does: Does, *, enabled: bool) -> QColor:
        return ink_of(does) if enabled else QColor(self._palette.text)


def ink_of(does: Does) -> QColor:
    """Return the text colour that reads on what an event does."""
    return QColor(_INK.get(does, "#10151c"))


def paint_boxes(
    painter: QPainter,
    boxes: Sequence[Box],
    rects: Sequence[QRectF],
    palette: Palette,
    stamps: Stamps,
    edge: float,
) -> None:
    """Paint the firings of a day; names of blocks go beside them up to x `edge`."""
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)
    named: list[int] = []
    for place, (box, rect) in enumerate(zip(boxes, rects, strict=True)):
        if not box.long:
            picture = stamps.pin(box.does, round(rect.height()), enabled=box.enabled)
            painter.drawPixmap(rect.topLeft(), picture)
            continue
        color = QColor(COLORS[box.does])
        if box.enabled:
            painter.fillRect(rect, color)
        else:
            painter.setPen(QPen(color, 1))
            painter.setBrush(Qt.BrushStyle.BDiagPattern)
            painter.drawRect(rect)
        if rect.height() >= _SIGN:
            painter.drawPixmap(rect.topLeft(), stamps.sign(box.does, enabled=box.enabled))
        if rect.height() >= SMALL:
            named.append(place)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    for place in named:
        room = room_beside(boxes, rects, place, edge)
        _paint_name(painter, rects[place], boxes[place], palette, room)


def paint_chosen(painter: QPainter, rect: QRectF, palette: Palette) -> None:
    """Paint a frame around a chosen firing."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(QColor(palette.text), 2))
    painter.drawRoundedRect(rect.adjusted(-1, -1, 1, 1), 2, 2)


def _paint_name(painter: QPainter, rect: QRectF, box: Box, palette: Palette, room: float) -> None:
    """Paint a block's name inside it, or beside it where it is too narrow."""
    ink = ink_of(box.does) if box.enabled else QColor(palette.text)
    painter.setFont(font(SMALL))
    measure = painter.fontMetrics()
    wide = measure.horizontalAdvance(box.name)
    inside = rect.adjusted(PIN_PX + _NAME_GAP, 1, -2, -1)
    left = Qt.AlignmentFlag.AlignLeft
    if wide > inside.width() and room - rect.right() > inside.width():
        painter.setPen(QColor(palette.text if box.enabled else palette.muted))
        where = QRectF(rect.right() + 4, rect.top(), room - rect.right() - 6, 16)
        text = measure.elidedText(box.name, Qt.TextElideMode.ElideRight, round(where.width()))
        painter.drawText(where, left | Qt.AlignmentFlag.AlignVCenter, text)
        return
    painter.setPen(ink)
    if wide > inside.width() and rect.height() > 2.4 * SMALL:
        painter.drawText(
            inside, left | Qt.AlignmentFlag.AlignTop | Qt.TextFlag.TextWordWrap, box.name
        )
        return
    text = measure.elidedText(box.name, Qt.TextElideMode.ElideRight, round(inside.width()))
    painter.drawText(
        QRectF(inside.left(), rect.top(), inside.width(), 16),
        left | Qt.AlignmentFlag.AlignVCenter,
        text,
    )


def room_beside(boxes: Sequence[Box], rects: Sequence[QRectF], place: int, edge: float) -> float:
    """Return how far right a block's name may go: to the next block, or the edge."""
    here = rects[place]
    others = [
        rect.left()
        for box, rect in zip(boxes, rects, strict=True)
        if box.long
        and rect.right() > here.right()
        and rect.top() < here.top() + 16
        and rect.bottom() > here.top()
    ]
    return max(here.right(), min([edge, *others]))


def paint_does(painter: QPainter, centre: QPointF, does: Does, ink: QColor) -> None:
    """Paint the sign of what an event does; each has a shape of its own."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    x, y, r = centre.x(), centre.y(), _SIGN / 2 - 0.5
    if does is Does.SHORT:
        painter.drawEllipse(centre, r - 0.5, r - 0.5)
    elif does is Does.LOG:
        for row in (-2.6, 0.0, 2.6):
            painter.drawRect(QRectF(x - r, y + row - 0.7, 2 * r, 1.4))
    elif does is Does.STREAM:
        points = [QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r), QPointF(x - r, y)]
        painter.drawPolygon(QPolygonF(points))
    elif does is Does.SHOW:
        painter.drawRect(QRectF(x - r, y - r, 2 * r, 2 * r))
    else:
        painter.drawPolygon(
            QPolygonF([QPointF(x - r, y - r), QPointF(x + r, y - r), QPointF(x, y + r)])
        )


def paint_finding(painter: QPainter, rect: QRectF, palette: Palette) -> None:
    """Paint the mark of a finding at the corner of a firing."""
    painter.setPen(QPen(QColor(palette.ground), 1))
    painter.setBrush(QColor(palette.alarm))
    painter.drawEllipse(QPointF(rect.right() - 1, rect.top() + 2), 4, 4)

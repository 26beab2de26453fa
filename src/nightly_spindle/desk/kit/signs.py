"""The second sign of each kind, beside its colour: a small drawn shape."""

from __future__ import annotations

from functools import lru_cache

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPixmap, QPolygonF

from nightly_spindle.desk.kit.theme import kind_color

_POINTS: dict[str, list[tuple[float, float]]] = {
    "id": [(0.5, 0), (1, 0.5), (0.5, 1), (0, 0.5)],
    "jingle": [(0.5, 0), (1, 0.5), (0.5, 1), (0, 0.5)],
    "sweeper": [(0.35, 0.1), (1, 0.1), (0.65, 0.9), (0, 0.9)],
    "voiceover": [(0.35, 0.1), (1, 0.1), (0.65, 0.9), (0, 0.9)],
    "promo": [(0.1, 0), (1, 0.5), (0.1, 1)],
    "spot": [(0.05, 0.05), (0.95, 0.05), (0.95, 0.95), (0.05, 0.95)],
    "psa": [(0.05, 0.05), (0.95, 0.05), (0.95, 0.95), (0.05, 0.95)],
    "filler": [(0, 0.35), (1, 0.35), (1, 0.65), (0, 0.65)],
    "bed": [(0, 0.35), (1, 0.35), (1, 0.65), (0, 0.65)],
}
_STAR = [(0.5, 0), (1, 0.4), (0.8, 1), (0.2, 1), (0, 0.4)]


def paint_sign(painter: QPainter, kind: str, box: QRectF) -> None:
    """Paint a kind's shape in its colour into a square."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(kind_color(kind))
    if kind == "song":
        painter.drawEllipse(box)
    else:
        points = _POINTS.get(kind, _STAR)
        painter.drawPolygon(
            QPolygonF(
                [QPointF(box.x() + x * box.width(), box.y() + y * box.height()) for x, y in points]
            )
        )
    painter.restore()


@lru_cache(maxsize=64)
def sign_picture(kind: str, side: int, scale: float) -> QPixmap:
    """Return a kind's shape as a picture of `side` pixels on a screen of that scale."""
    made = QPixmap(round(side * scale), round(side * scale))
    made.setDevicePixelRatio(scale)
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    paint_sign(painter, kind, QRectF(0, 0, side, side))
    painter.end()
    return made

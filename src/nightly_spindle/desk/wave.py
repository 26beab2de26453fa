"""An item's waveform with its markers drawn on it, and the playhead."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from nightly_spindle.core.timebase import length
from nightly_spindle.desk.theme import SMALL, Palette, font, kind_color

if TYPE_CHECKING:
    from nightly_spindle.core.items import Measure

_FOOT = 16


class ItemWave(QWidget):
    """The whole item from left to right. What is not played is pale; a click asks to listen.

    Signal: `asked` (seconds into the file).
    """

    asked = Signal(float)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._wave = b""
        self._measure: Measure | None = None
        self._kind = ""
        self._at_s: float | None = None
        self.setFixedHeight(84)
        self.setAccessibleName("Waveform with markers")
        self.setToolTip(
            "Cue in and cue out bound what is played; the dashed line is the segue point, where "
            "the next item starts; the slant shows the fade. Click to listen from there."
        )

    def show_item(self, wave: bytes, measure: Measure | None, kind: str) -> None:
        """Show an item, or nothing."""
        self._wave, self._measure, self._kind, self._at_s = wave, measure, kind, None
        self.update()

    def set_playhead(self, at_s: float | None) -> None:
        """Move the playhead; None takes it away."""
        self._at_s = at_s
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Ask to listen from where the click was."""
        if self._measure is not None:
            part = event.position().x() / max(1, self.width())
            self.asked.emit(min(1.0, max(0.0, part)) * self._measure.duration_s)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint wave, markers, playhead, and the two times at the foot."""
        del event
        painter = QPainter(self)
        high = self.height() - _FOOT
        painter.fillRect(QRectF(0, 0, self.width(), high), QColor(self.palette_.ground))
        measure = self._measure
        if measure is None or not self._wave or measure.duration_s <= 0:
            painter.end()
            return
        self._paint_wave(painter, measure, high)
        self._paint_markers(painter, measure, high)
        if self._at_s is not None:
            x = self._x(self._at_s)
            painter.setPen(QPen(QColor(self.palette_.text), 2))
            painter.drawLine(QPointF(x, 0), QPointF(x, high))
        painter.end()

    def _x(self, seconds: float) -> float:
        assert self._measure is not None
        return self.width() * seconds / self._measure.duration_s

    def _paint_wave(self, painter: QPainter, measure: Measure, high: float) -> None:
        color = kind_color(self._kind).lighter(115)
        pale = QColor(color)
        pale.setAlpha(70)
        middle = high / 2
        first, last = self._x(measure.cue_in_s), self._x(measure.cue_out_s)
        columns = len(self._wave)
        for x in range(self.width()):
            begin = x * columns // self.width()
            peak = max(self._wave[begin : max(begin + 1, (x + 1) * columns // self.width())])
            half = max(0.5, peak / 255 * (middle - 3))
            painter.fillRect(
                QRectF(x, middle - half, 1, 2 * half), color if first <= x <= last else pale
            )

    def _paint_markers(self, painter: QPainter, measure: Measure, high: float) -> None:
        ink = QColor(self.palette_.text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(ink, 1.5))
        for at, turn in ((measure.cue_in_s, 1), (measure.cue_out_s, -1)):
            x = min(self.width() - 1.0, max(1.0, self._x(at)))
            painter.drawLine(QPointF(x, 0), QPointF(x, high))
            for y in (1.0, high - 1):
                painter.drawLine(QPointF(x, y), QPointF(x + 5 * turn, y))
        segue = self._x(measure.segue_s)
        painter.setPen(QPen(ink, 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(segue, 0), QPointF(segue, high))
        if measure.fade_start_s < measure.segue_s:
            painter.drawLine(
                QPointF(self._x(measure.fade_start_s), 2), QPointF(self._x(measure.cue_out_s), high)
            )
        painter.setPen(QColor(self.palette_.muted))
        painter.setFont(font(SMALL))
        foot = QRectF(0, high, self.width(), _FOOT)
        painter.drawText(foot, int(Qt.AlignmentFlag.AlignLeft), length(measure.cue_in_s))
        painter.drawText(foot, int(Qt.AlignmentFlag.AlignRight), length(measure.duration_s))
        painter.drawText(
            foot, int(Qt.AlignmentFlag.AlignHCenter), f"segue {length(measure.segue_s)}"
        )

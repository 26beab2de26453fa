"""An item's waveform with its markers drawn on it, and the playhead."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.library.markers import Marker
from nightly_spindle.desk.kit.theme import SMALL, Palette, font, kind_color

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.segues.effective_markers import Placed

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
        self._length_s = 0.0
        self._rows: Sequence[Placed] = ()
        self._kind = ""
        self._at_s: float | None = None
        self.setFixedHeight(84)
        self.setAccessibleName("Waveform with markers")
        self.setToolTip(
            "Cue in and cue out bound what is played; the dashed line is the segue point, where "
            "the next item starts; the slant shows the fade. Click to listen from there."
        )

    def show_item(self, wave: bytes, length_s: float, rows: Sequence[Placed], kind: str) -> None:
        """Show an item with its markers."""
        self._wave, self._length_s, self._rows = wave, length_s, rows
        self._kind, self._at_s = kind, None
        self.update()

    def set_playhead(self, at_s: float | None) -> None:
        """Move the playhead; None takes it away."""
        self._at_s = at_s
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Ask to listen from where the click was."""
        part = event.position().x() / max(1, self.width())
        self.asked.emit(min(1.0, max(0.0, part)) * self._length_s)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint wave, markers, playhead, and the two times at the foot."""
        del event
        painter = QPainter(self)
        high = self.height() - _FOOT
        painter.fillRect(QRectF(0, 0, self.width(), high), QColor(self.palette_.ground))
        if not self._wave or self._length_s <= 0:
            painter.end()
            return
        self._paint_wave(painter, high)
        self._paint_markers(painter, high)
        if self._at_s is not None:
            x = self._x(self._at_s)
            painter.setPen(QPen(QColor(self.palette_.text), 2))
            painter.drawLine(QPointF(x, 0), QPointF(x, high))
        painter.end()

    def _x(self, seconds: float) -> float:
        return self.width() * seconds / self._length_s

    def _at(self, marker: Marker, otherwise: float) -> float:
        found = (row.at_s for row in self._rows if row.marker is marker and not row.absent)
        return next(found, otherwise)

    def _paint_wave(self, painter: QPainter, high: float) -> None:
        color = kind_color(self._kind).lighter(115)
        pale = QColor(color)
        pale.setAlpha(70)
        middle = high / 2
        first = self._x(self._at(Marker.CUE_IN, 0.0))
        last = self._x(self._at(Marker.CUE_OUT, self._length_s))
        columns = len(self._wave)
        for x in range(self.width()):
            begin = x * columns // self.width()
            peak = max(self._wave[begin : max(begin + 1, (x + 1) * columns // self.width())])
            half = max(0.5, peak / 255 * (middle - 3))
            painter.fillRect(
                QRectF(x, middle - half, 1, 2 * half), color if first <= x <= last else pale
            )

    def _paint_markers(self, painter: QPainter, high: float) -> None:
        ink = QColor(self.palette_.text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(ink, 1.5))
        cue_in, cue_out = self._at(Marker.CUE_IN, 0.0), self._at(Marker.CUE_OUT, self._length_s)
        for at, turn in ((cue_in, 1), (cue_out, -1)):
            x = min(self.width() - 1.0, max(1.0, self._x(at)))
            painter.drawLine(QPointF(x, 0), QPointF(x, high))
            for y in (1.0, high - 1):
                painter.drawLine(QPointF(x, y), QPointF(x + 5 * turn, y))
        segue = self._at(Marker.SEGUE, cue_out)
        painter.setPen(QPen(ink, 1, Qt.PenStyle.DashLine))
        painter.drawLine(QPointF(self._x(segue), 0), QPointF(self._x(segue), high))
        fade = self._at(Marker.FADE_START, segue)
        if fade < segue:
            painter.drawLine(QPointF(self._x(fade), 2), QPointF(self._x(cue_out), high))
        painter.setPen(QColor(self.palette_.muted))
        painter.setFont(font(SMALL))
        foot = QRectF(0, high, self.width(), _FOOT)
        painter.drawText(foot, int(Qt.AlignmentFlag.AlignLeft), length(cue_in))
        painter.drawText(foot, int(Qt.AlignmentFlag.AlignRight), length(self._length_s))
        painter.drawText(foot, int(Qt.AlignmentFlag.AlignHCenter), f"segue {length(segue)}")

"""Two items one above the other on one time axis, their fades, and the level that comes of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from nightly_spindle.audio.mixer import shape
from nightly_spindle.core.segues.joins import span
from nightly_spindle.desk.kit.theme import SMALL, Palette, font, kind_color
from nightly_spindle.desk.markers.marker_wave import Sound
from nightly_spindle.desk.waves import wave_painting
from nightly_spindle.desk.waves.join_plot import paint_levels

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.desk.waves.join_session import JoinSession

_TICKS = 18
_NAME = 17
_PLOT = 118
_GRIP_PX = 9.0
_LEAST_S, _MOST_S = 2.0, 90.0


class JoinLanes(QWidget):
    """The axis is the outgoing item's own time.

    Signals: `start_moved`, `fade_moved` (seconds in the outgoing item), `fade_end_moved`
    (seconds), `fade_in_moved` (seconds of fade-in), each while dragging; `released` at its end.
    """

    start_moved = Signal(float)
    fade_moved = Signal(float)
    fade_end_moved = Signal(float)
    fade_in_moved = Signal(float)
    released = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.session: JoinSession | None = None
        self.sounds: tuple[Sound, Sound] = (Sound(), Sound())
        self.playhead_s: float | None = None
        self._begin_s, self._span_s = 0.0, 24.0
        self._grip: tuple[str, float] | None = None
        self.setMinimumHeight(300)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName("The join: two waveforms, fades, level")
        self.setToolTip(
            "Drag the lower item to move its start. Drag the round handles to move "
            "where a fade begins and ends. Wheel zooms."
        )

    # -- what is shown -------------------------------------------------------------------------

    def show_session(self, session: JoinSession, sounds: tuple[Sound, Sound]) -> None:
        """Show another join, its start in the middle."""
        self.session, self.sounds, self.playhead_s = session, sounds, None
        self._span_s = 24.0
        self._begin_s = session.start_s - self._span_s * 0.48
        self.update()

    def zoom(self, factor: float, at_x: float | None = None) -> None:
        """Zoom around a pixel, or around the incoming item's start."""
        session = self.session
        if session is None:
            return
        x = self._x(session.start_s) if at_x is None else at_x
        around = self._s(x)
        span_s = min(max(self._span_s * factor, _LEAST_S), _MOST_S)
        self._begin_s = around - (around - self._begin_s) * span_s / self._span_s
        self._span_s = span_s
        self.update()

    def _x(self, at_s: float) -> float:
        return (at_s - self._begin_s) / self._span_s * self.width()

    def _s(self, x: float) -> float:
        return self._begin_s + x / max(1, self.width()) * self._span_s

    def _boxes(self) -> tuple[QRectF, QRectF, QRectF]:
        """Return the outgoing lane, the incoming lane, the level."""
        tall = (self.height() - _TICKS - _PLOT - 8) / 2
        wide = float(self.width())
        out = QRectF(0, 0, wide, tall)
        into = QRectF(0, tall + 4, wide, tall)
        return out, into, QRectF(0, into.bottom() + 4 + _TICKS, wide, _PLOT - 4)

    # -- painting ------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint lanes, overlap, fades, level, playhead."""
        del event
        painter = QPainter(self)
        session = self.session
        if session is None:
            painter.end()
            return
        out, into, plot = self._boxes()
        palette = self.palette_
        for box in (out, into, plot):
            painter.fillRect(box, QColor(palette.ground))
        self._paint_overlap(painter, session, plot.bottom())
        self._paint_ticks(painter, into.bottom() + 2, plot)
        self._paint_lane(painter, out, session.meeting.out, self.sounds[0], 0.0, outgoing=True)
        shift = session.start_s - span(session.meeting.into, session.rate).cue_in / session.rate
        self._paint_lane(painter, into, session.meeting.into, self.sounds[1], shift, outgoing=False)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        kinds = (str(session.meeting.out.kind), str(session.meeting.into.kind))
        if session.measured:
            begin = self._begin_s - session.start_s
            paint_levels(
                painter, plot, session.levels, kinds, palette, (begin, begin + self._span_s)
            )
        self._paint_handles(painter)
        if self.playhead_s is not None:
            x = self._x(self.playhead_s)
            painter.setPen(QPen(QColor(palette.text), 2))
            painter.drawLine(QPointF(x, 0), QPointF(x, plot.bottom()))
        painter.end()

    def _paint_overlap(self, painter: QPainter, session: JoinSession, foot: float) -> None:
        left, right = (
            self._x(f / session.rate) for f in (session.join.segue, session.join.out_end)
        )
        shade = QColor(self.palette_.select if right >= left else self.palette_.alarm_ground)
        painter.fillRect(QRectF(min(left, right), 0, abs(right - left), foot), shade)

    def _paint_ticks(self, painter: QPainter, top: float, plot: QRectF) -> None:
        painter.setFont(font(SMALL))
        for at_s, text in wave_painting.ticks(self._begin_s, self._span_s, self.width()):
            x = self._x(at_s)
            if at_s < 0:
                continue
            painter.setPen(QColor(self.palette_.raised))
            painter.drawLine(QPointF(x, 0), QPointF(x, plot.bottom()))
            painter.setPen(QColor(self.palette_.muted))
            painter.drawText(QRectF(x + 3, top, 80, 14), 0, text)

    def _paint_lane(
        self,
        painter: QPainter,
        box: QRectF,
        item: Item,
        sound: Sound,
        shift_s: float,
        *,
        outgoing: bool,
    ) -> None:
        """Paint one item: its wave as it is heard, pale where it is not, and its gain."""
        session = self.session
        assert session is not None
        wide, inner = max(1, self.width()), box.adjusted(0, _NAME, 0, 0)
        columns = sound.columns(self._begin_s - shift_s, self._span_s, wide)
        at = self._begin_s + (np.arange(wide) + 0.5) / wide * self._span_s
        gains = self._gains(session, at, outgoing=outgoing)
        color = kind_color(str(item.kind)).lighter(120 if self.palette_.dark else 100)
        pale = QColor(color)
        pale.setAlpha(50)
        tall = max(8, int(inner.height()))
        lift = 10 ** (session.gains[0 if outgoing else 1].db / 20)
        shown = columns * np.float32(min(lift, 1 / max(1e-3, float(np.abs(columns).max()))))
        painter.drawImage(
            inner.topLeft(), wave_painting.wave_image(shown, tall, (pale, pale), (0, wide))
        )
        painter.drawImage(
            inner.topLeft(),
            wave_painting.wave_image(shown, tall, (color, color), (0, wide), gains),
        )
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        line = [
            QPointF(x, inner.bottom() - 2 - gains[x] * (inner.height() - 6))
            for x in range(0, wide, 3)
        ]
        painter.setPen(QPen(QColor(self.palette_.text), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(QPolygonF(line))
        painter.setFont(font(SMALL, bold=True))
        painter.setPen(QColor(self.palette_.text))
        painter.drawText(box.adjusted(6, 1, -6, 0), 0, item.label)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, on=False)

    @staticmethod
    def _gains(
        session: JoinSession, at_s: NDArray[np.float64], *, outgoing: bool
    ) -> NDArray[np.float32]:
        """Return the fader of a lane at moments of the outgoing item: 0 where it is not heard."""
        join, rate = session.join, session.rate
        if outgoing:
            here = span(session.meeting.out, rate)
            heard = (at_s >= here.cue_in / rate) & (at_s < join.out_end / rate)
            if not join.fade_out:
                return heard.astype(np.float32)
            part = (at_s - join.fade_at / rate) / (join.fade_out / rate)
            gains = shape(join.out_curve, np.clip(part, 0, 1).astype(np.float32))
        else:
            there = span(session.meeting.into, rate)
            end = session.start_s + (there.cue_out - there.cue_in) / rate
            heard = (at_s >= session.start_s) & (at_s < end)
            if not join.fade_in:
                return heard.astype(np.float32)
            part = 1 - (at_s - session.start_s) / (join.fade_in / rate)
            gains = shape(join.in_curve, np.clip(part, 0, 1).astype(np.float32))
        return np.where(heard, gains, 0).astype(np.float32)

    def _handles(self) -> dict[str, QPointF]:
        """Return where the handles are: where fades begin and end."""
        session = self.session
        if session is None:
            return {}
        out, into, _ = self._boxes()
        join, rate = session.join, session.rate
        top = out.top() + _NAME + 4
        found = {"fade": QPointF(self._x(join.fade_at / rate), top)}
        if join.fade_out:
            found["end"] = QPointF(self._x(join.out_end / rate), out.bottom() - 2)
        ends = self._x(session.start_s + join.fade_in / rate)
        found["in"] = QPointF(ends, into.top() + _NAME + 4)
        return found

    def _paint_handles(self, painter: QPainter) -> None:
        painter.setPen(QPen(QColor(self.palette_.ground), 1.5))
        painter.setBrush(QColor(self.palette_.text))
        for at in self._handles().values():
            painter.drawEllipse(at, 5.5, 5.5)

    # -- hands ---------------------------------------------------------------------------------

    def _under(self, at: QPointF) -> str:
        for name, place in self._handles().items():
            if (place - at).manhattanLength() <= 2 * _GRIP_PX:
                return name
        return "start" if self._boxes()[1].contains(at) else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a handle, the incoming item, or the axis."""
        session = self.session
        if session is not None:
            what = self._under(event.position()) or "axis"
            offset = self._s(event.position().x()) - session.start_s
            self._grip = (what, offset if what == "start" else event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag what was taken."""
        session, x = self.session, event.position().x()
        if session is None:
            return
        if self._grip is None:
            shapes = {"": Qt.CursorShape.ArrowCursor, "start": Qt.CursorShape.OpenHandCursor}
            under = self._under(event.position())
            self.setCursor(shapes.get(under, Qt.CursorShape.SizeHorCursor))
            return
        what, held = self._grip
        at_s = self._s(x)
        if what == "start":
            self.start_moved.emit(at_s - held)
        elif what == "fade":
            self.fade_moved.emit(at_s)
        elif what == "end":
            self.fade_end_moved.emit(at_s)
        elif what == "in":
            self.fade_in_moved.emit(at_s - session.start_s)
        else:
            self._begin_s -= (x - held) / max(1, self.width()) * self._span_s
            self._grip = ("axis", x)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        del event
        if self._grip is not None and self._grip[0] != "axis":
            self.released.emit()
        self._grip = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom around the pointer."""
        self.zoom(0.8 ** (event.angleDelta().y() / 120), event.position().x())
        event.accept()

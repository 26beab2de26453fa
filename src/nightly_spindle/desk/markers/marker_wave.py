"""The waveform of an item with its markers: the whole of it, and a part at any zoom."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import (
    QColor,
    QImage,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QWidget

from nightly_spindle.audio.peaks import Peaks, Samples
from nightly_spindle.core.base.timebase import stamp
from nightly_spindle.core.library.markers import Marker
from nightly_spindle.desk.kit.theme import SMALL, Palette, font, kind_color
from nightly_spindle.desk.markers.marker_session import MarkerPlace
from nightly_spindle.desk.markers.marker_signs import KEY_OF, name_of
from nightly_spindle.desk.waves import wave_painting

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.segues.effective_markers import Placed

_TABS = 58  # pixels above the wave for the markers' tabs
_TICKS = 18
_GRIP_PX = 6
_LEAST_SPAN_S = 0.0008


@dataclass(slots=True)
class Sound:
    """What is known of an item's sound so far; it gets finer as it is decoded."""

    overview: bytes = b""
    length_s: float = 0.0
    peaks: Peaks | None = None
    samples: Samples | None = None

    def columns(self, begin_s: float, span_s: float, count: int) -> NDArray[np.float32]:
        """Return lowest and highest for each pixel, from the finest that is there."""
        samples = self.samples
        if samples is not None and self.peaks is not None and self.fits(begin_s, span_s):
            per_pixel = span_s * samples.rate / count
            if per_pixel < 64:
                return wave_painting.columns_of_samples(samples, begin_s, span_s, count)
        if self.peaks is not None:
            return self.peaks.columns(begin_s, span_s, count)
        return wave_painting.columns_of_overview(
            self.overview, self.length_s, begin_s, span_s, count
        )

    def fits(self, begin_s: float, span_s: float) -> bool:
        """Whether the single samples that were read cover a part."""
        samples = self.samples
        if samples is None:
            return False
        first = samples.begin / samples.rate
        last = first + len(samples.mono) / samples.rate
        end = min(begin_s + span_s, self.length_s)
        return first <= max(0.0, begin_s) + 1e-6 and last >= end - 2 / samples.rate


class MarkerWave(QWidget):
    """A part of an item, from all of it down to single samples.

    Signals: `moved` (marker, from, to) when a marker was dragged; `chosen` (marker, at) when one
    was clicked; `sought` (seconds, done) while the playhead is dragged; `viewed` when another
    part is shown.
    """

    moved = Signal(object, float, float)
    chosen = Signal(object, float)
    sought = Signal(float, bool)
    viewed = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.sound = Sound()
        self.begin_s, self.span_s = 0.0, 1.0
        self.playhead_s: float | None = None
        self.loop: tuple[float, float] | None = None
        self.spectrum: QImage | None = None
        self._item: Item | None = None
        self._rows: list[Placed] = []
        self._spot: MarkerPlace | None = None
        self._grip: tuple[str, MarkerPlace | None, float] | None = None
        self._dragged_s: float | None = None
        self._image: QImage | None = None
        self.setMinimumHeight(170)
        self.setMouseTracking(True)
        self.setAccessibleName("Part of the waveform with markers")
        self.setToolTip(
            "Drag a marker's tab to move it, drag elsewhere to move the playhead. "
            "Wheel zooms, with Shift it moves along."
        )

    # -- what is shown -------------------------------------------------------------------------

    def show_item(self, item: Item, sound: Sound) -> None:
        """Show an item from end to end."""
        self._item, self.sound = item, sound
        self.playhead_s, self.loop, self.spectrum = None, None, None
        self.view(0.0, item.measure.duration_s)

    def show_markers(self, item: Item, rows: list[Placed], spot: MarkerPlace | None) -> None:
        """Show where the markers are, one of them chosen."""
        self._item, self._rows, self._spot = item, rows, spot
        self.refresh()

    def refresh(self) -> None:
        """Paint the wave anew: it is known more finely now."""
        self._image = None
        self.update()

    def view(self, begin_s: float, span_s: float) -> None:
        """Show a part."""
        length = max(self.sound.length_s, _LEAST_SPAN_S)
        span = min(max(span_s, _LEAST_SPAN_S), length)
        begin = min(max(0.0, begin_s), length - span)
        if (begin, span) != (self.begin_s, self.span_s) or self._image is None:
            self.begin_s, self.span_s = begin, span
            self.spectrum = None
            self.refresh()
            self.viewed.emit()

    def zoom(self, factor: float, around_s: float | None = None) -> None:
        """Zoom around a moment: the one given, else the middle."""
        around = self.begin_s + self.span_s / 2 if around_s is None else around_s
        part = (around - self.begin_s) / self.span_s
        span = min(max(self.span_s * factor, _LEAST_SPAN_S), max(self.sound.length_s, 1e-3))
        self.view(around - part * span, span)

    def set_playhead(self, at_s: float | None, *, follow: bool) -> None:
        """Move the playhead; when it leaves the part that is shown, turn the page."""
        self.playhead_s = at_s
        inside = at_s is None or self.begin_s <= at_s <= self.begin_s + self.span_s
        if follow and not inside and at_s is not None:
            self.view(at_s - self.span_s * 0.08, self.span_s)
        self.update()

    # -- painting ------------------------------------------------------------------------------

    def _x(self, at_s: float) -> float:
        return (at_s - self.begin_s) / self.span_s * self.width()

    def _s(self, x: float) -> float:
        return self.begin_s + x / max(1, self.width()) * self.span_s

    def _box(self) -> QRectF:
        return QRectF(0, _TABS, self.width(), max(20, self.height() - _TABS - _TICKS))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Paint the wave anew."""
        self.refresh()
        super().resizeEvent(event)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint wave or spectrum, times, markers, playhead."""
        del event
        painter = QPainter(self)
        box, item = self._box(), self._item
        painter.fillRect(box, QColor(self.palette_.ground))
        if item is not None:
            self._paint_ticks(painter, box)
            self._paint_sound(painter, box, item)
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            self._paint_loop(painter, box)
            self._paint_markers(painter, box)
            self._paint_playhead(painter, box)
        painter.end()

    def _paint_sound(self, painter: QPainter, box: QRectF, item: Item) -> None:
        if self.spectrum is not None:
            painter.drawImage(box, self.spectrum)
            return
        color = kind_color(str(item.kind)).lighter(120 if self.palette_.dark else 100)
        pale = QColor(color)
        pale.setAlpha(60)
        played = self.played()
        samples = self.sound.samples
        close = samples is not None and self.span_s * samples.rate < self.width() / 2
        if samples is not None and close and self.sound.fits(self.begin_s, self.span_s):
            wave_painting.paint_samples(painter, box, samples, self.begin_s, self.span_s, color)
            return
        if self._image is None or self._image.height() != int(box.height()):
            columns = self.sound.columns(self.begin_s, self.span_s, max(1, self.width()))
            bounds = (self._x(played[0]), self._x(played[1]))
            self._image = wave_painting.wave_image(
                columns, int(box.height()), (color, pale), bounds
            )
        painter.drawImage(box.topLeft(), self._image)

    def played(self) -> tuple[float, float]:
        """Return from where to where the item is played."""
        at = {row.marker: row.at_s for row in self._rows}
        return at.get(Marker.CUE_IN, 0.0), at.get(Marker.CUE_OUT, self.sound.length_s)

    def _paint_ticks(self, painter: QPainter, box: QRectF) -> None:
        painter.setFont(font(SMALL))
        for at_s, text in wave_painting.ticks(self.begin_s, self.span_s, self.width()):
            x = self._x(at_s)
            painter.setPen(QColor(self.palette_.raised))
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
            if x < self.width() - 40:
                painter.setPen(QColor(self.palette_.muted))
                painter.drawText(QRectF(x + 3, box.bottom() + 2, 90, 14), 0, text)

    def _paint_loop(self, painter: QPainter, box: QRectF) -> None:
        if self.loop is None:
            return
        left, right = (self._x(at) for at in self.loop)
        shade = QColor(self.palette_.select)
        shade.setAlpha(110)
        painter.fillRect(QRectF(left, box.top(), right - left, box.height()), shade)

    def _paint_playhead(self, painter: QPainter, box: QRectF) -> None:
        if self.playhead_s is None:
            return
        x = self._x(self.playhead_s)
        painter.setPen(QPen(QColor(self.palette_.text), 2))
        painter.drawLine(QPointF(x, box.top() - 4), QPointF(x, box.bottom()))
        painter.setBrush(QColor(self.palette_.text))
        painter.drawPolygon(
            QPolygonF(
                [
                    QPointF(x - 5, box.bottom() + 7),
                    QPointF(x + 5, box.bottom() + 7),
                    QPointF(x, box.bottom()),
                ]
            )
        )

    def _paint_markers(self, painter: QPainter, box: QRectF) -> None:
        ends = [-1e9] * 3
        for row, at_s, tab in self._tabs(painter, ends):
            x = self._x(at_s)
            if not -2 <= x <= self.width() + 2:
                continue
            chosen = self._is_chosen(row)
            ink = QColor(self.palette_.text)
            line = QPen(ink, 2 if chosen else 1)
            if row.sure is not None:
                line.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(line)
            painter.drawLine(QPointF(x, tab.bottom()), QPointF(x, box.bottom()))
            painter.setPen(QPen(ink, 2 if chosen else 1))
            painter.setBrush(ink if chosen else QColor(self.palette_.raised))
            painter.drawRoundedRect(tab, 3, 3)
            painter.setPen(QColor(self.palette_.ground) if chosen else ink)
            painter.setFont(font(SMALL, bold=chosen))
            text = f"{KEY_OF[row.marker]} {name_of(row.marker)}"
            painter.drawText(tab, Qt.AlignmentFlag.AlignCenter, text)

    def _tabs(self, painter: QPainter, ends: list[float]) -> list[tuple[Placed, float, QRectF]]:
        """Return every marker with its place and its tab, on rows so that few overlap."""
        painter.setFont(font(SMALL, bold=True))
        metrics = painter.fontMetrics()
        found = []
        for row in self._rows:
            if row.absent:
                continue
            at_s = row.at_s
            if self._grip is not None and self._dragged_s is not None and self._is_gripped(row):
                at_s = self._dragged_s
            wide = metrics.horizontalAdvance(f"{KEY_OF[row.marker]} {name_of(row.marker)}") + 12.0
            left = self._x(at_s)
            if row.marker in {Marker.CUE_OUT, Marker.HOOK_END, Marker.INTRO_END}:
                left -= wide  # what ends here stands before it
            left = min(max(0.0, left), max(0.0, self.width() - wide))
            free = (lane for lane, end in enumerate(ends) if left >= end)
            lane = next(free, ends.index(min(ends)))
            ends[lane] = left + wide + 3
            found.append((row, at_s, QRectF(left, 1 + lane * 18, wide, 16)))
        return found

    def _is_chosen(self, row: Placed) -> bool:
        spot = self._spot
        if spot is None or spot.marker is not row.marker:
            return False
        return row.marker is not Marker.SWEEPER or abs(spot.at_s - row.at_s) < 1e-6

    def _is_gripped(self, row: Placed) -> bool:
        assert self._grip is not None
        spot = self._grip[1]
        if spot is None or spot.marker is not row.marker:
            return False
        return row.marker is not Marker.SWEEPER or spot.at_s == row.at_s

    # -- hands ---------------------------------------------------------------------------------

    def _under(self, at: QPointF) -> MarkerPlace | None:
        picture = QImage(1, 1, QImage.Format.Format_ARGB32)
        painter = QPainter(picture)
        tabs = self._tabs(painter, [-1e9] * 3)
        painter.end()
        for row, at_s, tab in reversed(tabs):
            if tab.contains(at):
                return MarkerPlace(row.marker, at_s)
        for row, at_s, _ in tabs:
            if abs(self._x(at_s) - at.x()) <= _GRIP_PX and at.y() > _TABS:
                return MarkerPlace(row.marker, at_s)
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a marker, or the playhead."""
        spot = self._under(event.position())
        if spot is not None:
            self._grip = ("marker", spot, event.position().x())
            self.chosen.emit(spot.marker, spot.at_s)
        elif self._item is not None:
            self._grip = ("playhead", None, 0.0)
            self.sought.emit(self._s(event.position().x()), False)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag what was taken."""
        x = event.position().x()
        if self._grip is None:
            under = self._under(event.position())
            shape = Qt.CursorShape.SizeHorCursor if under else Qt.CursorShape.ArrowCursor
            self.setCursor(shape)
            return
        what, spot, from_x = self._grip
        if what == "playhead":
            self.sought.emit(min(max(0.0, self._s(x)), self.sound.length_s), False)
        elif spot is not None and (self._dragged_s is not None or abs(x - from_x) > 2):
            moved = spot.at_s + (x - from_x) / max(1, self.width()) * self.span_s
            self._dragged_s = min(max(0.0, moved), self.sound.length_s)
            self.setToolTip(stamp(self._dragged_s))
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        grip, dragged = self._grip, self._dragged_s
        self._grip = self._dragged_s = None
        if grip is None:
            return
        if grip[0] == "playhead":
            at = min(max(0.0, self._s(event.position().x())), self.sound.length_s)
            self.sought.emit(at, True)
        elif dragged is not None and grip[1] is not None:
            self.moved.emit(grip[1].marker, grip[1].at_s, dragged)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom around the pointer; with Shift, or sideways, move along."""
        turn = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(turn.x()) > abs(turn.y()):
            by = (turn.x() or turn.y()) / 120
            self.view(self.begin_s - by * self.span_s / 10, self.span_s)
        elif turn.y():
            self.zoom(0.8 ** (turn.y() / 120), self._s(event.position().x()))
        event.accept()


class MarkerOverview(QWidget):
    """The whole item, small, with a frame around the part that is shown large.

    Signals: `sought` (seconds) when it is clicked; `shifted` (seconds) when the frame is dragged.
    """

    sought = Signal(float)
    shifted = Signal(float)

    def __init__(self, wave: MarkerWave) -> None:
        super().__init__()
        self._wave = wave
        self._item: Item | None = None
        self._rows: list[Placed] = []
        self._image: QImage | None = None
        self._from: tuple[float, float] | None = None
        self.setFixedHeight(64)
        self.setAccessibleName("Whole waveform")
        self.setToolTip("The whole item. Click to go there, drag to move the part shown below.")
        wave.viewed.connect(self.update)

    def show_markers(self, item: Item, rows: list[Placed]) -> None:
        """Show where the markers are."""
        self._item, self._rows = item, rows
        self.refresh()

    def refresh(self) -> None:
        """Paint the wave anew."""
        self._image = None
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Paint the wave anew."""
        self.refresh()
        super().resizeEvent(event)

    def _x(self, at_s: float) -> float:
        return at_s / max(1e-6, self._wave.sound.length_s) * self.width()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the wave, the markers as lines, the frame, the playhead."""
        del event
        painter = QPainter(self)
        palette, wave = self._wave.palette_, self._wave
        painter.fillRect(self.rect(), QColor(palette.panel))
        if self._item is None:
            painter.end()
            return
        if self._image is None:
            color = kind_color(str(self._item.kind)).lighter(120 if palette.dark else 100)
            pale = QColor(color)
            pale.setAlpha(60)
            columns = wave.sound.columns(0.0, wave.sound.length_s, max(1, self.width()))
            first, last = wave.played()
            self._image = wave_painting.wave_image(
                columns, self.height() - 4, (color, pale), (self._x(first), self._x(last))
            )
        painter.drawImage(QPointF(0, 2), self._image)
        painter.setPen(QPen(QColor(palette.text), 1))
        for row in self._rows:
            if not row.absent:
                x = self._x(row.at_s)
                painter.drawLine(QPointF(x, 0), QPointF(x, 8))
                painter.drawLine(QPointF(x, self.height() - 8), QPointF(x, self.height()))
        left, wide = self._x(wave.begin_s), max(6.0, self._x(wave.span_s))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(palette.text), 1.6))
        painter.drawRoundedRect(QRectF(left + 1, 1, wide - 2, self.height() - 2), 3, 3)
        if wave.playhead_s is not None:
            painter.setPen(QPen(QColor(palette.text), 2))
            x = self._x(wave.playhead_s)
            painter.drawLine(QPointF(x, 0), QPointF(x, self.height()))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Go there, or take the frame."""
        at = event.position().x() / max(1, self.width()) * self._wave.sound.length_s
        inside = self._wave.begin_s <= at <= self._wave.begin_s + self._wave.span_s
        whole = self._wave.span_s >= self._wave.sound.length_s * 0.99
        self._from = (at, self._wave.begin_s) if inside and not whole else None
        if self._from is None:
            self.sought.emit(at)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the frame."""
        at = event.position().x() / max(1, self.width()) * self._wave.sound.length_s
        if self._from is not None:
            self.shifted.emit(self._from[1] + at - self._from[0])

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let the frame go; a click inside it goes there."""
        at = event.position().x() / max(1, self.width()) * self._wave.sound.length_s
        if self._from is not None and abs(at - self._from[0]) < self._wave.sound.length_s / 300:
            self.sought.emit(at)
        self._from = None

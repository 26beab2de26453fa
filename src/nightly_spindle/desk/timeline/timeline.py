"""The night line: the coming hours drawn to scale, from twelve hours to ten seconds."""

from __future__ import annotations

from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PySide6.QtWidgets import QWidget

from nightly_spindle.core.base.timebase import US
from nightly_spindle.desk.kit.theme import SMALL, Palette, font
from nightly_spindle.desk.timeline.timeline_painting import (
    Crowd,
    Look,
    Scale,
    paint_blocks,
    paint_brackets,
    paint_marks,
    paint_now,
    paint_overlays,
    paint_pins,
    paint_strip,
    paint_ticks,
    visible,
)

if TYPE_CHECKING:
    from nightly_spindle.core.reports.timeline import Block
    from nightly_spindle.desk.kit.planning_process import NightPlan

_SHORTEST_US = 10 * US
_LONGEST_US = 12 * 3600 * US
_BEFORE = 0.12  # part of the window that shows what has been
_STRIP_TOP, _STRIP_TALL = 16.0, 20.0
_STRIP_FOOT = 15.0
_LANE_TOP = 72.0
_OVER_TALL = 15.0  # the lane of the overlays, above what they cover


class Timeline(QWidget):
    """A strip of the whole stretch above, a window drawn to scale below.

    Signals: `picked` (line id) when a block is chosen. Keys: left and right choose blocks,
    plus and minus zoom, Home goes back to now.
    """

    picked = Signal(int)

    def __init__(self, palette: Palette, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._look = Look(palette, ZoneInfo("UTC"), 0)
        self._planned: NightPlan | None = None
        self._starts: list[int] = []
        self._crowd = Crowd([])
        self._left_us = 0
        self._span_us = 20 * 60 * US
        self._follows = True
        self._drag: tuple[str, float, int] | None = None
        self.setMinimumHeight(150)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Night line")
        self.setToolTip(
            "The coming hours to scale. Wheel or + and - zoom, drag moves, Home goes to now, "
            "left and right choose a line."
        )

    # -- what is shown ------------------------------------------------------------------

    def show_plan(self, planned: NightPlan) -> None:
        """Show a new plan."""
        self._planned = planned
        self._starts = [block.start_us for block in planned.night.blocks]
        self._crowd = Crowd(planned.night.blocks)
        look = self._look
        self._look = Look(
            look.palette,
            planned.settings.tz,
            look.now_us or planned.night.from_us,
            look.selected,
            look.on_air,
        )
        self.update()

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        look = self._look
        self._look = Look(palette, look.tz, look.now_us, look.selected, look.on_air)
        self.update()

    def set_now(self, now_us: int, on_air: int) -> None:
        """Move the present instant, and say which line is on air."""
        look = self._look
        self._look = Look(look.palette, look.tz, now_us, look.selected, on_air)
        if self._follows and self._drag is None:
            self._left_us = now_us - round(self._span_us * _BEFORE)
        self.update()

    def select(self, line_id: int) -> None:
        """Choose a line, and bring it into the window."""
        look = self._look
        self._look = Look(look.palette, look.tz, look.now_us, line_id, look.on_air)
        block = self._block(line_id)
        if block is not None:
            right = self._left_us + self._span_us
            if not self._left_us <= block.start_us or block.end_us > right:
                if block.start_us < look.now_us + self._span_us * (1 - _BEFORE) * 0.8:
                    self._follows = True
                    self._left_us = look.now_us - round(self._span_us * _BEFORE)
                else:
                    self._follows = False
                    self._left_us = block.start_us - self._span_us // 5
        self.update()

    @property
    def span_us(self) -> int:
        """How long a stretch the window shows."""
        return self._span_us

    def zoom(self, factor: float, x: float | None = None) -> None:
        """Show `factor` times as long a stretch, the instant at pixel `x` staying in place."""
        scale = self._scale()
        if x is None:
            x = self.width() * (_BEFORE if self._follows else 0.5)
        held = scale.us(x)
        self._span_us = round(min(max(self._span_us * factor, _SHORTEST_US), _LONGEST_US))
        if not self._follows:
            self._left_us = round(held - x / max(1, self.width()) * self._span_us)
        self.set_now(self._look.now_us, self._look.on_air)

    def show_whole(self) -> None:
        """Show all of the stretch in the window."""
        if self._planned is not None:
            night = self._planned.night
            self._follows = False
            self._left_us, self._span_us = night.from_us, night.until_us - night.from_us
            self.update()

    def go_to_now(self) -> None:
        """Follow the present instant again."""
        self._follows = True
        self.set_now(self._look.now_us, self._look.on_air)

    # -- scales -----------------------------------------------------------------------------

    def _scale(self) -> Scale:
        return Scale(self._left_us, self._span_us / max(1, self.width()))

    def _strip_scale(self) -> Scale:
        assert self._planned is not None
        night = self._planned.night
        return Scale(night.from_us, (night.until_us - night.from_us) / max(1, self.width()))

    def _strip_box(self) -> QRectF:
        return QRectF(0, _STRIP_TOP, self.width(), _STRIP_TALL)

    def _lane_box(self) -> QRectF:
        top = _LANE_TOP
        if self._planned is not None and self._planned.night.overlays:
            top += _OVER_TALL + 3
        return QRectF(0, top, self.width(), max(30.0, self.height() - top - 20))

    def _block(self, line_id: int) -> Block | None:
        if self._planned is None:
            return None
        found = (b for b in self._planned.night.blocks if b.line_id == line_id)
        return next(found, None)

    # -- painting ---------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint everything anew; it is cheap enough."""
        del event
        painter = QPainter(self)
        self.paint(painter)
        painter.end()

    def paint(self, painter: QPainter) -> None:
        """Paint onto any painter (the benchmark paints onto a picture)."""
        look = self._look
        painter.fillRect(self.rect(), QColor(look.palette.ground))
        if self._planned is None:
            painter.setPen(QColor(look.palette.muted))
            painter.setFont(font(SMALL))
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "Working the night out …")
            return
        night = self._planned.night
        strip, small = self._strip_box(), self._strip_scale()
        paint_strip(painter, strip, self._crowd, small, look)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        paint_ticks(painter, strip.adjusted(0, 0, 0, _STRIP_FOOT), small, look, grid=False)
        paint_marks(painter, night.counting(), small, strip.top() - 7, look)
        for pin in night.pins:
            x = small.x(pin.at_us)
            painter.setPen(QPen(QColor(look.palette.text), 2))
            painter.drawLine(QPointF(x, strip.top() - 4), QPointF(x, strip.bottom()))
        self._paint_window(painter, strip, small)
        box, scale = self._lane_box(), self._scale()
        painter.setClipRect(QRectF(0, strip.bottom() + _STRIP_FOOT, self.width(), self.height()))
        paint_ticks(painter, box.adjusted(0, 0, 0, 19), scale, look, grid=True)
        rows = visible(self._starts, self._left_us, self._left_us + self._span_us)
        waves = self._planned.waves
        paint_blocks(painter, box, night.blocks, rows, scale, look, waves, self._crowd)
        paint_brackets(painter, box, night.blocks, rows, scale)
        lane = QRectF(0, _LANE_TOP, self.width(), _OVER_TALL)
        paint_overlays(painter, lane, box, night.overlays, scale, look)
        foot = box.top() - _LANE_TOP
        paint_pins(painter, box.adjusted(0, -9 - foot, 0, 6), night.pins, scale, look)
        paint_now(painter, box, scale, look)
        if self.hasFocus():
            painter.setClipping(False)
            painter.setPen(QPen(QColor(look.palette.muted), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))

    def _paint_window(self, painter: QPainter, strip: QRectF, small: Scale) -> None:
        left = max(0.0, small.x(self._left_us))
        right = min(float(self.width()), small.x(self._left_us + self._span_us))
        wide = max(8.0, right - left)
        painter.setPen(QPen(QColor(self._look.palette.text), 1.6))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRoundedRect(QRectF(left, strip.top() - 3, wide, strip.height() + 6), 3, 3)

    # -- hands ------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a block, or start to drag the window."""
        at = event.position()
        if self._planned is None:
            return
        if at.y() < _STRIP_TOP + _STRIP_TALL + _STRIP_FOOT:
            self._drag = ("strip", at.x(), 0)
            self._centre_on(self._strip_scale().us(at.x()))
            return
        self._drag = ("lane", at.x(), self._left_us)
        us = self._scale().us(at.x())
        night = self._planned.night
        if _LANE_TOP <= at.y() < _LANE_TOP + _OVER_TALL:
            for over in night.overlays:
                if over.start_us <= us < over.end_us:
                    self.picked.emit(over.line_id)
                    return
        rows = visible(self._starts, us - 1, us + 1)
        for index in reversed(rows):
            block = night.blocks[index]
            if block.start_us <= us < block.end_us:
                self.picked.emit(block.line_id)
                return

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag the window along."""
        if self._drag is None or not event.buttons() & Qt.MouseButton.LeftButton:
            return
        part, x, left = self._drag
        if part == "strip":
            self._centre_on(self._strip_scale().us(event.position().x()))
        elif abs(event.position().x() - x) > 3:
            self._follows = False
            self._left_us = left - round((event.position().x() - x) * self._scale().us_per_px)
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go."""
        del event
        self._drag = None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """Zoom around the pointer."""
        self.zoom(0.8 if event.angleDelta().y() > 0 else 1.25, event.position().x())
        event.accept()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Choose, zoom, go to now."""
        key = event.key()
        if key in {Qt.Key.Key_Plus, Qt.Key.Key_Equal}:
            self.zoom(0.5)
        elif key == Qt.Key.Key_Minus:
            self.zoom(2.0)
        elif key == Qt.Key.Key_Home:
            self.go_to_now()
        elif key in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            self._step(1 if key == Qt.Key.Key_Right else -1)
        else:
            super().keyPressEvent(event)

    def _step(self, by: int) -> None:
        if self._planned is None or not self._planned.night.blocks:
            return
        blocks = self._planned.night.blocks
        ids = [block.line_id for block in blocks]
        at = ids.index(self._look.selected) if self._look.selected in ids else -by
        self.picked.emit(ids[min(max(0, at + by), len(ids) - 1)])

    def show_instant(self, us: int) -> None:
        """Bring an instant into the window."""
        if not self._left_us <= us <= self._left_us + self._span_us:
            self._centre_on(us)

    def _centre_on(self, us: int) -> None:
        self._follows = False
        self._left_us = us - self._span_us // 2
        self.update()

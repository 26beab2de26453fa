"""The week of timed events, drawn to scale: look, choose, move, stretch, copy."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from nightly_spindle.core.base.timebase import US, moment_from
from nightly_spindle.core.base.wording import date_text, part_of_day, span_text
from nightly_spindle.core.reports.event_week import Box, Day
from nightly_spindle.desk.events.event_week_painting import (
    Stamps,
    boxes_rects,
    paint_boxes,
    paint_chosen,
    paint_finding,
)
from nightly_spindle.desk.kit.theme import SMALL, TEXT, font
from nightly_spindle.desk.timeline.timeline_painting import Look, Scale, paint_now, paint_ticks

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence
    from zoneinfo import ZoneInfo

    from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPaintEvent, QResizeEvent

    from nightly_spindle.desk.kit.theme import Palette

_GUTTER = 66.0
_RIGHT = 10.0
_TICKS = 15.0
_GAP = 5.0
_EDGE_PX = 5.0
_SNAP_US = 5 * 60 * US
_FINE_US = 60 * US
_DRAG_PX = 4


@dataclass(slots=True)
class _Drag:
    """What is under the mouse: a box taken at its middle or its right edge."""

    box: Box
    day: int
    start: QPointF
    at: QPointF
    edge: bool
    moving: bool = False


class EventWeekView(QWidget):
    """Seven days below each other, midnight to midnight.

    Signals: `picked` (event id); `opened` (event id); `moved` and `copied` (event id, from µs, to
    µs); `stretched` (event id, seconds); `switched` and `removed` (event id).
    """

    picked = Signal(int)
    opened = Signal(int)
    moved = Signal(int, object, object)
    copied = Signal(int, object, object)
    stretched = Signal(int, float)
    switched = Signal(int)
    removed = Signal(int)

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__()
        self._tz = tz
        self._laid: dict[int, list[QRectF]] = {}
        self.set_palette(palette)
        self.days: Sequence[Day] = ()
        self._now_us = 0
        self._wrong: Mapping[int, Collection[int]] = {}
        self._chosen: tuple[int, int] = (0, 0)  # event id, instant
        self._drag: _Drag | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setMinimumHeight(360)
        self.setAccessibleName("Week of timed events")

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.palette_ = palette
        self._stamps = Stamps(palette, self.devicePixelRatioF())
        self.update()

    # -- what is shown -----------------------------------------------------------------------------

    def show_week(
        self, days: Sequence[Day], now_us: int, wrong: Mapping[int, Collection[int]]
    ) -> None:
        """Show other days; `wrong` has for events with a finding its instants (none: all)."""
        self.days, self._now_us, self._wrong = days, now_us, wrong
        self._laid.clear()
        self._speak()
        self.update()

    def choose(self, event_id: int) -> None:
        """Mark the firings of an event; the first of the week is the one that keys move."""
        if self._chosen[0] != event_id:
            at = next(
                (b.at_us for day in self.days for b in day.boxes if b.event_id == event_id), 0
            )
            self._chosen = (event_id, at)
            self._speak()
        self.update()

    def chosen(self) -> Box | None:
        """Return the firing that keys move."""
        boxes = (box for day in self.days for box in day.boxes)
        return next((box for box in boxes if (box.event_id, box.at_us) == self._chosen), None)

    def _speak(self) -> None:
        box = self.chosen()
        self.setAccessibleDescription("" if box is None else self._tip(box))

    def _tip(self, box: Box) -> str:
        at = moment_from(box.at_us, self._tz)
        part = part_of_day(at.hour)
        lasts = f", {span_text(box.length_s)}" if box.length_s >= 1 else ""
        off = "" if box.enabled else " (switched off)"
        day = f"{at:%a} {at.day} {at:%b} {at:%H:%M}"
        return f"{box.name}{off}\n{day}{f' ({part})' if part else ''}{lasts}; {box.does}"

    # -- geometry ----------------------------------------------------------------------------------

    def _scale(self, day: Day) -> Scale:
        """All days have one scale; a day of 25 hours is longer than the others."""
        longest = max((d.end_us - d.start_us for d in self.days), default=86_400 * US)
        per_px = longest / max(1.0, self.width() - _GUTTER - _RIGHT)
        return Scale(round(day.start_us - _GUTTER * per_px), per_px)

    def strip(self, number: int) -> QRectF:
        """Return the strip of a day, without its ticks."""
        tall = self.height() / max(1, len(self.days))
        height = tall - _TICKS - _GAP
        return QRectF(_GUTTER, number * tall + 2, self.width() - _GUTTER - _RIGHT, height)

    def rect_of(self, box: Box) -> QRectF:
        """Return where a firing is drawn."""
        for number, day in enumerate(self.days):
            if box in day.boxes:
                return self._rects(number)[day.boxes.index(box)]
        return QRectF()

    def _rects(self, number: int) -> list[QRectF]:
        """Return where the firings of a day are drawn; worked out once for each size."""
        if number not in self._laid:
            day = self.days[number]
            self._laid[number] = boxes_rects(day.boxes, self.strip(number), self._scale(day))
        return self._laid[number]

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Lay the firings out anew."""
        self._laid.clear()
        super().resizeEvent(event)

    def _at(self, point: QPointF) -> tuple[int, Box] | None:
        for number, day in enumerate(self.days):
            strip = self.strip(number)
            if strip.top() - 1 <= point.y() <= strip.bottom() + 1:
                pairs = list(zip(day.boxes, self._rects(number), strict=True))
                for box, area in reversed(pairs):
                    if area.adjusted(-1, -1, 3, 1).contains(point):
                        return number, box
        return None

    def _instant(self, point: QPointF, step_us: int, offset_px: float = 0.0) -> int | None:
        """Return the instant under a point, to the nearest step of the clock on the wall."""
        if not self.days:
            return None
        number = min(max(int(point.y() / (self.height() / len(self.days))), 0), len(self.days) - 1)
        day = self.days[number]
        us = self._scale(day).us(point.x() - offset_px)
        since = round((us - day.start_us) / step_us) * step_us
        return day.start_us + min(max(since, 0), day.end_us - day.start_us - step_us)

    # -- painting ----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the week."""
        del event
        painter = QPainter(self)
        self.paint(painter)
        painter.end()

    def paint(self, painter: QPainter) -> None:
        """Paint onto any painter (the benchmark paints onto a picture)."""
        palette = self.palette_
        painter.fillRect(self.rect(), QColor(palette.ground))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        look = Look(palette, self._tz, self._now_us)
        for number, day in enumerate(self.days):
            self._paint_day(painter, number, day, look)
        if self._drag is not None and self._drag.moving:
            self._paint_drag(painter, self._drag)
        if self.hasFocus():
            painter.setPen(QPen(QColor(palette.muted), 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(QRectF(0.5, 0.5, self.width() - 1, self.height() - 1))

    def _paint_day(self, painter: QPainter, number: int, day: Day, look: Look) -> None:
        palette, strip, scale = self.palette_, self.strip(number), self._scale(day)
        today = day.start_us <= self._now_us < day.end_us
        right = scale.x(day.end_us)
        lane = QRectF(strip.left(), strip.top(), right - strip.left(), strip.height())
        painter.fillRect(lane, QColor(palette.panel))
        self._paint_name(painter, strip, day, today=today)
        painter.setClipRect(
            QRectF(
                strip.left(), strip.top() - 3, right - strip.left() - 1, strip.height() + _TICKS + 3
            )
        )
        paint_ticks(painter, lane.adjusted(0, 0, 0, _TICKS), scale, look, grid=True)
        rects = self._rects(number)
        paint_boxes(painter, day.boxes, rects, palette, self._stamps, right)
        for box, rect in zip(day.boxes, rects, strict=True):
            if box.event_id == self._chosen[0]:
                paint_chosen(painter, rect, palette)
            about = self._wrong.get(box.event_id) if box.enabled else None
            if about is not None and (not about or box.at_us in about):
                paint_finding(painter, rect, palette)
        if today:
            paint_now(painter, lane, scale, look)
        painter.setClipping(False)

    def _paint_name(self, painter: QPainter, strip: QRectF, day: Day, *, today: bool) -> None:
        painter.setPen(QColor(self.palette_.text))
        painter.setFont(font(TEXT, bold=today))
        where = QRectF(8, strip.top(), _GUTTER - 14, 18)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(where, left, f"{day.day:%a} {day.day.day}")
        hours = (day.end_us - day.start_us) // (3600 * US)
        note = "today" if today else f"{day.day:%b}"
        if hours != 24:
            note = f"{hours} hours"
        painter.setPen(QColor(self.palette_.muted))
        painter.setFont(font(SMALL))
        painter.drawText(where.translated(0, 17), left, note)

    def _paint_drag(self, painter: QPainter, drag: _Drag) -> None:
        """Paint where what is dragged would come to lie, and its new time."""
        rect, us = self._dragged(drag)
        painter.setPen(QPen(QColor(self.palette_.text), 1.5, Qt.PenStyle.DashLine))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawRect(rect)
        at = moment_from(us, self._tz)
        words = f"{at:%a %H:%M}"
        if drag.edge:
            words = span_text((us - drag.box.at_us) / US)
        painter.setFont(font(SMALL, bold=True))
        wide = painter.fontMetrics().horizontalAdvance(words) + 10
        label = QRectF(min(rect.left(), self.width() - wide), rect.top() - 18, wide, 16)
        if label.top() < 0:
            label.moveTop(rect.bottom() + 2)
        painter.fillRect(label, QColor(self.palette_.raised))
        painter.setPen(QColor(self.palette_.text))
        painter.drawText(label, Qt.AlignmentFlag.AlignCenter, words)

    def _dragged(self, drag: _Drag) -> tuple[QRectF, int]:
        """Return where the box would lie, and the instant that its edge or its start is at."""
        day = self.days[drag.day]
        rect = self.rect_of(drag.box)
        if drag.edge:
            at = QPointF(drag.at.x(), rect.center().y())
            us = self._instant(at, _SNAP_US) or day.start_us
            us = max(us, drag.box.at_us + _SNAP_US)
            return QRectF(
                rect.left(), rect.top(), self._scale(day).x(us) - rect.left(), rect.height()
            ), us
        us = self._instant(drag.at, _SNAP_US, drag.start.x() - rect.left()) or day.start_us
        number = next(n for n, d in enumerate(self.days) if d.start_us <= us < d.end_us)
        left = self._scale(self.days[number]).x(us)
        top = rect.top() + self.strip(number).top() - self.strip(drag.day).top()
        return QRectF(left, top, rect.width(), rect.height()), us

    # -- hands -------------------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a firing, and take hold of it."""
        found = self._at(event.position())
        if found is None or event.button() is not Qt.MouseButton.LeftButton:
            return
        day, box = found
        self._chosen = (box.event_id, box.at_us)
        self._speak()
        self.picked.emit(box.event_id)
        edge = self._on_edge(box, event.position())
        self._drag = _Drag(box, day, event.position(), event.position(), edge)
        self.update()

    def _on_edge(self, box: Box, point: QPointF) -> bool:
        rect = self.rect_of(box)
        return rect.width() > 4 * _EDGE_PX and point.x() > rect.right() - _EDGE_PX

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag, or show what can be done here."""
        drag = self._drag
        if drag is None:
            found = self._at(event.position())
            edge = found is not None and self._on_edge(found[1], event.position())
            shape = Qt.CursorShape.SizeHorCursor if edge else Qt.CursorShape.ArrowCursor
            self.setCursor(shape)
            return
        drag.at = event.position()
        if (drag.at - drag.start).manhattanLength() > _DRAG_PX:
            drag.moving = True
        if drag.moving:
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go: the event is moved, copied (Ctrl) or stretched."""
        drag, self._drag = self._drag, None
        if drag is None or not drag.moving:
            return
        _, us = self._dragged(drag)
        self.update()
        if drag.edge:
            self.stretched.emit(drag.box.event_id, (us - drag.box.at_us) / US)
        elif us != drag.box.at_us:
            copies = event.modifiers() & Qt.KeyboardModifier.ControlModifier
            signal = self.copied if copies else self.moved
            signal.emit(drag.box.event_id, drag.box.at_us, us)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Edit the event."""
        found = self._at(event.position())
        if found is not None:
            self.opened.emit(found[1].event_id)

    def event(self, event: QEvent) -> bool:
        """Say what a firing is when the mouse rests on it."""
        if event.type() is QEvent.Type.ToolTip:
            helped: QHelpEvent = event  # type: ignore[assignment]
            found = self._at(QPointF(helped.pos()))
            QToolTip.showText(helped.globalPos(), self._tip(found[1]) if found else "", self)
            return True
        return super().event(event)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Choose by arrows; Ctrl moves, Alt copies to the next day; Return, Space, Delete."""
        key, held = event.key(), event.modifiers()
        box = self.chosen()
        steps: dict[int, tuple[int, int]] = {
            Qt.Key.Key_Left: (-1, 0),
            Qt.Key.Key_Right: (1, 0),
            Qt.Key.Key_Up: (0, -1),
            Qt.Key.Key_Down: (0, 1),
        }
        if key in steps and held & Qt.KeyboardModifier.ControlModifier and box is not None:
            self._shift(box, *steps[key], fine=bool(held & Qt.KeyboardModifier.ShiftModifier))
        elif key in {Qt.Key.Key_Up, Qt.Key.Key_Down} and held & Qt.KeyboardModifier.AltModifier:
            if box is not None:
                self._copy(box, steps[key][1])
        elif key in steps:
            self._step(box, *steps[key])
        elif key in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and box is not None:
            self.opened.emit(box.event_id)
        elif key == Qt.Key.Key_Space and box is not None:
            self.switched.emit(box.event_id)
        elif key == Qt.Key.Key_Delete and box is not None:
            self.removed.emit(box.event_id)
        else:
            super().keyPressEvent(event)

    def _step(self, box: Box | None, across: int, down: int) -> None:
        """Choose the next firing of the day, or the nearest of another day."""
        days = [day for day in self.days if day.boxes]
        if not days:
            return
        if box is None:
            new = days[0].boxes[0]
        else:
            number = next(n for n, day in enumerate(days) if box in day.boxes)
            if across:
                every = [one for day in days for one in day.boxes]
                new = every[min(max(every.index(box) + across, 0), len(every) - 1)]
            else:
                other = days[min(max(number + down, 0), len(days) - 1)]
                since = box.at_us - days[number].start_us
                new = min(other.boxes, key=lambda one: abs(one.at_us - other.start_us - since))
        self._chosen = (new.event_id, new.at_us)
        self._speak()
        self.update()
        self.picked.emit(new.event_id)

    def _other_day(self, box: Box, down: int) -> int | None:
        """Return the same time of day on a day before or after, None outside the week."""
        number = next(n for n, day in enumerate(self.days) if box in day.boxes) + down
        if not 0 <= number < len(self.days):
            return None
        return self.days[number].start_us + box.at_us - self.days[number - down].start_us

    def _shift(self, box: Box, across: int, down: int, *, fine: bool) -> None:
        to = box.at_us + across * (_FINE_US if fine else _SNAP_US)
        new = self._other_day(box, down) if down else to
        if new is not None:
            self._chosen = (box.event_id, new)
            self.moved.emit(box.event_id, box.at_us, new)

    def _copy(self, box: Box, down: int) -> None:
        new = self._other_day(box, down)
        if new is not None:
            self.copied.emit(box.event_id, box.at_us, new)


def week_words(days: Sequence[Day]) -> str:
    """Return the week in words: "Mon 23 Nov to Sun 29 Nov 2026"."""
    if not days:
        return ""
    first, last = days[0].day, days[-1].day
    return f"{first:%a} {first.day} {first:%b} to {last:%a} {date_text(last)}"

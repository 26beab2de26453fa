"""The week's breaks, painted: days across, hours down, in each hour how full its breaks are."""

from __future__ import annotations

from collections import defaultdict
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QApplication, QToolTip, QWidget

from nightly_spindle.core.base.timebase import clock
from nightly_spindle.core.calendar.local_days import day_of
from nightly_spindle.core.reports.spot_findings import when_text
from nightly_spindle.desk.kit import theme

if TYPE_CHECKING:
    from PySide6.QtCore import QEvent
    from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPaintEvent

    from nightly_spindle.core.traffic.campaigns import Key
    from nightly_spindle.core.traffic.coming_breaks import BreakPlace
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import SpotSheet

_LEFT, _TOP, DAYS = 44, 24, 7


class BreakWeek(QWidget):
    """Signals: `picked` (key) of a break; `moved` (campaign, from key, to key) by pulling.

    What is pulled is the spot in hand (`hand`), where the break that is pulled from has it.
    `first` is the first day shown (days since 1970), `breaks` what is shown, by time. Keys: arrows
    go from break to break, Ctrl with arrows moves the spot in hand.
    """

    picked = Signal(object)
    moved = Signal(int, object, object)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.sheet: SpotSheet | None = None
        self.first = 0
        self.chosen: Key | None = None
        self.hand = 0  # the campaign whose spot is in hand
        self._cells: dict[tuple[int, int], list[BreakPlace]] = {}
        self.breaks: list[BreakPlace] = []
        self._pressed: tuple[Key, QPointF] | None = None
        self._pull: QPointF | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("The week's breaks")

    def minimumSizeHint(self) -> QSize:
        """Return the least size that can be read."""
        return QSize(520, 400)

    def show_week(self, sheet: SpotSheet, first: int) -> None:
        """Show the seven days from a day on."""
        self.sheet, self.first = sheet, first
        self._cells = defaultdict(list)
        self.breaks = [p for p in sheet.places if first <= p.day < first + DAYS]
        for place in self.breaks:
            self._cells[place.day - first, place.hour % 24].append(place)
        if self.chosen not in {place.key for place in self.breaks}:
            self.chosen = self.breaks[0].key if self.breaks else None
        self.update()

    def spots_in(self, key: Key) -> int:
        """Return how many spots stand in a break."""
        return len(self.sheet.by_break.get(key, ())) if self.sheet else 0

    def _has(self, key: Key) -> bool:
        inside = self.sheet.by_break.get(key, ()) if self.sheet else ()
        return any(booking.campaign == self.hand for booking in inside)

    # -- where things are --------------------------------------------------------------------------

    def box(self, key: Key) -> QRectF:
        """Return where a break is painted; an empty box where it is not shown."""
        for (day, hour), places in self._cells.items():
            for at, place in enumerate(places):
                if place.key == key:
                    return self._box(day, hour, at, len(places))
        return QRectF()

    def _box(self, day: int, hour: int, at: int, many: int) -> QRectF:
        width, height = (self.width() - _LEFT) / DAYS, (self.height() - _TOP) / 24
        each = (width - 6) / max(2, many)
        return QRectF(
            _LEFT + day * width + 2 + at * each, _TOP + hour * height + 1.5, each - 3, height - 3
        )

    def _hit(self, at: QPointF) -> Key | None:
        width, height = (self.width() - _LEFT) / DAYS, (self.height() - _TOP) / 24
        day, hour = int((at.x() - _LEFT) // width), int((at.y() - _TOP) // height)
        places = self._cells.get((day, hour), [])
        for n, place in enumerate(places):
            if self._box(day, hour, n, len(places)).adjusted(-2, -2, 2, 2).contains(at):
                return place.key
        return None

    # -- mouse and keys ----------------------------------------------------------------------------

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a break, and perhaps begin to pull a spot out of it."""
        key = self._hit(event.position())
        if key is not None and event.button() is Qt.MouseButton.LeftButton:
            self._pressed = (key, event.position())
            self.choose(key)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Pull the spot in hand."""
        if self._pressed is None:
            return
        far = (event.position() - self._pressed[1]).manhattanLength()
        if self._pull is not None or far >= QApplication.startDragDistance():
            self._pull = event.position() if self._has(self._pressed[0]) else None
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let the spot go where the mouse is."""
        pressed, pulled = self._pressed, self._pull
        self._pressed = self._pull = None
        to = self._hit(event.position())
        if pressed is not None and pulled is not None and to is not None and to != pressed[0]:
            self.moved.emit(self.hand, pressed[0], to)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go from break to break, or move the spot in hand."""
        to = self.beside(Qt.Key(event.key()))
        if to is None:
            super().keyPressEvent(event)
        elif event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            if self.chosen is not None and self._has(self.chosen):
                was = self.chosen
                self.chosen = to
                self.moved.emit(self.hand, was, to)
        else:
            self.choose(to)

    def beside(self, key: Qt.Key) -> Key | None:
        """Return the break up, down, left or right of the chosen one."""
        keys = [place.key for place in self.breaks]
        if self.chosen not in keys:
            return None
        at = keys.index(self.chosen)
        if key in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            to = at + (-1 if key == Qt.Key.Key_Up else 1)
            return keys[to] if 0 <= to < len(keys) else None
        if key not in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            return None
        here, by = self.breaks[at], -1 if key == Qt.Key.Key_Left else 1
        same = [p for p in self.breaks if p.day == here.day + by and p.hour % 24 == here.hour % 24]
        row = [p for p in self.breaks if p.day == here.day and p.hour == here.hour]
        return same[min(row.index(here), len(same) - 1)].key if same else None

    def choose(self, key: Key) -> None:
        """Choose a break, and say so."""
        self.chosen = key
        self.update()
        self.picked.emit(key)

    def event(self, event: QEvent) -> bool:
        """Show a break's spots as a tool tip."""
        if event.type() == event.Type.ToolTip:
            self._tip(event)  # type: ignore[arg-type]  # it is one of these
            return True
        return super().event(event)

    def _tip(self, event: QHelpEvent) -> None:
        key = self._hit(QPointF(event.pos()))
        if key is None or self.sheet is None:
            QToolTip.hideText()
            return
        names = [
            c.name
            for booking in self.sheet.by_break.get(key, ())
            if (c := self.sheet.campaign(booking.campaign)) is not None
        ]
        text = f"{when_text(key[1], self.sheet.tz)}\n" + ("\n".join(names) or "no spot")
        QToolTip.showText(event.globalPos(), text, self)

    # -- painting ----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the week."""
        del event
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setFont(theme.font(theme.SMALL))
        self._paint_frame(painter)
        over = self._hit(self._pull) if self._pull is not None else None
        for (day, hour), places in self._cells.items():
            for at, place in enumerate(places):
                box = self._box(day, hour, at, len(places))
                self._paint_break(painter, box, place, target=place.key == over)
        if self._pull is not None:
            campaign = self.sheet.campaign(self.hand) if self.sheet else None
            name = campaign.name if campaign else ""
            wide = painter.fontMetrics().horizontalAdvance(name) + 14
            ghost = QRectF(self._pull.x() + 8, self._pull.y() - 10, wide, 20)
            painter.fillRect(ghost, theme.kind_color("spot"))
            painter.setPen(theme.ink_on("spot"))
            painter.drawText(ghost, Qt.AlignmentFlag.AlignCenter, name)
        painter.end()

    def _paint_frame(self, painter: QPainter) -> None:
        p = self.palette_
        width, height = (self.width() - _LEFT) / DAYS, (self.height() - _TOP) / 24
        for day in range(DAYS):
            date = day_of(self.first + day)
            box = QRectF(_LEFT + day * width, 0, width, _TOP)
            if date.weekday() >= 5:
                painter.fillRect(QRectF(box.left(), _TOP, width, self.height()), QColor(p.panel))
            painter.setPen(QColor(p.text))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, f"{date:%a} {date.day} {date:%b}")
        for hour in range(24):
            y = _TOP + hour * height
            painter.setPen(QColor(p.raised))
            painter.drawLine(QPointF(_LEFT, y), QPointF(self.width(), y))
            painter.setPen(QColor(p.muted))
            painter.drawText(
                QRectF(0, y, _LEFT - 6, height),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
                f"{hour:02}:00",
            )

    def _paint_break(
        self, painter: QPainter, box: QRectF, place: BreakPlace, *, target: bool
    ) -> None:
        p, inside = self.palette_, self.sheet.by_break.get(place.key, ()) if self.sheet else ()
        painter.fillRect(box, QColor(p.raised))
        taken = self.sheet.fullness(place) if self.sheet else 0.0
        share = min(1.0, taken)
        fill = QRectF(box.left(), box.top(), box.width() * share, box.height())
        dim = bool(self.hand) and not self._has(place.key)
        colour = QColor(theme.kind_color("spot"))
        colour.setAlpha(80 if dim else 255)
        painter.fillRect(fill, colour)
        if any(booking.fixed for booking in inside):
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(QColor(p.text))
            painter.drawEllipse(QPointF(box.right() - 5, box.top() + 5), 2.2, 2.2)
        if box.width() >= 18:
            ink = theme.ink_on("spot") if inside and not dim else QColor(p.text)
            painter.setPen(ink if inside else QColor(p.muted))
            painter.drawText(
                box.adjusted(3, 0, 0, 0),
                Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft,
                str(len(inside)),
            )
        over = taken > 1.0
        if over or target or place.key == self.chosen:
            edge = p.alarm if over else p.text
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(edge), 2))
            painter.drawRect(box.adjusted(-1, -1, 1, 1))


def title_of(sheet: SpotSheet, key: Key) -> str:
    """Return what a break is called: day, time, pattern."""
    name = next((p.name for p in sheet.patterns if p.id == key[0]), "")
    return f"{when_text(key[1], sheet.tz)[:-5]}{clock(key[1], sheet.tz)[:5]} · {name}"

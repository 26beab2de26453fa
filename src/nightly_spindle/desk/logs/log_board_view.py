"""The board of logs: days below each other, each day's hours from left to right, drawn to scale."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QFontMetricsF, QPainter, QPen, QPolygonF
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.core.reports.log_status import ALARMS, WARNINGS, BoardLog, LogState
from nightly_spindle.desk.kit.theme import SMALL, TEXT, font

if TYPE_CHECKING:
    from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPaintEvent, QResizeEvent

    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.log_boards import Board

_GUTTER = 148
_HEAD = 26
_DAY_GAP = 16
_TALL, _LOW = 36, 30  # lanes of whole days, of hours
_RIGHT = 14
_STEPS = {
    Qt.Key.Key_Left: (-1, 0),
    Qt.Key.Key_Right: (1, 0),
    Qt.Key.Key_Up: (0, -1),
    Qt.Key.Key_Down: (0, 1),
}


@dataclass(frozen=True, slots=True)
class _Lane:
    """One drop on one day: where it is drawn, and its logs."""

    top: float
    height: float
    day: date
    first: bool
    tiles: tuple[tuple[QRectF, BoardLog], ...]


class LogBoardView(QWidget):
    """Paints the board. Signals: `picked` (BoardLog), `opened` (BoardLog)."""

    picked = Signal(object)
    opened = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.board: Board | None = None
        self._lanes: list[_Lane] = []
        self._chosen: tuple[int, str] = (0, "")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Logs of the coming days")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        self.setMouseTracking(True)

    # -- what is shown -----------------------------------------------------------------------------

    def show_board(self, board: Board) -> None:
        """Show other logs, keeping the choice; the log of now is chosen at first."""
        self.board = board
        self._arrange()
        if self.chosen() is None:
            now = [log for _, log in self._tiles() if log.slot.start_us <= board.now_us]
            worst = [log for _, log in self._tiles() if log.state in ALARMS]
            first = next(iter([*worst, *reversed(now), *board.logs]), None)
            if first is not None:
                self._chosen = (first.drop.id, _mark(first))
        self._speak()
        self.updateGeometry()
        self.update()

    def chosen(self) -> BoardLog | None:
        """Return the chosen log."""
        found = (log for _, log in self._tiles() if (log.drop.id, _mark(log)) == self._chosen)
        return next(found, None)

    def choose(self, log: BoardLog) -> None:
        """Choose a log and say so."""
        self._chosen = (log.drop.id, _mark(log))
        self._speak()
        self.update()
        self.picked.emit(log)

    def tile_of(self, drop_id: int, key: str) -> QRectF | None:
        """Return where a log is drawn, by its drop and slot."""
        found = (box for box, log in self._tiles() if (log.drop.id, log.slot.key) == (drop_id, key))
        return next(found, None)

    def _tiles(self) -> list[tuple[QRectF, BoardLog]]:
        return [tile for lane in self._lanes for tile in lane.tiles]

    def _speak(self) -> None:
        log = self.chosen()
        if log is not None:
            said = f"{log.drop.name}, {log.slot.text}: {log.state}. {log.sentence()}"
            self.setAccessibleDescription(said)

    def _arrange(self) -> None:
        """Work out where every log is drawn."""
        self._lanes = []
        if self.board is None:
            return
        width = max(240.0, self.width() - _GUTTER - _RIGHT)
        by_day: dict[date, dict[int, list[BoardLog]]] = {}
        for log in self.board.logs:
            by_day.setdefault(log.slot.day, {}).setdefault(log.drop.id, []).append(log)
        top = float(_HEAD)
        for day in sorted(by_day):
            spans = [log.slot for logs in by_day[day].values() for log in logs]
            begin, end = min(s.start_us for s in spans), max(s.end_us for s in spans)
            for at, drop in enumerate(by_day[day]):
                logs = by_day[day][drop]
                height = _LOW if logs[0].slot.hourly else _TALL
                tiles = tuple(
                    (
                        QRectF(
                            _GUTTER + (log.slot.start_us - begin) / (end - begin) * width,
                            top,
                            (log.slot.end_us - log.slot.start_us) / (end - begin) * width - 2,
                            height - 4,
                        ),
                        log,
                    )
                    for log in logs
                )
                self._lanes.append(_Lane(top, height, day, at == 0, tiles))
                top += height
            top += _DAY_GAP
        self.setMinimumHeight(round(top))

    # -- painting ----------------------------------------------------------------------------------

    def sizeHint(self) -> QSize:
        """As tall as all days."""
        last = self._lanes[-1] if self._lanes else None
        return QSize(600, round(last.top + last.height + 8) if last else 200)

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Arrange anew."""
        super().resizeEvent(event)
        self._arrange()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the lanes that are seen."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self._paint_hours(painter)
        for lane in self._lanes:
            if lane.top > event.rect().bottom() or lane.top + lane.height < event.rect().top() - 20:
                continue
            self._paint_label(painter, lane)
            for box, log in lane.tiles:
                self._paint_tile(painter, box, log)
        self._paint_now(painter)
        painter.end()

    def _paint_hours(self, painter: QPainter) -> None:
        """Paint the hours above the first day; days of 23 or 25 hours have their own scale."""
        if self.board is None or not self._lanes:
            return
        painter.setFont(font(SMALL))
        painter.setPen(QColor(self.palette_.muted))
        start = self.board.settings.day_start
        width = max(240.0, self.width() - _GUTTER - _RIGHT)
        for hour in range(0, 24, 3):
            x = _GUTTER + hour / 24 * width
            text = f"{(start.hour + hour) % 24:02}:{start.minute:02}"
            painter.drawText(QRectF(x, 4, 60, 16), Qt.AlignmentFlag.AlignLeft, text)

    def _paint_label(self, painter: QPainter, lane: _Lane) -> None:
        log = lane.tiles[0][1]
        p = self.palette_
        if lane.first:
            today = self._today()
            painter.setFont(font(SMALL, bold=True))
            painter.setPen(QColor(p.text if lane.day == today else p.muted))
            day = f"{lane.day:%a} {lane.day.day} {lane.day:%b}".upper()
            text = f"TODAY  {day}" if lane.day == today else day
            painter.drawText(QRectF(14, lane.top - 1, _GUTTER - 20, 14), 0, text)
        painter.setFont(font(TEXT))
        painter.setPen(QColor(p.muted))
        name = QFontMetricsF(painter.font()).elidedText(
            log.drop.name, Qt.TextElideMode.ElideRight, _GUTTER - 30
        )
        top = lane.top + (12 if lane.first else 4)
        painter.drawText(QRectF(14, top, _GUTTER - 20, 18), Qt.AlignmentFlag.AlignVCenter, name)

    def _today(self) -> date | None:
        if self.board is None:
            return None
        settings = self.board.settings
        return broadcast_day(self.board.now_us, settings.tz, settings.day_start)

    def _paint_tile(self, painter: QPainter, box: QRectF, log: BoardLog) -> None:
        p = self.palette_
        now = self.board.now_us if self.board else 0
        here = log.slot.start_us <= now < log.slot.end_us
        bad, waits = log.state in ALARMS, log.state in {LogState.EXPECTED, LogState.ARRIVING}
        ground = {LogState.LOADED: p.select, LogState.AIRED: p.panel, LogState.OVER: p.ground}.get(
            log.state, p.raised
        )
        ground = p.alarm_ground if bad else p.ground if waits else ground
        pen = QPen(QColor(p.alarm if bad else p.line), 1)
        if waits:
            pen.setStyle(Qt.PenStyle.DashLine)
        painter.setPen(pen)
        painter.setBrush(QColor(ground))
        painter.drawRoundedRect(box.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
        self._paint_fill(painter, box, log)
        if here and log.state is LogState.LOADED:
            painter.fillRect(QRectF(box.x(), box.y() + 1, 3, box.height() - 2), QColor(p.air))
        quiet = log.state in {LogState.AIRED, LogState.OVER} or waits
        ink = QColor(p.alarm if bad else p.muted if quiet else p.text)
        if log.slot.hourly:
            counted = log.lost and log.state in WARNINGS
            aside = QPointF(-6 if counted else 0, 0)
            paint_state(painter, log.state, _middle(box) + aside, ink)
            if counted:
                self._badge(painter, box, log.lost)
        else:
            self._paint_day(painter, box, log, ink)
        if (log.drop.id, _mark(log)) == self._chosen:
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.setPen(QPen(QColor(p.text), 2 if self.hasFocus() else 1))
            painter.drawRoundedRect(box.adjusted(-1, -1, 1, 1), 4, 4)

    def _paint_fill(self, painter: QPainter, box: QRectF, log: BoardLog) -> None:
        """Paint how much of its time a log fills, along the lower edge."""
        if not log.duration_s:
            return
        p = self.palette_
        part = min(1.0, log.duration_s / log.slot.seconds)
        bar = QRectF(box.x() + 2, box.bottom() - 4, (box.width() - 4) * part, 2.4)
        painter.fillRect(bar, QColor(p.muted))
        if log.short:
            rest = QRectF(bar.right(), bar.y(), (box.width() - 4) * (1 - part), 2.4)
            painter.fillRect(rest, QColor(p.alarm))

    def _paint_day(self, painter: QPainter, box: QRectF, log: BoardLog, ink: QColor) -> None:
        paint_state(painter, log.state, QPointF(box.x() + 18, box.center().y() - 1), ink)
        painter.setPen(ink)
        painter.setFont(font(TEXT, bold=log.state in ALARMS))
        room = QRectF(box.x() + 34, box.y(), box.width() - 44, box.height() - 3)
        right = log.fits()
        if log.duration_s:
            right = f"{length(log.duration_s)}   {right}"
        if log.lost:
            right = f"{log.lost} missing   {right}"
        metrics = QFontMetricsF(painter.font())
        wide = metrics.horizontalAdvance(right) + 20
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, right)
        close = log.reading.close if log.state in ALARMS else None
        left = f"{log.reading.file}   {log.state}" + (f"; close: {close.text}" if close else "")
        left = metrics.elidedText(left, Qt.TextElideMode.ElideRight, room.width() - wide)
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, left)

    def _badge(self, painter: QPainter, box: QRectF, count: int) -> None:
        painter.setFont(font(SMALL, bold=True))
        painter.setPen(QColor(self.palette_.alarm))
        text = str(count) if count < 100 else "99+"
        side = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(box.adjusted(0, 0, -3, -4), side, text)

    def _paint_now(self, painter: QPainter) -> None:
        """Paint where the present instant is, through today's lanes."""
        if self.board is None:
            return
        now = self.board.now_us
        for lane in self._lanes:
            for box, log in lane.tiles:
                if log.slot.start_us <= now < log.slot.end_us:
                    part = (now - log.slot.start_us) / (log.slot.end_us - log.slot.start_us)
                    x = box.x() + part * (box.width() + 2)
                    painter.setPen(QPen(QColor(self.palette_.text), 1))
                    painter.drawLine(QPointF(x, lane.top - 2), QPointF(x, lane.top + lane.height))

    # -- mouse and keyboard ------------------------------------------------------------------------

    def _at(self, point: QPointF) -> BoardLog | None:
        return next((log for box, log in self._tiles() if box.contains(point)), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose what was clicked."""
        log = self._at(event.position())
        if log is not None:
            self.choose(log)

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Open what was clicked twice."""
        log = self._at(event.position())
        if log is not None:
            self.opened.emit(log)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Walk from log to log; Return opens."""
        log = self.chosen()
        if event.key() in {Qt.Key.Key_Return, Qt.Key.Key_Enter} and log is not None:
            self.opened.emit(log)
        elif event.key() in _STEPS and log is not None:
            self._step(log, *_STEPS[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def _step(self, log: BoardLog, dx: int, dy: int) -> None:
        lane = next(n for n, one in enumerate(self._lanes) if any(t[1] is log for t in one.tiles))
        tiles = self._lanes[lane].tiles
        at = next(n for n, tile in enumerate(tiles) if tile[1] is log)
        if dx:
            if 0 <= at + dx < len(tiles):
                self.choose(tiles[at + dx][1])
            else:
                self._step_day(log, dx)
            return
        if 0 <= lane + dy < len(self._lanes):
            x = tiles[at][0].center().x()
            beside = self._lanes[lane + dy].tiles
            self.choose(min(beside, key=lambda tile: abs(tile[0].center().x() - x))[1])

    def _step_day(self, log: BoardLog, by: int) -> None:
        """Go on to the same drop's log before or after, on another day."""
        own = [one for _, one in self._tiles() if one.drop.id == log.drop.id]
        at = own.index(log) + by
        if 0 <= at < len(own):
            self.choose(own[at])

    def event(self, event: QEvent) -> bool:
        """Say what a log is while the mouse rests on it."""
        if event.type() is QEvent.Type.ToolTip:
            help_: QHelpEvent = event  # type: ignore[assignment]
            log = self._at(QPointF(help_.pos()))
            text = f"{log.drop.name}, {log.slot.text}\n{log.sentence()}" if log else ""
            QToolTip.showText(help_.globalPos(), text, self)
            return True
        return super().event(event)


def _mark(log: BoardLog) -> str:
    """Return what tells a log's tile apart: an hour that comes twice has two."""
    return f"{log.slot.key}/{log.slot.start_us}"


def _middle(box: QRectF) -> QPointF:
    return QPointF(box.center().x(), box.center().y() - 2)


def paint_state(painter: QPainter, state: LogState, at: QPointF, ink: QColor) -> None:
    """Paint a state's own shape around a point: never told by colour alone."""
    painter.save()
    painter.setPen(QPen(ink, 1.8, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    x, y = at.x(), at.y()

    def path(*points: tuple[float, float]) -> None:
        painter.drawPolyline(QPolygonF([QPointF(x + a, y + b) for a, b in points]))

    if state is LogState.EXPECTED:
        painter.drawEllipse(at, 3.0, 3.0)
    elif state is LogState.ARRIVING:
        for step in (-5, 0, 5):
            painter.drawPoint(QPointF(x + step, y))
    elif state in {LogState.WHOLE, LogState.AIRED}:
        path((-5, 0), (-1.5, 4), (5, -4))
    elif state is LogState.LOADED:
        path((-4, -4.5), (4.5, 0), (-4, 4.5), (-4, -4.5))
    elif state is LogState.GAPS:
        path((-5, 0), (-1.5, 4), (0.5, 1.6))
        path((3, -2), (5, -4))
    elif state is LogState.OVER:
        path((-4, 0), (4, 0))
    else:
        path((-4, -4), (4, 4))
        path((4, -4), (-4, 4))
    painter.restore()

"""The coming joins, drawn: what passes into what, and what lies over each."""

from __future__ import annotations

from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QGuiApplication, QKeySequence, QPainter, QPen
from PySide6.QtWidgets import QAbstractScrollArea

from nightly_spindle.core.base.timebase import US, moment_from
from nightly_spindle.core.programme.running_order import OverlayPlace
from nightly_spindle.core.reports.timeline import Block, OverlayBlock, cut_short
from nightly_spindle.desk.kit.theme import SMALL, TEXT, font, ink_on, kind_color
from nightly_spindle.desk.timeline.timeline_painting import paint_dip, paint_over

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from PySide6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent, QResizeEvent

    from nightly_spindle.desk.kit.planning_process import NightPlan
    from nightly_spindle.desk.kit.theme import Palette

ROW_PX = 44
_HEAD_PX = 22
_NAMES_PX = 74  # the time, left of what is drawn
_BEFORE_S, _AFTER_S = 10.0, 21.0
_STEP_S = 0.1


@dataclass(frozen=True, slots=True)
class ComingJoin:
    """Two blocks that pass into each other, and what lies over the join and the intro."""

    out: Block
    into: Block
    overlays: tuple[OverlayBlock, ...]

    @property
    def line_id(self) -> int:
        """The line that starts here."""
        return self.into.line_id


@dataclass(frozen=True, slots=True)
class _Drag:
    """An overlay in the hand: its join and itself as they were taken, where, and how far (s).

    The night may be planned anew meanwhile; what is let go counts from what was taken.
    """

    join: ComingJoin
    over: OverlayBlock
    x: float
    by_s: float = 0.0

    def by(self, row: ComingJoin, over: OverlayBlock) -> float:
        """Return how far an overlay of a row is out of its place (s)."""
        same = (row.line_id, over.cart) == (self.join.line_id, self.over.cart)
        return self.by_s if same else 0.0


def joins_of(planned: NightPlan, now_us: int) -> list[ComingJoin]:
    """Return the joins that are still to come."""
    over: dict[int, list[OverlayBlock]] = {}
    for one in planned.night.overlays:
        over.setdefault(one.line_id, []).append(one)
    return [
        ComingJoin(out, into, tuple(over.get(into.line_id, ())))
        for out, into in pairwise(planned.night.blocks)
        if into.start_us >= now_us - round(_AFTER_S * US) and not cut_short(out)
    ]


class ComingJoins(QAbstractScrollArea):
    """A row a join, to scale around the start of the incoming item.

    Signals: `picked` (line id), `moved` (line id, overlay's cart, seconds from the start) when
    an overlay was dragged, `said` (str). Keys: up and down choose, left and right move the
    overlay by 0.1 s (Shift 1 s), Ctrl+C copies all rows as text.
    """

    picked = Signal(int)
    moved = Signal(int, int, float)
    said = Signal(str)

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__()
        self.palette_, self._tz = palette, tz
        self.rows: list[ComingJoin] = []
        self.chosen = 0
        self._drag: _Drag | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("Coming joins")
        self.viewport().setMouseTracking(True)
        self.setToolTip(
            "Up and Down choose a join, Left and Right move what plays over it by 0.1 s (Shift: "
            "1 s), or drag it."
        )

    # -- rows --------------------------------------------------------------------------------------

    def show_joins(self, rows: list[ComingJoin]) -> None:
        """Show other joins; what is chosen stays where it still comes."""
        self.rows = rows
        if self.row() < 0:
            self.chosen = rows[0].line_id if rows else 0
        self._fit()
        self.viewport().update()

    def row(self) -> int:
        """Return the chosen row, -1 for none."""
        return next((n for n, row in enumerate(self.rows) if row.line_id == self.chosen), -1)

    def join(self) -> ComingJoin | None:
        """Return the chosen join."""
        at = self.row()
        return self.rows[at] if at >= 0 else None

    def choose(self, line_id: int) -> None:
        """Choose a join, and bring it into sight."""
        self.chosen = line_id
        at = self.row()
        bar, room = self.verticalScrollBar(), self.viewport().height() - _HEAD_PX
        if at >= 0 and not bar.value() <= at * ROW_PX <= bar.value() + room - ROW_PX:
            bar.setValue(at * ROW_PX - room // 3)
        self.viewport().update()
        self.picked.emit(line_id)

    def _fit(self) -> None:
        room = self.viewport().height() - _HEAD_PX
        self.verticalScrollBar().setPageStep(max(1, room))
        self.verticalScrollBar().setSingleStep(ROW_PX)
        self.verticalScrollBar().setRange(0, max(0, len(self.rows) * ROW_PX - room))

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Take the new size up."""
        super().resizeEvent(event)
        self._fit()

    # -- scales ------------------------------------------------------------------------------------

    def _drawn(self, at: int) -> QRectF:
        """Return where a row is drawn."""
        top = _HEAD_PX + at * ROW_PX - self.verticalScrollBar().value()
        wide = self.viewport().width() - _NAMES_PX - 8
        return QRectF(_NAMES_PX, top, max(60, wide), ROW_PX)

    def _x(self, box: QRectF, from_start_s: float) -> float:
        return box.left() + box.width() * (from_start_s + _BEFORE_S) / (_BEFORE_S + _AFTER_S)

    def _by(self, row: ComingJoin, over: OverlayBlock) -> float:
        return 0.0 if self._drag is None else self._drag.by(row, over)

    def over_box(self, at: int, over: OverlayBlock) -> QRectF:
        """Return where an overlay of a row is drawn (also for tests)."""
        box, into = self._drawn(at), self.rows[at].into
        by = self._by(self.rows[at], over)
        left = self._x(box, (over.start_us - into.start_us) / US + by)
        right = self._x(box, (over.end_us - into.start_us) / US + by)
        left, right = max(box.left(), left), min(box.right(), right)
        return QRectF(left, box.top() + 4, max(3.0, right - left), 16)

    # -- painting ----------------------------------------------------------------------------------

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the rows in sight."""
        del event
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.viewport().rect(), QColor(self.palette_.ground))
        painter.setClipRect(0, _HEAD_PX, self.viewport().width(), self.viewport().height())
        first = self.verticalScrollBar().value() // ROW_PX
        last = first + self.viewport().height() // ROW_PX + 2
        for at in range(first, min(last, len(self.rows))):
            self._paint_row(painter, at)
        painter.setClipping(False)
        self._paint_head(painter)
        if not self.rows:
            painter.setPen(QColor(self.palette_.muted))
            text = "No joins to come: nothing is lined up, or the night is still worked out."
            painter.drawText(self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, text)
        painter.end()

    def _paint_head(self, painter: QPainter) -> None:
        """Paint the seconds from the start of the incoming item."""
        painter.setFont(font(SMALL))
        box = self._drawn(0)
        for seconds in range(-10, 21, 5):
            x = self._x(box, seconds)
            painter.setPen(QColor(self.palette_.muted))
            text = "start" if not seconds else f"{seconds:+d} s"
            painter.drawText(QRectF(x - 30, 4, 60, 14), Qt.AlignmentFlag.AlignCenter, text)
            painter.setPen(QPen(QColor(self.palette_.raised), 1))
            painter.drawLine(QPointF(x, _HEAD_PX - 3), QPointF(x, _HEAD_PX))

    def _paint_row(self, painter: QPainter, at: int) -> None:
        row, box, colors = self.rows[at], self._drawn(at), self.palette_
        whole = QRectF(0, box.top(), self.viewport().width(), ROW_PX)
        if row.line_id == self.chosen:
            painter.fillRect(whole, QColor(colors.select))
        painter.setFont(font(TEXT))
        painter.setPen(QColor(colors.text))
        when = f"{moment_from(row.into.start_us, self._tz):%H:%M:%S}"
        painter.drawText(QRectF(10, box.top() + 21, 60, 18), Qt.AlignmentFlag.AlignVCenter, when)
        lane = QRectF(box.left(), box.top() + 22, box.width(), 18)
        painter.save()
        painter.setClipRect(
            box.intersected(QRectF(self.viewport().rect()).adjusted(0, _HEAD_PX, 0, 0))
        )
        self._paint_block(painter, lane, row, row.out)
        self._paint_block(painter, lane, row, row.into)
        x = self._x(box, 0)
        painter.setPen(QPen(QColor(colors.text), 1, Qt.PenStyle.DotLine))
        painter.drawLine(QPointF(x, box.top() + 2), QPointF(x, lane.bottom()))
        self._paint_overlays(painter, at, lane)
        for block in (row.out, row.into):
            self._paint_title(painter, lane, row, block)
        painter.restore()
        painter.setPen(QPen(QColor(colors.raised), 1))
        painter.drawLine(
            QPointF(0, whole.bottom() - 0.5), QPointF(whole.right(), whole.bottom() - 0.5)
        )

    def _paint_block(self, painter: QPainter, lane: QRectF, row: ComingJoin, block: Block) -> None:
        """Paint an item; a pale line over the incoming one says how long it may be talked over."""
        start = row.into.start_us
        left = max(lane.left(), self._x(lane, (block.start_us - start) / US))
        right = min(lane.right(), self._x(lane, (block.end_us - start) / US))
        mine = block is row.into
        part = QRectF(left, lane.top() + (5 if mine else 0), max(1.0, right - left), 13)
        color = kind_color(block.kind)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        painter.drawRect(part)
        if mine and block.intro_us is not None:
            post = min(right, self._x(lane, (block.intro_us - start) / US))
            painter.setBrush(color.lighter(170))
            painter.drawRect(QRectF(left, part.top() - 4, post - left, 3))
            painter.setPen(QPen(QColor(self.palette_.text), 2))
            painter.drawLine(QPointF(post, part.top() - 5), QPointF(post, part.bottom()))

    def _paint_title(self, painter: QPainter, lane: QRectF, row: ComingJoin, block: Block) -> None:
        start, mine = row.into.start_us, block is row.into
        left = max(lane.left(), self._x(lane, (block.start_us - start) / US))
        right = min(lane.right(), self._x(lane, (block.end_us - start) / US))
        if not mine:
            right = min(right, self._x(lane, 0))
        room = QRectF(left + 4, lane.top() + (5 if mine else 0), max(0.0, right - left - 8), 13)
        painter.setFont(font(SMALL, bold=True))
        painter.setPen(ink_on(block.kind))
        text = painter.fontMetrics().elidedText(
            block.title, Qt.TextElideMode.ElideRight, max(0, int(room.width()))
        )
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter, text)

    def _paint_overlays(self, painter: QPainter, at: int, lane: QRectF) -> None:
        row, box = self.rows[at], self._drawn(at)
        points = 0
        for over in row.overlays:
            if over.where == OverlayPlace.POINT:
                points += 1
                continue
            by = self._by(row, over)
            down = self._x(box, (over.down_us - row.into.start_us) / US + by)
            up = self._x(box, (over.up_us - row.into.start_us) / US + by)
            paint_dip(painter, QRectF(down, lane.top(), up - down, lane.height()), self.palette_)
            paint_over(painter, self.over_box(at, over), over, self.palette_)
        painter.setFont(font(SMALL))
        painter.setPen(QColor(self.palette_.muted))
        told = self._told(row, points)
        if told:
            painter.drawText(
                QRectF(box.left(), box.top() + 4, box.width() - 4, 16),
                Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter,
                told,
            )

    @staticmethod
    def _told(row: ComingJoin, points: int) -> str:
        parts = []
        if points:
            parts.append("at its sweeper point" if points == 1 else f"at {points} sweeper points")
        if row.into.wish is not None:
            parts.append(f"by hand: {row.into.wish.wish}")
        if row.into.tag:
            parts.append(f"tagged {row.into.tag}")
        return " · ".join(parts)

    # -- hands -------------------------------------------------------------------------------------

    def _row_at(self, y: float) -> int:
        at = int((y - _HEAD_PX + self.verticalScrollBar().value()) // ROW_PX)
        return at if y >= _HEAD_PX and 0 <= at < len(self.rows) else -1

    def _over_at(self, at: int, where: QPointF) -> OverlayBlock | None:
        """Return the overlay of a row under a place."""
        for over in self.rows[at].overlays:
            if over.where != OverlayPlace.POINT and self.over_box(at, over).adjusted(
                -2, -2, 2, 2
            ).contains(where):
                return over
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose a row, or take hold of what lies over it."""
        at = self._row_at(event.position().y())
        if at < 0:
            return
        self.choose(self.rows[at].line_id)
        over = self._over_at(at, event.position())
        if over is not None:
            self._drag = _Drag(self.rows[at], over, event.position().x())

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Drag an overlay along; it snaps to tenths of a second."""
        at = self._row_at(event.position().y())
        if self._drag is None:
            over = self._over_at(at, event.position()) if at >= 0 else None
            shape = Qt.CursorShape.ArrowCursor if over is None else Qt.CursorShape.SizeHorCursor
            self.viewport().setCursor(shape)
            return
        wide = self._drawn(0).width() / (_BEFORE_S + _AFTER_S)  # each row is drawn as wide
        by = round((event.position().x() - self._drag.x) / wide / _STEP_S) * _STEP_S
        self._drag = replace(self._drag, by_s=by)
        self.viewport().update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let go: the overlay lies where it was dragged to."""
        del event
        drag, self._drag = self._drag, None
        if drag is not None and abs(drag.by_s) > _STEP_S / 2:
            self._move(drag.join, drag.over, drag.by_s)
        self.viewport().update()

    def _line(self, row: ComingJoin) -> str:
        """Return a join as text, a tab between the columns."""
        over = "; ".join(
            f"{moment_from(one.start_us, self._tz):%H:%M:%S} {one.title} ({one.origin})"
            for one in row.overlays
        )
        at = f"{moment_from(row.into.start_us, self._tz):%H:%M:%S}"
        return f"{at}\t{row.out.title}\t{row.into.title}\t{over}"

    def _move(self, row: ComingJoin, over: OverlayBlock, by_s: float) -> None:
        at_s = (over.start_us - row.into.start_us) / US + by_s
        self.moved.emit(row.line_id, over.cart, round(at_s, 2))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Choose by keys, and move what lies over the chosen join."""
        key, at = event.key(), self.row()
        if event.matches(QKeySequence.StandardKey.Copy):
            QGuiApplication.clipboard().setText("\n".join(self._line(row) for row in self.rows))
            return
        steps = {
            Qt.Key.Key_Up: -1,
            Qt.Key.Key_Down: 1,
            Qt.Key.Key_PageUp: -10,
            Qt.Key.Key_PageDown: 10,
            Qt.Key.Key_Home: -len(self.rows),
            Qt.Key.Key_End: len(self.rows),
        }
        if self.rows and key in steps:
            to = min(max(0, at + steps[Qt.Key(key)]), len(self.rows) - 1)
            self.choose(self.rows[to].line_id)
        elif at >= 0 and key in {Qt.Key.Key_Left, Qt.Key.Key_Right}:
            shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            by = (1.0 if shift else _STEP_S) * (1 if key == Qt.Key.Key_Right else -1)
            over = next((o for o in self.rows[at].overlays if o.where != OverlayPlace.POINT), None)
            if over is None:
                self.said.emit("Nothing plays over this join; choose something for it first.")
            else:
                self._move(self.rows[at], over, by)
        else:
            super().keyPressEvent(event)

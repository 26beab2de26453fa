"""The calendar of the coming weeks: what each day gets, painted; day plans are pulled onto it."""

from __future__ import annotations

from datetime import date, timedelta
from typing import TYPE_CHECKING

from PySide6.QtCore import QPoint, QRect, QSize, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QApplication, QWidget

from nightly_spindle.core.calendar.day_plans import NOTHING, Plans
from nightly_spindle.core.calendar.week_grid import hour_of_week
from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.music.clock_marks import clock_colour

if TYPE_CHECKING:
    from collections.abc import Mapping

    from PySide6.QtGui import QKeyEvent, QMouseEvent, QPaintEvent

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.desk.kit.theme import Palette

WEEKS = 6
_TOP, _CHIP, _GAP = 20, 30, 6
_DAYS = ("Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun")
_STEPS = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -7, Qt.Key.Key_Down: 7}


class PlanCalendar(QWidget):
    """Chips of the day plans above, six weeks below.

    A chip gives its plan to the one day that it is let go over, whatever it is pulled across; a day
    that is pulled across others gives them its own. With the keyboard: arrows go, 1 to 9 give
    the chosen day a plan, Delete gives it back to the week plan. Signals: `given` ({day: plan
    number, 0 for none}); `picked` (day).
    """

    given = Signal(object)
    picked = Signal(object)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self.plans = Plans()
        self.clocks: Mapping[int, FormatClock] = {}
        self.first = date(2026, 1, 5)
        self.today = self.first
        self.chosen = self.first
        self._hand: int | None = None
        self._from: date | None = None
        self._to: date | None = None
        self._at = QPoint()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Calendar of day plans")
        self.setToolTip(
            "Pull a plan onto a day, and from that day on across others; "
            "1 to 9 give the chosen day a plan, Delete takes it away"
        )

    def minimumSizeHint(self) -> QSize:
        """Return the least size that can be read."""
        return QSize(520, 380)

    def show_plans(self, plans: Plans, clocks: Mapping[int, FormatClock], today: date) -> None:
        """Show the weeks from the present one on."""
        self.plans, self.clocks, self.today = plans, clocks, today
        self.first = today - timedelta(days=today.weekday())
        last = self.first + timedelta(days=7 * WEEKS - 1)
        if not self.first <= self.chosen <= last:
            self.chosen = today
        self.update()

    # -- where things are -----

    def chips(self) -> list[tuple[int, QRect]]:
        """Return the plans to pull, and where each is painted; 0 is the week plan."""
        numbers = [*self.plans.days, NOTHING]
        width = min(150, (self.width() - _GAP) // max(1, len(numbers)) - _GAP)
        return [
            (number, QRect(at * (width + _GAP), 0, width, _CHIP))
            for at, number in enumerate(numbers)
        ]

    def cell(self, day: date) -> QRect:
        """Return where a day is painted."""
        at = (day - self.first).days
        top = _CHIP + _GAP + _TOP
        width, height = self.width() / 7, (self.height() - top) / WEEKS
        x, y = at % 7 * width, top + at // 7 * height
        return QRect(round(x), round(y), round(width) - 4, round(height) - 4)

    def _day(self, at: QPoint) -> date | None:
        top = _CHIP + _GAP + _TOP
        if at.y() < top or not 0 <= at.x() < self.width() or at.y() >= self.height():
            return None
        column = int(at.x() * 7 / self.width())
        row = int((at.y() - top) * WEEKS / max(1, self.height() - top))
        return self.first + timedelta(days=row * 7 + column)

    def _pulled(self) -> list[date]:
        """Return the days that are pulled across, in the order of the calendar."""
        if self._hand is None or self._to is None:
            return []
        if self._from is None:  # a chip lands on the one day that it is let go over
            return [self._to] if self._to >= self.today else []
        a, b = sorted((self._from, self._to))
        days = [a + timedelta(days=n) for n in range((b - a).days + 1)]
        return [day for day in days if day >= self.today]

    # -- mouse and keys -----

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Take a plan into the hand: a chip's, or that of a day."""
        if event.button() is not Qt.MouseButton.LeftButton:
            return
        at = event.position().toPoint()
        self._at = at
        for number, box in self.chips():
            if box.contains(at):
                self._hand, self._from = number, None
                return
        day = self._day(at)
        if day is not None:
            self.choose(day)
            self._hand = self.plans.calendar.get(day, NOTHING)
            self._from = self._to = None

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """Pull it across days."""
        if self._hand is None:
            return
        at = event.position().toPoint()
        far = (at - self._at).manhattanLength() >= QApplication.startDragDistance()
        day = self._day(at)
        if far or self._to is not None:
            self._from = self._day(self._at)
            self._to = day if day is not None or self._from is None else self._to
            self.update()

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """Let it go: the days have it."""
        if self._from is None:
            self._to = self._day(event.position().toPoint()) if self._to is not None else None
        days, hand = self._pulled(), self._hand
        self._hand = self._from = self._to = None
        if hand is not None:
            self._give(days, hand)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go, and give the chosen day a plan, by keyboard."""
        key = Qt.Key(event.key())
        number = int(event.text()) if event.text().isdecimal() and event.text() else 0
        plans = list(self.plans.days)
        if key in _STEPS:
            day = self.chosen + timedelta(days=_STEPS[key])
            if self.first <= day < self.first + timedelta(days=7 * WEEKS):
                self.choose(day)
        elif key in {Qt.Key.Key_Delete, Qt.Key.Key_Backspace}:
            self._give([self.chosen], NOTHING)
        elif 0 < number <= len(plans):
            self._give([self.chosen], plans[number - 1])
        else:
            super().keyPressEvent(event)

    def choose(self, day: date) -> None:
        """Choose a day."""
        self.chosen = day
        self.picked.emit(day)
        self.update()

    def _give(self, days: list[date], plan: int) -> None:
        given = dict.fromkeys(days, plan)  # all: what is shown may be older than the last edit
        if given:
            self.given.emit(given)

    # -- painting -----

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint chips and days."""
        del event
        painter = QPainter(self)
        painter.setFont(theme.font(theme.SMALL))
        p, pulled = self.palette_, set(self._pulled())
        for place, (number, box) in enumerate(self.chips(), 1):
            name = self.plans.days[number].name if number else "Week plan"
            key = f"{place}  " if number else ""
            self._paint_chip(painter, box, f"{key}{name}", held=self._hand == number)
        for column, name in enumerate(_DAYS):
            box = self.cell(self.first + timedelta(days=column))
            painter.setPen(QColor(p.muted))
            head = QRect(box.left(), _CHIP + _GAP, box.width(), _TOP - 2)
            painter.drawText(head, Qt.AlignmentFlag.AlignVCenter, name)
        for at in range(7 * WEEKS):
            day = self.first + timedelta(days=at)
            self._paint_day(painter, day, target=day in pulled)
        painter.end()

    def _paint_chip(self, painter: QPainter, box: QRect, text: str, *, held: bool) -> None:
        p = self.palette_
        painter.fillRect(box, QColor(p.select if held else p.raised))
        painter.setPen(QPen(QColor(p.text if held else p.line), 1))
        painter.drawRect(box.adjusted(0, 0, -1, -1))
        painter.setPen(QColor(p.text))
        shown = painter.fontMetrics().elidedText(
            text, Qt.TextElideMode.ElideRight, box.width() - 14
        )
        painter.drawText(box.adjusted(8, 0, -6, 0), Qt.AlignmentFlag.AlignVCenter, shown)

    def _paint_day(self, painter: QPainter, day: date, *, target: bool) -> None:
        p, box = self.palette_, self.cell(day)
        past = day < self.today
        painter.fillRect(box, QColor(p.select if target else p.panel))
        plan, _ = self.plans.plan_of(day)
        hours = self._hours(day)
        width = box.width() / 24
        for hour, clock in enumerate(hours):
            if clock in self.clocks:
                part = QRect(
                    round(box.left() + hour * width), box.bottom() - 13, max(1, round(width)), 12
                )
                painter.fillRect(part, clock_colour(clock, self.clocks, p))
        painter.setPen(QColor(p.muted if past else p.text))
        head = f"{day.day} {day:%b}" if day.day == 1 or day == self.first else str(day.day)
        bold = day == self.today
        painter.setFont(theme.font(theme.SMALL, bold=bold))
        painter.drawText(box.adjusted(6, 3, -4, 0), Qt.AlignmentFlag.AlignTop, head)
        painter.setFont(theme.font(theme.SMALL))
        name = plan.name if plan is not None else ""
        metrics = painter.fontMetrics()
        shown = metrics.elidedText(name, Qt.TextElideMode.ElideRight, box.width() - 10)
        below = box.adjusted(6, 3 + metrics.height(), -4, 0)
        painter.drawText(below, Qt.AlignmentFlag.AlignTop, shown)
        if day == self.chosen or target:
            painter.setPen(QPen(QColor(p.text), 2 if self.hasFocus() or target else 1))
            painter.setBrush(Qt.BrushStyle.NoBrush)
            painter.drawRect(box.adjusted(0, 0, -1, -1))

    def _hours(self, day: date) -> list[int]:
        """Return the clocks of a day by the hour on the wall, from 00 on."""
        plan, _ = self.plans.plan_of(day)
        week = [self.plans.week[hour_of_week(day.weekday(), hour)] for hour in range(24)]
        if plan is None:
            return week
        found = list(week)
        for one in reversed(self.plans.lineage(plan)):
            found = [
                own if own >= 0 else under for own, under in zip(one.hours, found, strict=True)
            ]
        return found

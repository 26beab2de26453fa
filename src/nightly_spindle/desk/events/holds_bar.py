"""A bar that shows, to scale, what of an event fits into its length."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QEvent, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen
from PySide6.QtWidgets import QToolTip, QWidget

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.playout.event_length_plan import EventContents, LengthFate

if TYPE_CHECKING:
    from PySide6.QtGui import QHelpEvent, QPaintEvent

    from nightly_spindle.desk.kit.theme import Palette

_TALL = 22
_COLORS = {LengthFate.WHOLE: "#009E73", LengthFate.CUT: "#E69F00", LengthFate.OVER: "#56B4E9"}


class HoldsBar(QWidget):
    """One segment for each line by what becomes of it; a mark where the length ends."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._holds: EventContents | None = None
        self.setFixedHeight(_TALL)
        self.setAccessibleName("What fits into its length")

    def show_holds(self, holds: EventContents) -> None:
        """Show what an event holds; nothing where it has no length or no lines."""
        self._holds = holds
        self.setVisible(holds.room_s is not None and bool(holds.lines))
        self.setAccessibleDescription(holds.sentence())
        self.update()

    def _limit_s(self) -> float:
        assert self._holds is not None
        return self._holds.runs_s + (self._holds.room_s or 0.0)

    def segments(self) -> list[tuple[QRectF, int]]:
        """Return where each line is drawn, and its number."""
        if self._holds is None:
            return []
        per_s = (self.width() - 2) / max(self._limit_s(), self._holds.runs_s, 1.0)
        return [
            (QRectF(1 + line.start_s * per_s, 3, max(1.0, line.length_s * per_s - 1), _TALL - 6), n)
            for n, line in enumerate(self._holds.lines)
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the lines, and where the length ends."""
        del event
        if self._holds is None:
            return
        painter = QPainter(self)
        palette = self.palette_
        painter.fillRect(self.rect(), QColor(palette.ground))
        for rect, number in self.segments():
            fits = self._holds.lines[number].fits
            if fits is LengthFate.NOT:
                painter.setPen(QPen(QColor(palette.alarm), 1))
                painter.setBrush(Qt.BrushStyle.BDiagPattern)
                painter.drawRect(rect)
            else:
                painter.fillRect(rect, QColor(_COLORS[fits]))
        whole = max(self._limit_s(), self._holds.runs_s, 1.0)
        x = 1 + self._limit_s() * (self.width() - 3) / whole
        painter.setPen(QPen(QColor(palette.text), 2))
        painter.drawLine(round(x), 0, round(x), _TALL)
        painter.end()

    def tip(self, number: int) -> str:
        """Return what is said of a line: its title, when it starts, what becomes of it."""
        assert self._holds is not None
        line = self._holds.lines[number]
        lost = f" by {length(line.lost_s or line.over_s)}" if line.lost_s or line.over_s else ""
        return (
            f"{line.title}\nat {length(line.start_s)}, {length(line.length_s)}: {line.fits}{lost}"
        )

    def event(self, event: QEvent) -> bool:
        """Say what a line is when the mouse rests on it."""
        if event.type() is QEvent.Type.ToolTip:
            helped: QHelpEvent = event  # type: ignore[assignment]
            x = helped.pos().x()
            found = [n for rect, n in self.segments() if rect.left() - 1 <= x <= rect.right() + 1]
            QToolTip.showText(helped.globalPos(), self.tip(found[0]) if found else "", self)
            return True
        return super().event(event)

"""The matrix of segue rules: the kind that is ending down, the kind that starts across."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.segues.segue_rules import ANY, Overlap, Segues, fades_out
from nightly_spindle.desk.kit.theme import SMALL, Palette, font, kind_color

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.segues.segue_rules import SegueRule

_WIDE, _TALL = 66, 34
_LEFT, _TOP = 104, 24


def brief(rule: SegueRule) -> tuple[str, str]:
    """Say a rule in two words: how the next starts, how the other fades."""
    start = {
        Overlap.MARKERS: f"{rule.trigger_db:g} dB".replace("-", "−"),
        Overlap.FIXED: f"{rule.fixed_s:g} s early",
        Overlap.GAP: f"gap {rule.gap_s:g} s",
    }[rule.overlap]
    return start, f"fade {rule.fade_out_s:g} s" if fades_out(rule) else "no fade"


class SegueRuleMatrix(QWidget):
    """Signal: `picked` (kind that is ending, kind that starts; either may be any)."""

    picked = Signal(str, str)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._kinds: list[str] = [ANY]
        self._segues = Segues()
        self.chosen = (ANY, ANY)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Segue rules, kind to kind")
        self.setToolTip(
            "Down: the outgoing item. Across: the incoming one. A filled cell has a "
            "rule of its own, a pale one follows the others. Arrow keys "
            "choose."
        )

    def show_rules(self, segues: Segues, kinds: Sequence[str]) -> None:
        """Show the rules for these kinds, and those that rules are about."""
        about = {kind for pair in segues.rules for kind in (pair.out, pair.into)}
        wanted = {*kinds, *about} - {ANY}
        self._kinds = [ANY, *(str(kind) for kind in Kind if str(kind) in wanted)]
        self._segues = segues
        self.setFixedSize(self.sizeHint())
        self.update()

    def sizeHint(self) -> QSize:
        """Room for every cell."""
        count = len(self._kinds)
        return QSize(_LEFT + count * _WIDE + 2, _TOP + count * _TALL + 2)

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint heads and cells."""
        del event
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for at, kind in enumerate(self._kinds):
            self._head(painter, QRectF(_LEFT + at * _WIDE, 0, _WIDE, _TOP), kind, across=True)
            self._head(painter, QRectF(0, _TOP + at * _TALL, _LEFT, _TALL), kind, across=False)
        own = {(pair.out, pair.into) for pair in self._segues.rules} | {(ANY, ANY)}
        for row, out in enumerate(self._kinds):
            for column, into in enumerate(self._kinds):
                box = QRectF(_LEFT + column * _WIDE, _TOP + row * _TALL, _WIDE, _TALL)
                self._cell(painter, box.adjusted(1, 1, -1, -1), out, into, (out, into) in own)
        painter.end()

    def _head(self, painter: QPainter, box: QRectF, kind: str, *, across: bool) -> None:
        words = "anything" if kind == ANY else kind.replace("-", " ")
        painter.setFont(font(SMALL, bold=True))
        painter.setPen(QColor(self.palette_.muted))
        if kind != ANY:
            painter.setBrush(kind_color(kind))
            painter.setPen(Qt.PenStyle.NoPen)
            mark = QRectF(box.left() + 4, box.bottom() - 3, box.width() - 8, 2)
            if not across:
                mark = QRectF(box.right() - 5, box.top() + 6, 3, box.height() - 12)
            painter.drawRect(mark)
            painter.setPen(QColor(self.palette_.text))
        align = Qt.AlignmentFlag.AlignHCenter if across else Qt.AlignmentFlag.AlignRight
        room = box if across else box.adjusted(0, 0, -11, 0)
        text = painter.fontMetrics().elidedText(
            words, Qt.TextElideMode.ElideRight, int(room.width())
        )
        painter.drawText(room, align | Qt.AlignmentFlag.AlignVCenter, text)

    def _cell(self, painter: QPainter, box: QRectF, out: str, into: str, own: bool) -> None:
        rule = self._segues.ruled(out, into).rule
        chosen = (out, into) == self.chosen
        painter.setBrush(QColor(self.palette_.select if own else self.palette_.panel))
        edge = QPen(QColor(self.palette_.text), 2) if chosen else Qt.PenStyle.NoPen
        painter.setPen(edge)
        painter.drawRoundedRect(box, 3, 3)
        painter.setFont(font(SMALL, bold=own))
        painter.setPen(QColor(self.palette_.text if own else self.palette_.muted))
        for line, text in enumerate(brief(rule)):
            room = QRectF(box.left(), box.top() + 2 + 14 * line, box.width(), 15)
            painter.drawText(room, Qt.AlignmentFlag.AlignCenter, text)

    def pick(self, out: str, into: str) -> None:
        """Choose a cell."""
        if out in self._kinds and into in self._kinds:
            self.chosen = (out, into)
            self.setAccessibleDescription(f"{out} into {into}")
            self.update()
            self.picked.emit(out, into)

    def _at(self, point: QPointF) -> tuple[str, str] | None:
        column, row = int((point.x() - _LEFT) // _WIDE), int((point.y() - _TOP) // _TALL)
        count = len(self._kinds)
        if 0 <= column < count and 0 <= row < count:
            return self._kinds[row], self._kinds[column]
        return None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """Choose the cell that was clicked."""
        cell = self._at(event.position())
        if cell is not None:
            self.pick(*cell)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Go from cell to cell."""
        steps = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        step = steps.get(Qt.Key(event.key()))
        if step is None:
            super().keyPressEvent(event)
            return
        last = len(self._kinds) - 1
        places = [
            min(max(0, self._kinds.index(kind) + by), last)
            for kind, by in zip(self.chosen, step, strict=True)
        ]
        self.pick(self._kinds[places[0]], self._kinds[places[1]])

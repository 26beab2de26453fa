"""The details beside the running order: why a line is there, and how it starts."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import US, clock, length, moment_from
from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.reports.timeline import Block, Mark, OverlayBlock, cut_short
from nightly_spindle.core.segues.fade_curve import fade_gain
from nightly_spindle.desk.kit.theme import SMALL, Palette, font, kind_color

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.desk.kit.planning_process import NightPlan

_AROUND_S = 10.0


class JoinView(QWidget):
    """Ten seconds either side of a join: the outgoing wave with its fade, the incoming one."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._out: Block | None = None
        self._in: Block | None = None
        self._waves: dict[int, bytes] = {}
        self._curve = Curve.EQUAL_POWER
        self.setFixedHeight(84)
        self.setAccessibleName("The join, drawn")

    def show_join(
        self, out: Block | None, into: Block | None, waves: dict[int, bytes], curve: Curve
    ) -> None:
        """Show the segue from one block into another."""
        self._out, self._in, self._waves, self._curve = out, into, waves, curve
        self.setVisible(out is not None and into is not None)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint both waves and the outgoing item's fade."""
        del event
        if self._out is None or self._in is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(self.palette_.ground))
        for block in (self._out, self._in):
            color = kind_color(block.kind).lighter(115)
            color.setAlpha(150)
            self._paint_wave(painter, block, color)
        at = QPointF(self._x(self._in.start_us), 0)
        painter.setPen(QPen(QColor(self.palette_.text), 1, Qt.PenStyle.DashLine))
        painter.drawLine(at, QPointF(at.x(), self.height()))
        self._paint_fade(painter)
        painter.end()

    def _x(self, us: int) -> float:
        assert self._in is not None
        return self.width() * (0.5 + (us - self._in.start_us) / US / (2 * _AROUND_S))

    def _paint_wave(self, painter: QPainter, block: Block, color: QColor) -> None:
        wave = self._waves.get(block.cart, b"")
        if not wave:
            return
        top = max(wave) or 1
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(color)
        left = max(0, int(self._x(block.start_us)))
        right = min(self.width(), int(self._x(block.end_us)))
        bars = []
        assert self._in is not None
        for x in range(left, right, 2):
            offset = (x / self.width() - 0.5) * 2 * _AROUND_S
            us = self._in.start_us + offset * US
            at = block.from_s + (us - block.start_us) / US
            column = int(at / block.item_s * len(wave))
            if 0 <= column < len(wave):
                tall = (self.height() - 16) * wave[column] / top * self._level(block, us)
                bars.append(QRectF(x, self.height() - 2 - tall, 1.5, tall))
        painter.drawRects(bars)

    def _level(self, block: Block, us: float) -> float:
        if block is not self._out or block.fade_s <= 0:
            return 1.0
        begin = block.end_us - block.fade_s * US
        return fade_gain(self._curve, (us - begin) / (block.fade_s * US))

    def _paint_fade(self, painter: QPainter) -> None:
        out = self._out
        assert out is not None
        if out.fade_s <= 0:
            return
        painter.setPen(QPen(QColor(self.palette_.text), 1.5))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        line = QPolygonF()
        begin = out.end_us - out.fade_s * US
        for step in range(25):
            us = begin + out.fade_s * US * step / 24
            tall = (self.height() - 16) * self._level(out, us)
            line.append(QPointF(self._x(round(us)), self.height() - 2 - tall))
        painter.drawPolyline(line)
        painter.setFont(font(SMALL))
        painter.drawText(QPointF(self._x(out.end_us) + 4, 12), f"{out.fade_s:.1f} s fade")


class LineDetails(QWidget):
    """One line, asked why it is there.

    Signals: `step_asked` (line id, -1 or 1), `remove_asked` (ids), `segue_asked` (line id).
    """

    step_asked = Signal(int, int)
    remove_asked = Signal(list)
    segue_asked = Signal(int)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(300)
        self._line_id = 0
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 14, 14, 12)
        box.setSpacing(4)
        self.title = _label("name")
        self.facts = _label("muted")
        box.addWidget(self.title)
        box.addWidget(self.facts)
        self.texts: dict[str, QLabel] = {}
        self._captions: dict[str, QWidget] = {}
        self.join = JoinView(palette)
        self.segue = _button("Change the segue", "See, listen to and change how it starts (F7)")
        self.segue.clicked.connect(lambda: self.segue_asked.emit(self._line_id))
        for name in (
            "WHY IT IS HERE",
            "HOW IT STARTS",
            "WHAT PLAYS OVER IT",
            "WHAT FOLLOWS",
            "WHAT IS WRONG",
            "WHAT TO DO",
        ):
            self._add_part(box, name)
            if name == "HOW IT STARTS":
                box.addWidget(self.join)
                box.addWidget(self.segue)
        box.addStretch(1)
        row = QHBoxLayout()
        row.setSpacing(6)
        self.up = _button("Earlier", "Move this line one up (Ctrl+Up)")
        self.down = _button("Later", "Move this line one down (Ctrl+Down)")
        self.out = _button("Remove", "Remove this line from the running order (Delete)")
        self.up.clicked.connect(lambda: self.step_asked.emit(self._line_id, -1))
        self.down.clicked.connect(lambda: self.step_asked.emit(self._line_id, 1))
        self.out.clicked.connect(lambda: self.remove_asked.emit([self._line_id]))
        for button in (self.up, self.down, self.out):
            row.addWidget(button, 1)
        box.addLayout(row)
        self.show_nothing()

    def _add_part(self, box: QVBoxLayout, name: str) -> None:
        holder = QWidget()
        inner = QVBoxLayout(holder)
        inner.setContentsMargins(0, 10, 0, 2)
        inner.setSpacing(3)
        caption = QLabel(name)
        caption.setProperty("role", "caption")
        rule = QFrame()
        rule.setProperty("role", "rule")
        inner.addWidget(caption)
        inner.addWidget(rule)
        text = _label("")
        inner.addWidget(text)
        box.addWidget(holder)
        self.texts[name] = text
        self._captions[name] = holder

    def show_nothing(self) -> None:
        """Say what to do first."""
        self._line_id = 0
        self.title.setText("No line chosen")
        self.facts.setText("Choose a line to see why it is there, how it starts and what follows.")
        for holder in self._captions.values():
            holder.hide()
        self.join.hide()
        self.segue.hide()
        for button in (self.up, self.down, self.out):
            button.setEnabled(False)

    def show_line(self, planned: NightPlan, line_id: int) -> None:
        """Show one line of a plan."""
        blocks = planned.night.blocks
        at = next((i for i, block in enumerate(blocks) if block.line_id == line_id), None)
        if at is None:
            self.show_nothing()
            return
        block = blocks[at]
        before = blocks[at - 1] if at else None
        after = blocks[at + 1] if at + 1 < len(blocks) else None
        tz = planned.settings.tz
        self._line_id = line_id
        self.title.setText(block.title)
        cart = f"cart {block.cart}" if block.cart else "built in"
        self.facts.setText(" · ".join(x for x in (block.artist, block.kind, cart) if x))
        joined = before is not None and bool(block.how)
        self._say("WHY IT IS HERE", f"{block.origin[:1].upper()}{block.origin[1:]}. {block.why}")
        self._say("HOW IT STARTS", _how(block, before, tz))
        self._say("WHAT PLAYS OVER IT", _over(planned.night.over(line_id), tz))
        self._say("WHAT FOLLOWS", _then(block, after, tz))
        marks = [mark for mark in planned.night.marks if mark.line_id == line_id]
        self._say("WHAT IS WRONG", " ".join(mark.text for mark in marks))
        self._say("WHAT TO DO", " ".join(dict.fromkeys(mark.mend for mark in marks)))
        self.join.show_join(
            before if joined else None,
            block if joined else None,
            planned.waves,
            before.out_curve if before is not None else Curve.EQUAL_POWER,
        )
        self.segue.setVisible(joined)
        for button in (self.up, self.down, self.out):
            button.setEnabled(block.movable and planned.live)

    def show_finding(self, mark: Mark, number: int, count: int, tz: ZoneInfo) -> None:
        """Show a finding that has no line of its own."""
        self.show_nothing()
        self.title.setText(f"Finding {number} of {count}")
        self.facts.setText(f"{mark.severity}, {moment_from(mark.at_us, tz):%A, %H:%M:%S}")
        self._say("WHAT IS WRONG", mark.text)
        self._say("WHAT TO DO", mark.mend)

    def _say(self, name: str, text: str) -> None:
        self.texts[name].setText(text)
        self._captions[name].setVisible(bool(text))


def _how(block: Block, before: Block | None, tz: ZoneInfo) -> str:
    at = moment_from(block.start_us, tz).strftime("%H:%M:%S.%f")[:-3]
    if block.join == "joined":
        return f"At {at}, joined in progress."
    if before is not None and cut_short(before):
        return f"Starts at {at} exactly; “{before.title}” fades out underneath."
    return f"At {at}. {' '.join(block.how)}" if block.how else f"At {at}, at full level."


def _over(overlays: list[OverlayBlock], tz: ZoneInfo) -> str:
    return " ".join(
        f"At {clock(one.start_us, tz)} “{one.title}” ({one.origin}). {one.why}" for one in overlays
    )


def _then(block: Block, after: Block | None, tz: ZoneInfo) -> str:
    if after is None:
        return ""
    start = clock(after.start_us, tz)
    if cut_short(block):
        return f"It is cut: “{after.title}” starts at {start}."
    fade = f"It fades over {block.fade_s:.1f} s. " if block.fade_s else ""
    lasts = length((block.end_us - block.start_us) / US)
    return f"Plays for {lasts}. {fade}“{after.title}” starts at {start}."


def _label(role: str) -> QLabel:
    label = QLabel()
    label.setWordWrap(True)
    label.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
    label.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    if role:
        label.setProperty("role", role)
    return label


def _button(text: str, tip: str) -> QPushButton:
    button = QPushButton(text)
    button.setToolTip(tip)
    return button

"""The item on air: its name, its waveform, the countdown, levels, and the hands on it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF, Qt, Signal
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import US, length
from nightly_spindle.desk.kit.theme import Palette, icon

if TYPE_CHECKING:
    from nightly_spindle.air.messages import EngineStatus
    from nightly_spindle.core.reports.timeline import Block

_FLOOR_DB = -48.0
_TARGET_DB = -6.0


class LevelBars(QWidget):
    """Two level bars, left and right, in dB under full scale."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._levels = (_FLOOR_DB, _FLOOR_DB)
        self.setFixedSize(150, 22)
        self.setAccessibleName("Levels")
        self.setToolTip("What goes out, left and right. The line stands at -6 dB.")

    def set_levels(self, left: float, right: float) -> None:
        """Show peak levels in dB under full scale."""
        self._levels = (left, right)
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint both bars."""
        del event
        painter = QPainter(self)
        for row, level in enumerate(self._levels):
            box = QRectF(0, 3 + row * 10, self.width(), 7)
            painter.fillRect(box, QColor(self.palette_.raised))
            part = min(1.0, max(0.0, 1 - level / _FLOOR_DB))
            painter.fillRect(QRectF(0, box.y(), box.width() * part, 7), QColor(self.palette_.muted))
        x = self.width() * (1 - _TARGET_DB / _FLOOR_DB)
        painter.setPen(QPen(QColor(self.palette_.text), 1))
        painter.drawLine(int(x), 2, int(x), 20)
        painter.end()


class Wave(QWidget):
    """The waveform of the item on air: what has sounded, and what is left."""

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._wave = b""
        self._block: Block | None = None
        self._segue_us = 0
        self._now_us = 0
        self.setFixedHeight(44)
        self.setAccessibleName("Waveform of the item on air")

    def show_item(self, block: Block | None, wave: bytes, segue_us: int) -> None:
        """Show an item; `segue_us` is when the next one starts."""
        self._block, self._wave, self._segue_us = block, wave, segue_us
        self.update()

    def set_now(self, now_us: int) -> None:
        """Move the playhead."""
        self._now_us = now_us
        self.update()

    def _x(self, us: float) -> float:
        assert self._block is not None
        at = self._block.from_s + (us - self._block.start_us) / US
        return self.width() * at / self._block.item_s

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the wave around its middle."""
        del event
        painter = QPainter(self)
        painter.fillRect(self.rect(), QColor(self.palette_.panel))
        if self._block is None or not self._wave:
            painter.end()
            return
        head = self._x(self._now_us)
        middle, top = self.height() / 2, max(self._wave) or 1
        played: list[QRectF] = []
        left: list[QRectF] = []
        for x in range(0, self.width(), 3):
            level = self._wave[x * len(self._wave) // self.width()] / top
            tall = max(1.0, (self.height() - 6) * level)
            (played if x < head else left).append(QRectF(x, middle - tall / 2, 2, tall))
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(self.palette_.air))
        painter.drawRects(played)
        painter.setBrush(QColor(self.palette_.line))
        painter.drawRects(left)
        painter.setPen(QPen(QColor(self.palette_.muted), 1, Qt.PenStyle.DashLine))
        segue = int(self._x(self._segue_us))
        painter.drawLine(segue, 0, segue, self.height())
        painter.setPen(QPen(QColor(self.palette_.text), 2))
        painter.drawLine(int(head), 0, int(head), self.height())
        painter.end()


class OnAirHeader(QWidget):
    """Signals: `asked` (str) with skip, stop, go, unattended, attended or start."""

    asked = Signal(str)

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._block: Block | None = None
        self._segue_us = 0
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setVerticalSpacing(4)
        self.title = _named("title")
        self.facts = _named("muted")
        names = QVBoxLayout()
        names.setSpacing(2)
        names.addWidget(self.title)
        names.addWidget(self.facts)
        names.addLayout(self._hands())
        grid.addLayout(names, 0, 0, Qt.AlignmentFlag.AlignTop)
        self.countdown = _named("countdown")
        self.countdown.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.countdown.setAccessibleName("Time until the next item starts")
        self.of = _named("muted")
        self.of.setAlignment(Qt.AlignmentFlag.AlignRight)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.countdown)
        right.addWidget(self.of)
        grid.addLayout(right, 0, 1)
        grid.setColumnStretch(0, 1)
        self.wave = Wave(palette)
        grid.addWidget(self.wave, 1, 0, 1, 2)

    def _hands(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(6)
        self.skip = self._button("Skip", "skip-forward", "Go on to the next line now (F8)", "skip")
        self.stop = self._button("Stop", "square", "Fade out and wait (F9)", "stop")
        self.go = self._button("Start", "play", "Start the next line (F9)", "go")
        self.mode = self._button("", "hand", "", "mode")
        self.levels = LevelBars(self.palette_)
        for widget in (self.skip, self.stop, self.go, self.mode):
            row.addWidget(widget)
        row.addSpacing(8)
        row.addWidget(self.levels)
        row.addStretch(1)
        return row

    def _button(self, text: str, picture: str, tip: str, order: str) -> QPushButton:
        button = QPushButton(text)
        button.setIcon(icon(picture, self.palette_.text))
        button.setToolTip(tip)
        button.clicked.connect(lambda: self._press(order))
        return button

    def _press(self, order: str) -> None:
        if order == "mode":
            order = "attended" if self.mode.property("unattended") else "unattended"
        self.asked.emit(order)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.palette_ = self.wave.palette_ = self.levels.palette_ = palette
        for button, name in (
            (self.skip, "skip-forward"),
            (self.stop, "square"),
            (self.go, "play"),
            (self.mode, "hand" if self.mode.property("unattended") else "moon-star"),
        ):
            button.setIcon(icon(name, palette.text))

    def show_item(self, block: Block | None, wave: bytes, segue_us: int) -> None:
        """Show what is on air, and when the next line starts."""
        self._block, self._segue_us = block, segue_us
        self.wave.show_item(block, wave, segue_us)
        if block is None:
            return
        self.title.setText(block.title)
        where = f"from {block.origin}" if not block.net else block.origin
        self.facts.setText(" · ".join(x for x in (block.artist, block.kind, where) if x))

    def show_silence(self, why: str, what: str) -> None:
        """Say why nothing is on air and what to do."""
        self._block = None
        self.title.setText(why)
        self.facts.setText(what)
        self.countdown.setText("")
        self.of.setText("")
        self.wave.show_item(None, b"", 0)
        self.levels.set_levels(_FLOOR_DB, _FLOOR_DB)

    def show_modes(self, *, on_air: bool, unattended: bool, stopped: bool) -> None:
        """Let the buttons say what they do now."""
        self.skip.setEnabled(on_air and not stopped)
        self.stop.setVisible(not stopped and on_air)
        self.go.setVisible(stopped or not on_air)
        self.go.setText("Start" if on_air else "Go on air")
        self.go.setToolTip("Start the next line (F9)" if on_air else "Start the air engine (F9)")
        self.mode.setEnabled(on_air)
        self.mode.setProperty("unattended", unattended)
        self.mode.setText("Attend" if unattended else "Leave unattended")
        self.mode.setIcon(icon("hand" if unattended else "moon-star", self.palette_.text))
        self.mode.setToolTip(
            "Stop after each item and wait for me (F6)"
            if unattended
            else "Go on automatically, all night (F6)"
        )

    def take(self, sight: EngineStatus) -> None:
        """Follow the engine, ten times a second."""
        self.levels.set_levels(*sight.peak_db)
        self.wave.set_now(sight.now_us)
        if self._block is None:
            return
        left = max(0, -(-(self._segue_us - sight.now_us) // US))
        self.countdown.setText(length(left))
        whole = (self._block.end_us - self._block.start_us) / US
        self.of.setText(f"to next · plays {length(whole)}")


def _named(role: str) -> QLabel:
    label = QLabel()
    label.setProperty("role", role)
    return label

"""Painting the night line: blocks to scale, joins as slants, pins, findings."""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from itertools import groupby
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPolygonF

from nightly_spindle.core.base.timebase import US, moment_from, us_from
from nightly_spindle.core.reports.timeline import lands
from nightly_spindle.desk.kit.theme import SMALL, Palette, font, ink_on, kind_color

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.reports.timeline import Block, Mark, OverlayBlock, Pin

_STEPS_S = (1, 2, 5, 10, 30, 60, 120, 300, 600, 1800, 3600, 7200, 14_400)
_TICK_PX = 64
_LABEL_PX = 34
_MANY = 250  # more blocks than this in the window are plain bars
_GAP_PX = 3  # bars wider than this keep a pixel between them
_WAVE_PX = 90  # blocks wider than this show their waveform
_BRACKET_PX = 4  # a break's bracket lies so far above its blocks
_DIP_PX = 6  # overlays wider than this show how the programme goes down
_LEAST_OVER_PX = 3.0


@dataclass(frozen=True, slots=True)
class Scale:
    """Instants to pixels: `left_us` stands at x 0, `us_per_px` is the zoom."""

    left_us: int
    us_per_px: float

    def x(self, us: int) -> float:
        """Return the pixel of an instant."""
        return (us - self.left_us) / self.us_per_px

    def us(self, x: float) -> int:
        """Return the instant at a pixel."""
        return self.left_us + round(x * self.us_per_px)


@dataclass(frozen=True, slots=True)
class Look:
    """What the night line is painted with."""

    palette: Palette
    tz: ZoneInfo
    now_us: int
    selected: int = 0  # line id
    on_air: int = 0  # line id


def visible(starts: Sequence[int], left: int, right: int) -> range:
    """Return the indexes of the blocks that touch a stretch, from their starts, ascending."""
    first = max(0, bisect_left(starts, left) - 2)
    return range(first, bisect_left(starts, right))


def paint_strip(painter: QPainter, box: QRectF, crowd: Crowd, scale: Scale, look: Look) -> None:
    """Paint the whole night small: one bar per block, findings above, hours below."""
    painter.fillRect(box, QColor(look.palette.panel))
    past = QColor(look.palette.ground)
    past.setAlpha(140)
    ground = QColor(look.palette.panel)
    crowd.paint(painter, box.adjusted(0, 1, 0, -1), scale, ground)
    gone = scale.x(look.now_us)
    if gone > box.left():
        painter.fillRect(QRectF(box.left(), box.top(), gone - box.left(), box.height()), past)


def paint_marks(
    painter: QPainter, marks: Sequence[Mark], scale: Scale, y: float, look: Look
) -> None:
    """Paint the findings that need something done, as round signs at their instants."""
    painter.setFont(font(SMALL, bold=True))
    for mark in marks:
        centre = QPointF(scale.x(mark.at_us), y)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(look.palette.alarm))
        painter.drawEllipse(centre, 6.5, 6.5)
        painter.setPen(QColor(look.palette.ground))
        painter.drawText(QRectF(centre.x() - 6, y - 7, 12, 14), Qt.AlignmentFlag.AlignCenter, "!")


def paint_ticks(painter: QPainter, box: QRectF, scale: Scale, look: Look, *, grid: bool) -> None:
    """Paint local times along the foot of the box, at a step that leaves room."""
    step = next((s for s in _STEPS_S if s * US / scale.us_per_px >= _TICK_PX), _STEPS_S[-1])
    first = moment_from(scale.us(box.left()), look.tz)
    at = first.replace(minute=0, second=0, microsecond=0)
    painter.setFont(font(SMALL))
    shape = "%H:%M" if step >= 60 else "%H:%M:%S"
    line, text = QPen(QColor(look.palette.raised)), QPen(QColor(look.palette.muted))
    us = us_from(at)
    end = scale.us(box.right())
    us += max(0, (scale.us(box.left()) - us) // (step * US)) * step * US
    while us <= end:
        x = scale.x(us)
        if grid:
            painter.setPen(line)
            painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        painter.setPen(text)
        label = moment_from(us, look.tz).strftime(shape)
        if not grid and not box.left() + 18 <= x <= box.right() - 18:
            us += step * US
            continue  # it would be cut off
        where = (
            QRectF(x - 32, box.bottom() - 15, 64, 14)
            if not grid
            else QRectF(x + 3, box.bottom() - 15, 64, 14)
        )
        align = Qt.AlignmentFlag.AlignHCenter if not grid else Qt.AlignmentFlag.AlignLeft
        painter.drawText(where, align | Qt.AlignmentFlag.AlignVCenter, label)
        us += step * US


def paint_blocks(
    painter: QPainter,
    box: QRectF,
    blocks: Sequence[Block],
    rows: range,
    scale: Scale,
    look: Look,
    waves: dict[int, bytes],
    crowd: Crowd,
) -> None:
    """Paint blocks to scale; where two overlap, the border is the slant of their join."""
    painter.setFont(font(SMALL, bold=True))
    crowded = len(rows) > _MANY
    if crowded:
        crowd.paint(painter, box, scale, QColor(look.palette.ground))
    special = {look.selected, look.on_air}
    for index in rows:
        block = blocks[index]
        if crowded and block.line_id not in special:
            continue
        left, right = scale.x(block.start_us), scale.x(block.end_us)
        before = blocks[index - 1] if index else None
        after = blocks[index + 1] if index + 1 < len(blocks) else None
        left_foot = max(left, min(scale.x(before.end_us), right)) if before else left
        right_top = min(right, max(scale.x(after.start_us), left)) if after else right
        on_air = block.line_id == look.on_air and block.start_us <= look.now_us < block.end_us
        fill = QColor(look.palette.air) if on_air else kind_color(block.kind)
        ink = QColor(look.palette.on_air_text) if on_air else ink_on(block.kind)
        shape = QPolygonF(
            [
                QPointF(left, box.top()),
                QPointF(max(left + 1, right_top) - 1, box.top()),
                QPointF(max(left_foot + 1, right) - 1, box.bottom()),
                QPointF(left_foot, box.bottom()),
            ]
        )
        selected = block.line_id == look.selected
        painter.setPen(QPen(QColor(look.palette.text), 2) if selected else Qt.PenStyle.NoPen)
        painter.setBrush(fill)
        painter.drawPolygon(shape)
        if right - left > _WAVE_PX and block.cart in waves:
            _wave(painter, box, block, scale, waves[block.cart], ink)
        if right - left > _LABEL_PX:
            begins = max(left_foot, box.left()) + 5
            room = QRectF(begins, box.top(), right_top - begins - 3, box.height())
            painter.setPen(ink)
            text = painter.fontMetrics().elidedText(
                block.title, Qt.TextElideMode.ElideRight, max(0, int(room.width()))
            )
            painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


def paint_brackets(
    painter: QPainter, box: QRectF, blocks: Sequence[Block], rows: range, scale: Scale
) -> None:
    """Paint a bracket above each run of blocks that air in one break."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(QPen(kind_color("spot"), 1.5))
    begin: float | None = None
    for index in rows:
        block = blocks[index]
        if not block.in_break:
            begin = None
            continue
        left = scale.x(block.start_us)
        begin = left if begin is None else begin
        after = blocks[index + 1] if index + 1 < len(blocks) else None
        if after is None or not after.in_break:
            right, y = scale.x(block.end_us), box.top() - _BRACKET_PX
            foot = QPointF(begin, y + 3), QPointF(right, y + 3)
            painter.drawPolyline([foot[0], QPointF(begin, y), QPointF(right, y), foot[1]])


def paint_overlays(
    painter: QPainter,
    lane: QRectF,
    box: QRectF,
    overlays: Sequence[OverlayBlock],
    scale: Scale,
    look: Look,
) -> None:
    """Paint overlays in their lane, and the dip of the programme below each, in `box`."""
    left_us, right_us = scale.us(box.left()), scale.us(box.right())
    for over in overlays:
        if over.up_us < left_us or over.down_us > right_us:
            continue
        left, right = scale.x(over.start_us), scale.x(over.end_us)
        if right - left > _DIP_PX:
            down, up = scale.x(over.down_us), scale.x(over.up_us)
            paint_dip(painter, QRectF(down, box.top(), up - down, box.height()), look.palette)
        wide = max(_LEAST_OVER_PX, right - left)
        paint_over(
            painter,
            QRectF(left, lane.top(), wide, lane.height()),
            over,
            look.palette,
            chosen=over.line_id == look.selected,
        )


def paint_dip(painter: QPainter, box: QRectF, palette: Palette) -> None:
    """Paint that the programme goes down and comes up again, over what is painted of it."""
    shade = QColor(palette.ground)
    shade.setAlpha(130)
    slope = min(box.width() / 4, 8.0)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(shade)
    painter.drawPolygon(
        QPolygonF(
            [
                box.topLeft(),
                box.topRight(),
                QPointF(box.right() - slope, box.center().y()),
                QPointF(box.left() + slope, box.center().y()),
            ]
        )
    )


def paint_over(
    painter: QPainter, box: QRectF, over: OverlayBlock, palette: Palette, *, chosen: bool = False
) -> None:
    """Paint one overlay: a leaning bar with its title, with a rim where it was placed by hand."""
    lean = min(3.0, box.width() / 4)
    shape = QPolygonF(
        [
            QPointF(box.left() + lean, box.top()),
            QPointF(box.right() + lean, box.top()),
            QPointF(box.right() - lean, box.bottom()),
            QPointF(box.left() - lean, box.bottom()),
        ]
    )
    rim = chosen or over.by_hand
    painter.setPen(QPen(QColor(palette.text), 1.6) if rim else Qt.PenStyle.NoPen)
    painter.setBrush(kind_color(over.kind))
    painter.drawPolygon(shape)
    if box.width() <= _LABEL_PX:
        return
    painter.setFont(font(SMALL, bold=True))
    painter.setPen(ink_on(over.kind))
    room = box.adjusted(5, 0, -4, 0)
    text = painter.fontMetrics().elidedText(
        over.title, Qt.TextElideMode.ElideRight, max(0, int(room.width()))
    )
    painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)


class Crowd:
    """Many blocks at once, as arrays: for scales at which most are a few pixels wide."""

    def __init__(self, blocks: Sequence[Block]) -> None:
        self._starts = np.array([block.start_us for block in blocks], dtype=np.int64)
        self._end_us = blocks[-1].end_us if blocks else 0
        self._colors = np.array([kind_color(b.kind).rgb() for b in blocks], dtype=np.uint32)
        self._rare = np.flatnonzero([block.kind != "song" for block in blocks])
        lengths = np.diff(np.append(self._starts, self._end_us))
        self._length_us = float(np.median(lengths)) if blocks else 0.0

    def paint(self, painter: QPainter, box: QRectF, scale: Scale, ground: QColor) -> None:
        """Paint one row of pixels and stretch it: each takes the colour of its instant.

        What is rarer than songs keeps at least one pixel; wide blocks keep a gap between.
        """
        count = int(box.width())
        if not len(self._starts) or count < 1:
            return
        row = np.full(count, ground.rgb(), dtype=np.uint32)
        instants = scale.left_us + (np.arange(count) + 0.5) * scale.us_per_px
        at = np.searchsorted(self._starts, instants, side="right") - 1
        there = (at >= 0) & (instants < self._end_us)
        row[there] = self._colors[at[there]]
        columns = np.floor((self._starts - scale.left_us) / scale.us_per_px).astype(np.int64)
        rare = self._rare[(columns[self._rare] >= 0) & (columns[self._rare] < count)]
        row[columns[rare]] = self._colors[rare]
        if self._length_us / scale.us_per_px > _GAP_PX:
            row[columns[(columns >= 0) & (columns < count)]] = ground.rgb()
        image = QImage(row.tobytes(), count, 1, QImage.Format.Format_RGB32)
        painter.drawImage(box, image)


def _wave(
    painter: QPainter, box: QRectF, block: Block, scale: Scale, wave: bytes, ink: QColor
) -> None:
    """Paint a block's waveform along its foot, its fade applied."""
    if not wave:
        return
    color = QColor(ink)
    color.setAlpha(90)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    left = max(int(box.left()), int(scale.x(block.start_us)))
    right = min(int(box.right()), int(scale.x(block.end_us)))
    foot, tall = box.bottom(), box.height() * 0.42
    top = max(wave) or 1
    bars = []
    fade_us = block.fade_s * US
    for x in range(left, right, 2):
        us = scale.us(x)
        at = block.from_s + (us - block.start_us) / US
        column = int(at / block.item_s * len(wave))
        if not 0 <= column < len(wave):
            continue
        level = wave[column] / top
        if fade_us and block.end_us - us < fade_us:
            level *= (block.end_us - us) / fade_us
        bars.append(QRectF(x, foot - tall * level, 1.4, tall * level))
    painter.drawRects(bars)


def paint_pins(
    painter: QPainter, box: QRectF, pins: Sequence[Pin], scale: Scale, look: Look
) -> None:
    """Paint fixed times as pins: their name, and how they are met; one label for one instant."""
    painter.setFont(font(SMALL, bold=True))
    measure = painter.fontMetrics()
    taken = box.left() - 1  # labels to the left of this would lie on one another
    for at_us, group in groupby(pins, key=lambda pin: pin.at_us):
        x = scale.x(at_us)
        if not box.left() - 1 <= x <= box.right() + 1:
            continue
        painter.setPen(QPen(QColor(look.palette.text), 1.5))
        painter.drawLine(QPointF(x, box.top()), QPointF(x, box.bottom()))
        painter.setBrush(QColor(look.palette.text))
        painter.drawEllipse(QPointF(x, box.top()), 4, 4)
        there = list(group)
        words = f"{moment_from(at_us, look.tz):%H:%M}  {_met(there)}"
        wide = measure.horizontalAdvance(words)
        right = x + 8 + wide < box.right()
        left = x + 8 if right else x - wide - 8
        if left < taken:
            continue
        taken = left + wide
        where = QRectF(left, box.top() - 8, wide + 2, 16)
        painter.fillRect(where, QColor(look.palette.ground))
        late = any(pin.offset_s is None for pin in there)
        painter.setPen(QColor(look.palette.alarm if late else look.palette.text))
        painter.drawText(where, Qt.AlignmentFlag.AlignCenter, words)


def _met(pins: Sequence[Pin]) -> str:
    """Return the names of pins at one instant, each with how it is met when they differ."""
    ways = {lands(pin) for pin in pins}
    if len(ways) == 1:
        return f"{', '.join(pin.name for pin in pins)}: {lands(pins[0])}"
    return ", ".join(f"{pin.name}: {lands(pin)}" for pin in pins)


def paint_now(painter: QPainter, box: QRectF, scale: Scale, look: Look) -> None:
    """Paint the line of the present instant."""
    x = scale.x(look.now_us)
    if box.left() <= x <= box.right():
        painter.setPen(QPen(QColor(look.palette.text), 2))
        painter.drawLine(QPointF(x, box.top() - 3), QPointF(x, box.bottom() + 3))

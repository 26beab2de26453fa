"""How format clocks are told apart where they are painted: a tint and a name, never tint alone."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRect, Qt
from PySide6.QtGui import QColor

from nightly_spindle.core.calendar.day_plans import AS_BASE, NOTHING

if TYPE_CHECKING:
    from collections.abc import Mapping

    from PySide6.QtGui import QPainter

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.desk.kit.theme import Palette

# Cool hues that none of the kinds of items and no alarm has, far apart, one after the other.
_HUES = (172, 222, 268, 196, 300, 148, 244, 320)
_LEAST_PX = 34  # narrower than this no name is painted


def clock_colour(number: int, clocks: Mapping[int, FormatClock], palette: Palette) -> QColor:
    """Return the tint of a clock; that of the panel for none."""
    if number not in clocks:
        return QColor(palette.panel)
    hue = _HUES[list(clocks).index(number) % len(_HUES)]
    return QColor.fromHsl(hue, 92, 74) if palette.dark else QColor.fromHsl(hue, 110, 205)


def paint_clock(
    painter: QPainter,
    box: QRect,
    number: int,
    clocks: Mapping[int, FormatClock],
    palette: Palette,
    *,
    named: bool,
) -> None:
    """Paint an hour that has a clock: its tint, its name where it begins."""
    painter.fillRect(box, clock_colour(number, clocks, palette))
    if number == AS_BASE:
        painter.setPen(QColor(palette.line))
        painter.drawLine(box.bottomLeft(), box.topRight())
        return
    if number == NOTHING or not named or box.width() < _LEAST_PX:
        return
    painter.setPen(QColor(palette.text))
    name = clocks[number].name if number in clocks else f"clock {number} is gone"
    text = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, box.width() - 8)
    painter.drawText(box.adjusted(5, 0, -3, 0), Qt.AlignmentFlag.AlignVCenter, text)

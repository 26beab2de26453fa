"""The page of rules for every overlay: how the programme goes down, what is kept clear."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QPointF, QRectF, QSignalBlocker, Qt
from PySide6.QtGui import QColor, QPainter, QPen, QPolygonF, QUndoStack
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.segues.ducking import Ducking, duck_part
from nightly_spindle.core.station.settings import OverlayRules
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import DecimalField
from nightly_spindle.desk.kit.library_worker import LibraryWorker
from nightly_spindle.desk.kit.settings_edit import settings_edit
from nightly_spindle.desk.kit.theme import SMALL, font, kind_color

if TYPE_CHECKING:
    from dataclasses import Field

    from PySide6.QtGui import QPaintEvent

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.theme import Palette

_NAMES = {
    "depth_db": "Goes down by",
    "attack_s": "Attack time",
    "hold_s": "Stays down after it",
    "release_s": "Comes up within",
    "ahead_s": "Begins before the voice",
    "curve": "Curve",
    "follow": "Follows the voice: up in its pauses",
    "least_lu": "Voice over it at least",
    "margin_s": "Ends before the vocal",
    "gap_s": "Minimum gap",
    "intro_sure": "Measured intro ends count from",
}
_VOICE_S = 2.0  # the voice that is drawn
_EDGE_S = 0.4


class DuckPlot(QWidget):
    """How the programme goes down and comes up under a voice of two seconds."""

    def __init__(self, kind: str, palette: Palette) -> None:
        super().__init__()
        self.palette_ = palette
        self._kind = kind
        self._ducking = Ducking()
        self.setFixedHeight(110)
        self.setAccessibleName(f"The programme under a {kind}, drawn")

    def show_ducking(self, ducking: Ducking) -> None:
        """Draw another one."""
        self._ducking = ducking
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Paint the voice, and the programme's level over time."""
        del event
        duck, colors = self._ducking, self.palette_
        begin = -(duck.ahead_s + _EDGE_S)
        end = _VOICE_S + duck.hold_s + duck.release_s + _EDGE_S
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(colors.ground))
        box = QRectF(8, 26, self.width() - 16, self.height() - 44)

        def x(at_s: float) -> float:
            return box.left() + box.width() * (at_s - begin) / (end - begin)

        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(kind_color(self._kind))
        painter.drawRect(QRectF(x(0), 6, x(_VOICE_S) - x(0), 14))
        line: list[QPointF] = []
        for step in range(201):
            at = begin + (end - begin) * step / 200
            level = min(1.0, self._depth(at) * duck.depth_db / 40.0)
            line.append(QPointF(x(at), box.top() + box.height() * level))
        foot = [QPointF(box.right(), box.bottom() + 4), QPointF(box.left(), box.bottom() + 4)]
        painter.setBrush(kind_color("song"))
        painter.drawPolygon(QPolygonF([*line, *foot]))
        painter.setPen(QPen(QColor(colors.text), 1.5))
        painter.drawPolyline(QPolygonF(line))
        painter.setFont(font(SMALL))
        painter.setPen(QColor(colors.muted))
        told = f"-{duck.depth_db:g} dB" + (", up in its pauses" if duck.follow else "")
        painter.drawText(
            QRectF(box.left(), box.bottom() + 4, box.width(), 14),
            Qt.AlignmentFlag.AlignHCenter,
            told,
        )
        painter.end()

    def _depth(self, at_s: float) -> float:
        duck = self._ducking
        down = (at_s + duck.ahead_s) / duck.attack_s
        up = (at_s - _VOICE_S - duck.hold_s) / duck.release_s
        return min(duck_part(duck.curve, down), 1 - duck_part(duck.curve, up))


class OverlayRulesPage(QWidget):
    """Three cards of settings, each value kept as it is entered, undoably."""

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        super().__init__()
        self._shelf, self._undo = shelf, undo
        self.fields: dict[str, DecimalField | QComboBox | QCheckBox] = {}
        self.plots = {
            "duck-sweeper": DuckPlot("sweeper", palette),
            "duck-voiceover": DuckPlot("voiceover", palette),
        }
        row = QHBoxLayout()
        row.setSpacing(16)
        row.addWidget(self._card("UNDER A SWEEPER", "duck-sweeper", Ducking), 1)
        row.addWidget(self._card("UNDER A VOICEOVER", "duck-voiceover", Ducking), 1)
        row.addWidget(self._card("EVERY OVERLAY", "overlay", OverlayRules), 1)
        told = QLabel(
            "How loud overlays are is set by kind in Station; these values hold from the next "
            "overlay on."
        )
        told.setProperty("role", "muted")
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 14, 12)
        box.setSpacing(10)
        box.addLayout(row)
        box.addWidget(told)
        box.addStretch(1)

    def _card(self, title: str, prefix: str, group: type[Any]) -> QWidget:
        card = QFrame()
        card.setObjectName("card")
        grid = QGridLayout(card)
        grid.setContentsMargins(14, 10, 14, 12)
        grid.setVerticalSpacing(4)
        caption = QLabel(title)
        caption.setProperty("role", "caption")
        grid.addWidget(caption, 0, 0, 1, 2)
        row = 1
        if prefix in self.plots:
            grid.addWidget(self.plots[prefix], row, 0, 1, 2)
            row += 1
        for name, spec in specs(group).items():
            field = self._field(f"{prefix}.{name}", name, spec)
            field.setToolTip(spec.metadata["sentence"])
            field.setAccessibleName(f"{_NAMES[name]}: {spec.metadata['sentence']}")
            self.fields[f"{prefix}.{name}"] = field
            if isinstance(field, QCheckBox):
                grid.addWidget(field, row, 0, 1, 2)
            else:
                grid.addWidget(QLabel(_NAMES[name]), row, 0)
                grid.addWidget(field, row, 1)
            row += 1
        grid.setRowStretch(row, 1)
        return card

    def _field(
        self, name: str, short: str, spec: Field[Any]
    ) -> DecimalField | QComboBox | QCheckBox:
        meta = spec.metadata
        if "flag" in meta:
            check = QCheckBox(_NAMES[short])
            check.clicked.connect(lambda on: self._set(name, str(on)))
            return check
        if "choices" in meta:
            box = ChoiceBox()
            for one in meta["choices"]:
                box.addItem(str(one), str(one))
            box.activated.connect(lambda _: self._set(name, str(box.currentData())))
            return box
        number = DecimalField(meta["low"], meta["high"], meta["unit"])
        number.entered.connect(lambda value: self._set(name, str(value)))
        return number

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for plot in self.plots.values():
            plot.palette_ = palette
            plot.update()

    def show_settings(self, settings: StationSettings) -> None:
        """Show what the station goes by."""
        groups = {
            "duck-sweeper": settings.duck_sweeper,
            "duck-voiceover": settings.duck_voiceover,
            "overlay": settings.overlay,
        }
        for prefix, group in groups.items():
            if isinstance(group, Ducking):
                self.plots[prefix].show_ducking(group)
            for name in specs(type(group)):
                field, value = self.fields[f"{prefix}.{name}"], getattr(group, name)
                with QSignalBlocker(field):
                    if isinstance(field, QCheckBox):
                        field.setChecked(value)
                    elif isinstance(field, QComboBox):
                        field.setCurrentIndex(max(0, field.findData(str(value))))
                    else:
                        field.show_value(value)

    def _set(self, name: str, text: str) -> None:
        short = name.partition(".")[2]
        self._undo.push(settings_edit(self._shelf, f"change “{_NAMES[short]}”", {name: text}))

"""The status bar that never goes away, along the top."""

from __future__ import annotations

from math import ceil
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.reports.timeline import lands
from nightly_spindle.desk.kit.labels import ElidedLabel

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.outputs.output_health import Heard
    from nightly_spindle.core.reports.timeline import Pin
    from nightly_spindle.core.reports.tonight import Tonight

_FIXED, _EVENT = "NEXT FIXED TIME", "NEXT EVENT"


class StatusBar(QWidget):
    """On air or not, mode, station time, what is left, next event, worst finding.

    Signals: `finding_asked` when the finding is pressed.
    """

    finding_asked = Signal()

    def __init__(self, name: str) -> None:
        super().__init__()
        self.setObjectName("status")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedHeight(58)
        row = QHBoxLayout(self)
        row.setContentsMargins(92, 4, 14, 4)
        row.setSpacing(26)
        self._sounds = False
        self._heard: Heard | None = None
        self.sign = QLabel("OFF AIR")
        self.sign.setAccessibleName("On air or not")
        self.heard = QLabel("")
        self.heard.setAccessibleName("Whether anybody hears the station")
        self.heard.setFixedWidth(160)
        self.heard.setWordWrap(True)
        self.heard.hide()
        row.addWidget(self.sign)
        row.addWidget(self.heard)
        names = QVBoxLayout()
        names.setSpacing(0)
        self.name = QLabel(name)
        self.name.setProperty("role", "name")
        self.mode = QLabel("")
        self.mode.setProperty("role", "muted")
        names.addWidget(self.name)
        names.addWidget(self.mode)
        row.addLayout(names)
        row.addSpacing(10)
        _, self.time = self._figure(row, "STATION TIME", "00:00:00")
        _, self.left = self._figure(row, "LEFT OF THIS ITEM", "–:––")
        self.fixed_caption, self.fixed = self._figure(row, _FIXED, "–")
        self.fixed_text = ElidedLabel()
        self.fixed_text.setProperty("role", "muted")
        row.addWidget(self.fixed_text, 1)
        self.finding = QPushButton("No findings")
        self.finding.setMaximumWidth(230)
        self.finding.clicked.connect(self.finding_asked)
        row.addWidget(self.finding)
        self.set_on_air(on_air=False, waiting=False)
        self.show_working()

    @staticmethod
    def _figure(row: QHBoxLayout, caption: str, start: str) -> tuple[QLabel, QLabel]:
        """Return a caption and the figure below it."""
        box = QVBoxLayout()
        box.setSpacing(0)
        above = QLabel(caption)
        above.setProperty("role", "caption")
        figure = QLabel(start)
        figure.setProperty("role", "figure")
        figure.setAccessibleName(caption.capitalize())
        box.addWidget(above)
        box.addWidget(figure)
        row.addLayout(box)
        return above, figure

    def set_name(self, name: str) -> None:
        """Show what the station is called."""
        self.name.setText(name)

    def set_on_air(self, *, on_air: bool, waiting: bool, copy: bool = False) -> None:
        """Show whether the station is on air, or on but waiting for the operator.

        A `copy`, made for trying things, says that instead of being off the air.
        """
        off = "A COPY" if copy else "OFF AIR"
        self.sign.setText(off if not on_air else "WAITING" if waiting else "ON AIR")
        self._sounds = on_air and not waiting
        self._colour()

    def set_heard(self, heard: Heard | None) -> None:
        """Say beside the sign who hears the station, None while the engine is off.

        The sign is lit only while somebody does: nothing simulated looks real.
        """
        if heard == self._heard:
            return
        self._heard = heard
        self.heard.setVisible(heard is not None)
        if heard is not None:
            self.heard.setText(heard.text)
            lost = not heard.by or "not by" in heard.text
            _set_role(self.heard, "muted" if heard.simulated or not lost else "warn")
            self.heard.setToolTip(
                f"{heard.why or heard.text}. The outputs are at Station, Outputs."
            )
        self._colour()

    def _colour(self) -> None:
        heard = self._heard is None or bool(self._heard.by)
        lit = "air" if heard else "simulated"
        _set_role(self.sign, lit if self._sounds else "off")

    def set_mode(self, text: str) -> None:
        """Show unattended or attended, or what else there is to say under the name."""
        self.mode.setText(text)

    def set_time(self, now_us: int, tz: ZoneInfo) -> None:
        """Show the station's time."""
        self.time.setText(clock(now_us, tz))

    def set_left(self, left_s: float | None) -> None:
        """Show the time left of the item on air."""
        self.left.setText("–:––" if left_s is None else length(ceil(left_s)))

    def show_fixed(self, pin: Pin | None, now_us: int, tz: ZoneInfo) -> None:
        """Show the next event, a fixed time where it promises one, and how that is met."""
        caption = _FIXED if pin is None or pin.promised else _EVENT
        self.fixed_caption.setText(caption)
        self.fixed.setAccessibleName(caption.capitalize())
        if pin is None:
            self.fixed.setText("–")
            self.fixed_text.setText("")
            return
        self.fixed.setText(clock(pin.at_us, tz))
        ahead = length((pin.at_us - now_us) / US)
        self.fixed_text.setText(f"{pin.name}\nin {ahead}, {lands(pin)}")
        self.fixed_text.setToolTip(f"{pin.name} in {ahead}, {lands(pin)}. {pin.sentence}")

    def show_working(self) -> None:
        """Say that the night is being worked out: nothing is known of it yet."""
        self.finding.setText("Working the night out …")
        self.finding.setToolTip("The coming hours are being rehearsed.")
        _set_role(self.finding, "calm")

    def show_tonight(self, found: Tonight, tz: ZoneInfo) -> None:
        """Show how much needs the operator, or is to be known, and when it is heard first."""
        needs = [one for one in found.causes if one.needs_you]
        told = needs or found.counting
        if not told:
            self.finding.setText("Tonight works")
            self.finding.setToolTip("The rehearsal of the coming hours found nothing wrong.")
            _set_role(self.finding, "calm")
            return
        first = max(min(one.first_us for one in told), found.from_us)
        what = "to know" if not needs else "needs you" if len(told) == 1 else "need you"
        self.finding.setText(f"{len(told)} {what}, first at {clock(first, tz)[:5]}")
        worst = min(told, key=lambda one: (one.heard, one.first_us))
        self.finding.setToolTip(f"{worst.text} {worst.mend}")
        _set_role(self.finding, "finding")


def _set_role(widget: QWidget, role: str) -> None:
    if widget.property("role") != role:
        widget.setProperty("role", role)
        widget.style().unpolish(widget)
        widget.style().polish(widget)

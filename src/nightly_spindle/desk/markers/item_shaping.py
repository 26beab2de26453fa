"""How one item wants to be played: gain, untouched, talked over, its own fades and sweeper."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QWidget

from nightly_spindle.core.library.markers import MOST_FADE_S, MOST_TRIM_DB, Curve
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import DecimalField

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.library.loudness_gain import Gain

CURVES = (
    (None, "as the rules say"),
    (Curve.EQUAL_POWER, "equal power"),
    (Curve.LINEAR, "linear"),
    (Curve.STRAIGHT, "none"),
)


class ItemShapingForm(QWidget):
    """Signal: `changed` (dict of `markers.Shaping` values; None is as usual)."""

    changed = Signal(dict)

    def __init__(self) -> None:
        super().__init__()
        self.trim = DecimalField(-MOST_TRIM_DB, MOST_TRIM_DB, "dB", "0 dB")
        self.untouched, self.talk = ChoiceBox(), ChoiceBox()
        self.fade_in = DecimalField(0, MOST_FADE_S, "s", "rules")
        self.fade_out = DecimalField(0, MOST_FADE_S, "s", "rules")
        self.sweeper = DecimalField(1, 1e9, "", "none")
        self.in_curve, self.out_curve = ChoiceBox(), ChoiceBox()
        for box in (self.in_curve, self.out_curve):
            for curve, text in CURVES:
                box.addItem(text, curve)
        self.gain = QLabel("")
        self.gain.setProperty("role", "muted")
        self.gain.setWordWrap(True)
        self._lay_out()
        self.trim.entered.connect(lambda v: self.changed.emit({"gain_trim_db": v}))
        self.fade_in.entered.connect(lambda v: self.changed.emit({"fade_in_s": v}))
        self.fade_out.entered.connect(lambda v: self.changed.emit({"fade_out_s": v}))
        self.sweeper.entered.connect(
            lambda v: self.changed.emit({"own_sweeper": None if v is None else int(v)})
        )
        for box, name in (
            (self.untouched, "untouched"),
            (self.talk, "talk_over"),
            (self.in_curve, "fade_in_curve"),
            (self.out_curve, "fade_out_curve"),
        ):
            box.activated.connect(
                lambda _, box=box, name=name: self.changed.emit({name: _value(box)})
            )

    def _lay_out(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        rows: tuple[tuple[str, str, tuple[QWidget, ...]], ...] = (
            (
                "Gain trim",
                "Added to the gain that brings it to the station's loudness",
                (self.trim,),
            ),
            (
                "Trim and fade",
                "Untouched it plays from end to end: it carries its own shape",
                (self.untouched,),
            ),
            ("May be talked over", "Whether voiceovers may play over it", (self.talk,)),
            (
                "Own sweeper",
                "Cart number: at its sweeper points, or on the segue into it",
                (self.sweeper,),
            ),
            ("Fade-in", "Its own, whatever the rules say", (self.fade_in, self.in_curve)),
            ("Fade-out", "Its own, whatever the rules say", (self.fade_out, self.out_curve)),
        )
        for row, (text, tip, widgets) in enumerate(rows):
            caption = QLabel(text)
            caption.setProperty("role", "muted")
            grid.addWidget(caption, row, 0)
            for column, widget in enumerate(widgets, 1):
                widget.setToolTip(tip)
                widget.setAccessibleName(text if column == 1 else f"{text}, shape")
                grid.addWidget(widget, row, column, 1, 2 if len(widgets) == 1 else 1)
        grid.addWidget(self.gain, len(rows), 0, 1, 3)
        grid.setColumnStretch(2, 1)
        for field in (self.fade_in, self.fade_out):
            field.setFixedWidth(66)

    def show_item(self, item: Item, lift: Gain) -> None:
        """Show an item's own settings, and the gain that follows."""
        own = item.shaping
        self.trim.show_value(own.gain_trim_db or None)
        self.fade_in.show_value(own.fade_in_s)
        self.sweeper.show_value(own.own_sweeper)
        self.fade_out.show_value(own.fade_out_s)
        kind = str(item.kind).replace("-", " ")
        _offer(
            self.untouched,
            own.untouched,
            f"as a {kind}: ",
            item.untouched,
            ("untouched", "trimmed and faded"),
        )
        _offer(self.talk, own.talk_over, f"as a {kind}: ", item.talked_over, ("yes", "no"))
        for box, curve in (
            (self.in_curve, own.fade_in_curve),
            (self.out_curve, own.fade_out_curve),
        ):
            with QSignalBlocker(box):
                box.setCurrentIndex([one for one, _ in CURVES].index(curve))
        self.gain.setText(f"Plays at {lift.why}")


def _offer(
    box: QComboBox, own: bool | None, usual: str, holds: bool, words: tuple[str, str]
) -> None:
    """Offer yes, no and as the kind; what the kind says is spelt out while it holds."""
    with QSignalBlocker(box):
        box.clear()
        box.addItem(usual + (words[0] if holds else words[1]) if own is None else usual + "…", None)
        box.addItem(words[0], True)
        box.addItem(words[1], False)
        box.setCurrentIndex({None: 0, True: 1, False: 2}[own])


def _value(box: QComboBox) -> Any:
    return box.currentData()

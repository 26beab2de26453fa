"""The details of one join: its values to type, why each is what it is, and where to keep it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Qt, Signal
from PySide6.QtWidgets import QGridLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from nightly_spindle.core.library.markers import MOST_FADE_S, Curve
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import DecimalField, TimeField

if TYPE_CHECKING:
    from nightly_spindle.desk.waves.join_session import JoinSession

_SHAPES = ((Curve.EQUAL_POWER, "equal power"), (Curve.LINEAR, "linear"), (Curve.STRAIGHT, "none"))
_CAPTIONS = {
    "start": "THE NEXT STARTS",
    "fade-out": "FADE-OUT",
    "fade-in": "FADE-IN",
    "gain out": "LEVEL OF THE OUTGOING",
    "gain in": "LEVEL OF THE INCOMING",
}


class JoinPanel(QWidget):
    """Stands beside the segue editor.

    Signals: `changed` (values of a JoinEdit); `keep_asked` ("once", "pair", "items");
    `reset_asked`; `refused` (str).
    """

    changed = Signal(dict)
    keep_asked = Signal(str)
    reset_asked = Signal()
    refused = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.start, self.fade_start = TimeField(), TimeField()
        self.fade_out = DecimalField(0, MOST_FADE_S, "s")
        self.fade_in = DecimalField(0, MOST_FADE_S, "s")
        self.out_curve, self.in_curve = ChoiceBox(), ChoiceBox()
        for box in (self.out_curve, self.in_curve):
            for curve, text in _SHAPES:
                box.addItem(text, str(curve))
        self.told = QLabel("")
        self.told.setWordWrap(True)
        self.why = QLabel("")
        self.why.setWordWrap(True)
        self.why.setTextFormat(Qt.TextFormat.RichText)
        self.once = QPushButton("This time only")
        self.pair = QPushButton("Whenever these two meet")
        self.items = QPushButton("Into the items' own markers")
        self.reset = QPushButton("Back to automatic")
        self._lay_out()
        self._connect()

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 12, 14, 12)
        box.setSpacing(6)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        rows: tuple[tuple[str, QWidget], ...] = (
            ("Starts at", self.start),
            ("Fade from", self.fade_start),
            ("Fade-out", self.fade_out),
            ("… shape", self.out_curve),
            ("Fade-in", self.fade_in),
            ("… shape", self.in_curve),
        )
        for row, (text, widget) in enumerate(rows):
            caption = QLabel(text)
            caption.setProperty("role", "muted")
            name = f"{'Fade-out' if row < 4 else 'Fade-in'} shape" if "shape" in text else text
            widget.setAccessibleName(name)
            grid.addWidget(caption, row, 0)
            grid.addWidget(widget, row, 1)
        self.start.setToolTip("Position in the outgoing item at which the next starts")
        self.fade_start.setToolTip("Position in the outgoing item from which its fader goes down")
        grid.setColumnStretch(1, 1)
        box.addLayout(grid)
        box.addWidget(self.told)
        box.addWidget(self.why)
        box.addStretch(1)
        keep = QLabel("APPLY TO")
        keep.setProperty("role", "caption")
        box.addWidget(keep)
        for button, tip in (
            (self.once, "For this line of the running order alone (F2)"),
            (self.pair, "For these two items, whenever one follows the other (F3)"),
            (self.items, "As markers and fades of the items, whatever follows (F5)"),
            (self.reset, "Forget what was set by hand, here and for the pair"),
        ):
            button.setToolTip(tip)
            box.addWidget(button)

    def _connect(self) -> None:
        self.start.entered.connect(lambda at: self.changed.emit({"segue_s": at}))
        self.fade_start.entered.connect(lambda at: self.changed.emit({"fade_start_s": at}))
        self.fade_out.entered.connect(lambda v: self.changed.emit({"fade_out_s": v}))
        self.fade_in.entered.connect(lambda v: self.changed.emit({"fade_in_s": v}))
        for field in (self.start, self.fade_start):
            field.refused.connect(self.refused)
        for box, name in ((self.out_curve, "fade_out_curve"), (self.in_curve, "fade_in_curve")):
            box.activated.connect(
                lambda _, b=box, n=name: self.changed.emit({n: Curve(b.currentData())})
            )
        for button, where in ((self.once, "once"), (self.pair, "pair"), (self.items, "items")):
            button.clicked.connect(lambda _=False, where=where: self.keep_asked.emit(where))
        self.reset.clicked.connect(self.reset_asked)

    def show_join(self, session: JoinSession, *, once: str) -> None:
        """Show a join. `once` says why it cannot be kept for this time alone, empty if it can."""
        join, rate = session.join, session.rate
        self.start.show_time(join.segue / rate)
        self.fade_start.show_time(join.fade_at / rate)
        self.fade_out.show_value(round(join.fade_out / rate, 2))
        self.fade_in.show_value(round(join.fade_in / rate, 2))
        for box, curve in ((self.out_curve, join.out_curve), (self.in_curve, join.in_curve)):
            with QSignalBlocker(box):
                box.setCurrentIndex(box.findData(str(curve)))
        bad = bool(session.faults())
        self.told.setText(session.told())
        self.told.setProperty("role", "warn" if bad else "")
        self.told.style().polish(self.told)
        self.why.setText(_why(session))
        self.once.setEnabled(session.changed and not once)
        self.once.setToolTip(once or "For this line of the running order alone (F2)")
        self.pair.setEnabled(session.changed)
        self.items.setEnabled(session.changed)
        self.reset.setEnabled(session.changed or session.kept is not None)


def _why(session: JoinSession) -> str:
    """Return the reasons as rich text, each under its caption."""
    parts: list[Any] = []
    for name, text in session.why():
        parts.append(
            f'<p style="margin:5px 0 0 0"><b style="font-size:11px">{_CAPTIONS[name]}</b>'
            f"<br>{text}</p>"
        )
    return "".join(parts)

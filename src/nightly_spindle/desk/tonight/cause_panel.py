"""One finding beside the list: when it is heard, what, why, and what mends it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import clock
from nightly_spindle.core.reports.tonight import Cause, Heard
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.tonight.cause_places import page_of

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.planning_process import NightPlan

_HEARS = {
    Heard.SILENCE: "Listeners hear nothing.",
    Heard.TONE: "Listeners hear the station tone.",
    Heard.CUT_OFF: "Listeners hear something cut off.",
    Heard.WRONG: "Listeners hear something else than was meant.",
    Heard.NOTHING: "Listeners hear no difference.",
}
_NOTHING = (
    "Nothing is found that goes wrong. Whatever is edited, arrives or goes away is rehearsed again."
)


class CausePanel(QWidget):
    """Signals: `gone_to` (DeskPage), `asked` (str, an order for the engine), `left` (Cause, why),
    `taken_up` (Cause).
    """

    gone_to = Signal(object)
    asked = Signal(str)
    left = Signal(object, str)
    taken_up = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("details")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.cause: Cause | None = None
        self.head, self.when, self.hears, self.text, self.mend = (QLabel("") for _ in range(5))
        for label, role in (
            (self.head, "name"),
            (self.when, "muted"),
            (self.hears, "sentence"),
            (self.text, "plain"),
            (self.mend, "muted"),
        ):
            label.setProperty("role", role)
            label.setWordWrap(True)
        self.unattended = push_button(
            "Switch to unattended", "The station goes on without you", self._switch
        )
        self.go = push_button("", "Go to the page where this is mended", self._go)
        self.why = Field()
        self.why.setAccessibleName("Why it may stay as it is")
        self.why.setPlaceholderText("why it may stay as it is")
        self.why.textChanged.connect(lambda _: self._offer())
        self.why.returnPressed.connect(self._leave)
        self.leave = push_button(
            "Leave it so", "It counts no more, until something is added to it", self._leave
        )
        self.again = push_button("Have it count again", "It counts again", self._take_up)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 14, 14, 12)
        box.setSpacing(8)
        said: list[QWidget] = [self.head, self.when, self.hears, self.text, self.mend]
        for widget in (*said, self.unattended, self.go):
            box.addWidget(widget)
        box.addSpacing(12)
        for widget in (self.why, self.leave, self.again):
            box.addWidget(widget)
        box.addStretch(1)
        self.show_cause(None, None)

    def show_cause(self, cause: Cause | None, planned: NightPlan | None) -> None:
        """Show one cause, or that there is none."""
        other = self.cause is None or cause is None or cause.key != self.cause.key
        self.cause = cause
        there = cause is not None
        for widget in (self.when, self.hears, self.mend, self.go, self.why, self.leave):
            widget.setVisible(there)
        self.again.setVisible(there)
        self.unattended.setVisible(there and cause is not None and cause.code == "attended")
        if cause is None or planned is None:
            self.head.setText("Nothing to be done")
            self.text.setText(_NOTHING)
            return
        tz = planned.settings.tz
        self.head.setText("It needs you" if cause.needs_you else "To be known")
        first, last = clock(cause.first_us, tz), clock(cause.last_us, tz)
        times = "" if cause.many == 1 else f", {cause.many} times, the last at {last}"
        self.when.setText(f"At {first}{times}.")
        self.hears.setText(_HEARS[cause.heard])
        self.text.setText(cause.text)
        self.mend.setText(cause.mend)
        self.go.setText(f"Go to {page_of(cause.code).words}")
        left = cause.left
        self.why.setVisible(left is None)
        self.leave.setVisible(left is None)
        self.again.setVisible(left is not None)
        if left is not None:
            self.head.setText("Left as it is")
            self.mend.setText(f"{cause.mend} Left as it is: {left.reason}.")
        if other:
            self.why.setText("")
        self._offer()

    def _offer(self) -> None:
        said = bool(self.why.text().strip())
        self.leave.setEnabled(said)
        self.leave.setToolTip(
            "It counts no more, until something is added to it" if said else "say why first"
        )

    def _go(self) -> None:
        if self.cause is not None:
            self.gone_to.emit(page_of(self.cause.code))

    def _switch(self) -> None:
        self.asked.emit("unattended")

    def _leave(self) -> None:
        if self.cause is not None and self.why.text().strip():
            self.left.emit(self.cause, self.why.text().strip())

    def _take_up(self) -> None:
        if self.cause is not None:
            self.taken_up.emit(self.cause)

"""The drills of the place Tonight: one thing broken on purpose, what listeners would hear."""

from __future__ import annotations

from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.playout.drills import Drill
from nightly_spindle.core.reports.drilled import Drilled, compared, worst_sentence
from nightly_spindle.desk.kit.asked_process import AskedProcess
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, Ink, TableLayout
from nightly_spindle.desk.tonight.drilling_process import Reply, Request

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.desk.kit.planning_process import Request as NightRequest
    from nightly_spindle.desk.kit.theme import Palette

_UTC = ZoneInfo("UTC")
_PATIENCE_MS = 200
RUN, STOP = "Run the drills", "Stop"
_FIRST = (
    "Each drill plays the coming hours with one thing broken an hour from now: no log, a late log, "
    "a folder away, the power out, an item that cannot be read. Nothing on the air changes."
)

_DONE = "This is what each would add to the night as it is planned. Nothing on the air has changed."


class DrillTable(RowView[Drilled]):
    """What each drill adds to the night."""

    def __init__(self, palette: Palette) -> None:
        self._tz = _UTC
        columns: tuple[Column[Drilled], ...] = (
            Column("Breaks at", 76, lambda one: f"{local_from(one.at_us, self._tz):%H:%M}"),
            Column("What breaks", 330, _what, ink=_ink),
            Column("Listeners hear", 330, lambda one: one.sentence, wide=True, ink=_ink),
            Column("Lost lines", 70, lambda one: str(one.lost or ""), right=True, ink="muted"),
        )
        super().__init__(
            TableLayout("Drills", columns, lambda one: one.what, sortable=False), palette
        )

    def show_drills(self, drills: list[Drilled], tz: ZoneInfo) -> None:
        """Show other drills."""
        self._tz = tz
        self.show_rows(drills)


def _what(one: Drilled) -> str:
    return f"{one.what[:1].upper()}{one.what[1:]}"


def _ink(one: Drilled) -> Ink:
    silent, tone, _, _ = one.weight
    return "alarm" if silent >= 1 or tone >= 1 else "text"


class DrillPage(QWidget):
    """Runs all drills by one button, one after the other, beside the desk.

    Signals: `wanted` when the night to be drilled is to be given to `begin`; `told` (str) with the
    worst of them, empty while that is not known.
    """

    wanted = Signal()
    told = Signal(str)

    def __init__(self, folder: Path, palette: Palette) -> None:
        super().__init__()
        self._tz = _UTC
        self._asked: NightRequest | None = None
        self._left: list[Drill] = []
        self._found: list[Drilled] = []
        module = "nightly_spindle.desk.tonight.drilling_process"
        self._process = AskedProcess(module, folder, Reply, self)
        self._process.answered.connect(self._on_answered)
        self._process.ended.connect(self._on_ended)
        self.table = DrillTable(palette)
        self.said = QLabel(_FIRST)
        self.said.setProperty("role", "muted")
        self.said.setWordWrap(True)
        self.said.setAccessibleName("How the drills go")
        self.run = push_button(RUN, "Rehearse the night with each thing broken", self.run_or_stop)
        top = QHBoxLayout()
        top.addWidget(self.run)
        top.addWidget(self.said, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(4)
        box.addLayout(top)
        box.addWidget(self.table, 1)

    @property
    def busy(self) -> bool:
        """Whether drills are under way."""
        return bool(self._left)

    def run_or_stop(self) -> None:
        """Run the drills, or stop those under way."""
        if self.busy:
            self._left = []
            self.run.setEnabled(False)  # until the process has ended: it could not be asked again
            self._process.kill()
            self._show("Stopped.")
        else:
            self.wanted.emit()

    def begin(self, night: NightRequest, tz: ZoneInfo) -> None:
        """Drill a night."""
        self._asked, self._tz = night, tz
        self._left, self._found = list(Drill), []
        self.told.emit("")
        self._next()

    def forget(self) -> None:
        """The night has changed: what was drilled is of another one."""
        if self._found and not self.busy:
            self.said.setText("The night has changed since: run the drills again.")
            self.table.setEnabled(False)
            self.told.emit("")

    def _next(self) -> None:
        if not self._left or self._asked is None:
            self._show(_DONE)
            self.told.emit(worst_sentence(self._found))
            return
        done, whole = len(self._found), len(Drill)
        self._show(f"Drill {done + 1} of {whole}: {self._left[0].words} …")
        night = self._asked
        asked = Request(night.state, night.now_us, night.live, night.hours, self._left[0])
        self._process.ask(asked)

    def _show(self, text: str) -> None:
        self.said.setText(text)
        self.run.setText(STOP if self.busy else RUN)
        self.table.setEnabled(True)
        self.table.show_drills(compared(self._found), self._tz)

    def _on_answered(self, reply: Reply) -> None:
        if not self.busy:
            return  # stopped meanwhile
        if reply.found is None:
            self._left = []
            self._show(reply.problem)
            return
        self._found.append(reply.found)
        self._left.pop(0)
        self._next()

    def _on_ended(self, why: str) -> None:
        self.run.setEnabled(True)
        if self.busy:
            self._left = []
            self._show(f"The drills stopped ({why}); run them again.")

    def close_down(self) -> None:
        """End what is under way."""
        self._left = []
        self._process.close(_PATIENCE_MS)

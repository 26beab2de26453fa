"""Asks the planning process for plans, one at a time; what was asked meanwhile is asked next."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from nightly_spindle.desk.kit.asked_process import AskedProcess
from nightly_spindle.desk.kit.planning_process import HOURS, Reply, Request

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.core.programme.air_state import AirState

_PATIENCE_MS = 200


class Planner(QObject):
    """Plans in a process of its own, which is started when needed and ends with the desk.

    Of several asks while a plan is under way only the newest is kept. Every plan that comes is
    newer than the one before and is told: were those passed over that are not the newest ask's, a
    machine that plans more slowly than it is asked would never show one.

    Signals: `asked` when a plan is under way, `planned` (NightPlan), `failed` (str).
    """

    asked = Signal()
    planned = Signal(object)
    failed = Signal(str)

    def __init__(self, folder: Path, parent: QObject | None = None, hours: float = HOURS) -> None:
        super().__init__(parent)
        self._hours = hours
        self._waiting: Request | None = None
        self.asked_last: Request | None = None  # what the newest plan is, or will be, of
        module = "nightly_spindle.desk.kit.planning_process"
        self._process = AskedProcess(module, folder, Reply, self)
        self._process.answered.connect(self._on_answered)
        self._process.ended.connect(self._on_ended)

    def ask(self, state: AirState | None, now_us: int, *, live: bool) -> None:
        """Plan from this state (None: as an engine started now would find it)."""
        self.asked_last = self._waiting = Request(state, now_us, live, self._hours)
        self.asked.emit()
        if not self._process.busy:
            self._send()

    def close(self) -> None:
        """End the process; a plan under way is not waited for."""
        self._waiting = None
        self._process.close(_PATIENCE_MS)

    def _send(self) -> None:
        if self._waiting is not None:
            self._process.ask(self._waiting)
            self._waiting = None

    def _on_answered(self, reply: Reply) -> None:
        if reply.problem:
            self.failed.emit(reply.problem)
        else:
            # reading a plan and showing it take a while each: the desk has a turn between them
            QTimer.singleShot(0, self, lambda: self.planned.emit(reply.planned))
        self._send()

    def _on_ended(self, why: str) -> None:
        self.failed.emit(f"Planning stopped ({why}); it starts again with the next change.")

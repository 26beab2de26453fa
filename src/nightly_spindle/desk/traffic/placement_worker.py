"""Has the spots placed by a process beside the desk."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from nightly_spindle.desk.kit.asked_process import AskedProcess
from nightly_spindle.desk.traffic.placement_process import Reply, Request

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

_WAIT_MS = 300  # edits that come one after the other are placed once
_PATIENCE_MS = 20_000  # when the desk is closed, what was edited last is placed still


class PlacementWorker(QObject):
    """Signals: `began`; `placed` (str) with what was done; `failed` (str) with why it was not."""

    began = Signal()
    placed = Signal(str)
    failed = Signal(str)

    def __init__(self, folder: Path, now_us: Callable[[], int], parent: QObject) -> None:
        super().__init__(parent)
        self._now_us = now_us
        module = "nightly_spindle.desk.traffic.placement_process"
        self._process = AskedProcess(module, folder, Reply, self)
        self._process.answered.connect(self._on_answered)
        self._process.ended.connect(self._on_ended)
        self._again = self._anew = self._stopped = False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_WAIT_MS)
        self._soon.timeout.connect(self._start)

    @property
    def busy(self) -> bool:
        """Whether spots are being placed, or will be in a moment."""
        return self._process.busy or self._soon.isActive()

    def ask(self) -> None:
        """Have the spots placed soon."""
        if self._process.busy:
            self._again = True
        else:
            self._soon.start()

    def begin_anew(self) -> None:
        """The next placing goes by nothing that stands but what was set by hand."""
        self._anew = True

    def cancel(self) -> None:
        """Leave the spots where they are."""
        self._soon.stop()
        self._again = self._anew = False
        if self._process.busy:
            self._stopped = True
            self._process.kill()

    def close(self) -> None:
        """Finish: what is under way is waited for."""
        self._soon.stop()
        self._again = False
        self._process.close(_PATIENCE_MS)

    def _start(self) -> None:
        anew, self._anew = self._anew, False
        self.began.emit()
        self._process.ask(Request(self._now_us(), anew))

    def _on_answered(self, reply: Reply) -> None:
        (self.failed if reply.problem else self.placed).emit(reply.sentence())
        self._go_on()

    def _on_ended(self, why: str) -> None:
        stopped, self._stopped = self._stopped, False
        said = "was broken off" if stopped else f"stopped ({why})"
        self.failed.emit(f"Placing {said}; the spots stay where they were.")
        self._go_on()

    def _go_on(self) -> None:
        if self._again:
            self._again = False
            self._soon.start()

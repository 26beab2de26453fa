"""Placing spots beside the desk, in a process: it is at work for a second or more."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QProcess, QTimer, Signal

from nightly_spindle.core.base.timebase import moment_from

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path
    from zoneinfo import ZoneInfo

_WAIT_MS = 300  # edits that come one after the other are placed once


class PlacementWorker(QObject):
    """Signals: `began`; `placed` (str) with what was done; `failed` (str) with why it was not."""

    began = Signal()
    placed = Signal(str)
    failed = Signal(str)

    def __init__(
        self, folder: Path, tz: ZoneInfo, now_us: Callable[[], int], parent: QObject
    ) -> None:
        super().__init__(parent)
        self._folder, self._tz, self._now_us = folder, tz, now_us
        self._process: QProcess | None = None
        self._again = self._anew = False
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_WAIT_MS)
        self._soon.timeout.connect(self._start)

    @property
    def busy(self) -> bool:
        """Whether spots are being placed, or will be in a moment."""
        return self._process is not None or self._soon.isActive()

    def ask(self) -> None:
        """Have the spots placed soon."""
        if self._process is not None:
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
        if self._process is not None:
            self._process.kill()

    def close(self) -> None:
        """Finish: what is under way is waited for."""
        self._soon.stop()
        self._again = False
        process = self._process
        if process is not None:
            process.finished.disconnect()
            process.waitForFinished(20_000)
            self._process = None

    def _start(self) -> None:
        at = moment_from(self._now_us(), self._tz).isoformat()
        told = ["campaigns", "place", str(self._folder), "--at", at, "--json"]
        process = QProcess(self)
        process.finished.connect(self._on_finished)
        self._process = process
        anew, self._anew = self._anew, False
        self.began.emit()
        process.start(sys.executable, ["-m", "nightly_spindle", *told, *["--anew"][: int(anew)]])

    def _on_finished(self, status: int, how: QProcess.ExitStatus) -> None:
        process, self._process = self._process, None
        assert process is not None
        out = bytes(process.readAllStandardOutput().data()).decode()
        error = bytes(process.readAllStandardError().data()).decode().strip()
        process.deleteLater()
        if how is QProcess.ExitStatus.CrashExit:
            self.failed.emit("Placing was broken off; the spots stay where they were.")
        elif status:
            self.failed.emit(error.splitlines()[-1] if error else "The spots were not placed.")
        else:
            made = json.loads(out)
            short = sum(one["missing"] for one in made["short"])
            tail = f", {made['moved']} moved" if made["moved"] else ""
            tail += f", {short} could not be" if short else ""
            self.placed.emit(f"{made['placed']} spots placed{tail}.")
        if self._again:
            self._again = False
            self._soon.start()

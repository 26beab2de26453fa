"""The intake as a process of the desk's: one runs as long as the desk does."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QProcess

from nightly_spindle.intake.place import intake_pid

if TYPE_CHECKING:
    from pathlib import Path

_END_MS = 15_000


class IntakeProcess(QObject):
    """Keeps the intake of a station running, unless another program runs it already."""

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._folder = folder
        self._process: QProcess | None = None

    def keep(self) -> None:
        """See to it that the intake runs; it ends with this program if it is ours."""
        running = self._process is not None and (
            self._process.state() is not QProcess.ProcessState.NotRunning
        )
        if running or intake_pid(self._folder) is not None:
            return
        self._process = QProcess(self)
        self._process.setProgram(sys.executable)
        self._process.setArguments(
            ["-m", "nightly_spindle", "intake", "run", str(self._folder), "--with-parent"]
        )
        log = str(self._folder / "intake.log")
        self._process.setStandardErrorFile(log, QProcess.OpenModeFlag.Append)
        self._process.setStandardOutputFile(log, QProcess.OpenModeFlag.Append)
        self._process.start()

    def end(self) -> None:
        """End the one that is ours."""
        process, self._process = self._process, None
        if process is not None:
            process.closeWriteChannel()  # the intake ends with its input
            if not process.waitForFinished(_END_MS):  # a busy machine: what it does is queued
                process.kill()
                process.waitForFinished(_END_MS)

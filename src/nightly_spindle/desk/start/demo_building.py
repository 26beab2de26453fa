"""Building the demo station in a process beside, with its progress."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtCore import QObject, QProcess, Signal

from nightly_spindle.simulators.demo_folder import demo_folder

_END_MS = 3000


class DemoBuilding(QObject):
    """Signals: `progress` (what, part 0 to 1), `built` (Path), `failed` (str)."""

    progress = Signal(str, float)
    built = Signal(Path)
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process: QProcess | None = None
        self._said = ""

    @property
    def running(self) -> bool:
        """Whether it is under way."""
        return self._process is not None

    def begin(self) -> None:
        """Build it where it is not there yet; its logs are made new in any case."""
        process = QProcess(self)
        process.setProgram(sys.executable)
        process.setArguments(["-m", "nightly_spindle", "demo", "--build-only", "--steps"])
        process.readyReadStandardOutput.connect(self._on_output)
        process.readyReadStandardError.connect(self._on_error)
        process.finished.connect(self._on_finished)
        self._process, self._said = process, ""
        process.start()

    def stop(self) -> None:
        """Break it off; what is half made is removed by the next try."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.waitForFinished(_END_MS)

    def _on_output(self) -> None:
        if self._process is None:
            return
        for line in bytes(self._process.readAllStandardOutput().data()).decode().splitlines():
            part, tab, what = line.partition("\t")
            if tab:
                self.progress.emit(what, float(part))

    def _on_error(self) -> None:
        if self._process is not None:
            self._said += bytes(self._process.readAllStandardError().data()).decode(
                errors="replace"
            )

    def _on_finished(self, status: int) -> None:
        if self._process is None:
            return  # it was stopped
        self._process = None
        if status == 0:
            self.built.emit(demo_folder())
        else:
            last = (self._said.strip().splitlines() or ["it ended without a word"])[-1]
            self.failed.emit(f"The demo station was not built: {last}")

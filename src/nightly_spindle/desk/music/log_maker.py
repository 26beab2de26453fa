"""Making logs beside the desk, in a process: a month of them takes seconds."""

from __future__ import annotations

import json
import sys
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QProcess, Signal

from nightly_spindle.core.base.wording import counted

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path


class LogMaker(QObject):
    """Signals: `began`; `told` (done, all hours); `made`, `failed` (str): what came of it."""

    began = Signal()
    told = Signal(int, int)
    made = Signal(str)
    failed = Signal(str)

    def __init__(self, folder: Path, parent: QObject) -> None:
        super().__init__(parent)
        self._folder = folder
        self._process: QProcess | None = None
        self._error = ""
        self._stopped = False

    @property
    def busy(self) -> bool:
        """Whether logs are being made."""
        return self._process is not None

    def start(self, options: Sequence[str]) -> None:
        """Make logs; `options` as the command line has them. One at a time."""
        if self._process is not None:
            self.failed.emit("Logs are being made already; stop that first.")
            return
        told = ["formats", "make", str(self._folder), "--json", "--progress", *options]
        process = QProcess(self)
        process.finished.connect(self._on_finished)
        process.readyReadStandardError.connect(self._on_told)
        self._process, self._error, self._stopped = process, "", False
        self.began.emit()
        process.start(sys.executable, ["-m", "nightly_spindle", *told])

    def cancel(self) -> None:
        """Stop; nothing is changed then."""
        if self._process is not None:
            self._stopped = True
            self._process.kill()

    def close(self) -> None:
        """Finish: what is under way is broken off, nothing is changed."""
        process, self._process = self._process, None
        if process is not None:
            process.finished.disconnect()
            process.readyReadStandardError.disconnect()
            process.kill()
            process.waitForFinished(5000)

    def _on_told(self) -> None:
        if self._process is None:
            return
        for line in bytes(self._process.readAllStandardError().data()).decode().splitlines():
            done, slash, whole = line.partition("/")
            if slash and done.isdecimal() and whole.isdecimal():
                self.told.emit(int(done), int(whole))
            elif line.strip():
                self._error = line.strip()

    def _on_finished(self, status: int, how: QProcess.ExitStatus) -> None:
        self._on_told()
        process, self._process = self._process, None
        assert process is not None
        out = bytes(process.readAllStandardOutput().data()).decode()
        process.deleteLater()
        if self._stopped or how is QProcess.ExitStatus.CrashExit:
            self.failed.emit("Making was stopped; nothing was changed.")
        elif status:
            text = self._error.removeprefix("nightly-spindle: ") or "the logs were not made"
            self.failed.emit(f"{text[:1].upper()}{text[1:]}.")
        else:
            self.made.emit(_sentence(json.loads(out)))


def _sentence(made: dict[str, Any]) -> str:
    hours, lines = len(made["hours"]), made["lines"]
    kept = f", {made['kept']} kept" if made["kept"] else ""
    text = f"{counted(hours, 'hour')} made with {counted(lines, 'line')}{kept}"
    broken = f"; {counted(made['broken'], 'firm rule')} could not be kept" if made["broken"] else ""
    return f"{text}{broken}."

"""A process beside the desk that is asked one thing at a time (`answering`)."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any

import msgspec
from PySide6.QtCore import QObject, QProcess, QTimer, Signal

from nightly_spindle.desk.kit.answering import frame, unframed

if TYPE_CHECKING:
    from pathlib import Path

_IDLE_MS = 120_000  # nothing asked for so long: its memory is given back


class AskedProcess(QObject):
    """A module that answers requests about a station, run when it is asked first.

    It stays for the next request, as to start Python and read the modules in takes a second each
    time; it ends when nothing was asked for two minutes, and with the desk.

    Signals: `answered` (the reply); `ended` (str, why) when it ends before it has answered.
    """

    answered = Signal(object)
    ended = Signal(str)

    def __init__(self, module: str, folder: Path, reply: type[Any], parent: QObject) -> None:
        super().__init__(parent)
        self._command = ["-m", module, str(folder)]
        self._reply = reply
        self._held = b""
        self._waiting: bytes | None = None  # asked while the process ends
        self._leaving = False
        self.busy = False
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._on_ready)
        self._process.finished.connect(self._on_finished)
        self._process.errorOccurred.connect(self._on_error)
        self._idle = QTimer(self)
        self._idle.setSingleShot(True)
        self._idle.setInterval(_IDLE_MS)
        self._idle.timeout.connect(self.rest)

    def ask(self, request: Any) -> None:
        """Send a request; the one before has been answered."""
        if self._leaving:
            return
        self._idle.stop()
        self.busy = True
        if self._waiting is not None:
            self._waiting = frame(request)
        else:
            self._send(frame(request))

    def rest(self) -> None:
        """End the process until it is asked again."""
        if not self.busy and self._process.state() != QProcess.ProcessState.NotRunning:
            self._waiting = b""
            self._process.closeWriteChannel()

    def kill(self) -> None:
        """Break off what is under way; the next request starts the process again."""
        self._process.kill()

    def close(self, patience_ms: int) -> None:
        """End the process; an answer that is under way is waited for so long."""
        self._leaving = True
        self._idle.stop()
        self._process.closeWriteChannel()
        if not self._process.waitForFinished(patience_ms):
            self._process.kill()
            self._process.waitForFinished(2000)

    def _send(self, message: bytes) -> None:
        if self._process.state() == QProcess.ProcessState.NotRunning:
            self._held = b""
            self._process.start(sys.executable, self._command)
        self._process.write(message)

    def _on_ready(self) -> None:
        self._held += self._process.readAllStandardOutput().data()
        while True:
            body, self._held = unframed(self._held)
            if body is None:
                return
            self.busy = False
            self._idle.start()
            self.answered.emit(msgspec.msgpack.decode(body, type=self._reply))

    def _on_error(self, error: QProcess.ProcessError) -> None:
        if error == QProcess.ProcessError.FailedToStart:  # it has not finished, says Qt, then
            self._on_finished()

    def _on_finished(self) -> None:
        told = bytes(self._process.readAllStandardError().data()).decode(errors="replace").strip()
        waiting, self._waiting = self._waiting, None
        if self._leaving:
            return
        if waiting is not None:
            if waiting:
                self._send(waiting)
            return
        self._idle.stop()
        self.busy = False
        self.ended.emit(told.splitlines()[-1] if told else "no reason given")

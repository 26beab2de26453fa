"""The desk's line to the engine: asks, answers and sights, without ever waiting."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import msgspec
from PySide6.QtCore import QObject, QProcess, QTimer, Signal
from PySide6.QtNetwork import QLocalSocket

from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.errors import EnvironmentFault
from nightly_spindle.core.programme.running_order import AirState

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

_RETRY_MS = 300


class EngineLink(QObject):
    """Connects to the station's engine, and again when it went away.

    Signals: `came` and `went` with the engine; `sight` (dict) ten times a second; `state`
    (AirState) when the running order has changed; `failed` (str) with the engine's own
    sentence when it refuses something.
    """

    came = Signal()
    went = Signal()
    sight = Signal(dict)
    state = Signal(object)
    failed = Signal(str)

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._folder = folder
        self._socket = QLocalSocket(self)
        self._socket.connected.connect(self._on_connected)
        self._socket.disconnected.connect(self._on_disconnected)
        self._socket.readyRead.connect(self._on_ready)
        self._retry = QTimer(self)
        self._retry.setInterval(_RETRY_MS)
        self._retry.timeout.connect(self._try)
        self._answers: dict[int, Callable[[Any], None]] = {}
        self._number = 0
        self._no_path = ""  # why there is no socket to be looked for
        self._revision = -1
        self._asked_state = False
        self._held = b""
        self.on_air = False

    def open(self) -> None:
        """Start looking for the engine."""
        self._retry.start()
        self._try()

    def close(self) -> None:
        """Leave the engine alone from here on."""
        self._retry.stop()
        self._socket.abort()

    def start_engine(self, *, pace: str | None = None) -> bool:
        """Start an engine of its own process, which outlives the desk."""
        import sys

        arguments = ["-m", "nightly_spindle", "air", str(self._folder)]
        if pace:
            arguments += ["--pace", pace]
        process = QProcess()
        process.setProgram(sys.executable)
        process.setArguments(arguments)
        # what it has to say goes into the station's messages
        process.setStandardOutputFile(QProcess.nullDevice())
        process.setStandardErrorFile(QProcess.nullDevice())
        started = process.startDetached()
        return bool(started[0] if isinstance(started, tuple) else started)

    def ask(self, op: str, then: Callable[[Any], None] | None = None, **args: Any) -> None:
        """Ask the engine to do something; `then` gets its answer."""
        if not self.on_air:
            self.failed.emit("The engine is off: start it first.")
            return
        self._number += 1
        if then is not None:
            self._answers[self._number] = then
        request = {"id": self._number, "op": op, "args": args}
        self._socket.write(msgspec.json.encode(request) + b"\n")

    def _try(self) -> None:
        if self._socket.state() != QLocalSocket.LocalSocketState.UnconnectedState:
            return
        try:
            path = socket_path(self._folder)
        except EnvironmentFault as error:
            if str(error) != self._no_path:
                self.failed.emit(str(error))
            self._no_path = str(error)
            return
        self._socket.connectToServer(str(path))

    def _on_connected(self) -> None:
        self.on_air = True
        self._revision, self._asked_state, self._held = -1, False, b""
        self._answers.clear()
        self.ask("watch")
        self.came.emit()

    def _on_disconnected(self) -> None:
        if self.on_air:
            self.on_air = False
            self.went.emit()

    def _on_ready(self) -> None:
        self._held += self._socket.readAll().data()
        *lines, self._held = self._held.split(b"\n")
        for line in lines:
            message = msgspec.json.decode(line)
            if "sight" in message:
                self._take_sight(message["sight"])
                continue
            then = self._answers.pop(message.get("id"), None)
            if "error" in message:
                self.failed.emit(message["error"])
            elif then is not None:
                then(message.get("ok"))

    def _take_sight(self, sight: dict[str, Any]) -> None:
        if sight["revision"] != self._revision and not self._asked_state:
            self._asked_state = True
            self.ask("state", self._take_state)
        self.sight.emit(sight)

    def _take_state(self, answer: dict[str, Any]) -> None:
        self._asked_state = False
        state = msgspec.convert(answer["state"], AirState)
        self._revision = state.revision
        self.state.emit(state)

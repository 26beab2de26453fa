"""The desk's line to the engine: asks, answers and sights, without ever waiting."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Any

import msgspec
from PySide6.QtCore import QObject, QProcess, QTimer, Signal
from PySide6.QtNetwork import QLocalSocket

from nightly_spindle import __version__
from nightly_spindle.air.autostart import unit_of
from nightly_spindle.air.messages import (
    VERSION,
    EngineState,
    EngineStatus,
    Operation,
    State,
    Watch,
    Watching,
    answered,
    other_version,
    request,
)
from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.errors import EnvironmentFault

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from nightly_spindle.air.messages import Answer

_RETRY_MS = 300


class EngineLink(QObject):
    """Connects to the station's engine, and again when it went away.

    Signals: `came` and `went` with the engine; `sight` (EngineStatus) ten times a second; `state`
    (AirState) when the running order has changed; `failed` (str) with the engine's own
    sentence when it refuses something; `refused` (str) when it speaks other messages than this
    desk: then it is on air, and nothing can be asked of it.
    """

    came = Signal()
    went = Signal()
    sight = Signal(object)
    state = Signal(object)
    failed = Signal(str)
    refused = Signal(str)

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
        self._asked: dict[int, tuple[Operation[Any], Callable[[Any], None] | None]] = {}
        self.other = ""  # why the engine that runs cannot be asked
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
        """Start an engine of its own process, which outlives the desk; through systemd where a
        unit starts it with the computer.
        """
        unit = None if pace else unit_of(self._folder)
        if unit is None:
            return self._start_own(pace)
        process = QProcess(self)
        process.setProgram("systemctl")
        process.setArguments(["--user", "--no-block", "start", unit])
        process.finished.connect(lambda status: status and self._start_own())
        process.errorOccurred.connect(lambda _: self._start_own())
        process.start()
        return True

    def _start_own(self, pace: str | None = None) -> bool:
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

    def ask(self, asked: Operation[Answer], then: Callable[[Answer], None] | None = None) -> None:
        """Ask the engine to do something; `then` gets its answer."""
        if not self.on_air:
            self.failed.emit(self.other or "The engine is off: start it first.")
            return
        self._send(asked, then)

    def _send(self, asked: Operation[Answer], then: Callable[[Answer], None] | None = None) -> None:
        self._number += 1
        self._asked[self._number] = (asked, then)
        self._socket.write(request(self._number, asked))

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
        self._revision, self._asked_state, self._held = -1, False, b""
        self._asked.clear()
        self._send(Watch(VERSION, __version__), self._on_watching)

    def _on_watching(self, engine: Watching) -> None:
        # an engine that does not say so speaks older messages than there are numbers for
        if other := other_version(VERSION, engine.version):
            self._refuse(other)
            return
        self.other, self.on_air = "", True
        self.came.emit()

    def _refuse(self, other: str) -> None:
        if other != self.other:
            self.other = other
            self.refused.emit(other)

    def _on_disconnected(self) -> None:
        self.other = ""
        if self.on_air:
            self.on_air = False
            self.went.emit()

    def _on_ready(self) -> None:
        self._held += self._socket.readAll().data()
        *lines, self._held = self._held.split(b"\n")
        for line in lines:
            message = msgspec.json.decode(line)
            if "sight" in message and not self.on_air:
                continue  # of an engine that speaks other messages
            if "sight" in message:
                self._take_sight(msgspec.convert(message["sight"], EngineStatus))
                continue
            asked, then = self._asked.pop(message.get("id"), (None, None))
            if "error" in message and isinstance(asked, Watch):
                self._refuse(message["error"])
            elif "error" in message:
                if isinstance(asked, State):
                    self._asked_state = False  # asked again with the next sight
                self.failed.emit(message["error"])
            elif asked is not None and then is not None:
                self._answer(asked, message.get("ok"), then)

    def _answer(self, asked: Operation[Any], plain: Any, then: Callable[[Any], None]) -> None:
        if isinstance(asked, Watch) and not isinstance(plain, dict):
            plain = {}  # so did engines answer before messages had a version
        then(answered(asked, plain))

    def _take_sight(self, sight: EngineStatus) -> None:
        if sight.revision != self._revision and not self._asked_state:
            self._asked_state = True
            self.ask(State(), self._take_state)
        self.sight.emit(sight)

    def _take_state(self, answer: EngineState) -> None:
        self._asked_state = False
        self._revision = answer.state.revision
        self.state.emit(answer.state)

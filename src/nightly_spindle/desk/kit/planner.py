"""Asks the planning process for plans, one at a time; what was asked meanwhile is asked next."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING

import msgspec
from PySide6.QtCore import QObject, QProcess, QTimer, Signal

from nightly_spindle.desk.kit.planning_process import HOURS, LENGTH, Reply, Request, frame

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.core.programme.air_state import AirState


class Planner(QObject):
    """Plans in a process of its own, which is started when needed and ends with the desk.

    Of several asks while a plan is under way only the newest is kept. Every plan that comes is
    newer than the one before and is told: were those passed over that are not the newest ask's, a
    machine that plans more slowly than it is asked would never show one.

    Signals: `planned` (NightPlan), `failed` (str).
    """

    planned = Signal(object)
    failed = Signal(str)

    def __init__(self, folder: Path, parent: QObject | None = None, hours: float = HOURS) -> None:
        super().__init__(parent)
        self._folder, self._hours = folder, hours
        self._waiting: Request | None = None
        self._busy = False
        self._leaving = False
        self._held = b""
        self._process = QProcess(self)
        self._process.readyReadStandardOutput.connect(self._on_ready)
        self._process.finished.connect(self._on_finished)

    def ask(self, state: AirState | None, now_us: int, *, live: bool) -> None:
        """Plan from this state (None: as an engine started now would find it)."""
        self._waiting = Request(state, now_us, live, self._hours)
        if not self._busy:
            self._send()

    def close(self) -> None:
        """End the process; a plan under way is not waited for."""
        self._leaving = True
        self._waiting = None
        self._process.closeWriteChannel()
        if not self._process.waitForFinished(200):
            self._process.kill()
            self._process.waitForFinished(2000)

    def _send(self) -> None:
        if self._waiting is None or self._leaving:
            return
        if self._process.state() == QProcess.ProcessState.NotRunning:
            self._held = b""
            self._process.start(
                sys.executable,
                ["-m", "nightly_spindle.desk.kit.planning_process", str(self._folder)],
            )
        self._busy = True
        self._process.write(frame(self._waiting))
        self._waiting = None

    def _on_ready(self) -> None:
        self._held += self._process.readAllStandardOutput().data()
        while len(self._held) >= LENGTH.size:
            end = LENGTH.size + LENGTH.unpack(self._held[: LENGTH.size])[0]
            if len(self._held) < end:
                return
            reply = msgspec.msgpack.decode(self._held[LENGTH.size : end], type=Reply)
            self._held = self._held[end:]
            self._busy = False
            self._take(reply)
            self._send()

    def _take(self, reply: Reply) -> None:
        if reply.problem:
            self.failed.emit(reply.problem)
        else:
            # reading a plan and showing it take a while each: the desk has a turn between them
            QTimer.singleShot(0, self, lambda: self.planned.emit(reply.planned))

    def _on_finished(self) -> None:
        if self._leaving:
            return
        self._busy = False
        told = bytes(self._process.readAllStandardError().data()).decode(errors="replace").strip()
        last = told.splitlines()[-1] if told else "no reason given"
        self.failed.emit(f"Planning stopped ({last}); it starts again with the next change.")

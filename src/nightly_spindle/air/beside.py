"""Processes that run beside the engine of a station: the intake, and what sends its alerts."""

from __future__ import annotations

import logging
import subprocess
import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.air.alerts_place import alerts_pid
from nightly_spindle.intake.place import intake_pid
from nightly_spindle.store.alerts.any_alert import any_alert

if TYPE_CHECKING:
    import threading

_AFTER_S = 2.0  # the engine takes the air first
_EVERY_S = 5.0
_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class Beside:
    """A process: what it is called, its command, who runs it now, and whether it is needed."""

    name: str
    words: tuple[str, str]
    pid: Callable[[Path], int | None]
    wanted: Callable[[Path], bool]

    def command(self, folder: Path) -> list[str]:
        """Return its command; it ends with its standard input."""
        return [
            *(sys.executable, "-m", "nightly_spindle", *self.words, str(folder)),
            "--with-parent",
        ]

    def keep(self, folder: Path, leaving: threading.Event) -> None:
        """Start it whenever none runs and it is needed, until told to leave; then end ours."""
        child: subprocess.Popen[bytes] | None = None
        leaving.wait(_AFTER_S)
        while not leaving.is_set():
            ended = child is None or child.poll() is not None
            if ended and self.pid(folder) is None and self.wanted(folder):
                try:
                    child = subprocess.Popen(self.command(folder), stdin=subprocess.PIPE)
                except OSError as error:  # no memory, no process left: tried again
                    _log.warning("%s could not be started: %s", self.name, error)
            leaving.wait(_EVERY_S)
        if child is not None and child.stdin is not None:
            child.stdin.close()
            try:
                child.wait(timeout=30)
            except subprocess.TimeoutExpired:
                _log.warning("%s does not end; it is killed", self.name)
                child.kill()


INTAKE = Beside("the intake", ("intake", "run"), intake_pid, lambda _: True)
ALERTS = Beside("what sends alerts", ("alerts", "run"), alerts_pid, any_alert)

"""Keeps the engine running: starts it again when it crashes or is killed. The intake too."""

from __future__ import annotations

import signal
import subprocess
import sys
import threading
import time
from typing import TYPE_CHECKING

from nightly_spindle.intake.place import intake_pid

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

CRASHED = 70  # exit status of a crash of our own (EX_SOFTWARE in sysexits.h)
_FIRST_WAIT_S = 0.1
_LONGEST_WAIT_S = 5.0
_STEADY_S = 1.0  # an engine that ran so long starts again at once; only a loop backs off


_INTAKE_EVERY_S = 5.0


def intake_command(folder: Path) -> list[str]:
    """Return the command of the intake process, which ends with its standard input."""
    return [sys.executable, "-m", "nightly_spindle", "intake", "run", str(folder), "--with-parent"]


def keep_intake(folder: Path, leaving: threading.Event) -> None:
    """Start the intake of a station whenever none runs, until told to leave; then end ours."""
    child: subprocess.Popen[bytes] | None = None
    while not leaving.wait(0.0 if child is None else _INTAKE_EVERY_S):
        if (child is None or child.poll() is not None) and intake_pid(folder) is None:
            child = subprocess.Popen(intake_command(folder), stdin=subprocess.PIPE)
        elif child is None:
            leaving.wait(_INTAKE_EVERY_S)
    if child is not None and child.stdin is not None:
        child.stdin.close()
        child.wait(timeout=30)


def supervise(arguments: Sequence[str], intake: Path | None = None) -> int:
    """Run `nightly-spindle air` with these arguments until it ends by itself.

    The intake of the station `intake` is kept running beside it.

    Returns its exit status. An engine that ends with a sentence (status 0, 1 or 2) is
    not started again: it would only say the same.
    """
    command = [sys.executable, "-m", "nightly_spindle", "air", *arguments, "--no-supervisor"]
    wait = _FIRST_WAIT_S
    leaving = False
    child: subprocess.Popen[bytes] | None = None

    def leave(number: int, _frame: object) -> None:
        nonlocal leaving
        leaving = True
        if child is not None:
            child.send_signal(number)

    signal.signal(signal.SIGTERM, leave)
    signal.signal(signal.SIGINT, leave)
    done = threading.Event()
    beside = threading.Thread(target=keep_intake, args=(intake, done), name="intake")
    if intake is not None:
        beside.start()
    try:
        while True:
            begun = time.monotonic()
            child = subprocess.Popen(command)
            if "--resumed" not in command:
                command.append("--resumed")  # a simulated clock goes on instead of starting anew
            status = child.wait()
            if leaving or status in {0, 1, 2}:
                return max(0, status)
            wait = _FIRST_WAIT_S if time.monotonic() - begun > _STEADY_S else wait
            print(
                f"the engine ended with status {status}; it starts again in {wait:.1f} s",
                file=sys.stderr,
                flush=True,
            )
            time.sleep(wait)
            wait = min(wait * 2, _LONGEST_WAIT_S)
    finally:
        done.set()
        if intake is not None:
            beside.join()

"""Keeps the engine running: starts it again when it crashes or is killed."""

from __future__ import annotations

import signal
import subprocess
import sys
import time
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

CRASHED = 70  # exit status of a crash of our own (EX_SOFTWARE in sysexits.h)
_FIRST_WAIT_S = 0.1
_LONGEST_WAIT_S = 5.0
_STEADY_S = 1.0  # an engine that ran so long starts again at once; only a loop backs off


def supervise(arguments: Sequence[str]) -> int:
    """Run `nightly-spindle air` with these arguments until it ends by itself.

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

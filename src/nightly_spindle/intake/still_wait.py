"""How long a file has been waited for: the time in which no worker computes.

A drive that hangs leaves its worker asleep. A worker that computes, or could if the machine let it,
is only slow: many things may run beside it.
"""

from __future__ import annotations

import contextlib
import multiprocessing
from pathlib import Path

_COMPUTING = 10  # of the time that passes while a worker computes, so little counts: one in ten


class StillWait:
    """Counts for one file at a time (by a number of its own)."""

    def __init__(self) -> None:
        self._number = 0
        self._looked_at = self._waited_s = 0.0

    def waited_s(self, number: int, now: float) -> float:
        """Return how long it has been waited for (s), with what has passed since the last look."""
        if number != self._number:
            self._number, self._waited_s = number, 0.0
        else:
            passed = now - self._looked_at
            self._waited_s += passed / _COMPUTING if _any_computes() else passed
        self._looked_at = now
        return self._waited_s

    def end(self) -> None:
        """Begin anew, whichever file is asked about next."""
        self._number = 0


def _any_computes() -> bool:
    """Whether a worker of this process is running, or waits for a processor only.

    Each of its threads is asked: one decodes while another measures, and the state of a process as
    a whole is that of its first thread alone.
    """
    return any("R" in _states(worker.pid) for worker in multiprocessing.active_children())


def _states(pid: int | None) -> set[str]:
    """Return the states of a process's threads (proc(5)): R running, D at a drive, S asleep."""
    states = set()
    with contextlib.suppress(OSError):  # it has just ended, or one of its threads has
        for stat in Path(f"/proc/{pid}/task").glob("*/stat"):
            text = stat.read_text(encoding="utf-8", errors="replace")
            states.add(text.rpartition(")")[2].split()[0])
    return states

"""An output behind a bounded queue, with a thread of its own: it never holds anybody up.

The pump puts blocks in and goes on, whatever becomes of them. When the queue is full the oldest
block is thrown away and counted: what was not given in time is not given later.
"""

from __future__ import annotations

import logging
import threading
import time
from collections import deque
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from nightly_spindle.core.outputs.output_health import OutputSight, OutputState, Trouble

if TYPE_CHECKING:
    from nightly_spindle.core.outputs.now_playing import Shown
    from nightly_spindle.core.outputs.outputs import Output

_log = logging.getLogger(__name__)
QUEUE_S = 10.0
_LAST_S = 2.0  # what was given is still given out for so long when it leaves


@dataclass(frozen=True, slots=True)
class Heard:
    """A block of the programme: its first frame's instant (µs), and the frames (read only)."""

    at_us: int
    frames: NDArray[np.float32]


class QueuedOutput:
    """The queue, the thread, and what is seen of it. Who inherits does `work` in the thread.

    `sight` may be read from any thread.
    """

    def __init__(self, output: Output, rate: int, block: int) -> None:
        self.output = output
        self.rate = rate
        self._queue: deque[Heard | Shown] = deque()
        self._room = max(4, round(QUEUE_S * rate / block))
        self._there = threading.Condition()
        self.leaving = threading.Event()
        self._left = 0.0
        self._seeing = threading.Lock()
        self._thread = threading.Thread(target=self._run, name=f"output {output.id}", daemon=True)
        self.sight = OutputSight(
            output.id, output.name, output.kind, OutputState.STARTING, _now_us()
        )

    def start(self) -> None:
        """Begin; returns at once."""
        self._thread.start()

    # -- from the pump -----------------------------------------------------------------------------

    def put(self, what: Heard | Shown) -> None:
        """Take a block or a title. Never waits for the output."""
        with self._there:
            late = 0
            while len(self._queue) >= self._room:
                late += isinstance(self._queue.popleft(), Heard)
            self._queue.append(what)
            if late:
                self.see(late=self.sight.late + late)
            self._there.notify()

    def rename(self, output: Output) -> None:
        """Be called like this from now on; nothing else of it is another."""
        self.output = output
        self.see(name=output.name)

    def leave(self) -> None:
        """End soon; returns at once."""
        self._left = time.monotonic()
        self.leaving.set()
        with self._there:
            self._there.notify()

    def join(self, seconds: float) -> None:
        """Wait for its end, no longer than this."""
        if self._thread.is_alive():
            self._thread.join(seconds)

    # -- its own thread ----------------------------------------------------------------------------

    def work(self) -> None:
        """Do what the output does, until it is leaving."""
        raise NotImplementedError

    def take(self, seconds: float) -> Heard | Shown | None:
        """Return what comes next, None when nothing came for so long, or it is leaving."""
        with self._there:
            if not self._queue and not self.leaving.is_set():
                self._there.wait(seconds)
            return self._queue.popleft() if self._queue else None

    def is_over(self) -> bool:
        """Whether it is leaving and has given out what it was given, as far as there is time."""
        gone = self.leaving.is_set()
        return gone and (not self._queue or time.monotonic() - self._left > _LAST_S)

    def waiting(self) -> int:
        """Return how many blocks and titles wait."""
        return len(self._queue)

    def see(
        self,
        state: OutputState | None = None,
        trouble: Trouble | None = None,
        problem: str | None = None,
        **more: object,
    ) -> None:
        """Say how it does now. From any thread."""
        changes: dict[str, object] = dict(more)
        if trouble is not None:
            changes["trouble"] = trouble
        if problem is not None:
            changes["problem"] = problem
        with self._seeing:
            if state is not None and state is not self.sight.state:
                changes |= {"state": state, "since_us": _now_us()}
            self.sight = replace(self.sight, **changes)  # type: ignore[arg-type]  # its fields

    def _run(self) -> None:
        while not self.leaving.is_set():
            try:
                self.work()
            except Exception as error:  # the edge of the thread: begun anew  # noqa: BLE001
                _log.exception("the output “%s” is begun anew after an error", self.output.name)
                said = f"the output failed ({type(error).__name__}: {error})"
                self.see(OutputState.DOWN, Trouble.LOST, said)
                self.leaving.wait(5.0)
        self.see(OutputState.OFF, Trouble.NONE, "")


def _now_us() -> int:
    return time.time_ns() // 1000

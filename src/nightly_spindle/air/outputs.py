"""Where blocks of sound go."""

from __future__ import annotations

import queue
import threading
import time
from typing import TYPE_CHECKING, Any, Protocol

from nightly_spindle.core.errors import OutputFault

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


class Output(Protocol):
    """Takes blocks at the pace of sound.

    `late` counts the blocks that came too late to be heard in time; `problem` says why
    nothing can be heard, empty while it can; `simulated` says that nobody ever hears it.
    """

    late: int
    problem: str
    simulated: bool

    def write(self, block: NDArray[np.float32]) -> None:
        """Take a block (frames, 2), waiting until there is room for it."""
        ...

    def waiting_frames(self) -> int:
        """Return the frames taken but not yet heard."""
        ...

    def close(self) -> None:
        """Let what was taken be heard, and end."""
        ...


class DeviceOutput:
    """A sound card, through PortAudio.

    The callback never waits: it takes blocks from a bounded queue, and gives silence when
    there is none. When the device is lost it is opened again, with backing off; meanwhile
    blocks are passed over at the pace of sound, so that the station keeps its time.
    """

    BUFFER_S = 0.5
    simulated = False
    _RETRY_S = (0.5, 1.0, 2.0, 5.0, 10.0, 30.0)

    def __init__(
        self, rate: int, block: int, device: str | None = None, buffer_s: float = BUFFER_S
    ) -> None:
        self.late = 0
        self.problem = ""
        self._rate = rate
        self._block = block
        self._device = device
        blocks = max(2, round(buffer_s * rate / block))
        self._queue: queue.Queue[NDArray[np.float32]] = queue.Queue(blocks)
        self._lost = threading.Event()
        self._tries = 0
        self._try_at = 0.0
        self._due = 0.0
        self._stream: Any = None
        self._open()

    def write(self, block: NDArray[np.float32]) -> None:
        """Take a block, waiting until there is room for it."""
        if self._lost.is_set():
            self._again()
        if self.problem:
            self._pass_over(len(block))
            return
        try:
            self._queue.put(block.copy(), timeout=2.0)
        except queue.Full:
            self._lost.set()
            self.problem = "the sound device takes no more sound"

    def waiting_frames(self) -> int:
        """Return the frames taken but not yet heard."""
        return self._queue.qsize() * self._block

    def close(self) -> None:
        """Let what was taken be heard, and end."""
        end = time.monotonic() + 2 * self.BUFFER_S
        while not self.problem and self._queue.qsize() and time.monotonic() < end:
            time.sleep(0.02)
        if self._stream is not None:
            self._stream.close()

    def _open(self) -> None:
        import sounddevice

        try:
            self._stream = sounddevice.OutputStream(
                samplerate=self._rate,
                blocksize=self._block,
                channels=2,
                dtype="float32",
                device=self._device,
                callback=self._play,
                finished_callback=self._lost.set,
            )
            self._lost.clear()
            self._stream.start()
        except (sounddevice.PortAudioError, ValueError) as error:
            raise OutputFault(
                f"the sound device {self._device or '(default)'} cannot be opened: {error}; use "
                "--output standin where there is none"
            ) from error
        self.problem = ""
        self._tries = 0

    def _again(self) -> None:
        """Try the device again when it is time to."""
        now = time.monotonic()
        if not self.problem:
            self.problem = "the sound device is gone"
        if now < self._try_at:
            return
        self._try_at = now + self._RETRY_S[min(self._tries, len(self._RETRY_S) - 1)]
        self._tries += 1
        tries = self._tries
        try:
            self._stream.close()
            self._open()
        except OutputFault as error:
            self._lost.set()
            self.problem, self._tries = str(error), tries

    def _pass_over(self, frames: int) -> None:
        now = time.monotonic()
        self._due = max(self._due, now - 1.0) + frames / self._rate
        if self._due > now:
            time.sleep(self._due - now)

    def _play(self, out: NDArray[np.float32], frames: int, _time: Any, _status: Any) -> None:
        try:
            out[:] = self._queue.get_nowait()[:frames]
        except queue.Empty:
            out[:] = 0
            self.late += 1

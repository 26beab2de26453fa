"""A sound card, through PortAudio."""

from __future__ import annotations

import itertools
import logging
import queue
import threading
import time
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import OutputFault

if TYPE_CHECKING:
    import numpy as np
    from numpy.typing import NDArray


_log = logging.getLogger(__name__)


class DeviceOutput:
    """A sound card, through PortAudio.

    The callback never waits: it takes blocks from a bounded queue, and gives silence when
    there is none. Where there is no device, or it is lost, it is opened again, with backing off,
    by a thread of its own; meanwhile blocks are passed over at the pace of sound, so that the
    station keeps its time.
    """

    BUFFER_S = 0.5
    _RETRY_S = (0.5, 1.0, 2.0, 5.0, 10.0)
    _STALLS_S = 1.0  # a device that takes nothing for so long is lost

    def __init__(
        self,
        rate: int,
        block: int,
        device: str | None = None,
        buffer_s: float = BUFFER_S,
        *,
        at_once: bool = False,
    ) -> None:
        """`at_once`: raise OutputFault when it cannot be opened now, instead of trying again."""
        self.late = 0
        self.problem = "the sound device is not open yet"
        self._rate = rate
        self._block = block
        self._device = device
        blocks = max(2, round(buffer_s * rate / block))
        self._queue: queue.Queue[NDArray[np.float32]] = queue.Queue(blocks)
        self._lost = threading.Event()
        self._closing = threading.Event()
        self._due = 0.0
        self._stream: Any = None
        self._opener: threading.Thread | None = None
        if at_once:
            self._open(fresh=False)
        else:
            self._reopen()

    def write(self, block: NDArray[np.float32]) -> None:
        """Take a block, waiting until there is room for it."""
        if self._lost.is_set():
            self._reopen()
        if self.problem:
            self._pass_over(len(block))
            return
        try:
            self._queue.put(block.copy(), timeout=self._STALLS_S)
        except queue.Full:
            self.problem = "the sound device takes no more sound"
            _log.warning("%s", self.problem)
            self._lost.set()

    def waiting_frames(self) -> int:
        """Return the frames taken but not yet heard."""
        return 0 if self.problem else self._queue.qsize() * self._block

    def close(self) -> None:
        """Let what was taken be heard, and end."""
        end = time.monotonic() + 2 * self.BUFFER_S
        while not self.problem and self._queue.qsize() and time.monotonic() < end:
            time.sleep(0.02)
        self._closing.set()
        if self._opener is not None:
            self._opener.join(timeout=2.0)  # a process must not end inside PortAudio
        if self._stream is not None and not self.problem:
            self._stream.close()

    def _reopen(self) -> None:
        """Have the device opened, by a thread that may wait for it."""
        if self._opener is not None and self._opener.is_alive():
            return
        if not self.problem:
            self.problem = "the sound device is gone"
            _log.warning("%s; it is tried again", self.problem)
        self._lost.clear()
        self._opener = threading.Thread(target=self._try, name="device-opener", daemon=True)
        self._opener.start()

    def _try(self) -> None:
        for tries in itertools.count():
            try:
                self._open(fresh=tries > 0 or self._stream is not None)
            except OutputFault as error:
                if self.problem != str(error):
                    _log.warning("%s", error)
                self.problem = str(error)
            except Exception as error:  # the edge of the thread: tried again  # noqa: BLE001
                _log.exception("the sound device could not be opened")
                self.problem = f"the sound device could not be opened ({error})"
            else:
                return
            if self._closing.wait(self._RETRY_S[min(tries, len(self._RETRY_S) - 1)]):
                return

    def _open(self, *, fresh: bool) -> None:
        import sounddevice

        named = self._device or "(default)"
        try:
            if self._stream is not None:
                stream, self._stream = self._stream, None
                stream.close()
            if fresh:  # PortAudio knows only the devices that were there when it began
                sounddevice._terminate()  # noqa: SLF001 - there is no other way
                sounddevice._initialize()  # noqa: SLF001
            stream = sounddevice.OutputStream(
                samplerate=self._rate,
                blocksize=self._block,
                channels=2,
                dtype="float32",
                device=_number_or_name(self._device),
                callback=self._play,
                finished_callback=self._lost.set,
            )
            while not self._queue.empty():  # what waited there is no longer of now
                self._queue.get_nowait()
            stream.start()
        except (sounddevice.PortAudioError, ValueError, OSError) as error:
            raise OutputFault(
                f"the sound device {named} cannot be opened: {error}; the station keeps its time "
                "and tries again"
            ) from error
        self._stream = stream
        self._lost.clear()
        self.problem = ""
        _log.info("the sound device %s plays", named)

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


def _number_or_name(device: str | None) -> int | str | None:
    return int(device) if device and device.isdigit() else device or None

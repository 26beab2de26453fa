"""A simulated sound card: takes sound at the pace of a clock, and can keep it in a file."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING, BinaryIO

import soundfile

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.base.timebase import US

if TYPE_CHECKING:
    from pathlib import Path

    import numpy as np
    from numpy.typing import NDArray

BUFFER_S = 0.4  # of real time


class StandInSoundCard:
    """Hears frames at `rate * pace` a second; also the wall clock of a paced engine.

    `late` counts blocks that came after the buffer had run dry. With `capture` everything
    heard goes into a FLAC file, frame for frame; where that is a folder, into a raw file of its own
    there (16 bit, stereo), named for the instant (µs) at which it begins: so that nothing is lost
    with a process that is killed.
    """

    def __init__(
        self,
        rate: int,
        pace: float = 1.0,
        start_us: int = 0,
        capture: Path | None = None,
        buffer_s: float = BUFFER_S,
    ) -> None:
        self.late = 0
        self.problem = ""
        self._speed = rate * pace
        self._rate = rate
        self._buffer_s = buffer_s
        self._start_us = start_us
        self._written = 0
        self._begun: float | None = None
        self._file: soundfile.SoundFile | None = None
        self._folder: Path | None = None
        self._raw: BinaryIO | None = None
        if capture is not None:
            self._open(capture)

    def _open(self, capture: Path) -> None:
        try:
            if capture.is_dir():
                self._folder = capture
            else:
                self._file = soundfile.SoundFile(
                    capture, "w", self._rate, 2, "PCM_16", format="FLAC"
                )
        except (soundfile.LibsndfileError, OSError) as error:
            raise StorageFault(f"{capture} cannot be written: {error}") from error

    def write(self, block: NDArray[np.float32]) -> None:
        """Take a block (frames, 2), waiting until there is room for it."""
        if self._file is not None:
            try:
                self._file.write(block)
            except soundfile.LibsndfileError as error:
                self._file = None  # the disk is full: what is on air goes on
                self.problem = f"the capture stopped: {error}"
        if self._folder is not None:
            if self._raw is None:
                name = f"{time.time_ns() // 1000}.raw"
                self._raw = (self._folder / name).open("wb", buffering=0)
            self._raw.write((block * 32767).astype("<i2").tobytes())
        now = time.monotonic()
        if self._begun is None:
            # a card starts to play when its buffer is full
            self._written += len(block)
            if self._written >= self._buffer_s * self._speed:
                self._begun = now
            return
        dry = self._begun + self._written / self._speed
        if now > dry:
            self.late += 1
            self._begun += now - dry
        self._written += len(block)
        room = self._begun + self._written / self._speed - self._buffer_s
        if room > now:
            time.sleep(room - now)

    def waiting_frames(self) -> int:
        """Return the frames taken but not yet heard."""
        return self._written - self._heard()

    def now_us(self) -> int:
        """Return the simulated instant: what is heard now."""
        return self._start_us + self._heard() * US // self._rate

    def _heard(self) -> int:
        if self._begun is None:
            return 0
        return min(self._written, int((time.monotonic() - self._begun) * self._speed))

    def close(self) -> None:
        """Let what was taken be heard, and end."""
        if self._file is not None:
            self._file.close()
            self._file = None
        if self._raw is not None:
            self._raw.close()
            self._raw = None

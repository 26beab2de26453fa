"""Listening at the far end, as listeners do: is there sound, is it ours, how far behind.

What is heard is looked for in what was sent: by correlation, which knows our own programme whatever
codec it went through. How far behind the far end is, is how much later than it was played here the
first frame comes to a listener who tunes in.
"""

from __future__ import annotations

import logging
import threading
import time
from collections import deque
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.audio.web_streams import decoded
from nightly_spindle.core.base.errors import AudioUnreadable
from nightly_spindle.core.outputs.output_health import Trouble
from nightly_spindle.core.outputs.outputs import listening_address

if TYPE_CHECKING:
    from collections.abc import Callable

    from numpy.typing import NDArray

    from nightly_spindle.core.outputs.outputs import StreamOptions
    from nightly_spindle.outputs.queued_output import Heard

_KEPT_S = 120.0  # of what was sent, to be looked in
_LISTENS_S = 6.0
_LONGEST_S = 20.0  # for hearing so much
_OPEN_S = 10.0
_THINNED = 4  # frames that are taken together; a block has a multiple of it
_OURS = 0.5  # of correlation; our own programme has over 0.9, another one under 0.1
_SILENT = 10 ** (-60 / 20)
_SETTLES_S = 20.0  # after the stream came up, until it is listened to first
_log = logging.getLogger(__name__)


@dataclass(frozen=True, slots=True)
class FarSight:
    """What was heard: nothing wrong or a trouble with its sentence; how far behind, in s."""

    trouble: Trouble = Trouble.NONE
    problem: str = ""
    delay_s: float | None = None


class FarEnd:
    """Listens every few minutes, in a thread of its own; `tell` gets what was heard."""

    def __init__(self, options: StreamOptions, rate: int, tell: Callable[[FarSight], None]) -> None:
        self._url, self._authority = listening_address(options), options.authority
        self._every_s = options.listen_every * 60.0
        self._rate, self._tell = rate, tell
        self._sent: deque[tuple[int, NDArray[np.float32]]] = deque()
        self._leaving = threading.Event()
        self._up = threading.Event()
        self._thread: threading.Thread | None = None

    def put(self, heard: Heard) -> None:
        """Take a block that is sent."""
        self._sent.append((heard.at_us, thinned(heard.frames)))
        oldest = heard.at_us - round(_KEPT_S * 1e6)
        while self._sent[0][0] < oldest:
            self._sent.popleft()

    def up(self) -> None:
        """The stream came up: it is listened to in a while."""
        self._up.set()
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="far-end", daemon=True)
            self._thread.start()

    def leave(self) -> None:
        """Listen no more."""
        self._leaving.set()
        self._up.set()

    def _run(self) -> None:
        wait_s = min(_SETTLES_S, self._every_s)
        while not self._leaving.wait(wait_s):
            try:
                self._tell(self.listen())
            except Exception:  # the edge of the thread: it is tried again  # noqa: BLE001
                _log.exception("%s could not be listened to", self._url)
            wait_s = self._every_s

    def listen(self) -> FarSight:
        """Listen for some seconds."""
        begun = time.monotonic()
        pieces: list[NDArray[np.float32]] = []
        first_us = 0
        many = 0
        try:
            for piece in decoded(self._url, self._rate, _OPEN_S, _OPEN_S, self._authority):
                first_us = first_us or time.time_ns() // 1000
                pieces.append(piece)
                many += len(piece)
                if many >= _LISTENS_S * self._rate or time.monotonic() - begun > _LONGEST_S:
                    break
        except AudioUnreadable as error:
            if not pieces:
                return FarSight(Trouble.FAR_AWAY, f"listeners hear nothing there: {error}")
        if not pieces:
            return FarSight(Trouble.FAR_AWAY, f"nothing comes from {self._url}")
        return judged(np.concatenate(pieces), first_us, list(self._sent), self._rate, self._url)


def judged(
    heard: NDArray[np.float32],
    first_us: int,
    sent: list[tuple[int, NDArray[np.float32]]],
    rate: int,
    url: str,
) -> FarSight:
    """Say what was heard: frames (n, 2), the first of which came at an instant (µs).

    `sent` are the blocks before that, thinned, each with its first frame's instant.
    """
    there = thinned(heard)
    ours = np.concatenate([block for _, block in sent]) if sent else np.empty(0, np.float32)
    level = float(np.sqrt(np.mean(there**2))) if len(there) else 0.0
    if level < _SILENT:
        recent = ours[-round(_LISTENS_S * rate / _THINNED) * 2 :]
        if len(recent) and float(np.sqrt(np.mean(recent**2))) > 10 * _SILENT:
            return FarSight(Trouble.FAR_SILENT, f"listeners hear silence at {url}")
        return FarSight()
    at, alike = where_alike(ours, there)
    if alike < _OURS:
        if len(ours) < len(there):
            return FarSight()  # too little was sent yet to know it again
        return FarSight(Trouble.FAR_OTHER, f"what listeners hear at {url} is not this station")
    begin_us = sent[0][0] + round(at * _THINNED / rate * 1e6)
    return FarSight(delay_s=round((first_us - begin_us) / 1e6, 2))


def thinned(frames: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return frames (n, 2) as one channel with a quarter of the frames."""
    whole = len(frames) // _THINNED * _THINNED
    mean: NDArray[np.float32] = frames[:whole].reshape(-1, 2 * _THINNED).mean(axis=1)
    return mean.astype(np.float32)


def where_alike(long: NDArray[np.float32], short: NDArray[np.float32]) -> tuple[int, float]:
    """Return where a piece lies in something longer, and how alike the two are there (0 to 1).

    Normalised cross-correlation: J. P. Lewis, "Fast Normalized Cross-Correlation", 1995 (from
    memory), by way of the Fourier transform.
    """
    if len(long) < len(short) or not len(short):
        return 0, 0.0
    size = 1 << (len(long) + len(short) - 1).bit_length()
    spectrum = np.fft.rfft(long, size) * np.conj(np.fft.rfft(short, size))
    product = np.fft.irfft(spectrum, size)[: len(long) - len(short) + 1]
    sums = np.concatenate([[0.0], np.cumsum(long.astype(np.float64) ** 2)])
    energy = sums[len(short) :] - sums[: -len(short)]
    scale = np.sqrt(np.maximum(energy, 1e-9) * max(float(np.sum(short**2)), 1e-9))
    alike = product / scale
    at = int(np.argmax(alike))
    return at, float(alike[at])

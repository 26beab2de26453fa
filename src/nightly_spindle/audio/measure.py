"""Measuring one file: what is decoded, how loud it is, where its sound starts and ends.

One pass over the file: a thread decodes a few chunks ahead while the chunks are measured,
so that with two cores a file takes little longer than its decoding.
"""

from __future__ import annotations

import queue
import threading
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
import soundfile

from nightly_spindle.audio.files import open_audio
from nightly_spindle.audio.fingerprint import Ear
from nightly_spindle.audio.loudness import Meter
from nightly_spindle.audio.markers import HOP_S, find_markers
from nightly_spindle.core.errors import AudioUnreadable
from nightly_spindle.core.items import Measure

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

    from nightly_spindle.audio.markers import Found

OVERVIEW_COLUMNS = 1000
_CHUNK_STEPS = 10  # tenths of a second read at once: what stays in the processor's cache
_AHEAD = 8  # chunks that are decoded ahead


@dataclass(frozen=True, slots=True)
class Measured:
    """What one pass over a file finds.

    `overview` is the waveform, one byte per column, 255 at full scale; `fingerprint` is what
    `audio.fingerprint` compares; `encoding` names container and samples ("FLAC, 16 bit").
    """

    measure: Measure
    overview: bytes
    fingerprint: bytes = b""
    encoding: str = ""


def measure_file(path: str, trigger_db: float = -22.0) -> Measured:
    """Decode and measure a file; AudioUnreadable with file and reason when that fails.

    A file that breaks off with damage is refused, with the second where it does.
    """
    with open_audio(path) as sound:
        rate, channels = sound.samplerate, sound.channels
        encoding = _encoding(sound.format, sound.subtype)
        meter = Meter(rate, channels)
        ear = Ear(rate)
        shape = _Shape(rate, channels)
        for chunk in _decoded(sound, path, meter.step * _CHUNK_STEPS):
            meter.feed(chunk)
            ear.feed(chunk)
            shape.feed(chunk)
    if shape.frames == 0:
        raise AudioUnreadable(f"{path} holds no sound; copy it again")
    loudness = meter.integrated_lufs()
    found = find_markers(shape.power(), shape.hop / rate, shape.frames / rate, loudness, trigger_db)
    measure = _measure(shape.frames / rate, rate, channels, meter, loudness, found)
    return Measured(measure, _overview(shape.peak()), ear.fingerprint(found.cue_in_s), encoding)


def _encoding(container: str, samples: str) -> str:
    """Return how a file is coded, in few words, from libsndfile's names."""
    bits = {"PCM_S8": "8 bit", "PCM_U8": "8 bit", "FLOAT": "32 bit float", "DOUBLE": "64 bit float"}
    if container in {"MP3", "MPEG"}:
        return "MP3"
    if samples.startswith("PCM_") and samples[4:].isdigit():
        return f"{container}, {samples[4:]} bit"
    return f"{container}, {bits.get(samples, samples.replace('_', ' ').title())}"


def _measure(
    duration: float, rate: int, channels: int, meter: Meter, loudness: float | None, found: Found
) -> Measure:
    return Measure(
        duration,
        rate,
        channels,
        loudness,
        meter.range_lu(),
        meter.true_peak_dbtp(),
        found.cue_in_s,
        found.cue_out_s,
        found.segue_s,
        found.fade_start_s,
        found.ending,
    )


class _Shape:
    """Collects mean power and peak per hop of about 5 ms."""

    def __init__(self, rate: int, channels: int) -> None:
        self.hop = round(rate * HOP_S)
        self.frames = 0
        self._powers: list[NDArray[np.float32]] = []
        self._peaks: list[NDArray[np.float32]] = []
        self._left = np.empty((0, channels), dtype=np.float32)

    def feed(self, chunk: NDArray[np.float32]) -> None:
        """Take the next frames."""
        self.frames += len(chunk)
        whole = np.concatenate([self._left, chunk]) if len(self._left) else chunk
        count = len(whole) // self.hop
        shaped = whole[: count * self.hop].reshape(count, self.hop * chunk.shape[1])
        if count:
            self._powers.append(np.einsum("ij,ij->i", shaped, shaped) / self.hop)
            self._peaks.append(np.maximum(shaped.max(axis=1), -shaped.min(axis=1)))
        self._left = whole[count * self.hop :]

    def power(self) -> NDArray[np.float64]:
        """Return the mean power per hop."""
        return np.concatenate(self._powers).astype(np.float64) if self._powers else np.empty(0)

    def peak(self) -> NDArray[np.float32]:
        """Return the peak per hop."""
        return np.concatenate(self._peaks) if self._peaks else np.empty(0, np.float32)


def _decoded(sound: Any, path: str, size: int) -> Iterator[NDArray[np.float32]]:
    """Yield the file chunk by chunk, decoded by a thread a few chunks ahead."""
    ready: queue.Queue[NDArray[np.float32] | AudioUnreadable | None] = queue.Queue(_AHEAD)
    enough = threading.Event()

    def decode() -> None:
        read = 0
        while not enough.is_set():
            try:
                chunk = sound.read(size, dtype="float32", always_2d=True)
            except soundfile.LibsndfileError as error:
                at = read / sound.samplerate
                ready.put(AudioUnreadable(f"{path} is damaged after {at:.1f} s: {error}"))
                return
            if not len(chunk):
                break
            read += len(chunk)
            ready.put(chunk)
        ready.put(None)

    thread = threading.Thread(target=decode, name="decode", daemon=True)
    thread.start()
    try:
        while (got := ready.get()) is not None:
            if isinstance(got, AudioUnreadable):
                raise got
            yield got
    finally:
        # whoever stops listening must not leave the thread waiting, or reading a closed file
        enough.set()
        while thread.is_alive():
            try:
                ready.get(timeout=0.01)
            except queue.Empty:
                continue
        thread.join()


def _overview(peaks: NDArray[np.float32]) -> bytes:
    if not len(peaks):
        return b""
    columns = min(OVERVIEW_COLUMNS, len(peaks))
    starts = np.arange(columns) * len(peaks) // columns
    highest = np.maximum.reduceat(peaks, starts)
    return bytes(np.clip(highest * 255, 0, 255).astype(np.uint8))

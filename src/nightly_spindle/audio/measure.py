"""Measuring one file: what is decoded, how loud it is, where its sound starts and ends.

One pass over the file: a thread decodes a few chunks ahead while the chunks are measured,
so that with two cores a file takes little longer than its decoding.
"""

from __future__ import annotations

import queue
import threading
from dataclasses import dataclass, replace
from math import isfinite
from typing import TYPE_CHECKING, Any

import numpy as np
import soundfile

from nightly_spindle.audio.envelope import HOP_S, envelope_of
from nightly_spindle.audio.files import ABSURD, is_sound, open_audio
from nightly_spindle.audio.fingerprint import FingerprintEar
from nightly_spindle.audio.intro import find_intro
from nightly_spindle.audio.loudness import Meter
from nightly_spindle.audio.markers import find_markers
from nightly_spindle.core.base.errors import AudioUnreadable
from nightly_spindle.core.library.items import Measure

if TYPE_CHECKING:
    from collections.abc import Iterator

    from numpy.typing import NDArray

    from nightly_spindle.audio.envelope import Envelope
    from nightly_spindle.core.station.settings import Trimming

OVERVIEW_COLUMNS = 1000
_CHUNK_STEPS = 10  # tenths of a second read at once: what stays in the processor's cache
_AHEAD = 8  # chunks that are decoded ahead


@dataclass(frozen=True, slots=True)
class Measured:
    """What one pass over a file finds.

    `overview` is the waveform, one byte per column, 255 at full scale; `fingerprint` is what
    `audio.fingerprint` compares, `envelope` what markers are found in anew; `encoding` names
    container and samples ("FLAC, 16 bit").
    """

    measure: Measure
    overview: bytes
    fingerprint: bytes = b""
    encoding: str = ""
    envelope: bytes = b""


def measure_file(path: str, trimming: Trimming | None = None) -> Measured:
    """Decode and measure a file; AudioUnreadable with file and reason when that fails.

    A file that breaks off with damage is refused, with the second where it does.
    """
    with open_audio(path) as sound:
        rate, channels = sound.samplerate, sound.channels
        encoding = _encoding(sound.format, sound.subtype)
        meter = Meter(rate, channels)
        ear = FingerprintEar(rate)
        shape = _Shape(rate, channels)
        for chunk in _decoded(sound, path, meter.step * _CHUNK_STEPS):
            meter.feed(chunk)
            ear.feed(chunk)
            shape.feed(chunk)
    if shape.frames == 0:
        raise AudioUnreadable(f"{path} holds no sound; copy it again")
    loudness = meter.integrated_lufs()
    measure = Measure(
        shape.frames / rate, rate, channels, loudness, meter.range_lu(), meter.true_peak_dbtp()
    )
    envelope = shape.envelope()
    measure = find_markers(measure, envelope, trimming)
    intro = find_intro(ear.sound(), ear.rate, measure.cue_in_s)
    if intro is not None and intro.end_s < measure.segue_s:
        measure = replace(measure, intro_end_s=intro.end_s, sure_intro_end=intro.sure)
    return Measured(
        measure,
        _overview(shape.peak()),
        ear.fingerprint(measure.cue_in_s),
        encoding,
        b"" if envelope is None else envelope.pack(),
    )


def _encoding(container: str, samples: str) -> str:
    """Return how a file is coded, in few words, from libsndfile's names."""
    bits = {"PCM_S8": "8 bit", "PCM_U8": "8 bit", "FLOAT": "32 bit float", "DOUBLE": "64 bit float"}
    if container in {"MP3", "MPEG"}:
        return "MP2" if samples == "MPEG_LAYER_II" else "MP3"
    if samples.startswith("PCM_") and samples[4:].isdigit():
        return f"{container}, {samples[4:]} bit"
    return f"{container}, {bits.get(samples, samples.replace('_', ' ').title())}"


class _Shape:
    """Collects mean power and peak per hop of about 5 ms."""

    def __init__(self, rate: int, channels: int) -> None:
        self.hop = max(1, round(rate * HOP_S))
        self._rate = rate
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

    def envelope(self) -> Envelope | None:
        """Return the level per hop against the item's own; None for silence."""
        if not self._powers:
            return None
        power = np.concatenate(self._powers).astype(np.float64)
        return envelope_of(power, self.hop / self._rate)

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
            if not is_sound(chunk):
                ready.put(AudioUnreadable(_absurd(path, chunk, read, sound.samplerate)))
                return
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


def _absurd(path: str, chunk: NDArray[np.float32], read: int, rate: int) -> str:
    """Return where and how samples are not those of sound."""
    wrong = ~(np.abs(chunk) <= ABSURD)  # true for what is no number, too
    row, channel = (int(n) for n in np.argwhere(wrong)[0])
    value = float(chunk[row, channel])
    what = f"{value:.3g} times full scale" if isfinite(value) else "that are no numbers"
    return (
        f"{path} holds samples {what}, the first after {(read + row) / rate:.1f} s; "
        "export it again, in full scale of 1"
    )


def _overview(peaks: NDArray[np.float32]) -> bytes:
    if not len(peaks):
        return b""
    columns = min(OVERVIEW_COLUMNS, len(peaks))
    starts = np.arange(columns) * len(peaks) // columns
    highest = np.maximum.reduceat(peaks, starts)
    return bytes(np.clip(highest * 255, 0, 255).astype(np.uint8))

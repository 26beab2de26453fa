"""Measuring one file: what is decoded, how loud it is, where its sound starts and ends."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
import soundfile

from nightly_spindle.audio.files import open_audio
from nightly_spindle.audio.loudness import Meter
from nightly_spindle.audio.markers import HOP_S, find_markers
from nightly_spindle.core.errors import AudioUnreadable
from nightly_spindle.core.items import Measure

if TYPE_CHECKING:
    from numpy.typing import NDArray

OVERVIEW_COLUMNS = 1000
_CHUNK_STEPS = 20  # tenths of a second read at once: what stays in the processor's cache


@dataclass(frozen=True, slots=True)
class Measured:
    """The measure, and the waveform overview: one byte per column, 255 at full scale."""

    measure: Measure
    overview: bytes


def measure_file(path: str, trigger_db: float = -22.0) -> Measured:
    """Decode and measure a file; AudioUnreadable with file and reason when that fails.

    A file that breaks off with damage is refused, with the second where it does.
    """
    sound = open_audio(path)
    with sound:
        rate, channels = sound.samplerate, sound.channels
        meter = Meter(rate, channels)
        hop = round(rate * HOP_S)
        powers: list[NDArray[np.float64]] = []
        peaks: list[NDArray[np.float32]] = []
        frames = 0
        left = np.empty((0, channels), dtype=np.float32)
        for chunk in _chunks(sound, path, meter.step * _CHUNK_STEPS):
            frames += len(chunk)
            meter.feed(chunk)
            whole = np.concatenate([left, chunk]) if len(left) else chunk
            count = len(whole) // hop
            shaped = whole[: count * hop].reshape(count, hop * channels)
            powers.append(np.einsum("ij,ij->i", shaped, shaped, dtype=np.float64) / hop)
            peaks.append(np.abs(shaped).max(axis=1) if count else np.empty(0, np.float32))
            left = whole[count * hop :]
    if frames == 0:
        raise AudioUnreadable(f"{path} holds no sound; copy it again")
    duration = frames / rate
    loudness = meter.integrated_lufs()
    found = find_markers(np.concatenate(powers), hop / rate, duration, loudness, trigger_db)
    measure = Measure(
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
    return Measured(measure, _overview(np.concatenate(peaks)))


def _chunks(sound: Any, path: str, size: int) -> Any:
    read = 0
    while True:
        try:
            chunk = sound.read(size, dtype="float32", always_2d=True)
        except soundfile.LibsndfileError as error:
            at = read / sound.samplerate
            raise AudioUnreadable(f"{path} is damaged after {at:.1f} s: {error}") from error
        if not len(chunk):
            return
        read += len(chunk)
        yield chunk


def _overview(peaks: NDArray[np.float32]) -> bytes:
    if not len(peaks):
        return b""
    columns = min(OVERVIEW_COLUMNS, len(peaks))
    starts = np.arange(columns) * len(peaks) // columns
    highest = np.maximum.reduceat(peaks, starts)
    return bytes(np.clip(highest * 255, 0, 255).astype(np.uint8))

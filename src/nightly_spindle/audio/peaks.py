"""The waveform of a whole file for drawing at any zoom, single samples, onsets, spectra."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import soundfile
from numpy.typing import NDArray

from nightly_spindle.audio.files import open_audio, tame
from nightly_spindle.core.base.errors import AudioUnreadable

if TYPE_CHECKING:
    from collections.abc import Callable

BASE = 64  # frames of one column at the finest level
_STEP = 4  # columns that become one at the next level
_CHUNK = BASE * 4096
_FULL = 32_767
_ONSET_HOP_S, _ONSET_AROUND_S = 0.002, 0.15


@dataclass(frozen=True, slots=True, eq=False)
class Peaks:
    """Lowest and highest sample of every column, at ever coarser levels.

    Each level has the shape (columns, 2), full scale is 32767; a column of level n stands for
    64 * 4**n frames of a file of `frames` frames at `rate`.
    """

    rate: int
    frames: int
    levels: tuple[NDArray[np.int16], ...]

    def columns(self, begin_s: float, span_s: float, count: int) -> NDArray[np.float32]:
        """Return the lowest and highest sample (-1 to 1) for each of `count` pixels, (count, 2).

        Pixels outside the file are silent.
        """
        per_pixel = span_s * self.rate / count
        level = 0
        while level + 1 < len(self.levels) and BASE * _STEP ** (level + 1) <= per_pixel:
            level += 1
        table, width = self.levels[level], BASE * _STEP**level
        edges = (begin_s * self.rate + np.arange(count + 1) * per_pixel) / width
        first = np.floor(edges[:-1]).astype(np.int64)
        last = np.maximum(np.ceil(edges[1:]).astype(np.int64), first + 1)
        found = np.zeros((count, 2), dtype=np.float32)
        inside = np.flatnonzero((first >= 0) & (first < len(table)))
        if len(inside):
            bounds = np.stack([first[inside], np.minimum(last[inside], len(table))], axis=1)
            flat = np.append(bounds.ravel(), len(table))
            closed = np.minimum(flat[:-1], len(table) - 1)
            found[inside, 0] = np.minimum.reduceat(table[:, 0], closed)[::2]
            found[inside, 1] = np.maximum.reduceat(table[:, 1], closed)[::2]
        return np.asarray(found / _FULL, dtype=np.float32)


def read_peaks(path: str, enough: Callable[[], bool] = lambda: False) -> Peaks | None:
    """Decode a file for drawing; None when `enough` says to stop. AudioUnreadable as always.

    A file that breaks off with damage is drawn as far as it goes.
    """
    parts: list[NDArray[np.int16]] = []
    frames = 0
    with open_audio(path) as sound:
        rate = int(sound.samplerate)
        while not enough():
            try:
                chunk = sound.read(_CHUNK, dtype="int16", always_2d=True)
            except soundfile.LibsndfileError:
                break
            if not len(chunk):
                break
            frames += len(chunk)
            left, right = chunk[:, 0], chunk[:, -1]
            parts.append(_reduced(np.minimum(left, right), np.maximum(left, right), BASE))
    if enough():
        return None
    base = np.concatenate(parts) if parts else np.zeros((1, 2), np.int16)
    levels = [base]
    while len(levels[-1]) > 256:
        levels.append(_reduced(levels[-1][:, 0], levels[-1][:, 1], _STEP))
    return Peaks(rate, frames, tuple(levels))


def _reduced(low: NDArray[np.int16], high: NDArray[np.int16], by: int) -> NDArray[np.int16]:
    starts = np.arange(0, len(low), by)
    return np.stack([np.minimum.reduceat(low, starts), np.maximum.reduceat(high, starts)], axis=1)


@dataclass(frozen=True, slots=True, eq=False)
class Samples:
    """Single samples (mono, -1 to 1) from frame `begin` of a file at `rate`."""

    rate: int
    begin: int
    mono: NDArray[np.float32]


def read_samples(path: str, begin_s: float, span_s: float) -> Samples:
    """Read a part of a file, its channels as one; AudioUnreadable when it cannot be."""
    with open_audio(path, max(0.0, begin_s)) as sound:
        rate = int(sound.samplerate)
        try:
            found = sound.read(max(1, round(span_s * rate)), dtype="float32", always_2d=True)
        except soundfile.LibsndfileError as error:
            raise AudioUnreadable(f"{path} is damaged there: {error}") from error
    tame(found)
    begin = round(max(0.0, begin_s) * rate)
    return Samples(rate, begin, np.asarray(found.mean(axis=1), dtype=np.float32))


def zero_crossing(path: str, at_s: float) -> float:
    """Return the nearest second at which the sound goes through zero, within 20 ms; else `at_s`."""
    part = read_samples(path, at_s - 0.02, 0.04)
    signs = np.signbit(part.mono)
    found = np.flatnonzero(signs[1:] != signs[:-1]) + 1
    if not len(found):
        return at_s
    times = (part.begin + found) / part.rate
    return float(times[int(np.argmin(np.abs(times - at_s)))])


def onset(path: str, at_s: float) -> float:
    """Return the second of the strongest onset within 150 ms; `at_s` where nothing begins."""
    part = read_samples(path, at_s - _ONSET_AROUND_S - 0.05, 2 * _ONSET_AROUND_S + 0.1)
    hop = max(1, round(_ONSET_HOP_S * part.rate))
    count = len(part.mono) // hop
    if count < 12:
        return at_s
    power = np.square(part.mono[: count * hop]).reshape(count, hop).mean(axis=1)
    level = 10 * np.log10(np.maximum(power, 1e-9))
    # ten hops after against ten before: the greatest rise
    sums = np.concatenate([[0.0], np.cumsum(level)])
    places = np.arange(10, count - 5)
    ahead = np.minimum(places + 10, count)
    rise = (sums[ahead] - sums[places]) / (ahead - places) - (sums[places] - sums[places - 10]) / 10
    times = (part.begin + places * hop) / part.rate
    near = np.abs(times - at_s) <= _ONSET_AROUND_S
    if not near.any() or float(rise[near].max()) < 3.0:
        return at_s
    return float(times[near][int(np.argmax(rise[near]))])


def spectrogram(
    path: str, begin_s: float, span_s: float, columns: int, rows: int
) -> NDArray[np.uint8]:
    """Return the spectrum over time of a part of a file, shape (rows, columns), 0 to 255.

    Rows go from 40 Hz (last) to 16 kHz (first) in equal steps of pitch; 255 is the loudest,
    0 is 80 dB under it or less.
    """
    picture = np.zeros((rows, columns))
    window_s = min(0.06, max(0.012, 4 * span_s / columns))
    with open_audio(path) as sound:
        rate = int(sound.samplerate)
    window = 1 << max(8, round(np.log2(window_s * rate)))
    shape = np.hanning(window).astype(np.float32)
    low, high = 40.0, min(16_000.0, rate / 2)
    pitch = low * (high / low) ** (np.arange(rows + 1) / rows)
    bins = np.clip(np.floor(pitch * window / rate).astype(np.int64), 0, window // 2)
    per_part = max(1, int(20 * rate / max(1.0, span_s / columns * rate)))
    for first in range(0, columns, per_part):
        many = min(per_part, columns - first)
        at = begin_s + first * span_s / columns
        part = read_samples(path, at, many * span_s / columns + window / rate)
        offset = round(at * rate) - part.begin
        starts = offset + np.round(np.arange(many) * span_s / columns * rate).astype(np.int64)
        padded = np.concatenate([part.mono, np.zeros(window, np.float32)])
        starts = np.clip(starts, 0, max(0, len(padded) - window))
        frames = padded[starts[:, None] + np.arange(window)] * shape
        power = np.square(np.abs(np.fft.rfft(frames, axis=1)))
        sums = np.concatenate([np.zeros((many, 1)), np.cumsum(power, axis=1)], axis=1)
        upper = np.minimum(np.maximum(bins[1:], bins[:-1] + 1), power.shape[1])
        lower = np.minimum(bins[:-1], upper - 1)
        band = (sums[:, upper] - sums[:, lower]) / (upper - lower)
        picture[:, first : first + many] = band.T[::-1]
    top = float(picture.max())
    if top <= 0:
        return np.zeros((rows, columns), np.uint8)
    level = 10 * np.log10(np.maximum(picture / top, 1e-9))
    return np.clip(255 * (1 + level / 80), 0, 255).astype(np.uint8)

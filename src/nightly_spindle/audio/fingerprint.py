"""An acoustic fingerprint: does this file hold the same sound as that one, encoded anew?

Our own making, after the published idea of Haitsma and Kalker ("A Highly Robust Audio
Fingerprinting System", ISMIR 2002): one bit for each of 16 neighbouring bands and each eighth
of a second, which says whether the energy difference between the bands rises or falls. Coding
at another rate or another bit rate turns few of the bits; another sound turns half of them.
The mean level of each band stands in front, because a steady tone has no bits worth having.

Layout: 17 bytes, the mean level of each band in half dB under the loudest (0 to 255), then
two bytes a frame, at most 360 frames (45 s), from the item's cue in on.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

BANDS = 17
FRAMES = 360
HOP_S = 0.125
_WINDOW_S = 0.5
_LOW_HZ, _HIGH_HZ = 250.0, 2000.0
_RATE = 5512.0  # the sound is brought down to about this rate first
_LISTEN_S = 75.0
_LEAST_FRAMES = 4
_SLIDE = 3  # frames by which two fingerprints may be shifted against each other
_SAME_BITS = 0.27  # most bits that may differ; unrelated sound differs in half of them
_SAME_LEVEL_DB = 2.5  # most that the bands' levels may differ in the mean
_STEADY = 1e-3  # relative change of energy under which a bit says nothing


class FingerprintEar:
    """Listens to the first 75 s of a file, chunk by chunk."""

    def __init__(self, rate: int) -> None:
        self._every = max(1, round(rate / _RATE))
        self.rate = rate / self._every
        self._parts: list[NDArray[np.float32]] = []
        self._heard = 0
        self._left: NDArray[np.float32] | None = None

    def feed(self, chunk: NDArray[np.float32]) -> None:
        """Take the next frames (frames, channels)."""
        if self._heard > _LISTEN_S * self.rate:
            return
        whole = chunk if self._left is None else np.concatenate([self._left, chunk])
        count = len(whole) // self._every
        width = self._every * whole.shape[1]
        rows = np.ascontiguousarray(whole[: count * self._every]).reshape(count, width)
        self._parts.append(rows @ np.full(width, 1 / width, dtype=np.float32))
        self._left = whole[count * self._every :].copy()
        self._heard += count

    def sound(self) -> NDArray[np.float32]:
        """Return what was heard, mono, at `rate`."""
        return np.concatenate(self._parts) if self._parts else np.empty(0, np.float32)

    def fingerprint(self, from_s: float) -> bytes:
        """Return the fingerprint from a second on; empty for less than a second of sound."""
        return _fingerprint(self.sound()[round(from_s * self.rate) :], self.rate)


def _fingerprint(sound: NDArray[np.float32], rate: float) -> bytes:
    window = round(_WINDOW_S * rate)
    count = min(FRAMES, int((len(sound) / rate - _WINDOW_S) / HOP_S))
    if count < _LEAST_FRAMES:
        return b""
    starts = np.round(np.arange(count) * HOP_S * rate).astype(np.int64)
    frames = sound[starts[:, None] + np.arange(window)] * np.hanning(window).astype(np.float32)
    power = np.square(np.abs(np.fft.rfft(frames, axis=1)))
    edges = _LOW_HZ * (_HIGH_HZ / _LOW_HZ) ** (np.arange(BANDS + 1) / BANDS)
    bins = np.round(edges * window / rate).astype(np.int64)
    bands = np.add.reduceat(power, bins, axis=1)[:, :BANDS]
    mean = bands.mean(axis=0)
    if not mean.max() > 0:
        return b""
    levels = 10 * np.log10(np.maximum(mean / mean.max(), 1e-13))
    slopes = np.diff(bands, axis=1)
    change = np.diff(slopes, axis=0, prepend=slopes[:1])
    # what does not change beyond the rounding of a codec is 0 on both sides
    bits = change > _STEADY * mean.max()
    packed = np.packbits(bits, axis=1)
    return bytes(np.clip(-2 * levels, 0, 255).astype(np.uint8)) + packed.tobytes()


def same_sound(one: bytes, others: Sequence[bytes]) -> list[float]:
    """Return for each of the others how sure it is the same sound: 0 (no) to 1 (bit for bit).

    Two fingerprints are compared over the frames that both have, shifted by up to three
    eighths of a second. Lengths of the items are not known here: compare only items that
    sound equally long.
    """
    return [_likeness(one, other) for other in others]


def _likeness(one: bytes, other: bytes) -> float:
    if len(one) <= BANDS or len(other) <= BANDS:
        return 0.0
    levels = [np.frombuffer(side[:BANDS], np.uint8).astype(np.float64) / 2 for side in (one, other)]
    # quiet bands hold a codec's own noise: they count less
    weight = 1 / (1 + np.minimum(levels[0], levels[1]) / 10)
    away = float((np.abs(levels[0] - levels[1]) * weight).sum() / weight.sum())
    if away > _SAME_LEVEL_DB:
        return 0.0
    first, second = (np.frombuffer(side[BANDS:], np.uint16) for side in (one, other))
    least = min(_different(first, second, shift) for shift in range(-_SLIDE, _SLIDE + 1))
    return 0.0 if least > _SAME_BITS else 1.0 - least


def _different(one: NDArray[np.uint16], other: NDArray[np.uint16], shift: int) -> float:
    """Return the share of bits that differ when `other` is read `shift` frames later."""
    first, second = (one, other[shift:]) if shift >= 0 else (one[-shift:], other)
    count = min(len(first), len(second))
    if count < _LEAST_FRAMES - 1:
        return 1.0
    return int(np.bitwise_count(first[:count] ^ second[:count]).sum()) / (16 * count)

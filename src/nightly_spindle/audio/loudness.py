"""Loudness and true peak: ITU-R BS.1770-5, EBU R 128, EBU Tech 3342.

The meter is fed chunk by chunk, so that an hour's file needs no more memory than ten
seconds of it.
"""

from __future__ import annotations

from math import log10, pi, tan
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

ABSOLUTE_GATE_LUFS = -70.0  # BS.1770-5 annex 1
RELATIVE_GATE_LU = -10.0  # BS.1770-5 annex 1
RANGE_GATE_LU = -20.0  # EBU Tech 3342
OFFSET_LUFS = -0.691  # BS.1770-5 annex 1, equation 2
_TINY = 1e-12


def k_weighting(rate: int) -> NDArray[np.float64]:
    """Return the two K-weighting sections, shape (2, 6), for any sample rate.

    BS.1770 gives coefficients at 48 kHz only. These come from the analogue prototypes
    that reproduce them there (centre, gain and Q as published with the EBU's and ffmpeg's
    meters; values from memory, checked against the table of the standard by a test).
    """
    f0, gain_db, q = 1681.974450955533, 3.999843853973347, 0.7071752369554196
    k = tan(pi * f0 / rate)
    high = 10 ** (gain_db / 20)
    band = high**0.4996667741545416
    a0 = 1 + k / q + k * k
    shelf = [
        (high + band * k / q + k * k) / a0,
        2 * (k * k - high) / a0,
        (high - band * k / q + k * k) / a0,
        1.0,
        2 * (k * k - 1) / a0,
        (1 - k / q + k * k) / a0,
    ]
    f0, q = 38.13547087602444, 0.5003270373238773
    k = tan(pi * f0 / rate)
    a0 = 1 + k / q + k * k
    high_pass = [1.0, -2.0, 1.0, 1.0, 2 * (k * k - 1) / a0, (1 - k / q + k * k) / a0]
    return np.array([shelf, high_pass])


class _Segment(NamedTuple):
    """A stretch in which the true peak can lie, with its context at both ends.

    `rank` is its highest point by the cubic, `counted` the frames between the contexts.
    """

    rank: float
    sound: NDArray[np.float32]
    counted: int


class Meter:
    """Collects K-weighted power per 100 ms of everything that is fed to it."""

    def __init__(self, rate: int, channels: int) -> None:
        self.step = max(1, round(rate / 10))
        self._channels = channels
        self._sections = k_weighting(rate)
        self._memory = np.zeros((2, 2, channels))
        self._powers: list[NDArray[np.float64]] = []
        self._peak = 0.0
        self._likely: list[_Segment] = []
        self._context = np.empty((0, channels), dtype=np.float32)

    def feed(self, chunk: NDArray[np.float32]) -> None:
        """Take the next frames (frames, channels); all but the last chunk whole steps."""
        from scipy.signal import sosfilt

        weighted, self._memory = sosfilt(self._sections, chunk, axis=0, zi=self._memory)
        steps = len(chunk) // self.step
        if steps:
            # the filter's answer lies channel by channel in memory
            rows = weighted.T[:, : steps * self.step].reshape(self._channels, steps, self.step)
            self._powers.append(np.einsum("cij,cij->i", rows, rows) / self.step)
        self._feed_peak(chunk)

    def _feed_peak(self, chunk: NDArray[np.float32]) -> None:
        """Keep the segments in which the true peak can lie, for oversampling at the end.

        The points half-way between samples (a four-point cubic) rank the segments. Only frames
        with sound of their own on both sides count: where sound is cut out of its surroundings,
        the oversampling filter overshoots at the cut, and what it answers there is not in the file.
        """
        if not len(chunk):
            return
        self._peak = max(self._peak, float(chunk.max()), -float(chunk.min()))
        whole = np.concatenate([self._context, chunk])
        self._context = whole[-2 * _TP_CONTEXT :].copy()
        inner = len(whole) - 2 * _TP_CONTEXT  # frames that have their context on both sides
        if inner < 1:
            return
        starts = np.arange(0, inner, _TP_SEGMENT)
        least = self._likely[_TP_KEPT - 1][0] if len(self._likely) >= _TP_KEPT else -1.0
        points = _half_way(whole[_TP_CONTEXT - 1 :][: inner + 3])
        # all channels of a segment at once: along an axis of two NumPy is ten times slower
        highest = np.maximum.reduceat(points.ravel(), starts * self._channels)
        for index in np.argsort(highest)[-_TP_PER_CHUNK:]:
            if highest[index] > least:
                begin = int(starts[index])
                counted = min(_TP_SEGMENT, inner - begin)
                part = np.zeros((_TP_SEGMENT + 2 * _TP_CONTEXT, self._channels), np.float32)
                part[: counted + 2 * _TP_CONTEXT] = whole[begin : begin + counted + 2 * _TP_CONTEXT]
                self._likely.append(_Segment(float(highest[index]), part, counted))
        if len(self._likely) > 2 * _TP_KEPT:
            self._likely = sorted(self._likely, key=lambda one: -one[0])[:_TP_KEPT]

    def integrated_lufs(self) -> float | None:
        """Return the gated loudness, None for silence and less than 400 ms."""
        blocks = _sliding(self._all(), 4)
        blocks = blocks[_lufs(blocks) > ABSOLUTE_GATE_LUFS]
        if not len(blocks):
            return None
        gate = float(_lufs(np.array([blocks.mean()]))[0]) + RELATIVE_GATE_LU
        return float(_lufs(np.array([blocks[_lufs(blocks) > gate].mean()]))[0])

    def range_lu(self) -> float:
        """Return the loudness range (EBU Tech 3342), 0 for less than 3 s."""
        short = _sliding(self._all(), 30)
        short = short[_lufs(short) > ABSOLUTE_GATE_LUFS]
        if not len(short):
            return 0.0
        gate = float(_lufs(np.array([short.mean()]))[0]) + RANGE_GATE_LU
        levels = _lufs(short)
        levels = levels[levels > gate]
        low, high = np.percentile(levels, [10, 95])
        return float(high - low)

    def true_peak_dbtp(self) -> float | None:
        """Return the true peak (BS.1770-5 annex 2, four times oversampled), None for silence."""
        from scipy.signal import resample_poly

        peak = self._peak
        best = sorted(self._likely, key=lambda one: -one[0])[:_TP_KEPT]
        if best:
            finer = np.abs(resample_poly(np.stack([one.sound for one in best]), 4, 1, axis=1))
            for one, points in zip(best, finer, strict=True):
                inner = points[4 * _TP_CONTEXT : 4 * (_TP_CONTEXT + one.counted)]
                peak = max(peak, float(inner.max()))
        return 20 * log10(peak) if peak > _TINY else None

    def _all(self) -> NDArray[np.float64]:
        return np.concatenate(self._powers) if self._powers else np.empty(0)


_TP_SEGMENT = 1024
_TP_CONTEXT = 16  # frames at each side: the oversampling filter reaches over 10
_TP_PER_CHUNK = 4
_TP_KEPT = 96


def _half_way(sound: NDArray[np.float32]) -> NDArray[np.float32]:
    """Return how high (times 16) a cubic stands after each frame but the first and the last two.

    One column for each channel.
    """
    middle = sound[1:-2] + sound[2:-1]
    middle *= np.float32(9)
    middle -= sound[:-3]
    middle -= sound[3:]
    np.abs(middle, out=middle)
    return middle


def _sliding(powers: NDArray[np.float64], width: int) -> NDArray[np.float64]:
    """Return the mean power of every `width` consecutive steps."""
    if len(powers) < width:
        return np.empty(0)
    sums = np.concatenate([[0.0], np.cumsum(powers)])
    return np.asarray((sums[width:] - sums[:-width]) / width)


def _lufs(powers: NDArray[np.float64]) -> NDArray[np.float64]:
    return OFFSET_LUFS + 10 * np.log10(np.maximum(powers, _TINY))

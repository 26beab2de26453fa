"""Proposing where an intro ends: a voice, or the full arrangement, comes in.

That is heard as energy appearing at once in many bands and staying. It is a proposal, never
certain: a machine does not know a voice from a trumpet.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

_HOP_S, _WINDOW_S = 0.05, 0.1
_BANDS = 16
_LOW_HZ, _HIGH_HZ = 90.0, 2500.0
_FLOOR_DB = -50.0  # under the loudest band: what lies below is not counted
_EARLIEST_S, _LATEST_S = 2.0, 60.0
_SIDE_S, _LEAST_SIDE_S = 3.0, 1.5  # what is compared before and after
_EDGE_S = 0.15
_LEAST_DB = 1.2  # a rise that is worth proposing, mean over the bands
_NEW = 1.5  # what is new against all before counts so much more than what has grown
_STEP = 4  # hops between two places that are looked at
_NEARLY = 0.7  # the first rise that is nearly the greatest
_MOST_SURE = 0.8


@dataclass(frozen=True, slots=True)
class Intro:
    """Where the intro seems to end (seconds in the file), and how sure that is (0 to 1)."""

    end_s: float
    sure: float


def find_intro(sound: NDArray[np.float32], rate: float, cue_in_s: float) -> Intro | None:
    """Return where the intro ends in the first minute of a mono sound; None where nothing tells."""
    levels = _bands(sound[: round((cue_in_s + _LATEST_S + _SIDE_S) * rate)], rate)
    begin = round(cue_in_s / _HOP_S)
    edge, side = round(_EDGE_S / _HOP_S), round(_SIDE_S / _HOP_S)
    least = round(_LEAST_SIDE_S / _HOP_S)
    first = begin + round(_EARLIEST_S / _HOP_S)
    last = len(levels) - least - edge
    if last <= first:
        return None
    at = np.arange(first, last, _STEP)
    # against what was heard so far: a chord that comes round again is nothing new
    heard = np.stack([np.percentile(levels[begin + edge : i - edge : 2], 75, axis=0) for i in at])
    sums = np.concatenate([np.zeros((1, _BANDS)), np.cumsum(levels, axis=0)])
    low, high = np.maximum(at - side, begin + edge), np.minimum(at + side, len(levels))
    before = (sums[at - edge] - sums[low]) / (at - edge - low)[:, None]
    after = (sums[high] - sums[at + edge]) / (high - at - edge)[:, None]
    rise = after - before
    new = np.maximum(after - heard, 0).mean(axis=1)
    score = np.minimum(new * _NEW, np.maximum(rise, 0).mean(axis=1))
    score -= np.maximum(-rise, 0).mean(axis=1) / 2
    best = float(score.max())
    if best < _LEAST_DB:
        return None
    peak = _first_peak(score, max(_LEAST_DB, best * _NEARLY), side // _STEP // 2)
    near = int(at[peak])
    grown = rise[peak] > max(3.0, float(rise[peak].max()) / 2)
    end = _onset(levels[:, grown], near, round(0.8 / _HOP_S)) if grown.any() else near
    sure = min(_MOST_SURE, (float(score[peak]) - _LEAST_DB) / 8 + 0.25)
    return Intro(round(end * _HOP_S, 3), round(sure, 3))


def _bands(sound: NDArray[np.float32], rate: float) -> NDArray[np.float64]:
    """Return the level of each band (dB, floored) per hop; row n begins at n hops."""
    window, hop = round(_WINDOW_S * rate), _HOP_S * rate
    count = int((len(sound) - window) / hop) + 1 if len(sound) > window else 0
    if count < 1:
        return np.zeros((0, _BANDS))
    starts = np.round(np.arange(count) * hop).astype(np.int64)
    frames = sound[starts[:, None] + np.arange(window)] * np.hanning(window).astype(np.float32)
    power = np.square(np.abs(np.fft.rfft(frames, axis=1)))
    edges = _LOW_HZ * (_HIGH_HZ / _LOW_HZ) ** (np.arange(_BANDS + 1) / _BANDS)
    bins = np.round(edges * window / rate).astype(np.int64)
    bins = np.maximum.accumulate(np.maximum(bins, np.arange(_BANDS + 1) + 1))
    bands = np.add.reduceat(power, bins, axis=1)[:, :_BANDS]
    top = float(bands.max())
    if top <= 0:
        return np.full((count, _BANDS), _FLOOR_DB)
    return np.asarray(np.maximum(10 * np.log10(np.maximum(bands / top, 1e-12)), _FLOOR_DB))


def _first_peak(score: NDArray[np.float64], least: float, around: int) -> int:
    """Return the first place that is high enough and the highest around it."""
    for index in np.flatnonzero(score >= least):
        near = score[max(0, index - around) : index + around]
        if score[index] >= near.max():
            return int(index)
    return int(np.argmax(score))


def _onset(levels: NDArray[np.float64], near: int, around: int) -> int:
    """Return the hop near a place at which the bands have risen half of what they rise."""
    mean = levels.mean(axis=1)
    begin, end = max(0, near - around), min(len(mean), near + around)
    side = round(_LEAST_SIDE_S / _HOP_S)
    low = float(mean[max(0, begin - side) : begin + 1].mean())
    high = float(mean[end - 1 : end + side].mean())
    risen = np.flatnonzero(mean[begin:end] >= (low + high) / 2)
    # the window of a hop reaches a hop ahead: what rises there begins one hop later
    return begin + int(risen[0]) + 1 if len(risen) else near

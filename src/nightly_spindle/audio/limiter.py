"""A look-ahead peak limiter, transparent below its threshold."""

from __future__ import annotations

from math import isfinite
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray

THRESHOLD_DBFS = -1.0  # leaves room for true peaks over the samples (EBU R 128: -1 dBTP)
_LOOK_AHEAD_S = 0.005
_RELEASE_S = 0.2  # from nothing back to full gain


class Limiter:
    """Keeps every sample of a stereo signal at or under the threshold.

    The gain that each sample needs is spread forward and back over the look-ahead: the
    lowest need of the coming frames, a release linear in time, and a mean over the past
    frames, each of which already knows of the peak. Output is `delay` frames late.
    The result does not depend on the size of the blocks.
    """

    def __init__(self, rate: int) -> None:
        self.delay = max(1, round(_LOOK_AHEAD_S * rate))
        self.reduced = 0  # frames in which the gain was below one
        self._threshold = np.float32(10 ** (THRESHOLD_DBFS / 20))
        self._slope = 1.0 / (_RELEASE_S * rate)
        self._tail = np.zeros((self.delay, 2), dtype=np.float32)
        self._begin_anew()

    def _begin_anew(self) -> None:
        self._needs = np.ones(self.delay)
        self._gains = np.ones(self.delay)
        self._idle = True

    def process(self, block: NDArray[np.float32]) -> None:
        """Limit a block (frames, 2) in place; what comes out is `delay` frames old."""
        if len(block) < self.delay:
            raise ValueError(f"blocks need at least {self.delay} frames, not {len(block)}")
        peak = float(max(block.max(initial=0.0), -block.min(initial=0.0)))
        if not isfinite(peak):
            # what is no number would stay in the gains for good: that block alone is silent there
            np.nan_to_num(block, copy=False, nan=0.0, posinf=0.0, neginf=0.0)
            peak = float(np.abs(block).max(initial=0.0))
        gain = None if self._idle and peak <= self._threshold else self._gain(block)
        tail = block[len(block) - self.delay :].copy()
        block[self.delay :] = block[: len(block) - self.delay]
        block[: self.delay] = self._tail
        self._tail = tail
        if gain is not None:
            block *= gain[:, None]

    def _gain(self, block: NDArray[np.float32]) -> NDArray[np.float32]:
        n, delay = len(block), self.delay
        peaks = np.abs(block).max(axis=1)
        needs = np.concatenate([self._needs, self._threshold / np.maximum(peaks, self._threshold)])
        lowest = np.lib.stride_tricks.sliding_window_view(needs, delay + 1).min(axis=1)
        ramp = self._slope * np.arange(n + 1)
        released = np.minimum.accumulate(np.concatenate([self._gains[-1:], lowest]) - ramp)
        gains = np.concatenate([self._gains, np.minimum((released + ramp)[1:], 1.0)])
        sums = np.concatenate([[0.0], np.cumsum(gains)])
        smooth = (sums[delay + 1 :] - sums[: -delay - 1]) / (delay + 1)
        self._needs, self._gains = needs[-delay:], gains[-delay:]
        if not isfinite(float(sums[-1])):
            self._begin_anew()
            smooth = np.ones(n)
        self._idle = bool(self._needs.min() >= 1.0 and self._gains.min() >= 1.0)
        self.reduced += int(np.count_nonzero(smooth < 0.999))
        return np.asarray(smooth, dtype=np.float32)

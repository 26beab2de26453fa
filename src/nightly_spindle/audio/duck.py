"""The gain of the programme under one overlay."""

from __future__ import annotations

from math import isfinite, pi
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.segues.ducking import DuckCurve

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from nightly_spindle.core.segues.ducking import DuckFrames

_HOP = 256  # frames over which the voice's level is taken: 6 ms at 44,100
_SPEAKS = 10 ** (-40 / 20)  # of its loudest so far: quieter is a pause
_FLOOR = 1e-4  # quieter than -80 dB is no voice, however loud it was before


class Duck:
    """Lowers the programme for an overlay from station frame `start` up to `end`.

    Down within `attack` from `ahead` before the start, down until `hold` after the end, up again
    within `release`; in dB over time as the curve says. With `follow` it comes up in pauses of
    the voice that are longer than `hold` too, one hop behind the voice. What comes out does not
    depend on the size of the blocks.
    """

    def __init__(self, start: int, end: int, frames: DuckFrames) -> None:
        self.start, self.end, self._as = start, end, frames
        self.follows = frames.follow  # whether it must hear the voice
        self._down = start - frames.ahead
        self._level = self._down + frames.attack  # all the way down from here on
        self._full = np.float32(10 ** (-frames.depth_db / 20))
        self._loudest = 0.0
        self._part = np.empty(0, dtype=np.float32)  # what was heard of a hop not whole yet
        self._silent = 0  # frames since the voice was heard
        self._depths = [1.0]  # of following, at the end of each hop; 1 is all the way down

    def hear(self, spoken: NDArray[np.float32], at: int) -> None:
        """Take what the overlay gives (frames, 2) from station frame `at` on."""
        if not self.follows:
            return
        heard = spoken[max(0, self.start - at) :].reshape(-1)  # two channels, frame by frame
        if len(self._part):
            heard = np.concatenate([self._part, heard])
        whole = len(heard) // (2 * _HOP) * (2 * _HOP)
        self._part = heard[whole:].copy()
        for found in np.abs(heard[:whole]).reshape(-1, 2 * _HOP).max(axis=1).tolist():
            level = found if isfinite(found) else 0.0
            self._loudest = max(self._loudest, level)
            speaks = level > _FLOOR and level > self._loudest * _SPEAKS
            self._silent = 0 if speaks else self._silent + _HOP
            down = self._silent <= self._as.hold
            step = _HOP / self._as.attack if down else -_HOP / self._as.release
            self._depths.append(min(1.0, max(0.0, self._depths[-1] + step)))

    def is_over(self, at: int) -> bool:
        """Whether the programme is at its full level again at a station frame."""
        return at >= self.end + self._as.hold + self._as.release

    def lower(self, bus: NDArray[np.float32], at: int, ramp: NDArray[np.float32]) -> None:
        """Lower the programme in `bus` (frames, 2) from station frame `at` on.

        `ramp` is 0, 1, 2 ... of that length.
        """
        after = at + len(bus)
        if after <= self._down or self.is_over(at):
            return
        level = at >= self._level and after <= self.end + self._as.hold
        if level and (not self.follows or min(self._hops(at, len(bus))[1]) >= 1.0):
            bus *= self._full
        else:
            bus *= self._gains(at, ramp)[:, None]

    def _gains(self, at: int, ramp: NDArray[np.float32]) -> NDArray[np.float32]:
        down = (ramp + np.float32(at - self._down)) / np.float32(self._as.attack)
        up = (ramp + np.float32(at - self.end - self._as.hold)) / np.float32(self._as.release)
        part = np.minimum(np.clip(down, 0, 1), 1 - np.clip(up, 0, 1))
        if self.follows:
            part = np.minimum(part, self._followed(at, len(ramp)))
        if self._as.curve is DuckCurve.SMOOTH:
            part = (1 - np.cos(part * np.float32(pi))) / 2
        return np.asarray(np.power(self._full, part), dtype=np.float32)

    def _followed(self, at: int, count: int) -> NDArray[np.float32]:
        """Return how far down following has it (0 to 1), one hop behind the voice."""
        first, known = self._hops(at, count)
        hops = (np.arange(at, at + count) - self.start) / _HOP - 1
        return np.asarray(np.interp(hops, np.arange(first, first + len(known)), known), np.float32)

    def _hops(self, at: int, count: int) -> tuple[int, list[float]]:
        """Return the depths at the hops around a stretch, and the number of the first of them."""
        first = max(0, (at - self.start) // _HOP - 1)
        last = max(0, (at + count - 1 - self.start) // _HOP - 1) + 1
        return first, self._depths[first : last + 1] or self._depths[-1:]

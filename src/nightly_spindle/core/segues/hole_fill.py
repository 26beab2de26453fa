"""Starting an item sooner because it begins softly: else a hole is heard between two songs.

A hole: both are 10 dB (`items.HOLE_DB`) under what the one was and the other will be. The outgoing
item falls by itself, as was measured, and by its fader; the incoming one is there after its rise.
"""

from __future__ import annotations

from math import log10
from typing import TYPE_CHECKING

from nightly_spindle.core.library.items import HOLE_DB
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.core.segues.fade_curve import fade_gain

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.library.markers import Curve

MOST_SOONER_S = 3.0
_HOLE_S, _LEFT_S = 0.7, 0.4  # a longer hole is filled, down to this
_MOST_RISE_S = 5.0
_STEP_S = 0.1
_AS_GOOD_S = 0.1  # a hole that is longer by less is no reason to start sooner
_SAG_DB = 6.0  # what `Measure.sag_s` stands for


def sooner_s(out: Item, incoming: Item, at_s: float, fade_s: float, curve: Curve) -> float:
    """Return by how much sooner than `at_s` of the outgoing item the next has to start (s).

    `fade_s` is how long its fader takes, 0 for none. Never under a marked last word. Where a hole
    stays whatever is done, about the smallest.
    """
    sag, soft, rise = out.measure.sag_s, out.measure.soft_s, incoming.measure.rise_s
    if sag is None or soft is None or rise is None:
        return 0.0
    # a cue in that was set by hand may lie in what rises, or before it
    rise = incoming.measure.cue_in_s + rise - cues_of(incoming).cue_in_s
    rise = min(max(0.0, rise), _MOST_RISE_S)
    if not rise and at_s - soft <= _HOLE_S:
        return 0.0

    def hole_s(sooner: float) -> float:
        at = at_s - sooner
        return at + rise - _soft_from(at, sag, soft, min(fade_s, out_s - at), curve)

    out_s = cues_of(out).cue_out_s
    if hole_s(0.0) <= _HOLE_S:
        return 0.0
    most = min(MOST_SOONER_S, at_s - (cues_of(out).vocal_end_s or 0.0))
    steps = [n * _STEP_S for n in range(1, int(max(0.0, most) / _STEP_S) + 1)]
    least = max(_LEFT_S, min(map(hole_s, steps), default=0.0) + _AS_GOOD_S)
    return next((one for one in steps if hole_s(one) <= least), 0.0)


def _soft_from(at_s: float, sag_s: float, soft_s: float, fade_s: float, curve: Curve) -> float:
    """Return from when on an item that fades from `at_s` is `HOLE_DB` under what it was (s)."""
    if fade_s <= 0:
        return soft_s
    when = at_s
    while when < soft_s:
        own = 0.0
        if when >= sag_s:
            part = (when - sag_s) / max(soft_s - sag_s, 1e-6)
            own = _SAG_DB + (HOLE_DB - _SAG_DB) * part
        if own + _down_db(curve, (when - at_s) / fade_s) >= HOLE_DB:
            return when
        when += _STEP_S
    return soft_s


def _down_db(curve: Curve, part: float) -> float:
    """Return by how many dB a fader is down after a part of its way."""
    return -20 * log10(max(fade_gain(curve, part), 1e-6))

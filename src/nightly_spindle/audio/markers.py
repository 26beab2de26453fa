"""Finding cue in, cue out, segue point and kind of ending in an item's level.

All levels are judged against the item's own loudness, so that a quiet master gets the
same markers as a loud one. The thresholds are common practice, no source: silence is
trimmed at -40 dB (tail -45 dB), the next item starts at -22 dB, clicks and blips of up
to about 20 ms in the silence are not sound.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.items import Ending

if TYPE_CHECKING:
    from numpy.typing import NDArray

HOP_S = 0.005
HEAD_DB = -40.0
TAIL_DB = -45.0
BLIP_S = 0.020
_SEGUE_SMOOTH_S = 0.05
_SHAPE_SMOOTH_S = 0.4
_COLD_WITHIN_S = 1.5  # a cold ending has fallen from -6 dB to the trigger by then
_FADE_BEGINS_DB = -3.0


@dataclass(frozen=True, slots=True)
class Found:
    """Marker positions in seconds."""

    cue_in_s: float
    cue_out_s: float
    segue_s: float
    fade_start_s: float
    ending: Ending


def find_markers(
    power: NDArray[np.float64],
    hop_s: float,
    duration_s: float,
    loudness: float | None,
    trigger_db: float,
) -> Found:
    """Find the markers in the mean power per hop of about 5 ms (`hop_s`, exact).

    `loudness` is the item's own (LUFS); None, for silence or less than 400 ms, takes the
    mean power instead. Silence gets markers that play nothing away: the whole item.
    """
    if loudness is None:
        mean = float(power.mean()) if len(power) else 0.0
        loudness = 10 * np.log10(mean) if mean > 0 else None
    if loudness is None:
        return Found(0.0, duration_s, duration_s, duration_s, Ending.COLD)
    own = 10 ** (loudness / 10)
    head = _without_blips(power >= own * 10 ** (HEAD_DB / 10), hop_s)
    tail = _without_blips(power >= own * 10 ** (TAIL_DB / 10), hop_s)
    if not head.any() or not tail.any():
        return Found(0.0, duration_s, duration_s, duration_s, Ending.COLD)
    first = int(np.flatnonzero(head)[0])
    last = int(np.flatnonzero(tail)[-1])
    cue_in = max(0.0, (first - 1) * hop_s)
    cue_out = min(duration_s, (last + 2) * hop_s)
    sounding = power[: last + 1]
    trigger = _last_at(sounding, _SEGUE_SMOOTH_S / hop_s, own * 10 ** (trigger_db / 10))
    segue = min(max(cue_in, (trigger + 1) * hop_s), cue_out)
    loud = _last_at(sounding, _SHAPE_SMOOTH_S / hop_s, own * 10 ** (-6.0 / 10))
    if segue - loud * hop_s < _COLD_WITHIN_S:
        return Found(cue_in, cue_out, segue, segue, Ending.COLD)
    begins = _last_at(sounding, 1.0 / hop_s, own * 10 ** (_FADE_BEGINS_DB / 10))
    return Found(cue_in, cue_out, segue, min(begins * hop_s, segue), Ending.FADE)


def _without_blips(sound: NDArray[np.bool_], hop_s: float) -> NDArray[np.bool_]:
    """Clear every run of sound that lasts no longer than a blip.

    A blip that straddles a hop at each end touches one hop more than it lasts.
    """
    edges = np.flatnonzero(np.diff(np.concatenate([[0], sound.astype(np.int8), [0]])))
    kept = sound.copy()
    for start, end in zip(edges[::2], edges[1::2], strict=True):
        if end - start <= round(BLIP_S / hop_s) + 1:
            kept[start:end] = False
    return kept


def _last_at(power: NDArray[np.float64], hops: float, least: float) -> int:
    """Return the last hop at which the mean over `hops` reaches `least`, 0 when none does."""
    width = min(max(1, round(hops)), max(1, len(power)))
    smooth = np.convolve(power, np.full(width, 1 / width), mode="same")
    found = np.flatnonzero(smooth >= least)
    return int(found[-1]) if len(found) else 0

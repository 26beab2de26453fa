"""Finding cue in, cue out, the fall at the end and its kind in an item's level.

All levels are judged against the item's own loudness, so that a quiet master gets the same
markers as a loud one. Everything here works on the stored envelope, so that other thresholds
need no second look at the audio.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.audio.envelope import code_of, powers
from nightly_spindle.core.library.items import FALL_DB, HOLE_DB, Ending, Measure
from nightly_spindle.core.segues.effective_markers import natural_segue
from nightly_spindle.core.segues.segue_rules import SegueRule
from nightly_spindle.core.station.settings import Trimming

if TYPE_CHECKING:
    from collections.abc import Sequence

    from numpy.typing import NDArray

    from nightly_spindle.audio.envelope import Envelope

_FALL_SMOOTH_S = 0.05
_SHAPE_SMOOTH_S = 1.0  # a second of music: a single beat says nothing of the shape
_SAG_SMOOTH_S = 0.4  # the momentary loudness of EBU Tech 3341
_SAG_DB = 6.0
_SAG_LASTS_S = 0.5
_BEGINS_S = 5.0  # of an item, its beginning
_PLATEAU_SMOOTH_S = 1.0
_PLATEAU_S, _PLATEAU_DB = 3.0, 2.0  # falling by less than this is not yet the end
_BEGINS_DB = 0.5  # a fall begins where the level has left the plateau by so much
_SOFTEST_ENDING_DB = -22.0  # what goes on under this is not music any more
_COLD_S, _FADE_S = 1.5, 4.0  # a fall from -3 to -22 dB: surely cold below, surely faded above
_BENT = 1.4  # between the two a fader's fall gets steeper, a ringing room's does not
_BEAT_SMOOTH_S, _BEFORE_S, _LEAST_S = 0.05, 8.0, 2.0  # onsets; how much before is looked at
_BEAT_DB = 1.0  # levels that vary by less (standard deviation) have no beat to go by
# of the beat before; tried fades keep 0.9 of it, halls that ring on 0.4 or less
_STILL_BEATS = 0.65
_OTHER_DB = 6.0  # a marker is as sure as it stays with a threshold so much higher and lower
_SURE_S = 0.5
_LOWEST_DB = -51.0


class _End:
    """The end of an item: power against its own loudness per hop, from hop `first` on."""

    def __init__(self, power: NDArray[np.float64], first: int, hop_s: float) -> None:
        self.power, self.first, self.hop_s = power, first, hop_s
        self._sums = np.concatenate([[0.0], np.cumsum(power)])
        self._rests: dict[float, tuple[NDArray[np.float64], int]] = {}

    def smooth(self, seconds: float) -> tuple[NDArray[np.float64], int]:
        """Return the mean power over so many seconds from each hop on, and that many hops."""
        width = min(max(1, round(seconds / self.hop_s)), max(1, len(self.power)))
        return (self._sums[width:] - self._sums[:-width]) / width, width

    def last_at(self, smooth_s: float, levels: Sequence[float]) -> list[float]:
        """Return for each level (dB) the second at which the smoothed power last reached it."""
        if smooth_s not in self._rests:
            smooth, width = self.smooth(smooth_s)
            # the greatest from each hop on, seen from the end: it only grows
            self._rests[smooth_s] = np.maximum.accumulate(smooth[::-1]), width
        rest, width = self._rests[smooth_s]
        behind = np.searchsorted(rest, [10 ** (db / 10) for db in levels])
        at = np.where(behind < len(rest), len(rest) - 1 - behind + (width - 1) / 2 + 1, 0.0)
        return [float(one) for one in (self.first + at) * self.hop_s]

    def first_sagging(self, from_s: float, db: float) -> float:
        """Return the second from which on the level stays under a level for half a second."""
        smooth, width = self.smooth(_SAG_SMOOTH_S)
        low = smooth < 10 ** (db / 10)
        begin = max(0, round(from_s / self.hop_s) - self.first - width // 2)
        low[:begin] = False
        edges = np.flatnonzero(np.diff(np.concatenate([[0], low.astype(np.int8), [0]])))
        for at, until in zip(edges[::2], edges[1::2], strict=True):
            if until == len(low) or until - at >= _SAG_LASTS_S / self.hop_s:
                return (self.first + int(at) + width / 2) * self.hop_s
        return (self.first + len(self.power)) * self.hop_s


def find_markers(
    measure: Measure, envelope: Envelope | None, trimming: Trimming | None = None
) -> Measure:
    """Return the measure with its markers found anew in the envelope.

    Silence (no envelope) gets markers that play nothing away: the whole item.
    """
    trimming = trimming or Trimming()
    length = measure.duration_s
    whole = replace(
        measure,
        cue_in_s=0.0,
        cue_out_s=length,
        segue_s=length,
        fade_start_s=length,
        ending=Ending.COLD,
        sag_s=None,
        fall=(),
        rise_s=None,
        soft_s=None,
        sure_cue_in=0.0,
        sure_segue=0.0,
        sure_fade_start=0.0,
        sure_cue_out=0.0,
    )
    if envelope is None:
        return whole
    blip = round(trimming.blip_s / envelope.hop_s) + 1
    around = (0.0, -_OTHER_DB, _OTHER_DB)
    heads = [_first(envelope, trimming.head_db + by, blip) for by in around]
    tails = [_last(envelope, trimming.tail_db + by, blip) for by in around]
    first, last = heads[0], tails[0]
    if first is None or last is None or last < first:
        return whole
    hop_s = envelope.hop_s
    trimmed = replace(
        whole,
        cue_in_s=max(0.0, (first - 1) * hop_s),
        cue_out_s=min(length, (last + 2) * hop_s),
        sure_cue_in=_sure(heads, hop_s),
        sure_cue_out=_sure(tails, hop_s),
    )
    trimmed = replace(trimmed, rise_s=_rise(envelope, trimmed.cue_in_s))
    codes, begin = envelope.end_codes()
    return _ended(trimmed, _End(powers(codes[: max(0, last + 1 - begin)]), begin, hop_s))


def _rise(envelope: Envelope, cue_in_s: float) -> float | None:
    """Return after how long the beginning is at its level (see `Measure.rise_s`), in seconds.

    Its level is that of the loudest second of the first five, no more than the item's own.
    """
    begin = round(cue_in_s / envelope.hop_s)
    power = powers(envelope.head[begin : begin + round(_BEGINS_S / envelope.hop_s)])
    second = min(len(power), round(1.0 / envelope.hop_s))
    if not second:
        return None
    sums = np.concatenate([[0.0], np.cumsum(power)])
    level = min(1.0, float((sums[second:] - sums[:-second]).max()) / second)
    width = min(len(power), max(1, round(_SAG_SMOOTH_S / envelope.hop_s)))
    smooth = (sums[width:] - sums[:-width]) / width
    there = np.flatnonzero(smooth >= level * 10 ** (-HOLE_DB / 10))
    if not len(there) or not there[0]:
        return 0.0
    return round((int(there[0]) + width / 2) * envelope.hop_s, 3)


def _ended(measure: Measure, end: _End) -> Measure:
    """Return the measure with where and how its end falls."""
    plateau_s, plateau_db = _plateau(end)
    ref = min(0.0, plateau_db)

    levels = [max(ref + db, _LOWEST_DB) for db in FALL_DB]
    fall = tuple(
        round(min(max(at, measure.cue_in_s), measure.cue_out_s), 4)
        for at in end.last_at(_FALL_SMOOTH_S, levels)
    )
    sag = end.first_sagging(plateau_s, ref - _SAG_DB)
    (soft,) = end.last_at(_SAG_SMOOTH_S, [ref - HOLE_DB])
    measure = replace(
        measure,
        fall=fall,
        sag_s=round(min(max(sag, measure.cue_in_s), measure.cue_out_s), 4),
        soft_s=round(min(max(soft, measure.cue_in_s), measure.cue_out_s), 4),
    )
    ending, sure = _kind_of_end(end, ref)
    segue = natural_segue(measure, SegueRule()).at_s
    segue = min(max(measure.cue_in_s, segue), measure.cue_out_s)
    around = [natural_segue(measure, SegueRule(trigger_db=db)).at_s for db in (-16.0, -28.0)]
    fade_start = min(max(plateau_s, measure.cue_in_s), segue) if ending is Ending.FADE else segue
    return replace(
        measure,
        segue_s=segue,
        fade_start_s=fade_start,
        ending=ending,
        sure_segue=round(float(np.exp(-abs(around[1] - around[0]) / (2 * _SURE_S))), 3),
        sure_fade_start=sure,
    )


def _plateau(end: _End) -> tuple[float, float]:
    """Return when the item last went on at a level, and what level that was (dB).

    Looked at from the end: the loudest second from each moment on. Where that falls by less
    than 2 dB in 3 s the item goes on; a soft outro is a part of it, a fade is not.
    """
    step = max(1, round(0.05 / end.hop_s))
    smooth, width = end.smooth(_PLATEAU_SMOOTH_S)
    smooth = smooth[::step]
    if not len(smooth):
        return end.first * end.hop_s, 0.0
    rest = 10 * np.log10(np.maximum(np.maximum.accumulate(smooth[::-1])[::-1], 1e-9))
    back = min(round(_PLATEAU_S / (step * end.hop_s)), len(rest) - 1)
    drop = rest[: len(rest) - back] - rest[back:]
    steady = (drop < _PLATEAU_DB) & (rest[back:] >= _SOFTEST_ENDING_DB)
    found = np.flatnonzero(steady)
    at = int(found[-1]) + back if len(found) else int(np.argmax(rest <= rest[0] - 1e-9))
    level = float(rest[max(0, at - back)])
    begins = int(np.flatnonzero(rest >= level - _BEGINS_DB)[-1])
    return (end.first + begins * step + width // 2) * end.hop_s, level


def _kind_of_end(end: _End, ref: float) -> tuple[Ending, float]:
    """Tell a cold ending from a fade by how its level falls, and say how sure that is."""
    levels = [max(ref + db, _LOWEST_DB) for db in (-3.0, -12.0, -22.0)]
    high, middle, low = end.last_at(_SHAPE_SMOOTH_S, levels)
    lasts = low - high
    if lasts < _COLD_S:
        return Ending.COLD, round(min(0.95, 0.6 + 0.4 * (1 - lasts / _COLD_S)), 3)
    if lasts > _FADE_S:
        return Ending.FADE, round(min(0.95, 0.5 + 0.1 * (lasts - _FADE_S)), 3)
    told = _goes_on(end, high, low)
    if told is not None:
        sure = round(min(0.9, 0.5 + abs(told - _STILL_BEATS)), 3)
        return (Ending.FADE if told > _STILL_BEATS else Ending.COLD), sure
    bent = (middle - high) / max(low - middle, 1e-3)
    sure = round(min(0.8, 0.3 + 0.5 * abs(bent - _BENT)), 3)
    return (Ending.FADE if bent > _BENT else Ending.COLD), sure


def _goes_on(end: _End, high_s: float, low_s: float) -> float | None:
    """Return how much of the beat is still there inside the fall, 1 for all of it.

    A fader takes the music down with its onsets; a hall that rings on has none, though both may
    fall evenly in dB. None where the music before has no beat to go by.
    """
    level, width = end.smooth(_BEAT_SMOOTH_S)
    level_db = 10 * np.log10(np.maximum(level, 10 ** (_LOWEST_DB / 10)))
    wide = max(1, round(_SHAPE_SMOOTH_S / end.hop_s))
    if len(level_db) <= 2 * wide:
        return None
    # what is left when the slow way down is taken off
    sums = np.concatenate([[0.0], np.cumsum(level_db)])
    slow = (sums[wide:] - sums[:-wide]) / wide
    beats = level_db[wide // 2 : wide // 2 + len(slow)] - slow

    def between(begin_s: float, end_s: float) -> NDArray[np.float64]:
        first, last = (
            round(at / end.hop_s) - end.first - width // 2 - wide // 2 for at in (begin_s, end_s)
        )
        part: NDArray[np.float64] = beats[max(0, first) : max(0, last)]
        return part

    before, inside = between(high_s - _BEFORE_S, high_s), between(high_s, low_s)
    if len(before) * end.hop_s < _LEAST_S or len(inside) < wide:
        return None
    was = float(before.std())
    return None if was < _BEAT_DB else float(inside.std()) / was


def _first(envelope: Envelope, db: float, blip: int) -> int | None:
    """Return the first hop of sound above a level, past blips."""
    for begin, end in zip(*_runs(envelope.head >= code_of(max(db, _LOWEST_DB))), strict=True):
        if end - begin > blip:
            return int(begin)
    return None


def _last(envelope: Envelope, db: float, blip: int) -> int | None:
    """Return the last hop of sound above a level, before blips."""
    codes, first = envelope.end_codes()
    begins, ends = _runs(codes >= code_of(max(db, _LOWEST_DB)))
    for begin, end in zip(begins[::-1], ends[::-1], strict=True):
        if end - begin > blip:
            return first + int(end) - 1
    return None


def _sure(found: list[int | None], hop_s: float) -> float:
    """Return 1 where other thresholds find the same place, less the further away they do."""
    here, lower, higher = found
    if here is None or lower is None or higher is None:
        return 0.1
    away = max(abs(lower - here), abs(higher - here)) * hop_s
    return round(float(np.exp(-away / _SURE_S)), 3)


def _runs(sound: NDArray[np.bool_]) -> tuple[list[int], list[int]]:
    """Return where runs of sound begin and where they end.

    A blip that straddles a hop at each end touches one hop more than it lasts.
    """
    turns = np.flatnonzero(sound[1:] != sound[:-1]) + 1
    edges = turns.tolist()
    if len(sound) and sound[0]:
        edges.insert(0, 0)
    if len(sound) and sound[-1]:
        edges.append(len(sound))
    return edges[::2], edges[1::2]

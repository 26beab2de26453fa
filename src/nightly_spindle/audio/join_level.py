"""The level through a join: what is going out, what comes in, and both together.

Levels are taken over 400 ms, as the momentary loudness of EBU Tech 3341, on the scale of the
loudness that the items are played at. They come from stored envelopes, so that many joins can be
looked at while a rule is being changed; powers add, as those of unlike sounds do.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from nightly_spindle.audio.envelope import Envelope, unpack
from nightly_spindle.audio.mixer import shape
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.library.loudness_gain import gain_db
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from nightly_spindle.core.library.markers import Curve
    from nightly_spindle.core.segues.joins import Join
    from nightly_spindle.core.station.settings import StationSettings

Array = NDArray[np.floating[Any]]
STEP_S = 0.005
BEFORE_S, AFTER_S = 20.0, 20.0
FLOOR_DB = -120.0
_MOMENT_S = 0.4
_STEADY_S = 1.0
_FIRST_S = 5.0
_INSTANT_S = 1e-4
_LAST_S = 0.01
DIP_DB, BUMP_DB, NEAR_DB = 6.0, 3.0, 6.0
SUMS_DB = 1.5
LASTS_S, CLASH_S = 0.5, 1.5
CUT_DB = -45.0
STEP_LU = 6.0  # a softer beginning is the music's own
_SHORT_S, _HEARD_S = 3.0, 10.0  # the short-term loudness of EBU Tech 3341; what is still in the ear
_DEFAULT_LUFS = -16.0


@dataclass(frozen=True, slots=True, eq=False)
class JoinLevels:
    """Levels in dB every `STEP_S`; the incoming item starts at index `start`.

    `out` and `into` are each item's own after gain and fades, `both` their sum. `out_ref` and
    `in_ref` are what each goes on at away from the join; `cut_db` is the level of the outgoing
    item where it ends, against its own loudness; it sounds from index `begins` on. `step_lu` is the
    step in short-term loudness (3 s, EBU Tech 3341): the incoming item's first 3 s against
    the loudest 3 s of the outgoing one's last ten.
    """

    start: int
    out: Array
    into: Array
    both: Array
    out_ref: float
    in_ref: float
    cut_db: float
    begins: int = 0
    fade_in_s: float = 0.0
    gap_s: float = 0.0
    step_lu: float = 0.0


@dataclass(frozen=True, slots=True)
class JoinVerdict:
    """What is wrong with a join, in dB and seconds; a length of 0 is none.

    `meant_s` is the silence that a rule or a hand wanted between the two, `step_lu` by how much
    louder the incoming item begins than the outgoing one went on (below 0: softer).
    """

    dip_db: float
    dip_s: float
    bump_db: float
    bump_s: float
    clash_s: float
    cut_db: float
    meant_s: float = 0.0
    step_lu: float = 0.0

    @property
    def step(self) -> str:
        """The step in short-term loudness, in a few words."""
        return f"step {self.step_lu:+.0f} LU"

    @property
    def faults(self) -> tuple[str, ...]:
        """What is wrong, in sentences; empty when nothing is."""
        told = []
        meant = self.meant_s + _MOMENT_S if self.meant_s else 0.0
        if self.dip_s > LASTS_S + meant:
            told.append(f"A hole: {self.dip_db:.0f} dB down for {self.dip_s:.1f} s.")
        if self.bump_s > LASTS_S:
            told.append(f"A bump: {self.bump_db:.0f} dB up for {self.bump_s:.1f} s.")
        if self.clash_s > CLASH_S:
            told.append(f"A clash: both at full level for {self.clash_s:.1f} s.")
        if self.step_lu > STEP_LU:
            told.append(f"A step: it begins {self.step_lu:.0f} LU louder than what was before.")
        if self.cut_db > CUT_DB:
            told.append(
                f"Cut off: the outgoing item ends {-self.cut_db:.0f} dB under its loudness."
            )
        return tuple(told)


@dataclass(frozen=True, slots=True, eq=False)
class Side:
    """One item of a join: its envelope (None: unknown) and its gain."""

    item: Item
    envelope: Envelope | None
    gain_db: float

    @property
    def played_lufs(self) -> float:
        """The loudness it is played at."""
        own = self.item.measure.integrated_lufs
        return (_DEFAULT_LUFS if own is None else own) + self.gain_db


def side_of(item: Item, stored: bytes, settings: StationSettings) -> Side:
    """Return one side of a join from an item's stored levels, lifted as the station plays it."""
    return Side(item, unpack(stored), gain_db(item, settings.levels, settings.kind_levels))


def join_levels(out: Side, into: Side, join: Join, rate: int) -> JoinLevels:
    """Return the levels from 20 s before the incoming item starts to 20 s after."""
    count = round((BEFORE_S + AFTER_S) / STEP_S)
    start = round(BEFORE_S / STEP_S)
    at: Array = (np.arange(count) - start) * STEP_S
    segue, end = join.segue / rate, join.out_end / rate
    there = at + segue
    quiet = (there >= end) | (there < span(out.item, rate).cue_in / rate)
    own_out = _power(out, there)
    faded = np.where(quiet, 0.0, own_out * _fader(join, rate, there) ** 2)
    cue_in = span(into.item, rate).cue_in / rate
    coming = np.where(at < 0, 0.0, _power(into, at + cue_in))
    if join.fade_in:
        coming = coming * _gains(join.in_curve, 1 - np.clip(at / (join.fade_in / rate), 0, 1)) ** 2
    last = np.flatnonzero(~quiet)
    just_before = np.array([end - _INSTANT_S])
    cut = float((_power(out, just_before) * _fader(join, rate, just_before) ** 2)[0])
    if end >= out.item.measure.duration_s - _LAST_S:
        cut = 0.0  # so it ends by itself: nothing is cut off
    body = own_out[: max(1, int(last[-1]) + 1)] if len(last) else own_out[:1]
    first = coming[start : start + round(_FIRST_S / STEP_S)]
    return JoinLevels(
        start,
        _db(_smooth(faded, _MOMENT_S)),
        _db(_smooth(coming, _MOMENT_S)),
        _db(_smooth(faded + coming, _MOMENT_S)),
        _steady(body, out.played_lufs),
        _steady(first, into.played_lufs),
        min(0.0, float(_db(np.array([cut]))[0]) - out.played_lufs),
        int(np.argmax(~quiet)),
        join.fade_in / rate,
        max(0.0, -join.overlap / rate),
        _step(own_out[(~quiet) & (at < 0) & (at >= -_HEARD_S)], coming[start:]),
    )


def assess(levels: JoinLevels) -> JoinVerdict:
    """Judge a join by its levels.

    A dip is counted against the softer of the two sides, a bump against the louder.
    """
    low = min(levels.out_ref, levels.in_ref)
    high = max(levels.out_ref, levels.in_ref)
    first = max(levels.begins, levels.start - round(8 / STEP_S))
    near = slice(first, levels.start + round(5 / STEP_S))
    both = levels.both[near]
    # once the incoming item is there at its own level, a pause is its own and not the join's
    comes = levels.start + round((LASTS_S + levels.fade_in_s) / STEP_S)
    before = levels.both[near.start : comes]
    # an item may well begin louder than it goes on: a bump is what the two make together
    alone = np.maximum(levels.out, levels.into)[near]
    clash = (levels.out > levels.out_ref - NEAR_DB) & (levels.into > levels.in_ref - NEAR_DB)
    return JoinVerdict(
        max(0.0, low - float(before.min())),
        _longest(before < low - DIP_DB),
        max(0.0, float(both[both > alone + SUMS_DB].max(initial=high)) - high),
        _longest((both > high + BUMP_DB) & (both > alone + SUMS_DB)),
        _longest(clash),
        levels.cut_db,
        levels.gap_s,
        levels.step_lu,
    )


def _power(side: Side, at_s: Array) -> Array:
    """Return the power after gain at seconds of the item: what is not stored is its loudness."""
    base = 10 ** (side.played_lufs / 10)
    inside = (at_s >= 0) & (at_s < side.item.measure.duration_s)
    power = np.where(inside, base, 0.0)
    envelope = side.envelope
    if envelope is None:
        return power
    # what is left of the file after its last whole hop goes on as that did
    index = np.minimum(np.floor(at_s / envelope.hop_s).astype(np.int64), envelope.hops - 1)
    tail, begin = envelope.ending()
    for levels, offset in ((envelope.beginning(), 0), (tail, begin)):
        known = inside & (index >= offset) & (index < offset + len(levels))
        level = 10 ** (levels[index[known] - offset] / 10)
        # the lowest code means that, or anything below
        power[known] = base * np.where(level <= 10 ** (-51.9 / 10), 0.0, level)
    return power


def _fader(join: Join, rate: int, at_s: Array) -> Array:
    if not join.fade_out:
        return np.ones_like(at_s)
    part = (at_s - join.fade_at / rate) / (join.fade_out / rate)
    return _gains(join.out_curve, np.clip(part, 0, 1))


def _gains(curve: Curve, part: Array) -> Array:
    return shape(curve, part.astype(np.float32)).astype(np.float64)


def _smooth(power: Array, seconds: float) -> Array:
    width = max(1, round(seconds / STEP_S))
    padded = np.concatenate(
        [np.full(width // 2, power[0]), power, np.full(width - width // 2 - 1, power[-1])]
    )
    sums = np.concatenate([[0.0], np.cumsum(padded)])
    return np.asarray((sums[width:] - sums[:-width]) / width)


def _steady(power: Array, most: float) -> float:
    """Return the level of the loudest second, no more than the item's own."""
    width = round(_STEADY_S / STEP_S)
    if len(power) < width:
        return min(most, float(_db(np.array([power.mean()]))[0]))
    sums = np.concatenate([[0.0], np.cumsum(power)])
    return min(most, float(_db(np.array([((sums[width:] - sums[:-width]) / width).max()]))[0]))


def _step(before: Array, after: Array) -> float:
    """Return by how much louder (LU) the first 3 s of what comes are than the loudest before."""
    width = round(_SHORT_S / STEP_S)
    first = after[:width]
    sounding = first[first > 0]  # an item that is over sooner counts for as long as it is there
    if not len(before) or not len(sounding):
        return 0.0
    sums = np.concatenate([[0.0], np.cumsum(before)])
    wide = min(width, len(before))
    loudest = float(((sums[wide:] - sums[:-wide]) / wide).max())
    return float(_db(np.array([sounding.mean()]))[0] - _db(np.array([loudest]))[0])


def _db(power: Array) -> Array:
    return np.asarray(10 * np.log10(np.maximum(power, 10 ** (FLOOR_DB / 10))))


def _longest(where: NDArray[np.bool_]) -> float:
    """Return the seconds of the longest run."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], where.astype(np.int8), [0]])))
    return float((edges[1::2] - edges[::2]).max()) * STEP_S if len(edges) else 0.0

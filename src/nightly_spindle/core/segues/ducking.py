"""How the programme goes down under a voice, and whether the voice stands out enough."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from math import cos, pi
from typing import TYPE_CHECKING

from nightly_spindle.core.base.declared import choice, flag, number
from nightly_spindle.core.base.timebase import to_frames
from nightly_spindle.core.library.loudness_gain import Levels, Offsets, gain_db

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.library.items import Item


class DuckCurve(StrEnum):
    """Shapes of the way down and up, in dB over time."""

    LINEAR = "linear"
    SMOOTH = "smooth"  # half a cosine: no corner at either end


@dataclass(frozen=True, slots=True)
class Ducking:
    """How the programme is lowered under one kind of overlay.

    The way down takes `attack_s` and begins `ahead_s` before the voice. With `follow` the
    programme comes up by itself where the voice pauses for longer than `hold_s`.
    The defaults are ours; voice 6 LU over its bed at least is common practice, no source.
    """

    depth_db: float = number(10.0, "dB", 0.0, 40.0, "By how much the programme goes down.")
    attack_s: float = number(0.15, "s", 0.005, 2.0, "How long it takes to go down.")
    hold_s: float = number(0.2, "s", 0.0, 3.0, "How long it stays down after the voice.")
    release_s: float = number(0.6, "s", 0.01, 5.0, "How long it takes to come up again.")
    ahead_s: float = number(0.1, "s", 0.0, 1.0, "How long before the voice it starts to go down.")
    curve: DuckCurve = choice(DuckCurve.SMOOTH, "Shape of the way down and up.")
    follow: bool = flag(False, "It follows the voice: up in its pauses, down again with it.")
    least_lu: float = number(
        6.0, "LU", 0.0, 30.0, "By how much the voice should be louder than the lowered programme."
    )

    @property
    def up_s(self) -> float:
        """How long after the voice the programme is at its full level again (s)."""
        return self.hold_s + self.release_s if self.depth_db else 0.0


@dataclass(frozen=True, slots=True)
class DuckFrames:
    """A ducking in frames at the mix rate."""

    depth_db: float
    attack: int
    hold: int
    release: int
    ahead: int
    curve: DuckCurve
    follow: bool


@lru_cache(maxsize=32)
def duck_frames(ducking: Ducking, rate: int) -> DuckFrames:
    """Return a ducking in frames at the mix rate."""
    return DuckFrames(
        ducking.depth_db,
        max(1, to_frames(ducking.attack_s, rate)),
        to_frames(ducking.hold_s, rate),
        max(1, to_frames(ducking.release_s, rate)),
        to_frames(ducking.ahead_s, rate),
        ducking.curve,
        ducking.follow,
    )


def duck_part(curve: DuckCurve, part: float) -> float:
    """Return how much of the depth is reached after `part` (0 to 1) of the way down."""
    part = min(max(part, 0.0), 1.0)
    return part if curve is DuckCurve.LINEAR else (1 - cos(part * pi)) / 2


def voice_over_bed(
    voice: Item, beds: Iterable[Item], ducking: Ducking, levels: Levels, offsets: Offsets
) -> float | None:
    """Return by how many LU the voice is louder than the loudest lowered bed under it.

    Integrated loudness (ITU-R BS.1770) as each is played; None where one is not known.
    """
    loudness = [
        item.measure.integrated_lufs + gain_db(item, levels, offsets)
        for item in beds
        if item.measure.integrated_lufs is not None
    ]
    spoken = voice.measure.integrated_lufs
    if spoken is None or not loudness:
        return None
    return spoken + gain_db(voice, levels, offsets) - (max(loudness) - ducking.depth_db)

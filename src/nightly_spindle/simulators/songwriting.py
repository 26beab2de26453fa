"""Songs of made-up styles: sections that are made once and repeated, seeded and repeatable."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.simulators import synth

if TYPE_CHECKING:
    from numpy.typing import NDArray

_RING_S = 2.0  # so long the last notes of a section sound on
_TURNS = ((0, 5, 3, 4), (0, 3, 5, 4), (5, 3, 0, 4), (0, 2, 3, 3), (0, 4, 5, 3))
_STEPS = {False: (0, 2, 4, 5, 7, 9, 11), True: (0, 2, 3, 5, 7, 8, 10)}


@dataclass(frozen=True, slots=True)
class Band:
    """Who plays in a style, and when: times are beats within a bar.

    `bpm` are the slowest and quickest tempo, `minor` the chance of a minor key, `swing` how much of
    a beat its second half comes late.
    """

    bpm: tuple[float, float]
    minor: float
    beats: int
    lead: synth.Instrument
    chords: synth.Instrument
    chords_at: tuple[float, ...]
    bass_at: tuple[float, ...]
    kick_at: tuple[float, ...] = ()
    brush_at: tuple[float, ...] = ()
    shaker_at: tuple[float, ...] = ()
    pad: bool = True
    swing: float = 0.0
    octave: int = 0  # the lead's, above the usual one
    intro: str = "pk"  # the parts that begin, as in `section`


class Style(StrEnum):
    """The styles of the demo's acts."""

    FOLK = "harbour folk"
    CHOIR = "fog choir"
    WALTZ = "lamp waltz"
    BLUES = "dredger blues"
    MOTOR = "two-stroke beat"
    DRONE = "deep water"
    BRASS = "slipway brass"


_EIGHTHS = tuple(n / 2 for n in range(8))
_BEATS = (0.0, 1.0, 2.0, 3.0)
BANDS = {
    Style.FOLK: Band(
        (88, 112),
        0.5,
        4,
        synth.REED,
        synth.PIANO,
        _EIGHTHS,
        (0.0, 1.5, 2.0, 3.5),
        (0.0, 2.0),
        (1.0, 3.0),
        _EIGHTHS,
    ),
    Style.CHOIR: Band((58, 70), 0.8, 4, synth.FLUTE, synth.ORGAN, (0.0, 2.0), (0.0,)),
    Style.WALTZ: Band(
        (104, 138),
        0.3,
        3,
        synth.FLUTE,
        synth.PIANO,
        (1.0, 2.0),
        (0.0,),
        (0.0,),
        (1.0, 2.0),
        octave=1,
    ),
    Style.BLUES: Band(
        (72, 92),
        1.0,
        4,
        synth.REED,
        synth.ORGAN,
        (0.0, 1.5, 2.5),
        _BEATS,
        (0.0, 2.5),
        (1.0, 3.0),
        _EIGHTHS,
        pad=False,
        swing=0.17,
    ),
    Style.MOTOR: Band(
        (118, 134),
        0.6,
        4,
        synth.PLUCK,
        synth.PLUCK,
        (0.0, 0.5, 1.5, 2.0, 3.5),
        _EIGHTHS,
        _BEATS,
        (1.0, 3.0),
        _EIGHTHS,
        octave=1,
        intro="pkd",
    ),
    Style.DRONE: Band((62, 78), 1.0, 4, synth.BELL, synth.PAD, (0.0,), (0.0,), (0.0,)),
    Style.BRASS: Band(
        (96, 116),
        0.1,
        4,
        synth.BRASS,
        synth.PLUCK,
        (0.0, 0.5, 1.5, 2.5, 3.5),
        (0.0, 2.0),
        (0.0, 2.0),
        (1.0, 2.0, 3.0),
        pad=False,
        intro="kd",
    ),
}


@dataclass(frozen=True, slots=True)
class Tune:
    """What a song is made of."""

    seed: int
    key: int  # MIDI note of the tonic
    minor: bool
    bpm: float
    intro_bars: int
    style: Style = Style.FOLK

    @property
    def band(self) -> Band:
        """Who plays."""
        return BANDS[self.style]

    @property
    def bar_s(self) -> float:
        """How long a bar lasts."""
        return self.band.beats * 60.0 / self.bpm


def _degree(tune: Tune, degree: int) -> int:
    octave, step = divmod(degree, 7)
    return tune.key + 12 * octave + _STEPS[tune.minor][step]


def section(
    tune: Tune, rate: int, bars: int, parts: str, salt: int, tail_s: float = _RING_S
) -> NDArray[np.float32]:
    """Return `bars` of music with the parts named: p(ad) k(eys) b(ass) d(rums) v(oice).

    Notes ring on for `tail_s` after the last bar.
    """
    dice = np.random.default_rng([tune.seed, salt])
    band, beat = tune.band, 60.0 / tune.bpm
    canvas = synth.Canvas(rate, bars * tune.bar_s + tail_s)
    turn = _TURNS[(tune.seed + salt // 2) % len(_TURNS)]
    phrase = [int(d) for d in dice.choice([0, 1, 2, 4, 4, 5, 7], size=8)]
    for bar in range(bars):
        at = bar * tune.bar_s
        root = turn[bar % 4]
        chord = [_degree(tune, root + step) for step in (0, 2, 4)]
        if "p" in parts and band.pad:
            for index, note in enumerate(chord):
                pad = synth.tone(rate, note, tune.bar_s + 0.6, synth.PAD)
                canvas.put(pad, at, 0.07, index * 0.6 - 0.6)
        if "b" in parts:
            for count in band.bass_at:
                bass = synth.tone(rate, chord[0] - 24, beat, synth.BASS)
                canvas.put(bass, at + _swung(band, count) * beat, 0.22)
        if "k" in parts:
            _chords(canvas, tune, chord, at)
        if "d" in parts:
            _drums(canvas, band, at, beat)
        if "v" in parts:
            _sing(canvas, tune, phrase, bar, at, root)
    return canvas.sound


def _swung(band: Band, count: float) -> float:
    return count + band.swing if count % 1.0 else count


def _chords(canvas: synth.Canvas, tune: Tune, chord: list[int], at: float) -> None:
    band, beat = tune.band, 60.0 / tune.bpm
    broken = len(band.chords_at) > 4  # note by note where there are many, else all at once
    long = 1.2 if broken else min(2.5, beat * 1.6)
    for index, count in enumerate(band.chords_at):
        notes = [chord[(index * 2 + tune.seed) % 3]] if broken else chord
        level = 0.085 if broken else 0.05
        for note in notes:
            wave = synth.tone(canvas.rate, note + 12, long, band.chords)
            canvas.put(wave, at + _swung(band, count) * beat, level, 0.35)


def _drums(canvas: synth.Canvas, band: Band, at: float, beat: float) -> None:
    for name, times, level, pan in (
        ("kick", band.kick_at, 0.4, 0.0),
        ("brush", band.brush_at, 0.14, -0.1),
        ("shaker", band.shaker_at, 0.06, 0.5),
    ):
        for count in times:
            canvas.put(synth.drum(canvas.rate, name), at + _swung(band, count) * beat, level, pan)


def _sing(
    canvas: synth.Canvas, tune: Tune, phrase: list[int], bar: int, at: float, root: int
) -> None:
    """A melody that stands for the vocal: rests at the end of every second bar."""
    band, beat = tune.band, 60.0 / tune.bpm
    line = (0.0, 1.0, 1.5, 2.0, 3.0) if bar % 2 == 0 else (0.0, 0.5, 2.0)
    rhythm = tuple(count for count in line if count < band.beats)
    for index, count in enumerate(rhythm):
        degree = phrase[(index + 3 * (bar % 2)) % 8] + (root if index == 0 else 0)
        long = 1.8 if count == rhythm[-1] else 0.9
        note = _degree(tune, degree % 10) + 12 * (1 + band.octave)
        wave = synth.tone(canvas.rate, note, long * beat, band.lead)
        canvas.put(wave, at + _swung(band, count) * beat, 0.15, -0.05)

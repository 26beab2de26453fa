"""Instruments and voices made with NumPy: the demo station's sound, seeded and repeatable."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray


# Vowel formants in Hz (textbook averages for a grown speaker): first three of a, e, i, o, u
_VOWELS = (
    (730, 1090, 2440),
    (530, 1840, 2480),
    (390, 1990, 2550),
    (570, 840, 2410),
    (440, 1020, 2240),
)


def midi_hz(note: float) -> float:
    """Return the frequency of a MIDI note number (69 is 440 Hz)."""
    return float(440.0 * 2 ** ((note - 69) / 12))


@lru_cache(maxsize=4096)
def _tone(
    rate: int, note: int, frames: int, partials: tuple[float, ...], attack: float, decay: float
) -> NDArray[np.float32]:
    """An additive tone: amplitudes of its partials, attack and decay in seconds."""
    at = np.arange(frames, dtype=np.float32) / rate
    hz = midi_hz(note)
    wave = np.zeros(frames, dtype=np.float32)
    for number, amount in enumerate(partials, 1):
        if number * hz < rate * 0.4:
            wave += np.float32(amount) * np.sin(np.float32(2 * np.pi * number * hz) * at)
    shape = np.minimum(at / np.float32(attack), 1) * np.exp(-at / np.float32(decay))
    end = min(frames, round(0.02 * rate))
    shape[-end:] *= np.linspace(1, 0, end, dtype=np.float32)
    return np.asarray(wave * shape, dtype=np.float32)


PIANO = ((1.0, 0.5, 0.28, 0.16, 0.1, 0.05), 0.004, 0.9)
PAD = ((1.0, 0.4, 0.3, 0.12, 0.1), 0.35, 6.0)
BASS = ((1.0, 0.45, 0.12), 0.01, 0.7)
REED = ((1.0, 0.1, 0.5, 0.08, 0.25, 0.05, 0.1), 0.06, 3.0)
BELL = ((1.0, 0.0, 0.5, 0.0, 0.35, 0.2), 0.002, 1.4)


def tone(
    rate: int, note: int, seconds: float, instrument: tuple[tuple[float, ...], float, float]
) -> NDArray[np.float32]:
    """Return one note of an instrument, mono."""
    return _tone(rate, note, round(seconds * rate), *instrument)


@lru_cache(maxsize=64)
def drum(rate: int, name: str) -> NDArray[np.float32]:
    """Return a kick, a brush or a shaker, mono."""
    dice = np.random.default_rng(sum(map(ord, name)))
    if name == "kick":
        at = np.arange(round(0.3 * rate)) / rate
        thump = np.sin(2 * np.pi * (48 * at - 9 * np.exp(-at * 30))) * np.exp(-at * 13)
        return np.asarray(thump, dtype=np.float32)
    length, fall = (0.18, 26.0) if name == "brush" else (0.06, 70.0)
    at = np.arange(round(length * rate)) / rate
    noise = np.diff(dice.standard_normal(len(at) + 1)) * 0.5
    return np.asarray(noise * np.exp(-at * fall), dtype=np.float32)


class Canvas:
    """A stereo stretch of sound that notes are put on."""

    def __init__(self, rate: int, seconds: float) -> None:
        self.rate = rate
        self.sound = np.zeros((round(seconds * rate), 2), dtype=np.float32)

    def put(self, wave: NDArray[np.float32], at_s: float, level: float, pan: float = 0.0) -> None:
        """Add a mono wave at a time; pan -1 left to 1 right (equal power)."""
        start = round(at_s * self.rate)
        part = self.sound[start : start + len(wave)]
        angle = (pan + 1) * np.pi / 4
        part[:, 0] += np.float32(level * np.cos(angle)) * wave[: len(part)]
        part[:, 1] += np.float32(level * np.sin(angle)) * wave[: len(part)]


@dataclass(frozen=True, slots=True)
class Tune:
    """What a song is made of. Bars have four beats."""

    seed: int
    key: int  # MIDI note of the tonic
    minor: bool
    bpm: float
    intro_bars: int


_STEPS = {False: (0, 2, 4, 5, 7, 9, 11), True: (0, 2, 3, 5, 7, 8, 10)}
_TURNS = ((0, 5, 3, 4), (0, 3, 5, 4), (5, 3, 0, 4), (0, 2, 3, 3), (0, 4, 5, 3))


def _degree(tune: Tune, degree: int) -> int:
    octave, step = divmod(degree, 7)
    return tune.key + 12 * octave + _STEPS[tune.minor][step]


def section(
    tune: Tune, rate: int, bars: int, parts: str, salt: int, tail_s: float = 2.0
) -> NDArray[np.float32]:
    """Return `bars` of music with the parts named: p(ad) k(eys) b(ass) d(rums) v(oice).

    Notes ring on for `tail_s` after the last bar.
    """
    dice = np.random.default_rng([tune.seed, salt])
    beat = 60.0 / tune.bpm
    canvas = Canvas(rate, bars * 4 * beat + tail_s)
    turn = _TURNS[tune.seed % len(_TURNS)]
    phrase = [int(d) for d in dice.choice([0, 1, 2, 4, 4, 5, 7], size=8)]
    for bar in range(bars):
        at = bar * 4 * beat
        root = turn[bar % 4]
        chord = [_degree(tune, root + step) for step in (0, 2, 4)]
        if "p" in parts:
            for index, note in enumerate(chord):
                canvas.put(tone(rate, note, 4 * beat + 0.6, PAD), at, 0.07, index * 0.6 - 0.6)
        if "b" in parts:
            for count in (0.0, 1.5, 2.0, 3.5):
                canvas.put(tone(rate, chord[0] - 24, beat, BASS), at + count * beat, 0.22)
        if "k" in parts:
            for eighth in range(8):
                note = chord[(eighth * 2 + tune.seed) % 3] + 12
                canvas.put(tone(rate, note, 1.2, PIANO), at + eighth * beat / 2, 0.085, 0.35)
        if "d" in parts:
            _drums(canvas, at, beat)
        if "v" in parts:
            _sing(canvas, tune, phrase, bar, at, beat, root)
    return canvas.sound


def _drums(canvas: Canvas, at: float, beat: float) -> None:
    for count in (0.0, 2.0):
        canvas.put(drum(canvas.rate, "kick"), at + count * beat, 0.4)
    for count in (1.0, 3.0):
        canvas.put(drum(canvas.rate, "brush"), at + count * beat, 0.14, -0.1)
    for eighth in range(8):
        canvas.put(drum(canvas.rate, "shaker"), at + eighth * beat / 2, 0.06, 0.5)


def _sing(
    canvas: Canvas, tune: Tune, phrase: list[int], bar: int, at: float, beat: float, root: int
) -> None:
    """A reedy melody that stands for the vocal: rests at the end of every second bar."""
    rhythm = (0.0, 1.0, 1.5, 2.0, 3.0) if bar % 2 == 0 else (0.0, 0.5, 2.0)
    for index, count in enumerate(rhythm):
        degree = phrase[(index + 3 * (bar % 2)) % 8] + (root if index == 0 else 0)
        long = 1.8 if count == rhythm[-1] else 0.9
        note = _degree(tune, degree % 10) + 12
        canvas.put(tone(canvas.rate, note, long * beat, REED), at + count * beat, 0.15, -0.05)


def song(tune: Tune, rate: int, seconds: float) -> NDArray[np.float32]:
    """Return a song of about so many seconds: intro, verses, refrains, all at one level."""
    bar = 240.0 / tune.bpm
    plan = [(tune.intro_bars, "pk", 1)]
    bars_left = max(4, round(seconds / bar) - tune.intro_bars)
    shapes = [(8, "pkbdv", 2), (8, "pbdv", 3)]
    while bars_left > 0:
        bars, parts, salt = shapes[len(plan) % 2]
        plan.append((min(bars, bars_left), parts, salt))
        bars_left -= bars
    made: dict[tuple[int, str, int], NDArray[np.float32]] = {}
    whole = np.zeros((round((sum(p[0] for p in plan) * bar + 2.0) * rate), 2), dtype=np.float32)
    at = 0.0
    for entry in plan:
        if entry not in made:
            made[entry] = section(tune, rate, entry[0], entry[1], entry[2])
        start = round(at * rate)
        part = whole[start : start + len(made[entry])]
        part += made[entry][: len(part)]
        at += entry[0] * bar
    return whole


def voice(rate: int, seconds: float, hz: float, seed: int) -> NDArray[np.float32]:
    """Return voice-like babble: pulses through formants, syllables, breaths; mono."""
    from scipy.signal import lfilter

    dice = np.random.default_rng(seed)
    out = np.zeros(round(seconds * rate), dtype=np.float32)
    at = 0
    phrase_left = int(dice.integers(5, 10))
    while at < len(out):
        length = int(rate * dice.uniform(0.11, 0.24))
        pitch = hz * dice.uniform(0.88, 1.15) * np.linspace(1.03, 0.96, length)
        phase = np.cumsum(pitch / rate)
        pulses = np.diff(np.floor(phase), prepend=0.0) - 0.02
        sound = pulses
        for formant in _VOWELS[int(dice.integers(5))]:
            radius = np.exp(-np.pi * 90 / rate)
            angle = 2 * np.pi * formant / rate
            sound = lfilter([1 - radius], [1, -2 * radius * np.cos(angle), radius**2], sound)
        sound = sound / max(1e-9, float(np.abs(sound).max()))
        sound *= np.sin(np.linspace(0, np.pi, length)) ** 0.4
        burst = round(0.03 * rate)
        sound[:burst] += dice.standard_normal(burst) * np.linspace(0.12, 0, burst)
        end = min(len(out), at + length)
        out[at:end] += sound[: end - at].astype(np.float32)
        phrase_left -= 1
        at += length
        if phrase_left == 0:
            at += round(0.28 * rate)
            phrase_left = int(dice.integers(5, 10))
    edge = round(0.01 * rate)
    out[-edge:] *= np.linspace(1, 0, edge, dtype=np.float32)
    return 0.5 * out


def to_peak(wave: NDArray[np.float32], peak_db: float, drive: float = 0.0) -> NDArray[np.float32]:
    """Return the sound with its peak at a level (dBFS), pressed by `drive` dB before."""
    top = max(float(wave.max(initial=0.0)), -float(wave.min(initial=0.0))) or 1.0
    shaped = wave * np.float32((10 ** (drive / 20)) / top)
    if drive:
        np.tanh(shaped, out=shaped)
        top = float(np.tanh(10 ** (drive / 20)))
    else:
        top = 1.0
    shaped *= np.float32(10 ** (peak_db / 20) / top)
    return shaped

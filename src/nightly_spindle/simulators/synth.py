"""Instruments and a babbling voice made with NumPy, seeded and repeatable."""

from __future__ import annotations

from functools import lru_cache
from typing import TYPE_CHECKING, TypeAlias

import numpy as np

if TYPE_CHECKING:
    from numpy.typing import NDArray


# amplitudes of the partials, attack and decay in seconds
Instrument: TypeAlias = tuple[tuple[float, ...], float, float]

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
FLUTE = ((1.0, 0.22, 0.08), 0.09, 4.0)
PLUCK = ((1.0, 0.6, 0.42, 0.3, 0.2, 0.14, 0.1), 0.002, 0.32)
BRASS = ((1.0, 0.8, 0.65, 0.5, 0.38, 0.28, 0.2, 0.14), 0.04, 2.2)
ORGAN = ((1.0, 0.75, 0.0, 0.5, 0.0, 0.0, 0.0, 0.25), 0.015, 8.0)


def tone(rate: int, note: int, seconds: float, instrument: Instrument) -> NDArray[np.float32]:
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

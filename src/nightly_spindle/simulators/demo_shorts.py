"""The audio of the demo's short items: bells, beds, and a voice that speaks where one is installed.

The voice is eSpeak NG, a free speech synthesiser that Debian has; without it a voice babbles.
"""

from __future__ import annotations

import io
import shutil
import subprocess
from functools import lru_cache
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.simulators import synth
from nightly_spindle.simulators.songwriting import Tune, section

if TYPE_CHECKING:
    from numpy.typing import NDArray

    from nightly_spindle.simulators.demo_catalogue import ShortSound

_RATE = 44_100
_PATIENCE_S = 20.0
_HIGH_HZ = 150.0  # from here on it is the higher of the two voices
_LAST_S = 0.3  # after the last word
_BARS_BPM = 104.0


def short_sound(short: ShortSound, seed: int) -> NDArray[np.float32]:
    """Return a short item (frames, 2) at 44.1 kHz, as long as its text takes."""
    dice = np.random.default_rng(seed)
    key = int(dice.integers(60, 67))
    lead = 1.3 if short.music == "bells" else 0.15
    talk = None
    if short.voice_hz:
        talk = spoken(short.text, short.voice_hz)
        if talk is None:
            talk = synth.voice(_RATE, short.seconds - lead - _LAST_S, short.voice_hz, seed)
    talk_s = 0.0 if talk is None else len(talk) / _RATE + lead + _LAST_S
    seconds = max(short.seconds, talk_s) if short.music else talk_s
    canvas = synth.Canvas(_RATE, seconds)
    if short.music == "bells":
        _bells(canvas, key, alone=talk is None)
    elif short.music == "bed":
        tune = Tune(seed, key - 12, minor=False, bpm=_BARS_BPM, intro_bars=2)
        bars = max(1, round(seconds / tune.bar_s))
        bed = section(tune, _RATE, bars, "pkbd", 5)[: len(canvas.sound)]
        canvas.sound[: len(bed)] += bed * np.float32(1.0 if talk is None else 0.35)
        edge = round(0.6 * _RATE)
        canvas.sound[-edge:] *= np.linspace(1, 0, edge, dtype=np.float32)[:, None]
    if talk is not None:
        canvas.put(talk, lead, 0.7)
    return synth.to_peak(canvas.sound, -3.0, 3.0)


def _bells(canvas: synth.Canvas, key: int, *, alone: bool) -> None:
    for index, step in enumerate((0, 7, 4, 12)):
        bell = synth.tone(_RATE, key + step, 2.6, synth.BELL)
        canvas.put(bell, 0.28 * index, 0.4, index * 0.4 - 0.6)
    if alone:
        for index, step in enumerate((12, 9, 7, 4, 0)):
            bell = synth.tone(_RATE, key + step, 2.6, synth.BELL)
            canvas.put(bell, 1.9 + 0.4 * index, 0.4, 0.6 - index * 0.3)


@lru_cache(maxsize=1)
def speaker() -> str | None:
    """Return the speech synthesiser of this machine, None where there is none."""
    return shutil.which("espeak-ng")


def spoken(text: str, voice_hz: float) -> NDArray[np.float32] | None:
    """Return a text spoken (mono, 44.1 kHz, peak 0.9), None where nobody can speak it."""
    import soundfile
    import soxr

    program = speaker()
    if program is None or not text:
        return None
    voice = "en-gb+f3" if voice_hz >= _HIGH_HZ else "en-gb+m3"
    pitch = round(min(99.0, max(0.0, voice_hz / 4)))
    command = [program, "-v", voice, "-s", "150", "-p", str(pitch), "--stdout", text]
    try:
        done = subprocess.run(command, capture_output=True, timeout=_PATIENCE_S, check=True)
        sound, rate = soundfile.read(io.BytesIO(done.stdout), dtype="float32")
    except (OSError, subprocess.SubprocessError, soundfile.LibsndfileError):
        return None
    top = float(np.abs(sound).max(initial=0.0))
    if top == 0:
        return None
    heard = np.flatnonzero(np.abs(sound) > 0.02 * top)
    said = sound[heard[0] : heard[-1] + 1]
    return np.asarray(soxr.resample(said, rate, _RATE) * (0.9 / top), dtype=np.float32)

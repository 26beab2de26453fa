"""A fade and a long reverberation may fall as evenly: in the one the beat goes on.

Both fall by 60 dB in 8 s, evenly in dB (the decay of a hall is exponential: W. C. Sabine, from
memory), at three levels of the master.
"""

import numpy as np
import pytest
import soundfile
from scipy.signal import butter, sosfilt

from nightly_spindle.audio.measure import measure_file
from nightly_spindle.core.library.items import Ending

RATE = 22_050
FALL_S, FALL_DB = 8.0, 60.0


def music(seconds, bpm, dice):
    """A drum on each beat, a snare on every other, a chord that lies under them."""
    count = round(seconds * RATE)
    sound, at = np.zeros(count), np.arange(count) / RATE
    for beat in range(int(seconds * bpm / 60)):
        begin = round(beat * 60 / bpm * RATE)
        there = np.arange(min(count - begin, RATE // 5)) / RATE
        sound[begin : begin + len(there)] += np.sin(120 * np.pi * there) * np.exp(-18 * there) / 2
        if beat % 2:
            snare = dice.normal(0, 0.3, len(there)) * np.exp(-25 * there)
            sound[begin : begin + len(there)] += snare
    for pitch in (220, 277, 330):
        sound += 0.04 * np.sin(2 * np.pi * pitch * at + dice.uniform(0, 6))
    return sound


def falling(count, db):
    return 10 ** (-db / 20 * np.arange(count) / count)


def faded(bpm, dice):
    sound = music(30 + FALL_S, bpm, dice)
    count = round(FALL_S * RATE)
    sound[-count:] *= falling(count, FALL_DB)
    return sound


def rung_out(bpm, dice):
    """The music stops, the hall rings on: the highs go three times as fast."""
    body, count = music(30, bpm, dice), round(FALL_S * RATE)
    low = sosfilt(butter(2, 1500, fs=RATE, output="sos"), dice.normal(0, 1, count))
    high = sosfilt(butter(2, 1500, "high", fs=RATE, output="sos"), dice.normal(0, 1, count))
    hall = low * falling(count, FALL_DB) + 0.2 * high * falling(count, 3 * FALL_DB)
    hall *= np.sqrt(np.square(body).mean() / np.square(hall[: RATE // 4]).mean())
    return np.concatenate([body, hall])


@pytest.mark.parametrize("level_db", [0.0, -14.0, -28.0])
@pytest.mark.parametrize(
    ("sound", "ending"), [(faded, Ending.FADE), (rung_out, Ending.COLD)], ids=["fade", "hall"]
)
def test_a_fade_with_its_beat_is_one_and_a_hall_that_rings_on_is_cold(
    tmp_path, sound, ending, level_db
):
    seed = int(np.random.default_rng().integers(2**32))
    print(f"seed {seed}")
    dice = np.random.default_rng(seed)
    for bpm in (70, 96, 120, 174):
        made = sound(bpm, dice)
        made *= 0.9 / np.abs(made).max() * 10 ** (level_db / 20)
        soundfile.write(tmp_path / "a.wav", made, RATE)
        found = measure_file(str(tmp_path / "a.wav")).measure
        assert found.ending is ending, bpm
        assert found.sure_fade_start >= 0.6, bpm
        if ending is Ending.FADE:
            assert found.fade_start_s == pytest.approx(30.0, abs=1.5)

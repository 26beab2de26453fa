"""The stored fingerprint: what lies in libraries already must go on being understood."""

import numpy as np

from nightly_spindle.audio import fingerprint
from nightly_spindle.audio.fingerprint import BANDS, FRAMES, HOP_S


def chirp(seconds, rate=11_025):
    at = np.arange(round(seconds * rate)) / rate
    return (0.4 * np.sin(2 * np.pi * (200 + 150 * at) * at)).astype(np.float32), rate


def test_its_length_and_its_bytes_for_a_fixed_sound():
    sound, rate = chirp(12.0)
    found = fingerprint._fingerprint(sound, rate)
    frames = min(FRAMES, int((12.0 - fingerprint._WINDOW_S) / HOP_S))
    assert len(found) == BANDS + 2 * frames  # a byte a band, then 16 bits a frame
    # 0.5 dB a step below the loudest band, which is 0
    levels = np.frombuffer(found[:BANDS], np.uint8)
    assert levels.min() == 0
    assert found[:BANDS].hex() == FIXED_LEVELS
    assert found[BANDS : BANDS + 16].hex() == FIXED_BITS


def test_less_than_a_second_and_silence_have_none():
    sound, rate = chirp(0.9)
    assert fingerprint._fingerprint(sound, rate) == b""
    assert fingerprint._fingerprint(np.zeros(10 * rate, np.float32), rate) == b""


# written down when the form was settled; another one needs every library measured anew
FIXED_LEVELS = "140f0f0d0c0b0a09080706050403020100"
FIXED_BITS = "0000c000600020001000080008000400"

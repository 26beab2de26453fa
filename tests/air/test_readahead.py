"""Reading ahead: an empty file, a patient reader, what was not there in time."""

import threading
from dataclasses import replace

import numpy as np
import soundfile
from conftest import RATE, make_item

from nightly_spindle.air.readahead import AHEAD_S, Buffered
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin, Play
from nightly_spindle.core.programme.sequencer_actions import StartVoice


def opened(path, frames, *, patient=True, begin=0):
    item = replace(make_item(1), path=str(path))
    play = Play(1, Line(1, 1, Origin(LineSource.HAND)), item, 0, begin)
    ring = np.zeros((round(AHEAD_S * RATE), 2), np.float32)
    return Buffered(
        StartVoice(play, frames, 0.0, 0, None), RATE, ring, lambda: False, patient=patient
    )


def taken_within(source, out, seconds=10):
    """What a reader gets, which must not hang."""
    got = []
    thread = threading.Thread(target=lambda: got.append(source.read_into(out)), daemon=True)
    thread.start()
    thread.join(seconds)
    assert got, "the reader hangs"
    return got[0]


def test_an_empty_file_ends_at_once_for_a_patient_reader(tmp_path):
    path = tmp_path / "empty.wav"
    soundfile.write(path, np.zeros((0, 2)), RATE)
    source = opened(path, 1000)
    out = np.ones((500, 2), np.float32)
    assert taken_within(source, out) == 0
    source.close()


def test_a_patient_reader_gets_every_frame_and_then_the_end(tmp_path):
    path = tmp_path / "tone.wav"
    wave = np.random.default_rng(5).uniform(-0.5, 0.5, (3 * RATE, 2)).astype(np.float32)
    soundfile.write(path, wave, RATE, subtype="FLOAT")
    source = opened(path, 3 * RATE)
    out = np.empty((4 * RATE, 2), np.float32)
    parts = []
    for _ in range(20):
        got = taken_within(source, out[: RATE // 3])
        parts.append(out[:got].copy())
        if got < RATE // 3:
            break
    assert np.array_equal(np.concatenate(parts), wave)
    assert source.underruns == 0
    source.close()


def test_a_file_that_is_not_there_says_why_and_ends(tmp_path):
    source = opened(tmp_path / "gone.wav", 1000)
    out = np.ones((500, 2), np.float32)
    assert taken_within(source, out) == 0
    assert "gone.wav" in source.problem
    source.close()

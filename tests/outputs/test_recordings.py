"""Recordings: every frame of what went out is found again at its instant, whatever happened."""

import os
import signal
import subprocess
import sys
from datetime import datetime
from zoneinfo import ZoneInfo

import numpy as np
import pytest
import soundfile
from conftest import examples, wait
from hypothesis import given
from hypothesis import strategies as st
from stream_cases import BLOCK, RATE, lag_of, music

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.outputs.outputs import Output, RecordedAs, RecordingOptions
from nightly_spindle.core.outputs.recording_files import (
    Recorded,
    file_name,
    next_hour,
    start_of,
    to_remove,
)
from nightly_spindle.outputs.queued_output import Heard
from nightly_spindle.outputs.recorder import Recorder
from nightly_spindle.outputs.recordings import recorded_in, save_stretch

TZ = ZoneInfo("Europe/Lisbon")
US = 1_000_000
HOUR_US = 3600 * US
DAY = 86_400 * US


def us(text):
    return round(datetime.fromisoformat(text).timestamp() * US)


def recorder(folder, **more):
    output = Output(1, "Recording", RecordingOptions(folder="kept", leave_gb=0.0, **more))
    return Recorder(output, RATE, BLOCK, folder, TZ)


def record(folder, sound, start_us, gaps=(), **more):
    """Record sound that goes out from an instant on; `gaps` are blocks that are lost."""
    made = recorder(folder, **more)
    made.start()
    for number in range(len(sound) // BLOCK):
        if number not in gaps:
            at_us = start_us + number * BLOCK * US // RATE
            made.put(Heard(at_us, sound[number * BLOCK : (number + 1) * BLOCK]))
        wait(lambda: made.waiting() < 100)
    wait(lambda: not made.waiting())
    made.leave()
    made.join(10)
    assert made.sight.late == 0
    return folder / "kept"


def pcm(sound):
    return np.rint(sound * 32767).astype(np.int16)


@pytest.mark.parametrize(
    ("start", "names"),
    [
        ("2026-12-01T20:59:58+00:00", ["20-59-58.000+0000", "21-00-00.000+0000"]),
        # the hour that comes twice, and the one that there is not
        ("2026-10-25T01:59:58+01:00", ["01-59-58.000+0100", "01-00-00.000+0000"]),
        ("2027-03-28T00:59:58+00:00", ["00-59-58.000+0000", "02-00-00.000+0100"]),
    ],
)
def test_an_hour_ends_to_the_frame_and_a_stretch_across_it_is_whole(tmp_path, start, names):
    sound, start_us = music(5), us(start)
    folder = record(tmp_path, sound, start_us)
    assert [one.name.split("_")[1][:17] for one in recorded_in(folder)] == names
    seed = int(np.random.default_rng().integers(2**32))
    print(f"seed {seed}")
    dice = np.random.default_rng(seed)
    spots = [0, 2 * RATE - 1, 2 * RATE, *dice.integers(0, 3 * RATE, 6)]
    for first in map(int, spots):
        begin_us = start_us + -(-first * US // RATE)
        out = tmp_path / "part.wav"
        save_stretch(folder, begin_us, begin_us + US, out)
        found, rate = soundfile.read(out, dtype="int16")
        assert rate == RATE
        wanted = pcm(sound[first : first + RATE])
        assert np.array_equal(found[: RATE - 2], wanted[: RATE - 2]), first


def test_what_was_not_recorded_is_silence_and_the_rest_at_its_time(tmp_path):
    sound, start_us = music(6), us("2026-12-01T20:10:00+00:00")
    gone = range(40, 60)
    folder = record(tmp_path, sound, start_us, gaps=gone)
    assert len(recorded_in(folder)) == 2
    out = tmp_path / "whole.flac"
    assert abs(save_stretch(folder, start_us - US, start_us + 5 * US, out) - 6) < 0.001
    found = soundfile.read(out, dtype="int16")[0][RATE:]
    wanted = pcm(sound[: 5 * RATE])
    wanted[40 * BLOCK : 60 * BLOCK] = 0
    assert np.mean(np.any(found[: len(wanted)] != wanted[: len(found)], axis=1)) < 1e-4


def test_a_clock_that_is_set_back_writes_over_nothing(tmp_path):
    start_us = us("2026-12-01T20:10:00+00:00")
    record(tmp_path, music(2), start_us)
    folder = record(tmp_path, music(3, seed=8), start_us)
    names = sorted(path.name for path in folder.iterdir())
    assert names == [
        "2026-12-01_20-10-00.000+0000-2.oga",
        "2026-12-01_20-10-00.000+0000.oga",
    ]
    assert [one.start_us for one in recorded_in(folder)] == [start_us, start_us]


def test_opus_is_found_at_its_time_too(tmp_path):
    sound, start_us = music(6), us("2026-12-01T20:10:00+00:00")
    folder = record(tmp_path, sound, start_us, coded=RecordedAs.OPUS)
    out = tmp_path / "part.wav"
    save_stretch(folder, start_us + 2 * US, start_us + 4 * US, out)
    import soxr

    found, rate = soundfile.read(out, dtype="float32")
    found = soxr.resample(found, rate, RATE)
    assert abs(lag_of(found[: RATE * 3 // 2], sound) - 2 * RATE) < 50  # 1 ms


def test_a_file_of_a_killed_recorder_is_whole_but_for_the_last_second(tmp_path):
    program = f"""
import sys, time
sys.path[:0] = {sys.path!r}
from test_recordings import *
made = recorder(__import__("pathlib").Path({str(tmp_path)!r}))
made.start()
sound = music(60)
for number in range(len(sound) // BLOCK):
    made.put(Heard({us("2026-12-01T20:10:00+00:00")} + number * BLOCK * US // RATE,
        sound[number * BLOCK : (number + 1) * BLOCK]))
    print(number, flush=True)
    time.sleep(BLOCK / RATE)
"""
    with subprocess.Popen(
        [sys.executable, "-c", program], stdout=subprocess.PIPE, text=True
    ) as one:
        last = 0
        for line in one.stdout:
            last = int(line)
            if last >= 120:
                break
        os.kill(one.pid, signal.SIGKILL)
    out = tmp_path / "part.wav"
    start_us = us("2026-12-01T20:10:00+00:00")
    kept_s = (last - 1) * BLOCK / RATE - 1.0
    save_stretch(tmp_path / "kept", start_us, start_us + round(kept_s * US), out)
    found = soundfile.read(out, dtype="int16")[0]
    assert np.array_equal(found[:-2], pcm(music(60))[: len(found) - 2])


def test_a_stretch_that_is_not_there_and_a_file_that_is_none_are_told(tmp_path):
    (tmp_path / "2026-12-01_20-00-00.000+0000.oga").write_bytes(b"OggS and nothing more")
    with pytest.raises(InputFault, match="nothing of that stretch was recorded"):
        save_stretch(
            tmp_path, us("2026-12-01T20:00:00Z"), us("2026-12-01T20:01:00Z"), tmp_path / "a.wav"
        )
    with pytest.raises(InputFault, match=r"choose \.wav"):
        save_stretch(tmp_path, 0, 1, tmp_path / "a.mp4")


def test_a_folder_that_cannot_be_written_is_down_and_comes_back(tmp_path, monkeypatch):
    monkeypatch.setattr("nightly_spindle.outputs.recorder._AGAIN_S", 0.1)
    (tmp_path / "kept").write_text("a file in the way")
    made = recorder(tmp_path)
    made.start()
    try:
        wait(lambda: made.sight.state == "down")
        assert made.sight.trouble == "disk"
        (tmp_path / "kept").unlink()

        def up():
            made.put(Heard(us("2026-12-01T20:10:00Z"), np.zeros((BLOCK, 2), np.float32)))
            return made.sight.state == "up"

        wait(up)
    finally:
        made.leave()
        made.join(10)


# -- names, and what goes --------------------------------------------------------------------------


@examples(300)
@given(
    st.integers(us("2000-01-01T00:00:00Z"), us("2099-12-31T00:00:00Z")),
    st.sampled_from(["Europe/Lisbon", "Asia/Kathmandu", "America/St_Johns", "Pacific/Apia", "UTC"]),
)
def test_a_name_says_its_instant_and_the_next_hour_is_one(at_us, zone):
    tz = ZoneInfo(zone)
    assert start_of(file_name(at_us, tz, ".oga")) == at_us // 1000 * 1000
    then = next_hour(at_us, tz)
    assert 0 < then - at_us <= HOUR_US
    local = datetime.fromtimestamp(then / US, tz)
    assert (local.minute, local.second, local.microsecond) == (0, 0, 0) or zone == "Pacific/Apia"
    assert start_of("notes.txt") is None
    assert start_of("2026-13-41_20-00-00.000+0000.oga") is None


@examples(200)
@given(
    st.lists(st.tuples(st.integers(0, 60), st.integers(1, 1000)), max_size=20),
    st.floats(1, 60),
    st.integers(0, 5000),
    st.integers(-500, 5000),
)
def test_only_the_oldest_go_and_no_more_than_must(ages, keep_days, most, lacking):
    now = 100 * DAY
    files = [Recorded(f"{n}", now - age * DAY - n, size) for n, (age, size) in enumerate(ages)]
    gone = to_remove(files, now, keep_days, most, lacking)
    ordered = sorted(files, key=lambda one: one.start_us)
    assert gone == ordered[: len(gone)]
    left = ordered[len(gone) :]
    freed = sum(one.size for one in gone)
    assert all(now - one.start_us <= keep_days * DAY for one in left)
    assert sum(one.size for one in left) <= most or not left
    assert freed >= lacking or not left
    if gone:  # one less would not have done
        last = gone[-1]
        fewer = [*left, last]
        assert (
            now - last.start_us > keep_days * DAY
            or sum(one.size for one in fewer) > most
            or freed - last.size < lacking
        )

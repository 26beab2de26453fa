"""The demo's audio: songs of a real length, sections repeated without a seam, speech or babble."""

from collections import Counter
from itertools import pairwise

import numpy as np
import pytest
import soundfile

from nightly_spindle.simulators import demo_shorts
from nightly_spindle.simulators.demo import SEED
from nightly_spindle.simulators.demo_catalogue import ACTS, ALBUMS, SHORTS, SONGS, Group, Song
from nightly_spindle.simulators.demo_shorts import short_sound, spoken
from nightly_spindle.simulators.demo_songs import pieces, tune_of, write_song

TITLE_S = 3 * 3600  # the station's rule: a title is not heard again within it


def test_the_library_is_that_of_a_station():
    assert len(SONGS) == 80
    assert len({song.title for song in SONGS}) == 80
    assert {song.artist for song in SONGS} == set(ACTS) == set(ALBUMS)
    assert len(ACTS) == 25
    assert all(150 <= song.seconds <= 270 for song in SONGS)
    assert sum(song.seconds for song in SONGS) > TITLE_S
    assert min(Counter(song.group for song in SONGS).values()) > 12
    assert {song.group for song in SONGS} == set(Group)
    assert all(short.text for short in SHORTS if short.voice_hz)


@pytest.mark.parametrize("number", [0, 15])
def test_a_song_lasts_about_as_long_as_it_says_and_repeats_its_sections(number, tmp_path):
    song = SONGS[number]
    made = pieces(song, SEED + number)
    whole = made.whole()
    longest = max(end - begin for begin, end in made.parts)
    assert abs(len(whole) / song.rate - song.seconds) < longest / song.rate
    assert len(made.sound) < 0.7 * len(whole), "made once, heard more than once"
    assert {made.parts[index][0] % 1152 for index in made.order} == {0}
    assert all(one[1] == other[0] for one, other in pairwise(made.parts))
    path = tmp_path / "song.mp2"
    write_song(str(path), song, SEED + number, "Album")
    heard, rate = soundfile.read(path, dtype="float32")
    assert rate == song.rate
    # the coder's own delay comes before, and what fills its last frame after
    count = min(len(heard), len(whole))
    assert abs(len(heard) - len(whole)) < 3 * 1152
    some = 3 * rate
    fits = [
        np.corrcoef(heard[at : at + some].mean(axis=1), whole[:some].mean(axis=1))[0, 1]
        for at in range(400, 560)  # the coder's delay is 481 frames
    ]
    at = 400 + int(np.argmax(fits))
    told, meant = heard[at:count].mean(axis=1), whole[: count - at].mean(axis=1)
    for begin in range(0, len(told) - rate, rate):  # each second, so each seam too
        stretch = slice(begin, begin + rate)
        if np.abs(meant[stretch]).max() > 0.05:
            alike = np.corrcoef(told[stretch], meant[stretch])[0, 1]
            assert alike > 0.97, f"another sound {begin / rate:.0f} s in"


def test_bars_are_whole_frames_and_keep_their_style():
    for number, song in enumerate(SONGS):
        tune = tune_of(song, SEED + number)
        frames = tune.bar_s * song.rate / 1152
        assert frames == pytest.approx(round(frames), abs=1e-6)
        slow, quick = tune.band.bpm
        assert slow * 0.98 < tune.bpm < quick * 1.02, song.title


def test_without_a_synthesiser_a_voice_babbles(monkeypatch):
    monkeypatch.setenv("PATH", "")
    demo_shorts.speaker.cache_clear()
    try:
        assert spoken("Lantern Quay.", 120) is None
        for short in SHORTS[:1]:
            sound = short_sound(short, 5)
            assert len(sound) / 44_100 == pytest.approx(short.seconds, abs=0.1)
            assert np.abs(sound).max() == pytest.approx(10 ** (-3 / 20), rel=0.02)
    finally:
        demo_shorts.speaker.cache_clear()


def test_a_synthesiser_that_fails_is_none(monkeypatch, tmp_path):
    broken = tmp_path / "espeak-ng"
    broken.write_text("#!/bin/sh\necho no voice is installed\n")
    broken.chmod(0o755)
    monkeypatch.setenv("PATH", str(tmp_path))
    demo_shorts.speaker.cache_clear()
    try:
        assert demo_shorts.speaker() == str(broken)
        assert spoken("Lantern Quay.", 180) is None
    finally:
        demo_shorts.speaker.cache_clear()


def test_what_is_spoken_lasts_as_long_as_its_text():
    if demo_shorts.speaker() is None:
        pytest.skip("eSpeak NG is not installed")
    short, long = spoken("Still lit.", 120), spoken("Still lit, all night, on the quay.", 180)
    assert 0.3 < len(short) / 44_100 < 2.0
    assert len(long) > 1.5 * len(short)
    assert np.abs(long).max() == pytest.approx(0.9, abs=0.1)


def test_a_song_of_nobody_has_a_style_too():
    assert pieces(Song("", "", 30, "flac", 1), 3).whole().any()

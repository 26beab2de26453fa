"""Heard at the far end: our own programme is known again, silence and others' sound are told."""

import time
from dataclasses import replace

import numpy as np
import pytest
from conftest import examples, wait
from hypothesis import given
from hypothesis import strategies as st
from stream_cases import BLOCK, EPOCH_US, RATE, Pump, music, sending, served, stream, up

from nightly_spindle.core.outputs.output_health import Trouble
from nightly_spindle.core.outputs.stream_codecs import Codec
from nightly_spindle.outputs.far_end import FarEnd, judged, thinned, where_alike

SENT = music(30)


def blocks(sound):
    return [
        (EPOCH_US + at * 1_000_000 // RATE, thinned(sound[at : at + BLOCK]))
        for at in range(0, len(sound) - BLOCK, BLOCK)
    ]


@examples(20)
@given(st.integers(0, 20 * RATE), st.floats(0.05, 2.0), st.floats(0, 0.05), st.floats(0.5, 40))
def test_a_piece_is_found_with_its_delay_whatever_its_gain_and_noise(at, gain, noise, delay):
    piece = SENT[at : at + 6 * RATE] * gain
    piece = piece + np.random.default_rng(at).normal(0, noise * gain, piece.shape)
    came_us = EPOCH_US + round((at / RATE + delay) * 1e6)
    found = judged(piece.astype(np.float32), came_us, blocks(SENT), RATE, "there")
    assert found.trouble is Trouble.NONE
    assert abs(found.delay_s - delay) < 0.02


def test_silence_and_anothers_sound_are_told_and_too_little_is_not_judged():
    sent = blocks(SENT)
    silent = judged(np.zeros((6 * RATE, 2), np.float32), EPOCH_US, sent, RATE, "there")
    assert (silent.trouble, silent.problem) == (
        Trouble.FAR_SILENT,
        "listeners hear silence at there",
    )
    other = judged(music(6, seed=99), EPOCH_US, sent, RATE, "there")
    assert other.trouble is Trouble.FAR_OTHER
    quiet = blocks(np.zeros_like(SENT))
    assert judged(np.zeros((6 * RATE, 2), np.float32), 0, quiet, RATE, "x").trouble is Trouble.NONE
    assert judged(music(6), 0, sent[:3], RATE, "x").trouble is Trouble.NONE
    assert judged(music(6), 0, [], RATE, "x").trouble is Trouble.NONE


def test_correlation_is_as_numpy_has_it():
    dice = np.random.default_rng(5)
    long, short = dice.normal(size=300).astype(np.float32), dice.normal(size=40).astype(np.float32)
    at, alike = where_alike(long, short)
    plain = [
        float(np.dot(long[n : n + 40], short))
        / float(np.linalg.norm(long[n : n + 40]) * np.linalg.norm(short))
        for n in range(261)
    ]
    assert at == int(np.argmax(plain))
    assert alike == pytest.approx(max(plain), abs=1e-5)


@pytest.mark.parametrize("codec", [Codec.MP3, Codec.OPUS])
def test_a_stream_listens_to_itself_and_knows_how_far_behind_it_is(codec, monkeypatch):
    monkeypatch.setattr("nightly_spindle.outputs.far_end._SETTLES_S", 9.0)
    with served() as server:
        begun = time.time_ns() // 1000
        output = stream(server, codec=codec)
        listening = replace(output, options=replace(output.options, listen_every=0.2))
        with sending(listening) as made, Pump([made], music(60), epoch_us=begun):
            up(made)
            wait(lambda: made.sight.delay_s is not None or made.sight.problem)
            assert made.sight.problem == ""
            assert -0.5 < made.sight.delay_s < 15
            assert made.sight.heard is False, "a stand-in is heard by nobody"


def test_an_address_that_gives_something_else_or_nothing_is_no_stream_that_is_heard(monkeypatch):
    monkeypatch.setattr("nightly_spindle.outputs.far_end._SETTLES_S", 9.0)
    with served() as server:
        mine = stream(server, "/mine")
        mine = replace(
            mine, options=replace(mine.options, listen=server.url("/other"), listen_every=0.15)
        )
        theirs = stream(server, "/other", 2)
        with (
            sending(theirs) as other,
            sending(mine) as made,
            Pump([made], music(100)),
            Pump([other], music(60, seed=3)),
        ):
            up(made)
            wait(lambda: made.sight.trouble is Trouble.FAR_OTHER)
            assert "is not this station" in made.sight.problem
            assert not made.sight.heard
            other.leave()
            other.join(5)
            server.mounts.pop("/other")
            wait(lambda: made.sight.trouble is Trouble.FAR_AWAY)


def test_a_far_end_without_a_server_says_so():
    from stream_cases import closed_port

    from nightly_spindle.core.outputs.outputs import StreamOptions

    found = FarEnd(StreamOptions(f"http://127.0.0.1:{closed_port()}/x"), RATE, print).listen()
    assert found.trouble is Trouble.FAR_AWAY

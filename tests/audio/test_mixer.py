"""The mixer gives up what is over, and says what broke off."""

from dataclasses import replace

import numpy as np
import pytest
from conftest import make_item

from nightly_spindle.audio.duck import Duck
from nightly_spindle.audio.mixer import Mixer, Voice, shape
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Curve, Marks
from nightly_spindle.core.overlays.overlay_pools import PoolOptions
from nightly_spindle.core.playout.overlay_position import intro_window, place_voiceover
from nightly_spindle.core.programme.running_order import (
    Line,
    LineSource,
    Origin,
    Overlay,
    OverlayPlace,
    Play,
)
from nightly_spindle.core.programme.sequencer_actions import StartOverlay, StartVoice
from nightly_spindle.core.segues.ducking import DuckCurve, Ducking, duck_frames
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.station.settings import StationSettings

BLOCK, RATE = 100, 1000


class Steady:
    """A source of a level that has so many frames."""

    problem = ""

    def __init__(self, frames, level=0.5):
        self.left, self.level, self.closed = frames, np.float32(level), False

    def read_into(self, out):
        got = min(len(out), self.left)
        out[:got] = self.level
        self.left -= got
        return got

    def close(self):
        self.closed = True


def voice(number, start, frames, there=None):
    line = Line(number, number, Origin(LineSource.HAND))
    play = Play(number, line, make_item(number), start, 0)
    source = Steady(frames if there is None else there)
    return Voice(StartVoice(play, frames, 0.0, 0, None), source), source


def overlay(number, start, frames, there=None):
    item = make_item(number, 3.0, Kind.SWEEPER)
    sound = Overlay(number, item, start, 0, start + frames, 0, OverlayPlace.SEGUE, "", "", "")
    ducking = Ducking(depth_db=6.0, attack_s=0.01, hold_s=0.0, release_s=0.01, ahead_s=0.0)
    order = StartOverlay(sound, frames, 0.0, duck_frames(ducking, RATE))
    source = Steady(frames if there is None else there, 0.25)
    return Voice(order, source), order, source


def mixed(mixer, blocks):
    bus, short, sound = np.empty((BLOCK, 2), np.float32), [], []
    for n in range(blocks):
        short += mixer.mix(bus, n * BLOCK)
        sound.append(bus[:, 0].copy())
    return np.concatenate(sound), short


def test_a_finished_overlay_is_given_up_and_the_programme_is_up_again():
    mixer = Mixer(BLOCK)
    song, _ = voice(1, 0, 2000)
    mixer.start(song)
    spoken, order, source = overlay(2, 200, 250)
    mixer.overlay(spoken, order)
    sound, short = mixed(mixer, 8)
    assert (mixer.over, mixer._ducks, short) == ([], [], [])
    assert source.closed
    assert np.allclose(sound[:200], 0.5)
    assert np.allclose(sound[300:400], 0.5 * 10 ** (-6 / 20) + 0.25, atol=1e-4)
    assert np.allclose(sound[500:], 0.5)


@pytest.mark.parametrize("over", [False, True])
def test_a_voice_that_breaks_off_is_told_once_and_given_up(over):
    mixer = Mixer(BLOCK)
    if over:
        broken, order, source = overlay(2, 50, 500, there=120)
        mixer.overlay(broken, order)
    else:
        broken, source = voice(2, 50, 500, there=120)
        mixer.start(broken)
    _, short = mixed(mixer, 8)
    assert short == [broken]
    assert (mixer.voices, mixer.over) == ([], [])
    assert source.closed


def test_voices_add_up_and_each_ends_at_its_own_frame():
    mixer = Mixer(BLOCK)
    for number, (start, frames) in enumerate(((0, 150), (100, 300)), 1):
        mixer.start(voice(number, start, frames)[0])
    sound, _ = mixed(mixer, 5)
    expected = np.zeros(500, np.float32)
    expected[:150] += 0.5
    expected[100:400] += 0.5
    assert np.array_equal(sound, expected)


def test_the_gain_laws_by_their_formulas():
    part = np.array([0.0, 0.25, 0.5, 1.0], np.float32)
    assert np.allclose(shape(Curve.EQUAL_POWER, part), [1, 0.9238795, 0.7071068, 0], atol=1e-6)
    assert np.allclose(shape(Curve.LINEAR, part), [1, 0.75, 0.5, 0])
    rise = shape(Curve.EQUAL_POWER, 1 - part)
    assert np.allclose(shape(Curve.EQUAL_POWER, part) ** 2 + rise**2, 1, atol=1e-6)


@pytest.mark.parametrize("kind", [Kind.SWEEPER, Kind.VOICEOVER])
@pytest.mark.parametrize("follow", [False, True])
def test_the_vocal_comes_in_at_the_full_level_of_the_programme(kind, follow):
    """Whatever way the programme goes down: what ends at the post has let it up by then."""
    seed = int(np.random.default_rng().integers(2**32))
    print(f"seed {seed}")
    dice = np.random.default_rng(seed)
    for _ in range(20):
        ducking = Ducking(
            depth_db=float(dice.uniform(0, 40)),
            attack_s=float(dice.uniform(0.005, 0.5)),
            hold_s=float(dice.uniform(0, 1)),
            release_s=float(dice.uniform(0.01, 2)),
            curve=dice.choice(list(DuckCurve)),
            follow=follow,
        )
        settings = StationSettings(
            "S", "UTC", rate=RATE, duck_sweeper=ducking, duck_voiceover=ducking
        )
        song = make_item(1, 30.0)
        song = replace(song, marks=Marks(intro_end_s=12.0))
        spoken = make_item(2, float(dice.uniform(1, 8)), kind)
        frames = span(spoken, RATE).cue_out - span(spoken, RATE).cue_in
        rules = settings.overlay_by(ducking)
        play = voice(1, 0, 30 * RATE)[0].play
        window = intro_window(replace(play, item=song), 0, 30 * RATE, RATE, rules)
        placed = place_voiceover(window, frames, 0, PoolOptions(at_post=True), RATE)
        duck = Duck(placed.at, placed.at + frames, duck_frames(ducking, RATE))
        bus = np.ones((30 * RATE, 2), np.float32)
        duck.hear(np.full((30 * RATE, 2), 0.5, np.float32), 0)
        duck.lower(bus, 0, np.arange(30 * RATE, dtype=np.float32))
        post = 12 * RATE + 1  # a frame of rounding
        assert np.allclose(bus[post:], 1.0, atol=1e-3), ducking
        assert ducking.depth_db < 1 or bus[:post].min() < 0.95

"""The programme under a voice: levels before, during and after, as heard in the mix."""

import numpy as np
import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.audio.mixer import Mixer, Voice
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.loudness_gain import Levels
from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.programme.running_order import (
    Line,
    LineSource,
    Origin,
    Overlay,
    OverlayPlace,
    Play,
)
from nightly_spindle.core.programme.sequencer_actions import FadeVoice, StartOverlay, StartVoice
from nightly_spindle.core.segues.ducking import (
    DuckCurve,
    Ducking,
    duck_frames,
    duck_part,
    voice_over_bed,
)

AT = 1000 * RATE


class Sound:
    """A source of given samples."""

    def __init__(self, wave):
        self.wave, self.at, self.problem = wave, 0, ""

    def read_into(self, out):
        got = min(len(out), len(self.wave) - self.at)
        out[:got] = self.wave[self.at : self.at + got, None]
        self.at += got
        return got

    def close(self):
        pass


def tone(seconds, hz, level):
    return (level * np.sin(2 * np.pi * hz * np.arange(round(seconds * RATE)) / RATE)).astype("f4")


def mixed(bed, spoken, ducking, at_s, *, blocks=(2048,), cut_s=None):
    """The mix of a bed that begins at once and a voice from `at_s` on, in blocks of these sizes."""
    mixer = Mixer(max(blocks))
    line = Line(1, 1, Origin(LineSource.HAND))
    item = make_item(1, len(bed) / RATE)
    mixer.start(Voice(StartVoice(Play(1, line, item, AT, 0), len(bed), 0.0, 0, None), Sound(bed)))
    start = AT + round(at_s * RATE)
    one = Overlay(
        2,
        make_item(2, len(spoken) / RATE, Kind.SWEEPER),
        start,
        0,
        start + len(spoken),
        1,
        OverlayPlace.INTRO,
        "",
        "",
        "",
    )
    order = StartOverlay(one, len(spoken), 0.0, duck_frames(ducking, RATE))
    mixer.overlay(Voice(order, Sound(spoken)), order)
    if cut_s is not None:
        mixer.fade(FadeVoice(AT + round(cut_s * RATE), 2, round(0.2 * RATE), Curve.LINEAR))
    out, done, n = np.empty((len(bed), 2), "f4"), 0, 0
    while done < len(bed):
        count = min(blocks[n % len(blocks)], len(bed) - done)
        mixer.mix(out[done : done + count], AT + done)
        done, n = done + count, n + 1
    return out


def level_db(wave, hz, from_s, to_s):
    """The level of one tone in a stretch, dB against its full scale."""
    part = wave[round(from_s * RATE) : round(to_s * RATE), 0]
    at = np.arange(round(from_s * RATE), round(to_s * RATE))[: len(part)] / RATE
    return 20 * np.log10(2 * abs(np.mean(part * np.exp(-2j * np.pi * hz * at))) + 1e-9)


@pytest.mark.parametrize("follow", [False, True])
def test_level_before_during_and_after(follow):
    ducking = Ducking(depth_db=12.0, follow=follow)
    out = mixed(tone(8, 1000, 0.5), tone(2, 3000, 0.4), ducking, 3.0)
    full, lowered = 20 * np.log10(0.5), 20 * np.log10(0.5) - 12
    for (from_s, to_s), wanted in (((0.5, 2.85), full), ((3.1, 5.15), lowered), ((5.9, 8), full)):
        assert level_db(out, 1000, from_s, to_s) == pytest.approx(wanted, abs=0.05)
    # the voice itself is at its own level from its first frame to its last
    assert level_db(out, 3000, 3.0, 5.0) == pytest.approx(20 * np.log10(0.4), abs=0.05)
    assert level_db(out, 3000, 2.0, 2.999) < -60
    assert level_db(out, 3000, 5.001, 6.0) < -60


def test_the_way_down_and_up_lasts_as_set_and_begins_before_the_voice():
    ducking = Ducking(
        depth_db=20.0, attack_s=0.2, hold_s=0.5, release_s=1.0, ahead_s=0.3, curve=DuckCurve.LINEAR
    )
    out = mixed(np.full(8 * RATE, 0.5, "f4"), np.zeros(2 * RATE, "f4"), ducking, 3.0)

    def db(at_s):
        return 20 * np.log10(out[round(at_s * RATE), 0] / 0.5)

    wanted = {2.69: 0, 2.75: -5, 2.8: -10, 2.9: -20, 5.49: -20, 5.75: -15, 6.0: -10, 6.51: 0}
    for at_s, level in wanted.items():
        assert db(at_s) == pytest.approx(level, abs=0.01), at_s
    smooth = mixed(
        np.full(8 * RATE, 0.5, "f4"),
        np.zeros(2 * RATE, "f4"),
        Ducking(depth_db=20.0, attack_s=0.2, ahead_s=0.3),
        3.0,
    )
    for part in (0.1, 0.5, 0.9):
        found = 20 * np.log10(smooth[round((2.7 + 0.2 * part) * RATE), 0] / 0.5)
        assert found == pytest.approx(-20 * duck_part(DuckCurve.SMOOTH, part), abs=0.02)


def test_following_the_voice_comes_up_in_its_pauses():
    spoken = np.concatenate([tone(1, 3000, 0.4), np.zeros(2 * RATE, "f4"), tone(1, 3000, 0.4)])
    ducking = Ducking(depth_db=12.0, hold_s=0.2, release_s=0.5, attack_s=0.1, follow=True)
    out = mixed(tone(9, 1000, 0.5), spoken, ducking, 2.0)
    full = 20 * np.log10(0.5)
    for (from_s, to_s), wanted in (
        ((2.1, 3.15), full - 12),
        ((3.9, 5.0), full),
        ((5.2, 6.1), full - 12),
        ((7.0, 9.0), full),
    ):
        assert level_db(out, 1000, from_s, to_s) == pytest.approx(wanted, abs=0.1)


@examples(25)
@given(
    st.lists(st.integers(200, 9000), min_size=1, max_size=6),
    st.floats(0, 2.5),
    st.booleans(),
    st.sampled_from(DuckCurve),
    st.one_of(st.none(), st.floats(0.5, 3.0)),
)
def test_the_size_of_blocks_does_not_matter(blocks, at_s, follow, curve, cut_s):
    bed = tone(4, 500, 0.3)
    spoken = np.concatenate([tone(0.4, 3000, 0.4), np.zeros(RATE // 2, "f4"), tone(0.5, 900, 0.2)])
    ducking = Ducking(follow=follow, curve=curve, hold_s=0.1)
    many = mixed(bed, spoken, ducking, at_s, blocks=blocks, cut_s=cut_s)
    one = mixed(bed, spoken, ducking, at_s, blocks=(len(bed),), cut_s=cut_s)
    assert np.abs(many - one).max() < 1e-4


def test_a_voice_that_is_cut_lets_the_programme_come_up_again():
    out = mixed(tone(8, 1000, 0.5), tone(4, 3000, 0.4), Ducking(), 2.0, cut_s=3.0)
    assert level_db(out, 1000, 4.1, 8.0) == pytest.approx(20 * np.log10(0.5), abs=0.05)
    assert level_db(out, 3000, 3.3, 6.0) < -80


def test_voice_over_bed_is_what_a_loudness_meter_says():
    """ITU-R BS.1770 by pyloudnorm, on a voice and on the bed as it is lowered."""
    import pyloudnorm

    meter = pyloudnorm.Meter(RATE)
    dice = np.random.default_rng(3)
    bed = (0.1 * dice.standard_normal(20 * RATE)).astype("f4")
    spoken = tone(6, 700, 0.2)
    for depth in (3.0, 10.0, 15.0):
        ducking = Ducking(depth_db=depth, attack_s=0.01, ahead_s=0.1)
        items = [
            make_item(n, len(wave) / RATE, kind, lufs=meter.integrated_loudness(wave))
            for n, (wave, kind) in enumerate(((bed, Kind.SONG), (spoken, Kind.SWEEPER)), 1)
        ]
        told = voice_over_bed(items[1], items[:1], ducking, Levels(target_lufs=-20.0), ())
        # both are brought to the target, so the mix is made of them as they are played
        gains = [10 ** ((-20.0 - item.measure.integrated_lufs) / 20) for item in items]
        silent = np.zeros_like(spoken)
        lowered = mixed(bed * gains[0], silent, ducking, 5.0)[5 * RATE : 11 * RATE]
        heard = meter.integrated_loudness(spoken * gains[1]) - meter.integrated_loudness(
            lowered[:, 0].astype(float)
        )
        assert told == pytest.approx(heard, abs=0.3)
    quiet = make_item(5, 4, Kind.SWEEPER, lufs=None)
    assert voice_over_bed(quiet, items[:1], ducking, Levels(), ()) is None

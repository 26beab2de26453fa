"""The step in loudness where one item passes into another, against the samples themselves."""

import numpy as np
import pytest
import soundfile

from nightly_spindle.audio.join_level import STEP_LU, assess, join_levels, side_of
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.segues.joins import plan_join, span
from nightly_spindle.core.segues.segue_rules import Segues
from nightly_spindle.core.station.settings import StationSettings

RATE = 8000
SETTINGS = StationSettings("S", "UTC", rate=RATE)


def noise(*parts):
    """Noise of one spectrum in parts (seconds, dB): differences of power are those of loudness."""
    dice = np.random.default_rng(7)
    return np.concatenate(
        [dice.normal(0, 0.05 * 10 ** (db / 20), round(s * RATE)) for s, db in parts]
    )


def side(folder, number, kind, sound):
    path = folder / f"{number}.wav"
    soundfile.write(path, sound, RATE)
    found = measure_file(str(path))
    item = Item(number, kind, f"Item {number}", "", str(path), found.measure)
    return side_of(item, found.envelope, SETTINGS)


def short_term(sound):
    """The power of each 3 s of sound (EBU Tech 3341), in dB."""
    width = 3 * RATE
    sums = np.concatenate([[0], np.cumsum(np.square(sound))])[:: RATE // 100]
    return 10 * np.log10((sums[width // 80 :] - sums[: -(width // 80)]) / width)


@pytest.mark.parametrize(
    ("before", "after", "kind"),
    [
        (((30, 0),), ((30, 0),), Kind.SONG),
        (((30, 0), (8, -4)), ((30, 0),), Kind.SONG),  # a softer end: the louder part is in the ear
        (((30, 0), (20, -9)), ((30, 0),), Kind.SONG),  # but not what is longer ago
        (((30, 0),), ((3, 9), (27, 0)), Kind.ID),  # a bell ID that begins loudly
        (((30, 0),), ((6, -9), (24, 0)), Kind.SONG),  # softly: that is the music's own
    ],
)
def test_the_step_is_that_of_the_samples(tmp_path, before, after, kind):
    first, second = noise(*before), noise(*after)
    out, into = side(tmp_path, 1, Kind.SONG, first), side(tmp_path, 2, kind, second)
    join = plan_join(out.item, span(out.item, RATE).cue_in, into.item, Segues(), RATE)
    verdict = assess(join_levels(out, into, join, RATE))
    heard = first[max(0, join.segue - 10 * RATE) : join.segue]
    wanted = short_term(second)[0] + into.gain_db - short_term(heard).max() - out.gain_db
    assert verdict.step_lu == pytest.approx(wanted, abs=0.6)
    told = [one for one in verdict.faults if one.startswith("A step")]
    assert bool(told) is (verdict.step_lu > STEP_LU)
    assert verdict.step == f"step {verdict.step_lu:+.0f} LU"


def test_what_steps_up_is_told_and_what_steps_down_is_not(tmp_path):
    song = side(tmp_path, 1, Kind.SONG, noise((30, 0), (20, -9)))
    loud = side(tmp_path, 2, Kind.SONG, noise((30, 0)))
    up = assess(join_levels(song, loud, plan_join(song.item, 0, loud.item, Segues(), RATE), RATE))
    down = assess(join_levels(loud, song, plan_join(loud.item, 0, song.item, Segues(), RATE), RATE))
    assert [one for one in up.faults if "louder than what was before" in one]
    assert not [one for one in down.faults if one.startswith("A step")]

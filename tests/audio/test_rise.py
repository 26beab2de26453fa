"""How softly an item begins and ends is measured where its level is reached."""

import numpy as np
import pytest
import soundfile

from nightly_spindle.audio.measure import measure_file
from nightly_spindle.core.station.settings import Trimming
from nightly_spindle.store.base import tables
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library.marking import measure_ends

RATE = 8000


@pytest.mark.parametrize(
    ("soft_db", "lasts"), [(-20.0, 2.0), (-30.0, 0.8), (-12.0, 3.0), (-6.0, 2.0), (0.0, 1.0)]
)
def test_rise_and_fall_are_measured_where_the_level_is_reached(tmp_path, soft_db, lasts):
    """Noise with a softer beginning and end: over 400 ms, so to within half of that."""
    sound = np.random.default_rng(5).normal(0, 0.1, 20 * RATE)
    edge = round(lasts * RATE)
    sound[:edge] *= 10 ** (soft_db / 20)
    sound[-edge:] *= 10 ** (soft_db / 20)
    soundfile.write(tmp_path / "a.wav", sound, RATE)
    found = measure_file(str(tmp_path / "a.wav"), Trimming()).measure
    quiet = soft_db < -10
    assert found.rise_s == pytest.approx(lasts if quiet else 0.0, abs=0.25)
    assert found.soft_s == pytest.approx(20.0 - lasts if quiet else 20.0, abs=0.25)


def test_silence_and_a_blip_have_none_or_nothing_to_rise(tmp_path):
    soundfile.write(tmp_path / "silence.wav", np.zeros(RATE), RATE)
    assert measure_file(str(tmp_path / "silence.wav")).measure.rise_s is None
    soundfile.write(tmp_path / "short.wav", np.full(RATE // 4, 0.3), RATE)
    short = measure_file(str(tmp_path / "short.wav")).measure
    assert short.rise_s in {None, 0.0}


def test_a_library_of_before_is_looked_at_again_in_parts(station):
    def known():
        with connect(station) as connection:
            rows = connection.execute("SELECT rise_s, soft_s, segue_s FROM item ORDER BY cart")
            return [tuple(row) for row in rows]

    whole = known()
    assert all(rise is not None for rise, _, _ in whole)
    with LibraryTransaction(station) as library:
        library.run(tables.item.update().values(rise_s=None, soft_s=None))
    times = 0
    while True:
        with LibraryTransaction(station) as library:
            if not measure_ends(library, Trimming(), 4):
                break
        times += 1
    assert times == -(-len(whole) // 4)
    assert known() == whole

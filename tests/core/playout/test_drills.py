"""Drills: one thing broken on purpose, beside the night in which nothing is."""

import random
import shutil
from datetime import date, datetime, time, timedelta
from pathlib import Path

import pytest
from conftest import ZONE, song_names, write_log

from nightly_spindle.cli.main import DRILLS
from nightly_spindle.core.base.timebase import US, resolve_local, zone
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.drills import Drill, run_drill
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.store.programme.snapshot import open_station

HOURS = 6.0
BREAKS_US = 3600 * US


@pytest.fixture(scope="module")
def night(built_long, tmp_path_factory):
    """A station whose day logs of three songs a line run through the night."""
    folder = Path(shutil.copytree(built_long, tmp_path_factory.mktemp("drills") / "pier"))
    songs = [name for name in song_names(folder) if name.startswith("song")]
    for away in (-1, 0, 1):
        write_log(folder, date.today() + timedelta(away), songs * 60)
    return folder


def begun(folder, at_us):
    snapshot = open_station(folder)
    snapshot.prepare(at_us, at_us + 8 * BREAKS_US)
    sequencer, actions = take_the_air(snapshot.programme, None, at_us)
    return snapshot.programme, sequencer, actions


def drilled(folder, drill, at_us, breaks_us=BREAKS_US):
    programme, sequencer, actions = begun(folder, at_us)
    now = sequencer.state.clock.now_us
    before = programme.logs, dict(programme.away), dict(programme.unplayable)
    found = run_drill(programme, sequencer, actions, HOURS, drill, now + breaks_us)
    assert (programme.logs, programme.away, programme.unplayable) == before, "all is as it was"
    return found


def noon():
    return resolve_local(datetime.combine(date.today(), time(12, 0)), zone(ZONE))


def starts(found):
    return [(row.start, row.line.cart) for row in found.rows]


def test_with_nothing_broken_it_is_the_rehearsal(night):
    found = drilled(night, Drill.NOTHING, noon())
    programme, sequencer, actions = begun(night, noon())
    rows = rehearse(programme, sequencer, actions, HOURS).sounding()
    assert starts(found) == [(row.start, row.line.cart) for row in rows]
    assert (found.silent_s, found.net_s, found.tone_s) == (0, 0, 0)


@pytest.mark.parametrize("drill", [one for one in Drill if one is not Drill.NOTHING])
def test_nothing_changes_before_it_breaks(night, drill):
    seed = random.randrange(2**32)
    print(f"seed {seed}")
    breaks_us = random.Random(seed).randrange(60, 5 * 3600) * US
    undisturbed = starts(drilled(night, Drill.NOTHING, noon()))
    found = drilled(night, drill, noon(), breaks_us)
    rate = 44_100
    edge = undisturbed[0][0] + breaks_us * rate // US
    early = [one for one in undisturbed if one[0] < edge - 600 * rate]
    assert starts(found)[: len(early)] == early


def test_a_folder_that_is_away_is_bridged_and_the_log_goes_on_where_it_should_be(night):
    found = drilled(night, Drill.FOLDER, noon())
    assert found.longest_s < 1, "never silent"
    assert found.net_s + found.tone_s > 1200, "the songs lie in the folder that is gone"
    undisturbed = starts(drilled(night, Drill.NOTHING, noon()))
    # the song that bridges the last of it plays to its end: not a song more or less than that
    late = [b.start - a[0] for a, b in zip(undisturbed[-3:], found.rows[-3:], strict=True)]
    assert max(map(abs, late)) < 300 * 44_100


def test_a_power_cut_is_as_long_as_it_is_and_the_log_goes_on_where_it_should_be(night):
    found = drilled(night, Drill.POWER, noon())
    assert 895 < found.longest_s < 910
    undisturbed = starts(drilled(night, Drill.NOTHING, noon()))
    assert starts(found)[-3:] == undisturbed[-3:]


def test_one_item_that_cannot_be_read_moves_the_next_up(night):
    found = drilled(night, Drill.ITEM, noon())
    assert found.longest_s < 1
    assert found.lost >= 1
    assert "cannot be read" in found.what


def test_without_logs_the_net_fills_the_next_day(night):
    """At day start no log comes any more: what is lined up runs out, then the net."""
    at = noon() + 10 * 3600 * US
    found = drilled(night, Drill.NO_LOG, at)
    assert found.longest_s < 1
    assert found.net_s > 0
    assert drilled(night, Drill.NOTHING, at).net_s == 0


def test_the_command_knows_each_of_them():
    assert tuple(Drill) == DRILLS

"""What a drill says beforehand, beside an engine to which the same is done."""

import os
import shutil
import signal
from datetime import date, timedelta
from pathlib import Path

import pytest
from conftest import ZONE, song_names, wait, write_log
from test_engine import Air

from nightly_spindle.air.places import engine_pid
from nightly_spindle.core.base.timebase import US, iso, parse_instant, zone
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.drills import OFF_S, Drill, run_drill
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.playout.journal import as_run_between
from nightly_spindle.store.programme.snapshot import open_station

pytestmark = pytest.mark.engine
TZ = zone(ZONE)
DAY = date(2026, 11, 23)
FRAME_US = 23  # of 44,100 a second, rounded up


@pytest.fixture
def station(built_long, tmp_path):
    """Whose day's log has no end before the test has."""
    folder = Path(shutil.copytree(built_long, tmp_path / "pier"))
    songs = [name for name in song_names(folder) if name.startswith("song")]
    for away in (-1, 0, 1):
        write_log(folder, DAY + timedelta(away), songs * 60)
    return folder


def heard(folder, from_us, until_us):
    """(start in µs, cart) of all that sounded, by the as-run log."""
    rows = as_run_between(connect(folder), from_us, until_us)
    return [
        (row.start_us, row.cart)
        for row in rows
        if row.kind and not row.over and row.end_us > row.start_us and row.start_us >= from_us
    ]


def drilled(folder, from_us, drill, at_us):
    """What the drill says: (start in µs, cart) of all that will sound, and its result."""
    snapshot = open_station(folder)
    snapshot.prepare(from_us, from_us + 4 * 3600 * US)
    sequencer, begun = take_the_air(snapshot.programme, None, from_us)
    clock = sequencer.state.clock
    told = run_drill(snapshot.programme, sequencer, begun, 2.0, drill, at_us)
    return [(clock.instant_of(row.start), row.line.cart) for row in told.rows], told


def engine_at(station, at_us, *options):
    usual = ("--pace", "30", "--no-supervisor", "--no-intake")
    return Air(station, "--clock", iso(at_us, TZ), *usual, *options)


def assert_same(aired, planned):
    assert [cart for _, cart in aired] == [cart for _, cart in planned]
    for (at, _), (wanted, _) in zip(aired, planned, strict=True):
        assert abs(at - wanted) <= FRAME_US


def test_after_a_power_cut_it_airs_what_the_drill_said_to_the_frame(station):
    noon = parse_instant("2026-11-23T12:00:00", TZ)
    plan = shutil.copytree(station, station.parent / "plan")
    engine, again = engine_at(station, noon, "--cold"), None
    try:
        wait(lambda: len(heard(station, noon, 2**62)) >= 2, engine.told)
        os.kill(engine_pid(station), signal.SIGKILL)
        engine.process.wait(60)
        (cut,) = connect(station).execute("SELECT seen_us FROM air_state").fetchone()
        back = cut + round(OFF_S * US)
        planned, told = drilled(plan, noon, Drill.POWER, cut)
        again = engine_at(station, back)
        wait(lambda: len(heard(station, back - US, 2**62)) >= 4, again.told)
    finally:
        engine.end()
        if again is not None:
            again.end()
    before = heard(station, noon, cut)
    assert_same(before, planned[: len(before)])
    after = heard(station, back - US, 2**62)[:3]
    assert_same(after, [one for one in planned if one[0] >= back - US][:3])
    assert told.longest_s == pytest.approx((after[0][0] - cut) / US, abs=0.1)


def test_without_the_log_of_the_day_it_airs_what_the_drill_said_to_the_frame(station):
    late = parse_instant("2026-11-23T23:56:00", TZ)
    plan = shutil.copytree(station, station.parent / "plan")
    planned, told = drilled(plan, late, Drill.NO_LOG, late + 60 * US)
    with_log, _ = drilled(plan, late, Drill.NOTHING, late + 60 * US)
    assert planned[:8] != with_log[:8], "it makes a difference"
    for log in (station / "logs").glob(f"*{DAY + timedelta(1)}*"):
        log.unlink()
    engine = engine_at(station, late, "--cold")
    try:
        wait(lambda: len(heard(station, late, 2**62)) >= 5, engine.told)
    finally:
        engine.end()
    assert_same(heard(station, late, 2**62)[:4], planned[:4])
    assert told.longest_s == 0

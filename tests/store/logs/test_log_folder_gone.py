"""A log folder that is not there: told from the first look on, and read when it comes."""

import shutil
from datetime import date

from conftest import day_slot, song_names, write_log

from nightly_spindle.core.station.log_sources import ReadingState
from nightly_spindle.store.programme.snapshot import open_station

DAY = date(2026, 11, 24)


def test_a_folder_that_is_missing_from_the_start_is_told_and_taken_up_when_it_comes(station):
    names = song_names(station)[:3]
    write_log(station, DAY, names)
    shutil.move(station / "logs", station / "away")
    snapshot = open_station(station)
    (drop,) = [one for one in snapshot.programme.drops.values() if one.id > 0]
    slot = day_slot(snapshot, drop, DAY)
    for _ in range(2):
        reading = snapshot.logs.refresh(drop, slot)
        assert reading.state is ReadingState.UNREADABLE
        assert f"{station}/logs cannot be read" in reading.problem
        assert not reading.usable
    shutil.move(station / "away", station / "logs")
    reading = snapshot.logs.refresh(drop, slot)
    assert (reading.state, reading.problem) == (ReadingState.READ, "")
    assert len(reading.matches) == 3
    # gone again: what was read before holds, and why is told
    shutil.move(station / "logs", station / "away")
    reading = snapshot.logs.refresh(drop, slot)
    assert reading.usable
    assert "what was read before goes on air" in reading.problem

"""The night before, in the as-run log of a station that has just been made."""

import time
from datetime import timedelta

from conftest import write_log

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.simulators.demo_night import air_the_night_before
from nightly_spindle.store.playout.journal import as_run_between
from nightly_spindle.store.programme.snapshot import open_station


def test_what_would_have_aired_since_yesterday_evening_stands_there_once(station):
    with_log = open_station(station)
    tz = with_log.programme.settings.tz
    with_log.connection.close()
    now_us = time.time_ns() // 1000
    today = local_from(now_us, tz).date()
    names = [f"song/Keeper {n} - Lamp {n}.{('flac', 'wav', 'flac')[n % 3]}" for n in range(8)]
    for day in (today - timedelta(days=1), today):
        write_log(station, day, names * 40)
    told = []
    written = air_the_night_before(station, now_us, lambda what, part: told.append((what, part)))
    snapshot = open_station(station)
    try:
        rows = as_run_between(snapshot.connection, 0, now_us + 1)
    finally:
        snapshot.connection.close()
    aired = [row for row in rows if row.outcome == "aired"]
    assert written
    assert aired
    first = local_from(min(row.start_us for row in aired), tz)
    assert (first.date(), first.hour) == (today - timedelta(days=1), 18)
    # to the frame: ends are rounded to one
    assert all(row.end_us <= now_us + 23 for row in rows)
    assert not [row for row in rows if row.outcome == "on air"], "nothing is left open"
    # no hole of a second between one and the next: an engine would have aired it so
    plays = sorted((row.start_us, row.end_us) for row in rows if row.cart and not row.over)
    assert plays
    heard_to = plays[0][0]
    for begin, end in plays:
        assert begin <= heard_to + 1_000_000
        heard_to = max(heard_to, end)
    assert heard_to > now_us - 5_000_000
    assert [part for _, part in told] == sorted(part for _, part in told)
    assert told[-1][1] == 1.0
    assert air_the_night_before(station, now_us, lambda *_: None) == 0, "it is there already"

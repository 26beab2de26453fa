"""A weekday's log that is last week's is told; what was due before a drop was made is not."""

from dataclasses import replace
from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

import pytest
from test_loading import HOUR, MIN, NOON, go, hourly, hours, on_air, programme

from nightly_spindle.core.base.timebase import us_from
from nightly_spindle.core.calendar.log_periods import Period, slot_at
from nightly_spindle.core.logs.log_line import LogLine
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.reports.log_status import LogState, state_of
from nightly_spindle.core.station.log_age import too_old
from nightly_spindle.core.station.log_sources import (
    DropOptions,
    Loads,
    LogDrop,
    LogReading,
    ReadingState,
)
from nightly_spindle.core.station.settings import StationSettings

LISBON = ZoneInfo("Europe/Lisbon")
MATCH = Match(LogLine(1, "a"), MatchStatus.MATCHED, "path", 1001)
WEEKLY = LogDrop(1, "Week", "/logs", "%A.m3u", DropOptions(period=Period.WEEKDAY))
START = time(5, 0)


def written(at, drop=WEEKLY, day=date(2026, 11, 30), state=ReadingState.READ):
    slot = slot_at(
        drop.options.period, LISBON, START, us_from(datetime(*day.timetuple()[:3], 12, tzinfo=UTC))
    )
    return LogReading(1, slot, "Monday.m3u", state, (MATCH,), written_us=at)


# the Monday before began on 23 November at 05:00 and ended a day later; Lisbon is at UTC then
LAST_END = us_from(datetime(2026, 11, 24, 5, tzinfo=UTC))


@pytest.mark.parametrize(
    ("at", "old"),
    [
        (LAST_END, False),
        (LAST_END - 1, True),
        (us_from(datetime(2026, 11, 29, 20, tzinfo=UTC)), False),
        (us_from(datetime(2026, 5, 4, tzinfo=UTC)), True),
        (0, False),  # nobody knows when
    ],
)
def test_a_weekdays_log_is_old_that_was_not_written_since_the_weekday_last_aired(at, old):
    assert bool(too_old(WEEKLY, written(at), LISBON, START)) is old


def test_it_says_when_it_was_written_and_can_be_switched_off():
    told = too_old(WEEKLY, written(LAST_END - 1), LISBON, START)
    assert told == (
        "Monday.m3u was last written on 23 Nov 2026, before that weekday last had its log"
    )
    quiet = replace(WEEKLY, options=replace(WEEKLY.options, old_told=False))
    assert not too_old(quiet, written(LAST_END - 1), LISBON, START)
    daily = replace(WEEKLY, options=DropOptions(period=Period.DAY))
    assert not too_old(daily, written(LAST_END - 1), LISBON, START)
    missing = written(LAST_END - 1, state=ReadingState.MISSING)
    assert not too_old(WEEKLY, missing, LISBON, START)


class OldLogs:
    """The same log every day, last written long ago."""

    def reading(self, drop, slot):
        return LogReading(
            drop.id,
            slot,
            f"{slot.day:%A}.m3u",
            ReadingState.READ,
            (Match(LogLine(1, "1.flac"), MatchStatus.MATCHED, "path", 1),),
            written_us=NOON - 30 * 24 * HOUR,
        )


@pytest.mark.parametrize("told", [True, False])
def test_an_old_log_airs_and_is_a_finding(told):
    options = DropOptions(period=Period.WEEKDAY, loads=Loads.AT_TIME, old_told=told)
    sequencer = on_air(programme(OldLogs(), options), NOON, [41, 42])
    recorder = go(sequencer, NOON + 24 * HOUR)
    codes = [one.code for one in recorder.findings]
    assert ("log-old" in codes) is told
    assert 1 in {row.line.cart for row in recorder.rows}


@pytest.mark.parametrize(("made_us", "told"), [(0, True), (NOON + 33 * MIN, False)])
@pytest.mark.parametrize("loads", [Loads.LINES_LEFT, Loads.AT_TIME])
def test_a_drop_misses_nothing_that_was_due_before_it_was_made(made_us, told, loads):
    """Made at 12:33: no alarm for 12:00, one for 13:00; the log of 12:00 may come all the same."""
    station = programme(hours(), hourly(loads=loads, lines_left=50.0))
    station.drops[1] = replace(station.drops[1], made_us=made_us)
    sequencer = on_air(station, NOON + 34 * MIN, [41, 42, 43])
    recorder = go(sequencer, NOON + 59 * MIN)
    alarms = [one for one in recorder.findings if one.code == "log-missing"]
    assert len(alarms) == (told and loads is Loads.LINES_LEFT)
    recorder = go(sequencer, NOON + 70 * MIN)
    assert [one.code for one in recorder.findings].count("log-missing") == 1
    slot = station.slot(station.drops[1], NOON + 34 * MIN)
    there = LogReading(1, slot, "12.m3u", ReadingState.MISSING)
    state = state_of(station.drops[1], there, None, NOON + 34 * MIN, StationSettings("S", "UTC"))
    assert state is (LogState.MISSED if told else LogState.EXPECTED)

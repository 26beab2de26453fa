"""The states of a log, from waiting for it to having aired it, each exactly at its bound."""

from dataclasses import replace
from datetime import date, datetime, time
from zoneinfo import ZoneInfo

import pytest

from nightly_spindle.core.base.timebase import resolve_local
from nightly_spindle.core.calendar.log_periods import Slot
from nightly_spindle.core.calendar.near_names import ANOTHER_TIME, NearName
from nightly_spindle.core.events.steps import LoadLog
from nightly_spindle.core.events.timed_events import AfterSongs, Entry, TimedEvent
from nightly_spindle.core.logs.log_line import LogLine
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.reports.log_status import (
    BoardLog,
    LoadedLog,
    LogState,
    deadline_us,
    is_waited_for,
    state_of,
)
from nightly_spindle.core.station.log_sources import (
    DropOptions,
    Loads,
    LogDrop,
    LogReading,
    ReadingState,
)
from nightly_spindle.core.station.settings import StationSettings

TZ = ZoneInfo("Europe/Lisbon")
DAY = date(2026, 11, 24)


def us(day, clock):
    return resolve_local(datetime.combine(day, time.fromisoformat(clock)), TZ)


BEGIN, END = us(DAY, "00:00"), us(date(2026, 11, 25), "00:00")
SLOT = Slot(BEGIN, END, datetime(2026, 11, 24), DAY)
DROP = LogDrop(
    1, "Nights", "/logs", "%Y-%m-%d.m3u", DropOptions(loads=Loads.AT_TIME, expected="18:00")
)
SETTINGS = StationSettings("Pier", TZ.key)
FOUND = Match(LogLine(1, "a"), MatchStatus.MATCHED, "path", 1001)
LOST = Match(LogLine(2, "b"), MatchStatus.MISSING, "not there")
NOTE = Match(LogLine(3, "# c"), MatchStatus.COMMENT, "comment")


def reading(state=ReadingState.READ, *matches, **more):
    return LogReading(1, SLOT, "2026-11-24.m3u", state, matches, **more)


def loaded(ok=True):
    return LoadedLog(BEGIN, "x.m3u", "73 lines", ok)


WHOLE = reading(ReadingState.READ, FOUND, NOTE)
MISSING = reading(ReadingState.MISSING)
DUE = us(date(2026, 11, 23), "18:00")  # the evening before


@pytest.mark.parametrize(
    ("found", "was", "now", "state"),
    [
        (WHOLE, None, BEGIN, LogState.WHOLE),
        (reading(ReadingState.READ, FOUND, LOST), None, BEGIN, LogState.GAPS),
        (reading(ReadingState.READ, LOST), None, BEGIN, LogState.UNUSABLE),
        (reading(ReadingState.EMPTY), None, BEGIN, LogState.UNUSABLE),
        (reading(ReadingState.UNREADABLE), None, BEGIN, LogState.UNUSABLE),
        (reading(ReadingState.GROWING), None, BEGIN, LogState.ARRIVING),
        (MISSING, None, DUE - 1, LogState.EXPECTED),
        (MISSING, None, DUE, LogState.OVERDUE),
        (MISSING, None, BEGIN - 1, LogState.OVERDUE),
        (MISSING, None, BEGIN, LogState.MISSED),
        (MISSING, None, END - 1, LogState.MISSED),
        (MISSING, None, END, LogState.OVER),
        (WHOLE, None, END, LogState.OVER),
        (WHOLE, None, END - 1, LogState.WHOLE),
        (WHOLE, loaded(), END - 1, LogState.LOADED),
        (WHOLE, loaded(), END, LogState.AIRED),
        (MISSING, loaded(), BEGIN, LogState.LOADED),
        (WHOLE, loaded(ok=False), BEGIN, LogState.WHOLE),
    ],
)
def test_a_logs_state(found, was, now, state):
    assert state_of(DROP, found, was, now, SETTINGS) is state


def test_a_log_that_nothing_waits_for_is_never_overdue():
    for now in (DUE, BEGIN, END - 1):
        assert state_of(DROP, MISSING, None, now, SETTINGS, waited_for=False) is LogState.EXPECTED
    silent = replace(DROP, options=DropOptions(expected=""))
    assert state_of(silent, MISSING, None, BEGIN - 1, SETTINGS) is LogState.EXPECTED
    assert deadline_us(silent, SLOT, TZ, time()) is None


def test_a_deadline_is_the_last_set_hour_before_the_broadcast_day_begins():
    assert deadline_us(DROP, SLOT, TZ, time()) == DUE
    assert deadline_us(DROP, SLOT, TZ, time(18)) == DUE
    assert deadline_us(DROP, SLOT, TZ, time(18, 0, 1)) == us(DAY, "18:00")


def event(enabled=True, drop=1):
    step = LoadLog(drop)
    return TimedEvent(1, "Load", AfterSongs(3), Entry.NEXT, (step,), enabled=enabled)


def test_a_log_is_waited_for_when_it_loads_without_a_hand():
    by_hand = replace(DROP, options=DropOptions(loads=Loads.OTHERWISE))
    assert is_waited_for(DROP, [])
    assert not is_waited_for(by_hand, [])
    assert is_waited_for(by_hand, [event()])
    assert not is_waited_for(by_hand, [event(enabled=False)])
    assert not is_waited_for(by_hand, [event(drop=2)])
    off = replace(by_hand, options=replace(by_hand.options, enabled=False))
    assert not is_waited_for(off, [event()])


def board(found, state, seconds=0.0, was=None):
    return BoardLog(DROP, SLOT, found, state, seconds, was)


def test_a_log_says_how_it_fits_its_day():
    def fits(off):
        return board(WHOLE, LogState.WHOLE, 86_400 + off)

    assert [fits(off).fits() for off in (0.9, -0.9)] == ["to the second"] * 2
    assert [fits(off).fits() for off in (1, 90, -90)] == ["0:01 over", "1:30 over", "1:30 short"]
    assert [fits(off).short for off in (-61, -60, 61)] == [True, False, False]
    nothing = board(MISSING, LogState.MISSED)
    assert (nothing.fits(), nothing.short) == ("", False)
    lines = board(reading(ReadingState.READ, FOUND, LOST, NOTE), LogState.GAPS)
    assert (lines.found, lines.named, lines.lost) == (1, 2, 1)


def test_a_log_in_one_sentence():
    near = (
        NearName("2026-11-23.m3u", ANOTHER_TIME),
        NearName("24-11-2026.m3u", "another order of the date"),
    )
    assert board(WHOLE, LogState.LOADED, 1.0, loaded()).sentence() == (
        "x.m3u was loaded: 73 lines."
    )
    assert board(reading(ReadingState.READ, FOUND, LOST), LogState.GAPS, 86_490).sentence() == (
        "2026-11-24.m3u: 24:01:30 of programme, 1:30 over, 1 of 2 lines are missing."
    )
    assert board(MISSING, LogState.EXPECTED).sentence() == (
        "2026-11-24.m3u is not there yet; it is expected by 18:00."
    )
    missed = board(replace(MISSING, nearest=near), LogState.MISSED).sentence()
    assert missed.startswith("2026-11-24.m3u is not in /logs, but this one is close: 24-11-2026")
    only_others = board(replace(MISSING, nearest=near[:1]), LogState.MISSED).sentence()
    assert only_others == "2026-11-24.m3u is not in /logs."
    assert board(reading(ReadingState.READ, LOST), LogState.UNUSABLE).sentence() == (
        "No line of 2026-11-24.m3u is in the library."
    )

"""Local time, recurrence, firings."""

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from conftest import examples
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import (
    US,
    frames_from_us,
    iso,
    parse_instant,
    resolve_local,
    us_from,
    us_from_frames,
    zone,
)
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.core.calendar.recurrence import TimeRule, every_day_at


# RFC 5545 section 3.3.5: in a gap the offset before it holds, a doubled time is the first.
# The New York cases are the standard's own; the others follow the IANA database.
@pytest.mark.parametrize(
    ("name", "local", "utc"),
    [
        ("America/New_York", "2007-03-11T02:30", "2007-03-11T07:30"),  # is 03:30 EDT
        ("America/New_York", "2007-11-04T01:30", "2007-11-04T05:30"),  # the first: EDT
        ("Europe/Lisbon", "2026-03-29T01:30", "2026-03-29T01:30"),
        ("Europe/Lisbon", "2026-10-25T01:30", "2026-10-25T00:30"),
        ("Australia/Lord_Howe", "2026-10-04T02:15", "2026-10-03T15:45"),  # 30 minutes
        ("Australia/Lord_Howe", "2026-04-05T01:45", "2026-04-04T14:45"),
    ],
)
def test_local_times_in_gaps_and_folds(name, local, utc):
    expected = us_from(datetime.fromisoformat(utc).replace(tzinfo=UTC))
    assert resolve_local(datetime.fromisoformat(local), zone(name)) == expected


@given(st.integers(0, 4_000_000_000 * US), st.sampled_from([44_100, 48_000]))
def test_frames_and_instants_are_inverse_within_half_a_frame(us, rate):
    frame = frames_from_us(us, rate)
    assert frames_from_us(us_from_frames(frame, rate), rate) == frame
    assert abs(us_from_frames(frame, rate) - us) <= US / rate / 2 + 1


# Worked examples of RFC 5545 section 3.8.5.3, with the dates that the standard prints.
NY = ZoneInfo("America/New_York")
EXAMPLES = [
    ("FREQ=DAILY;COUNT=10", [(9, d) for d in range(2, 12)]),
    ("FREQ=WEEKLY;COUNT=10", [(9, 2), (9, 9), (9, 16), (9, 23), (9, 30), (10, 7), (10, 14)]),
    ("FREQ=MONTHLY;COUNT=10;BYDAY=1TU", [(9, 2), (10, 7), (11, 4), (12, 2)]),
    (
        "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH",
        [(9, 2), (9, 4), (9, 16), (9, 18), (9, 30), (10, 2), (10, 14), (10, 16)],
    ),
    ("FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", [(9, 22), (10, 20), (11, 17), (12, 22)]),
    ("FREQ=DAILY;INTERVAL=10;COUNT=5", [(9, 2), (9, 12), (9, 22), (10, 2), (10, 12)]),
]


@pytest.mark.parametrize(("rule", "days"), EXAMPLES)
def test_rfc_5545_worked_examples(rule, days):
    start = datetime(1997, 9, 2, 9, 0)
    begin = us_from(datetime(1997, 9, 1, tzinfo=UTC))
    found = TimeRule(start, rule).firings(NY, begin, begin + 150 * 86_400 * US)
    expected = [us_from(datetime(1997, m, d, 9, 0, tzinfo=NY)) for m, d in days]
    assert found[: len(expected)] == expected


@examples(60)
@given(
    st.sampled_from(["DAILY", "WEEKLY", "MONTHLY", "HOURLY"]),
    st.sampled_from(["", ";INTERVAL=2", ";COUNT=40", ";INTERVAL=3;COUNT=15"]),
    st.sampled_from(["", ";BYDAY=MO,WE,SA", ";BYHOUR=3,4,22", ";BYMONTHDAY=1,15,31"]),
    st.datetimes(datetime(2020, 1, 1), datetime(2025, 12, 31)).map(
        lambda d: d.replace(microsecond=0)
    ),
    st.integers(0, 700),
)
def test_firings_are_dateutils_in_any_window(freq, extra, by, start, days):
    rule = f"FREQ={freq}{extra}{by}"
    tz = ZoneInfo("UTC")
    low = start + timedelta(days=days)
    high = low + timedelta(days=9)
    try:
        expected = rrulestr(rule, dtstart=start).between(low, high, inc=True)
    except ValueError:  # by its own rules it can never fire
        with pytest.raises(SettingRefused, match="not a recurrence rule"):
            TimeRule(start, rule).firings(tz, resolve_local(low, tz), resolve_local(high, tz))
        return
    found = TimeRule(start, rule).firings(tz, resolve_local(low, tz) - 1, resolve_local(high, tz))
    assert found == [resolve_local(moment, tz) for moment in expected]


@pytest.mark.parametrize(("day", "hours"), [((2026, 3, 29), 23), ((2026, 10, 25), 25)])
def test_nights_of_23_and_25_hours_fire_once_each_midnight(day, hours):
    tz = ZoneInfo("Europe/Lisbon")
    midnight = resolve_local(datetime(*day), tz)
    first, second = every_day_at(time(0, 0)).firings(tz, midnight - 1, midnight + 26 * 3600 * US)
    assert second - first == hours * 3600 * US


def test_a_time_that_does_not_exist_fires_once():
    tz = ZoneInfo("Europe/Lisbon")
    begin = resolve_local(datetime(2026, 3, 29), tz)
    found = every_day_at(time(1, 30)).firings(tz, begin, begin + 20 * 3600 * US)
    assert [iso(us, tz) for us in found] == ["2026-03-29T02:30:00.000000+01:00"]


def test_broadcast_day_begins_at_the_day_start():
    tz = ZoneInfo("Europe/Lisbon")
    before = resolve_local(datetime(2026, 11, 24, 4, 59), tz)
    assert broadcast_day(before, tz, time(5, 0)) == date(2026, 11, 23)
    assert broadcast_day(before + 60 * US, tz, time(5, 0)) == date(2026, 11, 24)


def test_bad_times_are_told_in_a_sentence():
    with pytest.raises(SettingRefused, match="'half past' is not a time"):
        parse_instant("half past", ZoneInfo("UTC"))
    with pytest.raises(SettingRefused, match="Europe/Lison"):
        zone("Europe/Lison")
    with pytest.raises(SettingRefused, match="not a recurrence rule"):
        TimeRule(datetime(2026, 1, 1), "FREQ=OFTEN").firings(ZoneInfo("UTC"), 0, US)

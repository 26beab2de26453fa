"""File names of logs: patterns, slots, what lies there and what is close."""

import random
from datetime import date, datetime, time, timedelta
from time import process_time
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US, local_from, resolve_local
from nightly_spindle.core.calendar.dated_names import (
    FolderEntry,
    candidates,
    check_pattern,
    parts_of,
    period_of,
    written,
)
from nightly_spindle.core.calendar.log_periods import Period, slot_at, slots
from nightly_spindle.core.calendar.name_readings import patterns_from, read_name
from nightly_spindle.core.calendar.near_names import nearest
from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.station.log_sources import (
    DropOptions,
    HourDate,
    Loads,
    LogDrop,
    Long,
    Rest,
    check_drop,
)

LISBON = ZoneInfo("Europe/Lisbon")
HOUR = 3600 * US
NIGHT = datetime(2026, 11, 24, 13)
MOMENTS = st.datetimes(datetime(2000, 1, 1), datetime(2099, 12, 31))


@given(
    MOMENTS,
    st.lists(
        st.sampled_from(
            [
                "%Y",
                "%y",
                "%m",
                "%-m",
                "%b",
                "%B",
                "%d",
                "%-d",
                "%j",
                "%H",
                "%-H",
                "%I",
                "%p",
                "%A",
                "%a",
                "%u",
                "%w",
                "%%",
                "-",
                "_",
                " log ",
                ".m3u",
                "\u00e4",
            ]
        ),
        min_size=1,
        max_size=9,
    ),
)
def test_names_are_what_strftime_writes(moment, parts):
    pattern = "".join(parts)
    assert written(pattern, moment) == moment.strftime(pattern)


@given(
    MOMENTS,
    st.sampled_from(
        [
            "%Y-%m-%d.m3u",
            "%y%m%d.m3u",
            "%Y%m%d_%H.xspf",
            "%m-%d-%H.m3u",
            "log %d %b %Y.csv",
            "%d.%m.%Y %H.txt",
            "%y%m%d%H.pls",
        ]
    ),
)
def test_the_pattern_of_a_real_name_is_among_the_first_that_are_proposed(moment, pattern):
    name = written(pattern, moment)
    found = patterns_from(name, moment)
    # what is proposed first reads the name as some day, and writes the same name again
    assert written(found[0], read_name(found[0], name, moment)) == name
    # the one that made it is offered, or one that no name of that day could tell from it
    assert any(written(p, moment) == name and read_name(p, name, moment) for p in found)


@pytest.mark.parametrize(
    ("name", "pattern"),
    [
        ("2026-11-24.m3u", "%Y-%m-%d.m3u"),
        ("20261124_13.M3U", "%Y%m%d_%H.M3U"),
        ("26112413.m3u", "%y%m%d%H.m3u"),
        ("11-24-13.m3u", "%m-%d-%H.m3u"),
        ("Music 24.11.2026.csv", "Music %d.%m.%Y.csv"),
        ("Tuesday.m3u", "%A.m3u"),
        ("log Tue 24 Nov 2026 13.csv", "log %a %d %b %Y %H.csv"),
        ("AM_112426 rev2.pls", "AM_%m%d%y rev2.pls"),
    ],
)
def test_patterns_that_are_worked_out_of_one_name(name, pattern):
    assert patterns_from(name, NIGHT)[0] == pattern


@pytest.mark.parametrize(
    ("name", "period"),
    [
        ("11-24-20.m3u", Period.HOUR),
        ("20261124_13.m3u", Period.HOUR),
        ("2026-11-24.m3u", Period.DAY),
        ("log Tue 24 Nov 2026.csv", Period.DAY),
        ("Tuesday.m3u", Period.WEEKDAY),
        ("13.m3u", Period.HOUR),
    ],
)
def test_the_name_says_how_much_a_log_holds(name, period):
    pattern = patterns_from(name, NIGHT)[0]
    assert period_of(pattern) is period
    check_pattern(pattern, period)


@given(st.datetimes(datetime(2020, 1, 1), datetime(2037, 1, 1)))
def test_no_digits_of_a_date_are_taken_for_an_hour_alone(moment):
    """2026-11-30 is no hour 11 between two numbers."""
    for pattern in ("%Y-%m-%d.m3u", "%d.%m.%Y.csv", "%Y%m%d.xspf", "%m-%d-%H.m3u"):
        name = written(pattern, moment)
        for offered in patterns_from(name, moment):
            codes = set(parts_of(offered))
            assert codes & {"%m", "%-m", "%b", "%B", "%j"}, (name, offered)


def test_a_name_without_a_date_gives_no_pattern():
    assert patterns_from("log.m3u", NIGHT) == []


@pytest.mark.parametrize(
    ("pattern", "period", "why"),
    [
        ("log.m3u", Period.DAY, "every day's name is the same"),
        ("%H.m3u", Period.DAY, "every day's name is the same"),
        ("%Y-%m-%d.m3u", Period.HOUR, "needs the hour"),
        ("%Y-%m-%d_%H.m3u", Period.DAY, "it has an hour in it, which a log per hour has"),
        ("%A %I %p.m3u", Period.WEEKDAY, "it has an hour in it"),
        ("%Y-%m-%d %I.m3u", Period.HOUR, "needs the hour"),
        ("%Y-%m-%d.m3u", Period.WEEKDAY, "needs the weekday"),
        ("%Q%d.m3u", Period.DAY, "%Q is not a date part"),
        ("a/%Y-%m-%d.m3u", Period.DAY, "put the folder into the folder"),
    ],
)
def test_patterns_that_cannot_tell_one_log_from_the_next(pattern, period, why):
    with pytest.raises(SettingRefused, match=why):
        check_pattern(pattern, period)
    check_pattern("%u.m3u", Period.WEEKDAY)
    check_pattern("%H.m3u", Period.HOUR)


def test_candidates_are_ranked_by_spelling_then_age():
    there = [
        FolderEntry("2026-11-24.M3U", 1, 9),
        FolderEntry("2026-11-24.m3u", 1, 1),
        FolderEntry("2026-11-23.m3u", 1, 1),
        FolderEntry("2026-11-24.M3u", 1, 12),
    ]
    names = [e.name for e in candidates("2026-11-24.m3u", there)]
    assert names == ["2026-11-24.m3u", "2026-11-24.M3u", "2026-11-24.M3U"]
    rev = [
        FolderEntry("24 rev1.csv", 1, 1),
        FolderEntry("24 rev2.csv", 1, 2),
        FolderEntry("25 rev1.csv", 1, 3),
    ]
    assert [e.name for e in candidates("24*.csv", rev)] == ["24 rev2.csv", "24 rev1.csv"]


@pytest.mark.parametrize(
    ("name", "differs"),
    [
        ("2026_11_24.m3u", "“_” instead of “-”, “_” instead of “-”"),
        ("24-11-2026.m3u", "the same date in another order"),
        ("20261124.m3u", "lacks “-”, lacks “-”"),
        ("2026-11-24.m3u8", "ends in “.m3u8” instead of “.m3u”"),
        ("2026-11-24 .m3u", "a blank at its edge"),
        ("2026-11-2.m3u", "lacks “4”"),
    ],
)
def test_a_name_that_is_close_says_what_differs(name, differs):
    entries = ["2026-11-23.m3u", name, "cover.jpg"]
    found = nearest("2026-11-24.m3u", entries, NIGHT, "%Y-%m-%d.m3u")
    assert [(one.name, one.differs) for one in found] == [(name, differs)]
    (other,) = nearest("2026-11-24.m3u", entries[::2], NIGHT, "%Y-%m-%d.m3u")
    assert other.text == "2026-11-23.m3u (the log of another time)"


def test_a_date_with_its_parts_exchanged_is_a_slip_though_it_is_a_date_too():
    entries = ["261123_03.m3u", "241126_03.m3u", "241125_03.m3u"]
    found = nearest("261124_03.m3u", entries, NIGHT.replace(hour=3), "%y%m%d_%H.m3u")
    assert [one.name for one in found] == ["241126_03.m3u"]
    assert found[0].differs == "the same date in another order"


# -- slots -----------------------------------------------------------------------------------------


def at(*parts):
    return resolve_local(datetime(*parts), LISBON)


# Lisbon by the IANA database: clocks go back on 25 October 2026 at 02:00, forward on 28 March 2027
@pytest.mark.parametrize(
    ("day", "hours", "count", "twice", "none"),
    [
        (date(2026, 10, 25), 25, 25, 1, None),
        (date(2027, 3, 28), 23, 23, None, 1),
        (date(2026, 11, 24), 24, 24, None, None),
    ],
)
def test_every_hour_that_there_is_has_a_log(day, hours, count, twice, none):
    midnight = resolve_local(datetime.combine(day, time()), LISBON)
    whole = slot_at(Period.DAY, LISBON, time(), midnight + 5 * HOUR)
    assert whole.seconds == hours * 3600
    found = slots(Period.HOUR, LISBON, time(), midnight - 1, whole.end_us - 1)
    assert len(found) == count
    assert [a.end_us for a in found] == [*(b.start_us for b in found[1:]), whole.end_us]
    names = [slot.local.hour for slot in found]
    assert (names.count(twice) == 2) if twice is not None else True
    assert none is None or none not in names
    assert len({slot.key for slot in found}) == count - (twice is not None)


@given(
    st.integers(0, 3 * 365 * 24 * 4),
    st.sampled_from(list(Period)),
    st.sampled_from([time(), time(5)]),
    st.sampled_from(["Europe/Lisbon", "Australia/Lord_Howe", "Asia/Kathmandu", "UTC"]),
)
def test_an_instant_lies_in_one_slot(quarter, period, start, zone):
    tz = ZoneInfo(zone)
    instant = at(2026, 1, 1) + quarter * 900 * US
    slot = slot_at(period, tz, start, instant)
    assert slot.start_us <= instant < slot.end_us
    assert slot_at(period, tz, start, slot.end_us).start_us == slot.end_us
    if period is Period.DAY:
        assert local_from(slot.start_us, tz).date() == slot.day


def test_the_date_of_an_hour_after_midnight_is_as_the_drop_says():
    night = slot_at(Period.HOUR, LISBON, time(5), at(2026, 11, 25, 2, 30))
    for dated, name in ((HourDate.CALENDAR, "25_02"), (HourDate.BROADCAST, "24_02")):
        options = DropOptions(period=Period.HOUR, dated=dated)
        assert LogDrop(1, "H", "/logs", "%d_%H", options).file_name(night) == name


def test_weekdays_can_have_names_of_their_own():
    names = "segunda,ter\u00e7a,quarta,quinta,sexta,s\u00e1bado,domingo"
    drop = LogDrop(1, "W", "/logs", "%A.m3u", DropOptions(period=Period.WEEKDAY, weekdays=names))
    check_drop(drop)
    found = drop.slots(LISBON, time(), at(2026, 11, 22, 12), at(2026, 11, 29, 12))
    assert [drop.file_name(slot) for slot in found] == [f"{n}.m3u" for n in names.split(",")]
    with pytest.raises(SettingRefused, match="give seven different ones"):
        check_drop(
            LogDrop(1, "W", "/logs", "%A", DropOptions(period=Period.WEEKDAY, weekdays="a,b"))
        )


def test_a_drop_reads_back_as_a_sentence_and_says_all_that_is_wrong():
    options = DropOptions(
        period=Period.HOUR,
        loads=Loads.AT_TIME,
        placement=Placement.FRONT,
        rest=Rest.DROPPED,
        long=Long.RUN,
    )
    said = LogDrop(1, "Hours", "/logs", "%y%m%d%H.m3u", options).sentence()
    assert said == (
        "One log an hour in /logs, loaded at its time, cutting in, at the front; what was there "
        "is dropped. Too short: the safety net follows; too long: let run to its end."
    )
    broken = LogDrop(
        1, " ", "", "x", DropOptions(charset="klingon", expected="noon"), (("M:", ""),)
    )
    with pytest.raises(SettingRefused) as refused:
        check_drop(broken)
    for part in (
        "needs a name",
        "needs a folder",
        "neither the date",
        "klingon",
        "noon",
        "lacks a side",
    ):
        assert part in str(refused.value)


def test_a_drop_stands_for_its_own_events():
    drop = LogDrop(3, "Hours", "/l", "%H", DropOptions(period=Period.HOUR, loads=Loads.AT_TIME))
    load, look = drop.events(time())
    assert load.sentence() == (
        "Every hour on the hour, cut in to the second: load the log in place of what is lined up."
    )
    assert look.rule.firings(LISBON, at(2026, 11, 24), at(2026, 11, 25)) == [at(2026, 11, 24, 18)]
    begin = at(2026, 10, 25) - 1
    found = load.rule.firings(LISBON, begin, begin + 25 * HOUR)
    assert len(found) == 25
    assert all(b - a == HOUR for a, b in zip(found, found[1:], strict=False))
    assert timedelta(microseconds=found[-1] - found[0]) == timedelta(hours=24)


def test_ten_thousand_strange_files_are_looked_at_in_no_time_and_the_slip_is_found():
    dice = random.Random(7)
    words = ("strange", "2026 11 mix", "Show 24", "11 of 26", "aa")
    there = [
        f"{dice.choice(words)} {n} file {dice.randrange(10**5)} of no log.txt"
        for n in range(10_000)
    ]
    there[7000] = "2026-11-2.m3u"
    there[8000] = "24 Nov 2026.m3u"
    begun = process_time()
    found = nearest("2026-11-24.m3u", there, NIGHT, "%Y-%m-%d.m3u")
    took = process_time() - begun
    assert [near.name for near in found][:1] == ["2026-11-2.m3u"]
    # four days of it were 13 s: a bound with room for a slow machine
    assert took < 2.0

"""Time rules as typed: what is written is what fires, and every rule comes back as it was."""

from dataclasses import replace
from datetime import UTC, date, datetime, time
from zoneinfo import ZoneInfo

import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US, us_from
from nightly_spindle.core.calendar.day_rules import DayRule
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.rule_draft import (
    DraftKind,
    RuleDraft,
    draft_of,
    parse_dates,
    parse_days,
    parse_months,
    parse_numbers,
    parse_time,
    parse_weeks,
    rule_of,
    spans_text,
    unused_at,
)
from nightly_spindle.core.events.timed_events import AfterSongs, OffsetRule


def subsets(values, most=4):
    return st.lists(st.sampled_from(list(values)), unique=True, max_size=most).map(
        lambda found: tuple(sorted(found))
    )


@st.composite
def day_rules(draw):
    weekdays = draw(subsets(range(7)))
    weeks = draw(subsets([1, 2, 3, 4, 5])) if weekdays and draw(st.booleans()) else ()
    return DayRule(
        weekdays,
        weeks,
        draw(subsets(range(1, 13))),
        draw(subsets(range(1, 29))) if not weekdays else (),
        draw(subsets(range(24))),
        draw(subsets(range(60))),
        draw(st.sampled_from([1, 1, 2, 3])) if not weeks else 1,
        weekly=bool(weekdays) and not weeks,
        until=draw(st.none() | st.just(datetime(2027, 5, 1, 23, 59, 59))),
    )


TIMES = st.times().map(lambda at: at.replace(microsecond=0))


@st.composite
def rules(draw):
    kind = draw(st.integers(0, 3))
    if kind == 0:
        minutes = draw(st.integers(-10_080, 10_080))
        return OffsetRule(draw(st.integers(1, 99)), minutes * 60.0)
    repeat = draw(st.none() | st.builds(Repeat, st.integers(1, 1440).map(lambda n: 60 * n), TIMES))
    not_on = draw(st.lists(st.dates(date(2026, 1, 1), date(2027, 1, 1)), unique=True, max_size=3))
    more = {"repeat": repeat, "not_on": tuple(sorted(not_on)), "most": draw(st.integers(0, 9))}
    at = draw(TIMES)
    if kind == 1:
        days = sorted(draw(st.sets(st.dates(date(2026, 1, 1), date(2028, 1, 1)), min_size=1)))
        every = [datetime.combine(day, at) for day in days]
        return TimeRule(every[0], "", (), tuple(every[1:]), **more)
    first = draw(st.sampled_from([date(2020, 1, 1), date(2026, 11, 24)]))
    start = datetime.combine(first, at)
    if kind == 2:
        return TimeRule(start, "FREQ=YEARLY;BYWEEKNO=9", (), (), **more)
    return TimeRule(start, draw(day_rules()).rrule(), (), (), **more)


@examples(300)
@given(rules())
def test_a_rule_comes_back_as_it_was(rule):
    assert rule_of(draft_of(rule)) == rule


@given(st.integers(1, 500), TIMES, TIMES, subsets(range(7)))
def test_songs_within_a_daypart_come_back(songs, begin, end, weekdays):
    within = TimeRule(
        datetime.combine(date(2020, 1, 1), begin),
        DayRule(weekdays, weekly=bool(weekdays)).rrule(),
        repeat=Repeat(0, end),
    )
    for rule in (AfterSongs(songs), AfterSongs(songs, within)):
        assert rule_of(draft_of(rule)) == rule


@pytest.mark.parametrize(
    ("text", "at"),
    [
        ("7", time(7)),
        (" 07:05 ", time(7, 5)),
        ("19.30:15", time(19, 30, 15)),
        ("23:59:59", time(23, 59, 59)),
        ("0", time(0)),
    ],
)
def test_a_time_of_day_is_read(text, at):
    assert parse_time(text) == at


@pytest.mark.parametrize("text", ["24", "12:60", "12:30:60", "7:5", "seven", "", "12:30:15:1"])
def test_what_is_not_a_time_of_day_is_refused(text):
    with pytest.raises(SettingRefused, match="is not a time of day"):
        parse_time(text)


def test_days_months_and_weeks_are_read():
    assert parse_days("") == parse_days("Daily") == ()
    assert parse_days("weekdays") == (0, 1, 2, 3, 4)
    assert parse_days("weekend") == (5, 6)
    assert parse_days("sat-mon, wed") == (0, 2, 5, 6)
    assert parse_months("nov-feb, jun") == (1, 2, 6, 11, 12)
    assert parse_weeks("last, first, 3, -1") == (1, 3, -1)
    for read, text in (
        (parse_days, "mo"),
        (parse_days, "mon-"),
        (parse_days, "xxx"),
        (parse_months, "ju"),
        (parse_weeks, "sixth"),
        (parse_weeks, "6"),
        (parse_weeks, "0"),
    ):
        with pytest.raises(SettingRefused):
            read(text)


def test_numbers_and_dates_are_read_up_to_their_bounds():
    assert parse_numbers("0, 23, 5-7", "hours", 0, 23) == (0, 5, 6, 7, 23)
    assert parse_numbers("-1, 1-2, 31", "days", -31, 31) == (-1, 1, 2, 31)
    assert parse_numbers("", "hours", 0, 23) == ()
    for text in ("24", "-1", "7-5", "x", "1-2-3"):
        with pytest.raises(SettingRefused, match="is none of the hours from 0 to 23"):
            parse_numbers(text, "hours", 0, 23)
    assert spans_text((1, 2, 3, 5, 7, 8)) == "1-3, 5, 7-8"
    assert spans_text(()) == ""
    assert parse_dates("2026-12-31..2027-01-01; 2026-12-24") == (
        date(2026, 12, 24),
        date(2026, 12, 31),
        date(2027, 1, 1),
    )
    assert len(parse_dates("2026-01-01..2027-02-05")) == 401
    for text in ("2026-01-01..2027-02-06", "2026-01-02..2026-01-01", "2026-02-30"):
        with pytest.raises(SettingRefused):
            parse_dates(text)


@pytest.mark.parametrize(
    ("draft", "why"),
    [
        ({"every": "2"}, "every N weeks needs a weekday"),
        ({"weeks": "first"}, "weeks of the month need a weekday"),
        ({"weeks": "first", "days": "fri", "every": "2"}, "not both"),
        ({"every": "53", "days": "fri"}, "is not a number of weeks from 1 to 52"),
        ({"every": "0", "days": "fri"}, "is not a number of weeks from 1 to 52"),
        ({"every_min": "0.5"}, "is not a number of minutes from 1 to 1440"),
        ({"every_min": "1441"}, "is not a number of minutes from 1 to 1440"),
        ({"kind": DraftKind.DATES}, "give at least one date"),
        ({"kind": DraftKind.BESIDE, "offset_min": "10081"}, "is not a number of minutes"),
        ({"kind": DraftKind.SONGS, "songs": "0"}, "is not a number of songs from 1 to 500"),
        ({"kind": DraftKind.SONGS, "songs": "501"}, "is not a number of songs from 1 to 500"),
        ({"most": "0"}, "is not a number of firings"),
    ],
)
def test_what_cannot_be_is_said(draft, why):
    with pytest.raises(SettingRefused, match=why):
        rule_of(RuleDraft(**draft))


@pytest.mark.parametrize(
    ("more", "told"),
    [
        ({"hours": "6-9", "minutes": "0, 30", "at": "19:00"}, True),
        ({"hours": "6-9", "minutes": "0, 30", "at": " "}, False),
        ({"hours": "6-9", "at": "19:00"}, False),  # its minutes count
        ({"minutes": "0, 30", "at": "19:00"}, False),  # its hour counts
        ({"kind": DraftKind.DATES, "hours": "6", "minutes": "0", "at": "19:00"}, False),
    ],
)
def test_a_time_that_does_not_count_is_told(more, told):
    draft = replace(RuleDraft(dates="2026-12-24"), **more)
    wanted = "It fires at the hours and minutes that are given: 19:00 under At does not count."
    assert unused_at(draft) == (wanted if told else "")
    if draft.at.strip() and draft.kind is DraftKind.DAYS:
        day = us_from(datetime(2026, 12, 1, tzinfo=UTC))
        other = rule_of(replace(draft, at="20:10")).firings(ZoneInfo("UTC"), day, day + 86_400 * US)
        same = rule_of(draft).firings(ZoneInfo("UTC"), day, day + 86_400 * US)
        assert (same == other) is told, "what is told is so"

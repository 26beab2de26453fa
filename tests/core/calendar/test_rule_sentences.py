"""Time rules in words, held against sentences written by hand."""

from datetime import date, datetime, time
from zoneinfo import ZoneInfo

import pytest

from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.calendar import local_days
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule


def rule(clock="19:00", rrule="FREQ=DAILY", first="2020-01-01", **more):
    return TimeRule(datetime.fromisoformat(f"{first}T{clock}"), rrule, **more)


DATES = (datetime(2026, 12, 31, 9), datetime(2027, 1, 1, 9))
END = "the 2nd day from the end"
SENTENCES = [
    (rule(), "Every day at 19:00"),
    (rule("19:00:30"), "Every day at 19:00:30"),
    (rule(first="2026-11-24"), "Every day at 19:00, from 24 Nov 2026"),
    (rule(rrule="FREQ=DAILY;UNTIL=20261212T235959"), "Every day at 19:00, until 12 Dec 2026"),
    (rule("09:15", repeat=Repeat(7200, time(22))), "Every day, every 2 h from 09:15 to 22:00"),
    (
        rule("00:30", repeat=Repeat(3600, time(0, 30))),
        "Every day, every 1 h round the clock from 00:30",
    ),
    (rule("22:00", repeat=Repeat(0, time(2))), "Every day from 22:00 to 02:00"),
    (rule(rrule="FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR"), "Every weekday at 19:00"),
    (rule(rrule="FREQ=WEEKLY;BYDAY=MO,TH"), "Every Monday and Thursday at 19:00"),
    (rule(rrule="FREQ=WEEKLY;BYDAY=FR;INTERVAL=2"), "Every second week on Friday at 19:00"),
    (rule(rrule="FREQ=WEEKLY;BYDAY=FR;INTERVAL=5"), "Every 5th week on Friday at 19:00"),
    (rule(rrule="FREQ=DAILY;INTERVAL=3"), "Every third day at 19:00"),
    (
        rule(rrule="FREQ=MONTHLY;BYDAY=1FR,-1FR"),
        "On the first and last Friday of the month at 19:00",
    ),
    (
        rule(rrule="FREQ=MONTHLY;BYMONTHDAY=1,-1"),
        "On the 1st and the last day of the month at 19:00",
    ),
    (
        rule(rrule="FREQ=MONTHLY;BYMONTHDAY=2,3,11,13,21,-2"),
        f"On the 2nd, the 3rd, the 11th, the 13th, the 21st and {END} of the month at 19:00",
    ),
    (
        rule(rrule="FREQ=WEEKLY;BYDAY=SA;BYMONTH=6,12"),
        "Every Saturday in June and December at 19:00",
    ),
    (
        rule(rrule="FREQ=DAILY;BYHOUR=9,17;BYMINUTE=5,35"),
        "Every day at 09:05, 09:35, 17:05 and 17:35",
    ),
    (
        rule("19:20", rrule="FREQ=DAILY;BYHOUR=" + ",".join(map(str, range(24)))),
        "Every day at :20 of every hour",
    ),
    (rule(rrule=""), "Once, on Wednesday 1 Jan 2020 at 19:00"),
    (
        rule("09:00", rrule="", first="2026-12-24", rdates=DATES),
        "On 24 Dec 2026, 31 Dec 2026 and 1 Jan 2027 at 09:00",
    ),
    (
        rule(not_on=(date(2026, 12, 24), date(2026, 12, 31))),
        "Every day at 19:00, not on 24 Dec 2026 and 31 Dec 2026",
    ),
    (rule(exdates=(datetime(2026, 12, 24, 19),)), "Every day at 19:00, not on 24 Dec 2026 19:00"),
    (rule(most=1), "Every day at 19:00, once only"),
    (rule(most=2), "Every day at 19:00, 2 times in all"),
    (
        rule(rrule="FREQ=YEARLY;BYWEEKNO=9"),
        "By the rule FREQ=YEARLY;BYWEEKNO=9, from 2020-01-01 at 19:00",
    ),
]


@pytest.mark.parametrize(("rule", "sentence"), SENTENCES, ids=[text for _, text in SENTENCES])
def test_a_rule_reads_as_it_would_be_said(rule, sentence):
    assert rule.sentence() == sentence


def test_days_and_hours_of_the_week_follow_the_local_clock():
    tz = ZoneInfo("Europe/Lisbon")
    # the last Sunday of October: 01:00 to 02:00 comes twice
    first = resolve_local(datetime(2026, 10, 25, 0), tz)
    sunday = local_days.day_number(date(2026, 10, 25))
    hours = [local_days.day_and_hour(first + n * 3600 * US, tz) for n in range(-1, 26)]
    assert hours[:4] == [(sunday - 1, 5 * 24 + 23), (sunday, 144), (sunday, 145), (sunday, 145)]
    assert hours[-2:] == [(sunday, 167), (sunday + 1, 0)]
    assert local_days.day_start(sunday, tz) == first
    assert local_days.day_start(sunday + 1, tz) == first + 25 * 3600 * US
    assert local_days.local_day(first - 1, tz) == sunday - 1
    assert local_days.local_hour(first, tz) == 144
    assert (local_days.day_number(date(1970, 1, 1)), local_days.day_of(0)) == (0, date(1970, 1, 1))
    assert local_days.day_of(local_days.day_number(date(2028, 2, 29))) == date(2028, 2, 29)

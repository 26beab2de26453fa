"""Events dragged about in the week: what moves along, and what has to be said in the editor."""

from datetime import date, datetime, time
from zoneinfo import ZoneInfo

import pytest

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import resolve_local
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.event_moves import copied, moved, stretched
from nightly_spindle.core.events.steps import PlayItem
from nightly_spindle.core.events.timed_events import AfterSongs, Entry, OffsetRule, TimedEvent

TZ = ZoneInfo("Europe/Lisbon")
MONDAY = date(2026, 11, 23)


def us(day, clock):
    return resolve_local(datetime.combine(day, time.fromisoformat(clock)), TZ)


def named(rule):
    return TimedEvent(7, "Tide", rule, Entry.NEXT, (PlayItem(50),))


def weekly(clock="19:00", days="MO,TH", **more):
    return named(
        TimeRule(datetime.fromisoformat(f"2020-01-01T{clock}"), f"FREQ=WEEKLY;BYDAY={days}", **more)
    )


def day(number):
    return MONDAY.fromordinal(MONDAY.toordinal() + number)


def test_another_time_of_day_keeps_the_days():
    event = moved(weekly(), us(MONDAY, "19:00"), us(MONDAY, "20:15:30"), TZ)
    assert event.rule.start == datetime(2020, 1, 1, 20, 15, 30)
    assert event.rule.days.weekdays == (0, 3)
    assert event.id == 7


def test_another_day_takes_the_place_of_the_one_that_was_dragged():
    event = moved(weekly(), us(MONDAY, "19:00"), us(day(2), "19:00"), TZ)
    assert event.rule.days.weekdays == (2, 3)
    event = moved(weekly(), us(day(3), "19:00"), us(day(6), "18:00"), TZ)
    assert event.rule.days.weekdays == (0, 6)
    assert event.rule.start.time() == time(18)


def test_a_row_moves_as_a_whole_with_its_end():
    every = weekly("06:00", repeat=Repeat(3600, time(22, 30)))
    event = moved(every, us(MONDAY, "09:00"), us(MONDAY, "09:20"), TZ)
    assert event.rule.start.time() == time(6, 20)
    assert event.rule.repeat == Repeat(3600, time(22, 50))
    with pytest.raises(InputFault, match="would begin on another day"):
        moved(every, us(MONDAY, "09:00"), us(MONDAY, "02:59"), TZ)
    assert moved(every, us(MONDAY, "09:00"), us(MONDAY, "03:00"), TZ).rule.start.hour == 0


def test_dates_move_each_by_itself():
    dates = named(TimeRule(datetime(2026, 11, 23, 19), "", (), (datetime(2026, 11, 30, 19),)))
    event = moved(dates, us(day(7), "19:00"), us(day(8), "20:00"), TZ)
    assert (event.rule.start, event.rule.rdates) == (
        datetime(2026, 11, 23, 19),
        (datetime(2026, 12, 1, 20),),
    )
    event = moved(dates, us(day(7), "19:00"), us(day(-1), "19:00"), TZ)
    assert event.rule.start == datetime(2026, 11, 22, 19), "the first is the earliest"
    assert event.rule.rdates == (datetime(2026, 11, 23, 19),)


def test_an_offset_grows_by_as_much_as_it_was_dragged():
    event = moved(named(OffsetRule(3, -300.0)), us(MONDAY, "19:00"), us(MONDAY, "18:58"), TZ)
    assert event.rule == OffsetRule(3, -420.0)


@pytest.mark.parametrize(
    ("event", "why"),
    [
        (named(AfterSongs(4)), "has no time of its own that could be moved"),
        (weekly(days="MO;BYHOUR=9,12"), "fires at several times"),
        (
            named(TimeRule(datetime(2020, 1, 1, 19), "FREQ=MONTHLY;BYDAY=1MO")),
            "depends on more than the day of the week",
        ),
        (
            named(TimeRule(datetime(2020, 1, 1, 19), "FREQ=MONTHLY;BYMONTHDAY=3")),
            "depends on more than the day of the week",
        ),
        (weekly(days="MO;INTERVAL=2"), "depends on more than the day of the week"),
        (named(TimeRule(datetime(2020, 1, 1, 19), "FREQ=YEARLY;BYWEEKNO=9")), "has the rule FREQ"),
    ],
)
def test_what_cannot_be_dragged_to_another_day_says_why(event, why):
    with pytest.raises(InputFault, match=why):
        moved(event, us(MONDAY, "19:00"), us(day(1), "19:00"), TZ)


def test_an_event_is_stretched_up_to_a_day():
    assert stretched(weekly(), 86_400).options.length_s == 86_400
    assert stretched(weekly(), 0).options.length_s == 0
    for wrong in (86_401, -1):
        with pytest.raises(InputFault, match="up to 24 hours"):
            stretched(weekly(), wrong)


def test_a_copy_on_another_day_is_the_event_itself_elsewhere_one_of_its_own():
    event = copied(weekly(), us(MONDAY, "19:00"), us(day(4), "19:00"), TZ)
    assert (event.id, event.rule.days.weekdays) == (7, (0, 3, 4))
    with pytest.raises(InputFault, match="fires on Thursday already"):
        copied(weekly(), us(MONDAY, "19:00"), us(day(3), "19:00"), TZ)
    other = copied(weekly(), us(MONDAY, "19:00"), us(day(4), "21:30"), TZ)
    assert (other.id, other.name) == (0, "Tide (copy)")
    assert other.rule.start == datetime(2020, 1, 1, 21, 30)
    assert other.rule.days.weekdays == (4,)
    daily = named(TimeRule(datetime(2020, 1, 1, 19), "FREQ=DAILY"))
    other = copied(daily, us(MONDAY, "19:00"), us(day(4), "19:00"), TZ)
    assert (other.id, other.rule) == (0, TimeRule(datetime(2026, 11, 27, 19))), "by no weekday"
    fortnight = copied(weekly(days="MO;INTERVAL=2"), us(MONDAY, "19:00"), us(day(4), "19:00"), TZ)
    assert (fortnight.id, fortnight.rule.days.weekdays, fortnight.rule.days.every) == (0, (4,), 2)
    once = named(TimeRule(datetime(2026, 11, 23, 19)))
    again = copied(once, us(MONDAY, "19:00"), us(day(2), "19:00"), TZ)
    assert again.rule.rdates == (datetime(2026, 11, 25, 19),)
    assert again.id == 7
    apart = copied(once, us(MONDAY, "19:00"), us(day(2), "20:00"), TZ)
    assert (apart.id, apart.rule) == (0, TimeRule(datetime(2026, 11, 25, 20)))
    with pytest.raises(InputFault, match="could be copied"):
        copied(named(OffsetRule(3, 60.0)), us(MONDAY, "19:00"), us(day(1), "19:00"), TZ)

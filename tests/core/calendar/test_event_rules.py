"""Time rules of events: masks against dateutil, dayparts, songs, events beside events."""

from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

import pytest
from conftest import examples
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US, iso, local_from, resolve_local, us_from
from nightly_spindle.core.calendar.day_rules import DayRule, day_rule_from
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.event_values import event_values, events_from
from nightly_spindle.core.events.steps import STEPS, step_from, step_values
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    BlockEnd,
    Entry,
    EventOptions,
    Inside,
    OffsetRule,
    TimedEvent,
    check_event,
)
from nightly_spindle.core.reports.event_week import Box, Does, in_lanes, next_firings

LISBON = ZoneInfo("Europe/Lisbon")
ZONES = [LISBON, ZoneInfo("America/New_York"), ZoneInfo("Australia/Lord_Howe"), ZoneInfo("UTC")]

starts = st.datetimes(datetime(2020, 1, 1), datetime(2026, 12, 31)).map(
    lambda d: d.replace(microsecond=0)
)


@st.composite
def day_rules(draw):
    some = st.lists
    kind = draw(st.sampled_from(["daily", "weekly", "weeks", "dates"]))
    narrow = {
        "months": tuple(sorted(draw(st.sets(st.integers(1, 12), max_size=4)))),
        "hours": tuple(sorted(draw(st.sets(st.integers(0, 23), max_size=3)))),
        "minutes": tuple(sorted(draw(st.sets(st.integers(0, 59), max_size=2)))),
        "until": draw(st.none() | starts),
    }
    weekdays = tuple(sorted(draw(st.sets(st.integers(0, 6), min_size=1, max_size=4))))
    if kind == "daily":
        return DayRule(every=draw(st.integers(1, 5)), **narrow)
    if kind == "weekly":
        return DayRule(weekdays, every=draw(st.integers(1, 4)), weekly=True, **narrow)
    if kind == "weeks":
        weeks = draw(some(st.sampled_from([1, 2, 3, 4, 5, -1]), min_size=1, unique=True))
        return DayRule(weekdays, tuple(sorted(weeks, key=lambda w: (w < 0, w))), **narrow)
    days = draw(st.sets(st.integers(-3, 31).filter(bool), min_size=1, max_size=4))
    return DayRule(month_days=tuple(sorted(days)), **narrow)


@examples(150)
@given(day_rules(), starts, st.integers(0, 900), st.sampled_from(ZONES))
def test_a_mask_fires_as_dateutil_does_in_any_zone(rule, start, later, tz):
    text = rule.rrule()
    assert day_rule_from(text, start) == rule
    low = start + timedelta(days=later)
    high = low + timedelta(days=40)
    begin, end = resolve_local(low, tz), resolve_local(high, tz)
    locals_ = rrulestr(text, dtstart=start).between(low - timedelta(days=1), high + timedelta(1))
    wanted = sorted({us for one in locals_ if begin < (us := resolve_local(one, tz)) <= end})
    assert TimeRule(start, text).firings(tz, begin, end) == wanted


def test_what_a_mask_cannot_say_is_left_to_dateutil():
    start = datetime(2026, 1, 31, 9)
    for text in (
        "FREQ=HOURLY",
        "FREQ=MONTHLY;BYDAY=FR;BYSETPOS=-1",
        "FREQ=MONTHLY;INTERVAL=2",
        "FREQ=MONTHLY;BYDAY=1MO,2TU",
        "FREQ=YEARLY",
        "FREQ=DAILY;COUNT=3",
        "FREQ=WEEKLY;INTERVAL=2;WKST=SU;BYDAY=TU",
    ):
        assert day_rule_from(text, start) is None, text
        assert TimeRule(start, text).firings(LISBON, 0, us_from(datetime(2027, 6, 1, tzinfo=UTC)))


def hours_of(rule, day, tz=LISBON):
    begin = resolve_local(datetime.combine(day, time()), tz)
    end = resolve_local(datetime.combine(day + timedelta(1), time()), tz)
    return [iso(us, tz)[11:16] for us in rule.firings(tz, begin - 1, end - 1)]


def test_every_so_many_minutes_within_a_daypart():
    rule = TimeRule(datetime(2026, 1, 1, 6), "FREQ=DAILY", repeat=Repeat(1500, time(7, 40)))
    assert hours_of(rule, date(2026, 11, 24)) == ["06:00", "06:25", "06:50", "07:15"]
    over = TimeRule(datetime(2026, 1, 1, 22), "FREQ=DAILY", repeat=Repeat(3600, time(2)))
    assert hours_of(over, date(2026, 11, 24)) == ["00:00", "01:00", "22:00", "23:00"]
    # the hour that comes twice has its news twice, the one left out has none
    news = TimeRule(datetime(2026, 1, 1), "FREQ=DAILY", repeat=Repeat(3600, time(0)))
    assert hours_of(news, date(2026, 10, 25))[:4] == ["00:00", "01:00", "01:00", "02:00"]
    assert hours_of(news, date(2026, 3, 29))[:3] == ["00:00", "02:00", "03:00"]
    lord = hours_of(
        TimeRule(datetime(2026, 1, 1), "FREQ=DAILY", repeat=Repeat(1800, time(0))),
        date(2026, 4, 5),
        ZoneInfo("Australia/Lord_Howe"),
    )
    assert lord[2:6] == ["01:00", "01:30", "01:30", "02:00"]  # half an hour comes twice


def test_exceptions_dates_and_an_end_after_so_many():
    rule = TimeRule(
        datetime(2026, 12, 23, 8),
        "FREQ=DAILY",
        not_on=(date(2026, 12, 25),),
        most=3,
        rdates=(datetime(2026, 12, 24, 20),),
    )
    found = rule.firings(LISBON, 0, us_from(datetime(2027, 2, 1, tzinfo=UTC)))
    assert [f"{local_from(us, LISBON):%d %H}" for us in found] == ["23 08", "24 08", "24 20"]
    assert rule.firings(LISBON, found[1], found[1] + 90 * 86_400 * US) == found[2:]
    assert rule.sentence() == (
        "Every day at 08:00, from 23 Dec 2026, not on 25 Dec 2026, 3 times in all"
    )


@pytest.mark.parametrize(
    ("rrule", "said"),
    [
        ("FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR", "Every weekday at 07:00"),
        (
            "FREQ=MONTHLY;BYDAY=1FR,-1FR;BYMONTH=12",
            "On the first and last Friday of the month in December at 07:00",
        ),
        ("FREQ=WEEKLY;INTERVAL=2;BYDAY=SA", "Every second week on Saturday at 07:00"),
        ("FREQ=MONTHLY;BYMONTHDAY=1,-1", "On the 1st and the last day of the month at 07:00"),
        ("FREQ=DAILY;BYHOUR=6,12;BYMINUTE=0,30", "Every day at 06:00, 06:30, 12:00 and 12:30"),
        ("FREQ=YEARLY", "By the rule FREQ=YEARLY, from 2020-01-06 at 07:00"),
    ],
)
def test_rules_read_back_as_sentences(rrule, said):
    assert TimeRule(datetime(2020, 1, 6, 7), rrule).sentence() == said


def event(number, rule, **more):
    return TimedEvent(number, f"Event {number}", rule, Entry.NEXT, (), **more)


def test_events_beside_events_follow_them_and_circles_never_fire():
    news = event(1, TimeRule(datetime(2026, 1, 1, 18), "FREQ=DAILY"))
    values = [
        event_values(one)
        for one in (
            news,
            event(2, OffsetRule(1, -300.0)),
            event(3, OffsetRule(2, 60.0)),
            event(4, OffsetRule(5, 1.0)),
            event(5, OffsetRule(4, 1.0)),
        )
    ]
    one, two, three, four, five = events_from(values)
    day = date(2026, 11, 24)
    assert [hours_of(e.rule, day) for e in (one, two, three)] == [["18:00"], ["17:55"], ["17:56"]]
    assert hours_of(four.rule, day) == hours_of(five.rule, day) == []
    assert two.rule.sentence() == "5 min before “Event 1”"
    off = events_from([values[0] | {"enabled": False}, *values[1:]])
    assert hours_of(off[2].rule, day) == []


def test_songs_count_within_their_daypart():
    within = TimeRule(datetime(2020, 1, 1, 22), "FREQ=WEEKLY;BYDAY=FR", repeat=Repeat(0, time(2)))
    rule = AfterSongs(4, within)
    at = lambda text: resolve_local(datetime.fromisoformat(text), LISBON)  # noqa: E731
    assert rule.windows(LISBON, at("2026-11-28T01:59"), at("2026-12-04T12:00")) == [
        (at("2026-11-27T22:00"), at("2026-11-28T02:00"))
    ]
    assert rule.windows(LISBON, at("2026-11-28T02:00"), at("2026-12-04T21:59")) == []
    assert rule.sentence() == "After every 4 songs, every Friday from 22:00 to 02:00"


SAMPLES = [
    {"step": "play item", "cart": 7},
    {"step": "play list", "name": "Show", "pick": "all"},
    {"step": "play folder", "folder": "promos", "placement": "end"},
    {"step": "play category", "name": "IDs", "count": 2},
    {"step": "play pool", "name": "IDs"},
    {"step": "play break", "name": "Noon"},
    {"step": "play stream", "url": "https://a.example/x", "length_s": 60.0},
    {"step": "load log", "drop": 1},
    {"step": "clear"},
    {"step": "go back"},
    {"step": "set mode", "unattended": True},
    {"step": "set overlays", "on": False},
    {"step": "show text", "text": "The late show"},
    {"step": "raise alarm", "text": "Wake up"},
]


def test_every_step_is_written_and_read_back_and_says_what_it_does():
    assert [sample["step"] for sample in SAMPLES] == list(STEPS)
    for sample in SAMPLES:
        step = step_from(sample)
        assert step_from(step_values(step)) == step
        assert step.sentence()


@examples(100)
@given(
    day_rules(),
    starts,
    st.sampled_from(list(Entry)),
    st.lists(st.sampled_from(SAMPLES), max_size=4),
    st.sampled_from(list(BlockEnd)),
    st.sampled_from(list(Inside)),
    st.floats(0, 9000),
    st.none() | st.tuples(st.integers(60, 7200), st.times()),
    st.integers(0, 9),
    st.lists(st.dates(), max_size=2),
)
def test_events_are_written_and_read_back(
    days, start, entry, steps, end, inside, length, repeat, most, off
):
    rule = TimeRule(
        start,
        days.rrule(),
        (start,),
        (start + timedelta(1),),
        tuple(off),
        Repeat(repeat[0], repeat[1].replace(microsecond=0)) if repeat else None,
        most,
    )
    options = EventOptions(length_s=length, at_end=end, inside=inside)
    made = TimedEvent(3, "A", rule, entry, tuple(map(step_from, steps)), 1, True, 60.0, options)
    assert events_from([event_values(made)]) == [made]
    assert made.sentence().endswith(".")


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"entry": "jump"}, "entry 'jump' is none of cut in, next, wait at most, land on time"),
        ({"steps": [{"step": "dance"}]}, "the step 'dance' is none that this program knows"),
        ({"steps": [{"step": "play item"}]}, "the step 'play item' lacks 'cart'"),
        ({"steps": [{"step": "clear", "all": 1}]}, "does not know 'all'"),
        ({"steps": [{"step": "play item", "cart": "x"}]}, "cart is 'x'"),
        ({"steps": [{"step": "set mode", "unattended": "no"}]}, "it is true or false"),
        ({"options": {"fade_s": "99"}}, "must be within 0 and 20 s"),
        ({"options": {"fad": "1"}}, "there is no option 'fad'"),
        ({"start": "2026-01-01T10:00+01:00"}, "has an offset"),
        ({"start": "tomorrow"}, "Invalid isoformat"),
        ({"rule": {"moon": 1}}, "its rule does not know 'moon'"),
    ],
)
def test_a_wrong_event_is_refused_with_its_name(change, why):
    good = event_values(event(1, TimeRule(datetime(2026, 1, 1))))
    with pytest.raises(SettingRefused, match="Event 1") as told:
        events_from([good | change])
    assert why in str(told.value)


def test_what_makes_no_event_is_told_all_at_once():
    rule = TimeRule(datetime(2026, 1, 1), "FREQ=SOMETIMES")
    wrong = TimedEvent(0, " ", rule, Entry.NEXT, (step_from(SAMPLES[6] | {"url": "ftp://x"}),))
    with pytest.raises(SettingRefused) as told:
        check_event(wrong)
    for part in ("needs a name", "not a recurrence rule", "'ftp://x' does not begin with http"):
        assert part in str(told.value)


def test_firings_to_come_say_what_people_mistake():
    rule = TimeRule(datetime(2026, 10, 24, 1), "FREQ=DAILY;BYHOUR=1,7,19")
    now = resolve_local(datetime(2026, 10, 24, 12), LISBON)
    assert [one.text for one in next_firings(rule, LISBON, now, 4)] == [
        "Sat 24 Oct 2026 19:00 (evening)",
        "Sun 25 Oct 2026 01:00 (first time, the clocks go back)",
        "Sun 25 Oct 2026 07:00 (morning)",
        "Sun 25 Oct 2026 19:00 (evening)",
    ]


@given(st.lists(st.tuples(st.integers(0, 1440), st.integers(0, 300)), max_size=40))
def test_boxes_in_lanes_never_hide_each_other(times):
    boxes = [
        Box(n, "", minute * 60 * US, length * 60.0, Does.SHOW, True)
        for n, (minute, length) in enumerate(times)
    ]
    laid = in_lanes(boxes)
    assert sorted(box.event_id for box in laid) == list(range(len(boxes)))
    for number, a in enumerate(laid):
        assert 0 <= a.lane < a.lanes
        for b in laid[number + 1 :]:
            if a.lane == b.lane:
                assert a.at_us + a.length_s * US <= b.at_us or b.at_us + b.length_s * US <= a.at_us

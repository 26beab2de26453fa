"""The usual mistakes with timed events, each found before it happens; iCalendar out and in."""

from dataclasses import replace
from datetime import UTC, date, datetime
from zoneinfo import ZoneInfo

import icalendar
import pytest
from conftest import examples
from dateutil.rrule import rrulestr
from hypothesis import given
from hypothesis import strategies as st
from test_event_firing import HOLDINGS, event, station
from test_event_rules import day_rules

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, length, local_from, us_from
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.event_icalendar import from_calendar, to_calendar
from nightly_spindle.core.events.steps import (
    Clear,
    GoBack,
    LoadLog,
    Placement,
    PlayItem,
    PlayList,
    SetMode,
)
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    BlockEnd,
    Entry,
    Inside,
    OffsetRule,
    check_event,
)
from nightly_spindle.core.playout.event_length_plan import LengthFate, holds
from nightly_spindle.core.programme.event_sources import EventSources
from nightly_spindle.core.reports.event_findings import check_events
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop

NOW = us_from(datetime(2026, 11, 23, 12, tzinfo=UTC))  # a Monday
LISBON = ZoneInfo("Europe/Lisbon")


def rule(text, rrule="FREQ=DAILY", **more):
    return TimeRule(datetime.fromisoformat(text), rrule, **more)


def named(name, number, when, entry=Entry.CUT_IN, *steps, **more):
    return replace(event(number, when, entry, *(steps or (PlayItem(50),)), **more), name=name)


WEEKLY = [
    named("Harbour hour", 11, rule("2020-01-07T21:00", "FREQ=WEEKLY;BYDAY=TU")),
    named("Dock talk", 12, rule("2020-01-08T21:00", "FREQ=WEEKLY;BYDAY=WE")),
]
DAY = LogDrop(1, "Day log", "/logs", "%Y-%m-%d.m3u", DropOptions(loads=Loads.AT_TIME))

MISTAKES = [
    # a last day that leaves one firing of a weekly show, or an end after the first
    (
        "once-only",
        [
            named(
                "Net mending",
                1,
                rule("2026-11-20T21:00", "FREQ=WEEKLY;BYDAY=TH;UNTIL=20261130T235959"),
            )
        ],
        "“Net mending” is to repeat, and ends after one firing, Thu 26 Nov 21:00.",
    ),
    (
        "once-only",
        [named("Net mending", 1, rule("2026-11-24T21:00", most=1))],
        "“Net mending” is to repeat, and ends after one firing, Tue 24 Nov 21:00.",
    ),
    # at the end instead of the front
    (
        "at-the-end",
        [named("Promo", 1, rule("2020-01-01T10:00"), Entry.NEXT, PlayItem(50, Placement.END))],
        "its lines go behind all that “Day log” loads",
    ),
    (
        "at-the-end",
        [named("Promo", 1, rule("2020-01-01T10:00"), Entry.CUT_IN, PlayItem(50, Placement.END))],
        "its lines go to the end and do not start then",
    ),
    # 7 for 19
    (
        "morning-or-evening",
        [named("Evening tide", 1, rule("2020-01-01T07:00"))],
        "“Evening tide” is at 07:00, in the morning, though its name says “Evening”",
    ),
    (
        "morning-or-evening",
        [
            named("Harbour hour (repeat)", 1, rule("2026-11-24T09:00", "FREQ=WEEKLY;BYDAY=SA")),
            WEEKLY[0],
        ],
        "though “Harbour hour” is at 21:00",
    ),
    # forgot to clear
    (
        "not-cleared",
        [
            named(
                "Nightly load", 1, rule("2020-01-01T00:00"), Entry.CUT_IN, LoadLog(1, Placement.END)
            )
        ],
        "what is left over airs first",
    ),
    (
        "not-cleared",
        [
            named(
                "Nightly load",
                1,
                rule("2020-01-01T00:00"),
                Entry.CUT_IN,
                LoadLog(1, Placement.FRONT),
            )
        ],
        "what is left over piles up behind it",
    ),
    (
        "clears-only",
        [named("Sweep out", 1, rule("2020-01-01T00:00"), Entry.NEXT, Clear())],
        "clears what is lined up and puts nothing in its place",
    ),
    # the engine in attended operation
    (
        "attended",
        [
            named("Talk", 1, rule("2020-01-01T20:00"), Entry.NEXT, SetMode(unattended=False)),
            named("Late news", 2, rule("2020-01-01T22:00")),
        ],
        "does not start on its own: “Talk” switches to attended Mon 23 Nov 20:00",
    ),
    # an event that cuts off another
    (
        "collides",
        [
            named("Show", 1, rule("2020-01-01T20:00"), length_s=7200.0),
            named("News", 2, rule("2020-01-01T21:00")),
        ],
        "Mon 23 Nov 21:00, 35 times in 35 days: “News” cuts off “Show”, which has 1:00:00 to go",
    ),
    (
        "collides",
        [named("A", 1, rule("2020-01-01T20:00")), named("B", 2, rule("2020-01-01T20:00"))],
        "“A” goes first because it was made first",
    ),
    (
        "collides",
        [
            named("Show", 1, rule("2020-01-01T20:00"), length_s=7200.0),
            named("News", 2, rule("2020-01-01T21:00"), inside=Inside.DROPPED),
        ],
        "“News” is dropped: “Show” holds the air",
    ),
    # a file that is not there
    (
        "missing",
        [named("News", 1, rule("2020-01-01T21:00"), Entry.NEXT, PlayItem(999))],
        "“News” (next Mon 23 Nov 21:00) lacks what it needs: item 999: it is not in the library",
    ),
    (
        "missing",
        [named("Show", 1, rule("2020-01-01T21:00"), Entry.NEXT, PlayList("none"))],
        "the list “none” holds nothing that can be played",
    ),
    # and the rest
    (
        "never-fires",
        [named("Ghost", 1, rule("2020-01-01T21:00", "FREQ=MONTHLY;BYMONTHDAY=31;BYMONTH=2"))],
        "“Ghost” never fires",
    ),
    (
        "never-fires",
        [named("Old", 1, rule("2020-01-01T21:00", "FREQ=DAILY;UNTIL=20201231T235959"))],
        "will not run again: its last time was Thu 31 Dec 21:00",
    ),
    ("never-fires", [named("Lost", 1, OffsetRule(9, 60.0))], "the event it is based on is gone"),
    (
        "ends-before",
        [named("Back", 1, rule("2026-12-01T21:00", "FREQ=DAILY;UNTIL=20261124T000000"))],
        "its last day is before its first",
    ),
    (
        "does-not-fit",
        [
            named(
                "Show",
                1,
                rule("2020-01-01T20:00"),
                Entry.CUT_IN,
                PlayList("Show"),
                length_s=600.0,
                at_end=BlockEnd.CUT,
            )
        ],
        "“Show” is too long for its 10:00. Runs 25:11, 15:11 too long",
    ),
    (
        "nothing-to-go-back-to",
        [named("News", 1, rule("2020-01-01T20:00"), Entry.NEXT, PlayItem(50), GoBack())],
        "but it interrupts nothing",
    ),
]


def found_in(events, drops=None, **more):
    programme = station(*events)
    programme.set_events(events, {1: DAY} if drops is None else drops, HOLDINGS)
    return check_events(programme, NOW, **more)


def test_the_end_is_found_only_where_something_that_loads_stands_before_it():
    promo = named("Promo", 1, rule("2020-01-01T10:00"), Entry.NEXT, PlayItem(50, Placement.END))

    def found(drops, *others):
        codes = {one.code for one in found_in([promo, *others], drops) if one.event_id == 1}
        return "at-the-end" in codes

    assert found({1: DAY})
    off = replace(DAY, options=replace(DAY.options, enabled=False))
    by_hand = replace(DAY, options=replace(DAY.options, loads=Loads.OTHERWISE))
    assert not found({1: off})
    assert not found({1: by_hand})
    loading = named("Load", 2, rule("2020-01-01T09:00"), Entry.NEXT, LoadLog(1))
    assert found({1: by_hand}, loading)
    assert not found({1: by_hand}, replace(loading, enabled=False))


@pytest.mark.parametrize(("code", "events", "said"), MISTAKES)
def test_a_usual_mistake_is_found(code, events, said):
    found = [one for one in found_in(events) if one.code == code]
    assert any(said in one.text for one in found), [one.text for one in found_in(events)]
    assert all(one.mend.endswith((".", "?")) for one in found)


def test_what_is_right_is_not_complained_of():
    good = [
        *WEEKLY,
        named("Evening tide", 1, rule("2020-01-01T19:00"), length_s=3600.0),
        named("News", 2, rule("2020-01-01T18:00"), Entry.NEXT),
        named("Nightly load", 3, rule("2020-01-01T00:00"), Entry.CUT_IN, LoadLog(1)),
        named("IDs", 4, AfterSongs(3), Entry.NEXT),
        named("Off", 5, rule("2020-01-01T19:10"), enabled=False),
    ]
    off = replace(DAY, options=DropOptions())
    assert found_in(good, {1: off}) == []
    assert {one.code for one in found_in(good, {1: off}, unattended=False)} == {"attended"}


WHOLE, OVER, NOT = LengthFate.WHOLE, LengthFate.OVER, LengthFate.NOT


@pytest.mark.parametrize(
    ("at_end", "fates", "said"),
    [
        (BlockEnd.RUNS_ON, [OVER] * 5, "“{last}” plays to its end, 15:11 past it."),
        (BlockEnd.NEXT, [OVER, *[NOT] * 4], "“{fourth}” plays to its end, {far} past it, 4 lines"),
        (BlockEnd.CUT, [LengthFate.CUT, *[NOT] * 4], "“{fourth}” is cut short by {far}, 4 lines"),
    ],
)
def test_a_length_shows_what_fits_by_the_ending_that_is_chosen(at_end, fates, said):
    show = named(
        "Show", 1, rule("2020-01-01T20:00"), Entry.CUT_IN, PlayList("Show"), length_s=600.0
    )
    show = replace(show, options=replace(show.options, at_end=at_end))
    held = holds(station(show), show)
    assert [line.fits for line in held.lines] == [*[WHOLE] * 3, *fates]
    fourth, after = held.lines[3:5]
    far_s = after.start_s - 600
    assert (fourth.lost_s, fourth.over_s) == pytest.approx(
        (far_s, 0) if at_end is BlockEnd.CUT else (0, far_s)
    )
    wanted = said.format(fourth=fourth.title, last=held.lines[-1].title, far=length(far_s))
    assert f"Runs 25:11, 15:11 too long: {wanted}" in held.sentence()
    assert held.room_s == pytest.approx(600 - held.runs_s)
    roomy = replace(show, options=replace(show.options, length_s=3600.0))
    assert holds(station(roomy), roomy).sentence() == "Runs 25:11; 34:49 of its time is left."


# -- iCalendar -------------------------------------------------------------------------------------


repeats = st.none() | st.builds(
    Repeat,
    st.sampled_from([600, 1500, 1800, 3600, 5400]),
    st.times().map(lambda t: t.replace(second=0, microsecond=0)),
)


@examples(60)
@given(
    day_rules(),
    st.datetimes(datetime(2026, 1, 1), datetime(2026, 11, 1)),
    repeats,
    st.sets(st.dates(date(2026, 11, 1), date(2026, 12, 31)), max_size=3),
    st.integers(0, 5),
)
def test_another_calendar_program_sees_the_same_times(days, start, repeat, off, most):
    """Read back with the icalendar package, expanded with dateutil: neither is our own code."""
    start = start.replace(second=0, microsecond=0)
    if repeat is not None:
        days = replace(days, hours=(), minutes=())
    made = named(
        "Tide",
        7,
        rule(start.isoformat(), days.rrule(), not_on=tuple(sorted(off)), repeat=repeat, most=most),
    )
    data = to_calendar([made], LISBON, NOW)
    assert from_calendar(data, LISBON, NOW) == [made]
    part = icalendar.Calendar.from_ical(data).walk("VEVENT")
    if not part:
        assert not made.rule.firings(LISBON, NOW, NOW + 366 * 86_400 * US)
        return
    begin = part[0].decoded("DTSTART").replace(tzinfo=None)
    if not part[0].get("RRULE"):
        return  # written as dates: the round trip above has seen them
    text = "".join(f"{p.split('Z')[0]};" for p in part[0]["RRULE"].to_ical().decode().split(";"))
    until = part[0]["RRULE"].get("UNTIL")
    expected = rrulestr(text.rstrip(";"), dtstart=begin).between(
        datetime(2026, 11, 1), datetime(2027, 1, 5), inc=True
    )
    if until:
        last = until[0].astimezone(LISBON).replace(tzinfo=None)
        expected = [one for one in expected if one <= last]
    gone = part[0].get("EXDATE")
    lists = gone if isinstance(gone, list) else [gone] if gone else []
    without = {one.dt.replace(tzinfo=None) for listed in lists for one in listed.dts}
    low, high = (
        us_from(datetime(y, m, d, tzinfo=LISBON)) for y, m, d in ((2026, 11, 1), (2027, 1, 5))
    )
    ours = [local_from(us, LISBON) for us in made.rule.firings(LISBON, low - 1, high)]
    assert ours == [one for one in expected if one not in without]


def test_events_of_every_kind_are_read_back_whole():
    events = [
        named("Once", 1, rule("2026-12-24T18:00", "")),
        named("Before", 2, OffsetRule(1, -60.0)),
        named("Songs", 3, AfterSongs(4), Entry.NEXT),
        named("Off", 4, rule("2020-01-01T19:10"), Entry.LAND, PlayList("Show"), enabled=False),
    ]
    events[1] = replace(events[1], rule=OffsetRule(1, -60.0, events[0]))
    back = from_calendar(to_calendar(events, LISBON, NOW), LISBON, NOW)
    assert [
        replace(one, rule=OffsetRule(1, -60.0, events[0])) if one.id == 2 else one for one in back
    ] == events
    component = icalendar.Calendar.from_ical(to_calendar(events, LISBON, NOW))
    assert [part["SUMMARY"] for part in component.walk("VTODO")] == ["Songs"]
    assert component.walk("VTIMEZONE")[0]["TZID"] == "Europe/Lisbon"


FOREIGN = """BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Any//EN
BEGIN:VEVENT
UID:a
SUMMARY:Quay  talk
DTSTART;TZID=Europe/Lisbon:20261127T200000
DTEND;TZID=Europe/Lisbon:20261127T213000
RRULE:FREQ=WEEKLY;BYDAY=FR;UNTIL=20270101T000000Z
EXDATE;TZID=Europe/Lisbon:20261204T200000
END:VEVENT
BEGIN:VEVENT
UID:a
SUMMARY:Quay talk, moved
RECURRENCE-ID;TZID=Europe/Lisbon:20261211T200000
DTSTART:20261212T200000Z
END:VEVENT
END:VCALENDAR
"""


def test_another_programs_calendar_comes_in_switched_off():
    talk, moved = from_calendar(FOREIGN.replace("\n", "\r\n").encode(), LISBON, NOW)
    assert (talk.name, talk.enabled, talk.options.length_s) == ("Quay talk", False, 5400.0)
    found = talk.rule.firings(LISBON, NOW, NOW + 90 * 86_400 * US)
    assert [f"{local_from(us, LISBON):%m-%d %H:%M}" for us in found] == [
        "11-27 20:00",
        "12-18 20:00",
        "12-25 20:00",
    ]
    assert moved.rule.sentence() == "Once, on Saturday 12 Dec 2026 at 20:00"
    check_event(talk)


def test_a_time_changed_in_another_program_holds_and_the_steps_stay():
    made = named("Tide", 7, rule("2026-11-24T20:00"))
    text = to_calendar([made], LISBON, NOW).decode().replace("T200000", "T213000")
    (back,) = from_calendar(text.encode(), LISBON, NOW)
    assert back == replace(made, rule=rule("2026-11-24T21:30"))


@pytest.mark.parametrize(
    "data",
    [
        b"",
        b"no calendar",
        b"BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\n",
        b"\xff\xfe\x00",
        FOREIGN.replace("20261127T200000", "soon").encode(),
        FOREIGN.replace("FREQ=WEEKLY", "FREQ=OFTEN").encode(),
    ],
)
def test_a_broken_calendar_is_refused_in_a_sentence(data):
    try:
        found = from_calendar(data, LISBON, NOW)
    except InputFault as error:
        assert "calendar" in str(error).lower()
    else:
        assert found == []


def test_a_folder_whose_files_are_not_in_the_library_says_so():
    from nightly_spindle.core.events.steps import PlayFolder

    programme = station(named("Promos", 1, rule("2020-01-01T21:00"), Entry.NEXT, PlayFolder("p")))
    programme.set_events(programme.events, {}, EventSources(folders={"p": ()}, strays={"p": 3}))
    (found,) = check_events(programme, NOW)
    assert "3 files there are not in the library" in found.text

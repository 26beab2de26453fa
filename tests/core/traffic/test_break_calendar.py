"""The coming breaks: by what orders count them, and within which shows they come."""

from dataclasses import replace
from datetime import timedelta

from test_campaigns import MONDAY, TZ, campaign, instant, station

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import Clear
from nightly_spindle.core.events.timed_events import Entry, EventOptions, TimedEvent
from nightly_spindle.core.programme.event_sources import EventSources
from nightly_spindle.core.reports.spot_findings import campaign_findings
from nightly_spindle.core.traffic.campaigns import Per
from nightly_spindle.core.traffic.coming_breaks import BreakCalendar


def calendar(programme, days=17):
    begin = instant(MONDAY)
    return BreakCalendar(
        programme.break_sources(), begin, begin, instant(MONDAY + timedelta(days=days))
    )


def test_orders_count_by_hours_days_and_weeks_of_the_local_calendar():
    days = calendar(station([campaign(1)]))
    every = list(range(len(days.places)))
    locals_ = [local_from(place.at_us, TZ) for place in days.places]

    def keys(per):
        return [[locals_[at] for at in every[a:b]] for a, b in days.parts(every, per)]

    hours = keys(Per.HOUR)
    assert {(part[0].date(), part[0].hour) for part in hours} == {
        (at.date(), at.hour) for at in locals_
    }
    assert all(len({(at.date(), at.hour) for at in part}) == 1 for part in hours)
    assert [part[0].date() for part in keys(Per.DAY)] == [
        MONDAY + timedelta(days=n) for n in range(17)
    ]
    weeks = keys(Per.WEEK)
    assert [part[0].date() for part in weeks] == [MONDAY + timedelta(days=7 * n) for n in range(3)]
    assert [len(part) for part in weeks] == [7 * 48, 7 * 48, 3 * 48]
    assert len(keys(Per.BREAK)) == len(every)
    assert days.parts([], Per.DAY) == []


def test_breaks_within_a_show_are_those_while_it_holds_the_air():
    def show(number, name, length_s, enabled=True):
        at = TimeRule(local_from(instant(MONDAY, 10), TZ), "FREQ=DAILY")
        options = EventOptions(length_s=length_s)
        return TimedEvent(
            number, name, at, Entry.CUT_IN, (Clear(),), enabled=enabled, options=options
        )

    order = campaign(1, shows="Harbour hour, Off, Point")
    programme = station([order])
    events = [
        show(1, "Harbour hour", 3600.0),
        show(2, "Off", 3600.0, enabled=False),
        show(3, "Point", 0.0),
        show(4, "Other", 3600.0),
    ]
    programme.set_events(events, {}, EventSources())
    days = calendar(programme, days=2)
    shows = days._of_shows(programme.break_sources())
    begins = instant(MONDAY, 10)
    assert shows["harbour hour"][0] == (begins, begins + 3600 * 1_000_000)
    assert set(shows) == {"harbour hour"}


def test_an_order_without_audio_says_where_it_was_looked_for():
    def told(**options):
        one = replace(campaign(1, **options), copies=())
        (found,) = [
            f
            for f in campaign_findings(station([one]), one, MONDAY, 0, None)
            if f.code == "audio-missing"
        ]
        return found.text

    assert told() == "“Order 1” has no audio."
    assert told(folder="  ") == "“Order 1” has no audio."
    assert told(folder="spots/rolls") == "No item is in the folder of “Order 1”, spots/rolls."

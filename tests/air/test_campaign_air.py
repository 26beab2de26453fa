"""Breaks on the night: filled when they come, made good, heard where the report says."""

from dataclasses import replace
from datetime import date, datetime
from zoneinfo import ZoneInfo

import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st
from test_sequencer import Logs, state_at

from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import LoadLog, PlayBreak, PlayItem
from nightly_spindle.core.events.timed_events import Entry, TimedEvent
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.logs.log_line import LogLine
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.break_fill import sweep
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.event_sources import EventSources
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.station.log_sources import LogDrop, LogReading, ReadingState
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.core.traffic.break_patterns import (
    BreakOptions,
    BreakPattern,
    Flow,
    IfLate,
    Starts,
)
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, Terms
from nightly_spindle.core.traffic.spot_plan import Booking, SpotPlan
from nightly_spindle.core.traffic.spot_state import BreakRef

TZ = ZoneInfo("Europe/Lisbon")
DAY = date(2026, 11, 30)
SONGS = [make_item(n, 150 + n * 13.0) for n in range(1, 12)]
SPOTS = [make_item(100 + n, 12.0 + n, Kind.SPOT, "") for n in range(8)]
JINGLE, PSA = make_item(50, 4.0, Kind.JINGLE, ""), make_item(60, 20.0, Kind.PSA, "")
ITEMS = {item.cart: item for item in [*SONGS, *SPOTS, JINGLE, PSA]}


def at(hour, minute=0, day=DAY):
    return (
        resolve_local(datetime.combine(day, datetime.min.time()), TZ)
        + (hour * 60 + minute) * 60 * US
    )


def order(number, *carts, **options):
    options = {"apart_s": 0.0} | options
    copies = tuple(Copy(cart) for cart in carts or (100 + number,))
    return Campaign(number, f"Order {number}", copies, CampaignOptions(**options))


def programme(campaigns, patterns, bookings=(), events=(), logs=None, drops=None, **more):
    made = Programme(
        StationSettings("Pier", TZ.key),
        logs or Logs(),
        dict(ITEMS),
        events,
        drops or {},
        SONGS,
        event_sources=EventSources(categories={"psas": (60,)}),
        **more,
    )
    made.set_spots(
        SpotPlan(
            {c.id: c for c in campaigns},
            {p.id: p for p in patterns},
            tuple(bookings),
            from_us=at(0),
            until_us=at(96),
        )
    )
    return made


def aired(made, from_us, until_us, steps=(), state=None):
    """The rows of a stretch, decided in steps of so many seconds, or in one."""
    sequencer = Sequencer(made, state or new_state(RATE, from_us * RATE // US, from_us - 1))
    recorder, until = Recorder(), sequencer.frame_of(until_us)
    for step in steps:
        recorder.take(
            sequencer.advance(min(until, sequencer.state.clock.frame + round(step * RATE)))
        )
    recorder.take(sequencer.advance(until))
    return recorder, sequencer


def spots_in(recorder):
    return [row for row in recorder.rows if row.play is not None and row.line.spot is not None]


def when(row):
    return datetime.fromtimestamp(row.start / RATE, TZ).strftime("%H:%M")


QUARTERS = BreakPattern(1, "Quarters", BreakOptions(minutes="15, 45", spots=3.0))


def test_a_break_airs_what_is_placed_opened_and_closed_each_to_its_end():
    pattern = replace(
        QUARTERS,
        options=replace(QUARTERS.options, opens=50.0, closes=50.0, flow=Flow.WHOLE, empty="psas"),
    )
    campaigns = [order(0, 100, position="last"), order(1), order(2, 102, position="first")]
    campaigns = [replace(c, id=c.id + 1) for c in campaigns]
    bookings = [Booking(at(8, 15), 1, seat, c.id) for seat, c in enumerate(campaigns)]
    recorder, sequencer = aired(programme(campaigns, [pattern], bookings), at(8), at(9))
    rows = [row for row in recorder.rows if row.play is not None]
    kinds = [str(row.play.item.kind) for row in rows]
    first = kinds.index("jingle")
    assert kinds[first : first + 5] == ["jingle", "spot", "spot", "spot", "jingle"]
    assert [row.play.item.cart for row in rows[first + 1 : first + 4]] == [102, 101, 100]
    for row, after in zip(rows[first + 1 : first + 4], rows[first + 2 : first + 5], strict=True):
        assert row.end == after.start  # no crossfade takes anything off a spot
    assert [row.play.item.cart for row in rows if row.play.item.kind is Kind.PSA] == [60]
    assert all(row.line.origin.text.startswith("campaign “Order") for row in spots_in(recorder))
    assert sequencer.state.spots.lined == []
    assert sequencer.state.spots.owed == []


def test_what_was_cut_or_cannot_be_played_is_made_good_where_there_is_room():
    cut = TimedEvent(
        9,
        "News",
        TimeRule(datetime(2026, 1, 1, 8, 18), "FREQ=DAILY"),
        Entry.CUT_IN,
        (PlayItem(50),),
    )
    campaigns = [order(1), order(2), order(3)]
    bookings = [Booking(at(8, 15), 1, n, c.id) for n, c in enumerate(campaigns)]
    made = programme(campaigns, [QUARTERS], bookings, [cut])
    long = {"cue_out_s": 150.0, "duration_s": 150.0, "segue_s": 149.0}
    made.items[101] = replace(ITEMS[101], measure=replace(ITEMS[101].measure, **long))
    made.unplayable[103] = "the file is not there"
    recorder, sequencer = aired(made, at(8, 14), at(8, 40))
    played = {row.line.spot.campaign: row.outcome for row in spots_in(recorder)}
    assert played[1] is Outcome.CUT
    lost = [row for row in recorder.rows if row.outcome is Outcome.MISSED]
    assert [row.line.spot.campaign for row in lost] == [3]
    assert any(f.code == "spot-no-audio" for f in recorder.findings)
    made.unplayable.clear()
    del made.items[101]
    made.items[101] = ITEMS[101]
    recorder, sequencer = aired(made, at(8, 40), at(9), state=sequencer.state)
    goods = [row for row in spots_in(recorder) if row.line.spot.good]
    assert {row.line.spot.campaign for row in goods} == {1, 3}
    assert "Makes good for the spot of 08:15:00" in goods[0].line.origin.why
    assert sequencer.state.spots.owed == []
    # a placing that has seen to it leaves nothing for the night
    settled = SpotPlan(
        made.spots.campaigns, made.spots.patterns, (), frozenset({(1, 1, at(8, 15))})
    )
    assert settled.is_settled(goods[0].line.spot) == (goods[0].line.spot.campaign == 1)


def test_a_spot_taken_out_by_hand_is_owed_until_it_is_brought_back():
    bookings = [Booking(at(8, 15), 1, 0, 1), Booking(at(8, 15), 1, 1, 2)]
    made = programme([order(1), order(2)], [QUARTERS], bookings)
    recorder, sequencer = aired(made, at(8, 14), at(8, 15))
    state = sequencer.state
    sequencer.advance(state.clock.frame + RATE)  # the break is filled: it comes next
    line = next(one for one in state.order.upcoming if one.spot and one.spot.campaign == 2)
    ((before, gone),) = sequencer.edits.remove([line.id])
    sweep(made, state, at(8, 15), [])
    assert [one.campaign for one in state.spots.owed] == [2]
    sequencer.edits.bring_back(before, gone)
    assert state.spots.owed == []
    recorder, sequencer = aired(made, at(8, 15), at(9), state=state)
    assert [row.line.spot.good for row in spots_in(recorder)] == [False, False]
    # a break whose pattern is gone leaves a trace, and the engine goes on
    made.set_spots(SpotPlan(made.spots.campaigns, {}, ()))
    state.order.upcoming.insert(0, replace(gone, id=900, cart=-1, spot=None, opens=BreakRef(1)))
    recorder, _ = aired(made, at(9), at(9, 10), state=state)
    assert [row.note for row in recorder.rows if row.line.id == 900] == [
        "its break pattern is not there any more"
    ]


def test_what_was_cut_while_nobody_was_on_air_is_owed_once():
    cut = TimedEvent(
        9,
        "News",
        TimeRule(datetime(2026, 1, 1, 8, 18), "FREQ=DAILY"),
        Entry.CUT_IN,
        (PlayItem(50),),
    )
    made = programme([order(1)], [QUARTERS], [Booking(at(8, 15), 1, 0, 1)], [cut])
    long = {"cue_out_s": 600.0, "duration_s": 600.0, "segue_s": 599.0}
    made.items[101] = replace(ITEMS[101], measure=replace(ITEMS[101].measure, **long))
    _, sequencer = aired(
        made,
        at(8, 14),
        at(
            8,
            14,
        )
        + US,
    )
    back, _ = take_the_air(made, sequencer.state, at(8, 30))
    sweep(made, back.state, at(8, 30), [])
    assert [one.campaign for one in back.state.spots.owed] == [1]


@pytest.mark.parametrize(
    ("late", "airs"), [(IfLate.AIRS, {1, 2}), (IfLate.PAID, {1}), (IfLate.LEFT, set())]
)
def test_a_break_that_comes_late_does_what_is_set(late, airs):
    pattern = replace(QUARTERS, options=BreakOptions(minutes="15", late_s=600.0, late=late))
    campaigns = [order(1), order(2, terms=Terms.BONUS)]
    bookings = [Booking(at(8, 15), 1, n, c.id) for n, c in enumerate(campaigns)]
    made = programme(campaigns, [pattern], bookings)
    long = make_item(70, 1500.0)
    made.items[70] = long
    state = state_at(at(8, 10), [70])
    recorder, sequencer = aired(made, at(8, 10), at(9), state=state)
    first = {row.line.spot.campaign for row in spots_in(recorder) if not row.line.spot.good}
    assert first == airs
    assert {one.campaign for one in sequencer.state.spots.owed} == {1, 2} - airs
    filled = [a for a in recorder.rows if a.outcome is Outcome.MISSED]
    assert len(filled) == 2 - len(airs)


def test_breaks_of_logs_are_the_planned_ones_that_lie_nearest_and_logs_bring_spots():
    pattern = BreakPattern(1, "Avail", BreakOptions(starts=Starts.LINES, minutes="10, 40"))
    campaigns = [order(1), order(2), order(3, 107)]
    bookings = [Booking(at(8, 10), 1, 0, 1), Booking(at(8, 40), 1, 0, 2)]
    carts = [1, 2, 3, 0, 4, 5, 107, 6, 7, 8, 9, 0, 10, 11, 1, 2, 3, 4, 5, 6]

    class Hourly(Logs):
        def reading(self, drop, slot):
            found = [
                Match(
                    LogLine(n, f"{c}.flac"),
                    MatchStatus.MATCHED if c else MatchStatus.BREAK,
                    "path",
                    c or None,
                    value=0.0 if c else 2.0,
                )
                for n, c in enumerate(carts, 1)
            ]
            return LogReading(drop.id, slot, "day.m3u", ReadingState.READ, tuple(found))

    load = TimedEvent(
        1, "Load", TimeRule(datetime(2026, 1, 1, 8), "FREQ=DAILY"), Entry.CUT_IN, (LoadLog(1),)
    )
    made = programme(
        campaigns,
        [pattern],
        bookings,
        [load],
        Hourly(),
        {1: LogDrop(1, "Day log", "/logs", "%Y-%m-%d.m3u")},
    )
    recorder, sequencer = aired(made, at(7, 59), at(9, 20))
    found = [(row.line.spot.campaign, row.line.spot.pattern) for row in spots_in(recorder)]
    assert found == [(1, 1), (3, 0), (2, 1)]
    assert sorted(sequencer.state.spots.filled) == [(1, at(8, 10)), (1, at(8, 40))]


def test_breaks_by_songs_and_by_events_are_filled_too():
    by_songs = BreakPattern(1, "Every three", BreakOptions(starts=Starts.SONGS, every=3.0))
    by_event = BreakPattern(2, "Show", BreakOptions(starts=Starts.EVENTS))
    show = TimedEvent(
        5,
        "Show",
        TimeRule(datetime(2026, 1, 1, 8, 30), "FREQ=DAILY"),
        Entry.NEXT,
        (PlayBreak("show"),),
    )
    near = by_songs.rule().firings(TZ, at(8), at(9))
    bookings = [Booking(us, 1, 0, 1) for us in near] + [Booking(at(8, 30), 2, 0, 2)]
    recorder, _ = aired(
        programme([order(1), order(2)], [by_songs, by_event], bookings, [show]), at(8), at(9)
    )
    found = [row.line.spot.campaign for row in spots_in(recorder)]
    assert found.count(2) == 1
    assert found.count(1) >= 3


@given(st.data())
@examples(25)
def test_spots_do_not_depend_on_how_often_it_is_looked(data):
    """One big step or many small ones, through cuts, missing files and late breaks: the same."""
    draw = data.draw
    patterns = [
        replace(
            QUARTERS,
            options=BreakOptions(
                minutes="15, 45",
                spots=2.0,
                empty=draw(st.sampled_from(["", "psas"])),
                opens=50.0,
                late=draw(st.sampled_from(list(IfLate))),
                late_s=120.0,
                wait_s=draw(st.sampled_from([0.0, 60.0])),
            ),
        )
    ]
    campaigns = [
        order(
            n,
            100 + n,
            100 + (n + 3) % 8,
            apart_s=draw(st.sampled_from([0.0, 900.0])),
            group=draw(st.sampled_from(["", "x"])),
            importance=float(n),
        )
        for n in range(1, 6)
    ]
    bookings = [
        Booking(at(hour, minute), 1, seat, draw(st.integers(1, 5)))
        for hour in (8, 9)
        for minute in (15, 45)
        for seat in range(draw(st.integers(0, 3)))
    ]
    bookings = list({(b.key, b.campaign): b for b in bookings}.values())
    minute = draw(st.integers(10, 50))
    cut = TimedEvent(
        9,
        "News",
        TimeRule(datetime(2026, 1, 1, 8, minute), "FREQ=DAILY"),
        Entry.CUT_IN,
        (PlayItem(60),),
    )
    steps = draw(st.lists(st.floats(0.05, 400), max_size=30))

    def rows(given_steps):
        made = programme(campaigns, patterns, bookings, [cut])
        made.unplayable[draw_missing] = "it is not there"
        recorder, sequencer = aired(made, at(8), at(10), given_steps)
        told = [
            (r.start, r.end, r.line.cart, r.line.spot, str(r.outcome), r.note)
            for r in recorder.rows
        ]
        return told, sequencer.state.spots

    draw_missing = draw(st.sampled_from([101, 102, 999]))
    assert rows(steps) == rows(())

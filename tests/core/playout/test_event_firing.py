"""What timed events do on air: entries, steps, lengths, landings, restarts."""

from dataclasses import replace
from datetime import UTC, datetime, time
from itertools import pairwise

import msgspec
import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st
from test_sequencer import Logs, run, state_at

from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.base.timebase import US, us_from
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import (
    Clear,
    GoBack,
    LoadLog,
    Pick,
    Placement,
    PlayCategory,
    PlayFolder,
    PlayItem,
    PlayList,
    PlayStream,
    RaiseAlarm,
    SetMode,
    SetOverlays,
    ShowText,
)
from nightly_spindle.core.events.timed_events import (
    AfterSongs,
    BlockEnd,
    Entry,
    EventOptions,
    Inside,
    TimedEvent,
)
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.programme.event_sources import EventSources, stream_cart
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import LineSource, Outcome
from nightly_spindle.core.programme.sequencer_actions import Fired
from nightly_spindle.core.station.log_sources import LogDrop
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.store.playout.state_coding import decode_state, encode_state

TEN = us_from(datetime(2026, 11, 24, 10, tzinfo=UTC))  # also ten in Lisbon
SONGS = [make_item(n, 160 + 7.3 * n) for n in range(1, 13)]
NEWS = make_item(50, 120, Kind.NEWS)
IDS = [make_item(60 + n, 8, Kind.ID) for n in range(5)]
ITEMS = {item.cart: item for item in [*SONGS, NEWS, *IDS]}
HOLDINGS = EventSources(
    {"show": tuple(range(1, 9)), "none": ()},
    {"ids": tuple(item.cart for item in IDS)},
    {"songs": tuple(item.cart for item in SONGS)},
)


def at(clock, text=""):
    return us_from(datetime.fromisoformat(f"2026-11-24T{clock}").replace(tzinfo=UTC))


def event(number, when, entry, *steps, **more):
    options = EventOptions(**{k: more.pop(k) for k in list(more) if hasattr(EventOptions(), k)})
    rule = (
        when
        if not isinstance(when, str)
        else TimeRule(datetime.fromisoformat(f"2026-11-24T{when}"), "FREQ=DAILY")
    )
    return TimedEvent(number, f"Event {number}", rule, entry, steps, options=options, **more)


def station(*events, pool=SONGS, **more):
    return Programme(
        StationSettings("Pier", "Europe/Lisbon"),
        more.pop("logs", Logs()),
        dict(ITEMS),
        events,
        {1: LogDrop(1, "Day log", "/logs", "%Y-%m-%d.m3u")},
        list(pool),
        event_sources=HOLDINGS,
        **more,
    )


def air(programme, carts, begin="09:55", until="10:30", state=None):
    sequencer = Sequencer(programme, state or state_at(at(begin), carts))
    done = run(sequencer, at(until))
    return done, sequencer.state


def aired(done):
    return [
        (row.play.item.cart, row.start / RATE - TEN / US, row.outcome)
        for row in done.rows
        if row.play
    ]


def start_of(done, cart):
    return next(begun for number, begun, _ in aired(done) if number == cart)


# -- entries ---------------------------------------------------------------------------------------


def test_each_entry_takes_the_air_in_its_way():
    # what is on air at ten runs 3 s, or 100 s, past it
    for entry, soon, late in (
        (Entry.CUT_IN, 0, 0),
        (Entry.NEXT, None, None),
        (Entry.WAIT, None, 60.0),
    ):
        news = event(1, "10:00", entry, PlayItem(50), wait_s=60.0)
        for begin, expected in (("09:58:01", soon), ("09:59:10", late)):
            programme = station(news)
            done, _ = air(programme, [2, 3], begin)
            start = start_of(done, 50)
            natural = at(begin) / US - TEN / US + 160 + 14.6 - 4
            wanted = natural if expected is None else min(natural, expected)
            assert start == pytest.approx(wanted, abs=2 / RATE), (entry, begin)
            cut = [cart for cart, _, outcome in aired(done) if outcome is Outcome.CUT]
            assert bool(cut) == (wanted < natural)


def test_a_cut_takes_as_long_as_the_event_says():
    done, _ = air(station(event(1, "10:00", Entry.CUT_IN, PlayItem(50), fade_s=4.0)), [2])
    row = next(row for row in done.rows if row.outcome is Outcome.CUT)
    assert row.end / RATE - TEN / US == pytest.approx(4.0)
    assert "cut in by “Event 1”" in row.note


def test_what_was_cut_goes_on_afterwards_from_where_it_was():
    news = event(1, "10:00", Entry.CUT_IN, PlayItem(50), GoBack(), Clear())
    done, _ = air(station(news), [2, 3, 4], "09:59")
    carts = [cart for cart, _, _ in aired(done)]
    assert carts[:5] == [2, 50, 2, 3, 4]
    _, _, back, *_ = [row for row in done.rows if row.play]
    assert back.play.begin == pytest.approx(60 * RATE, abs=2)
    assert back.play.joined
    assert back.start / RATE - TEN / US == pytest.approx(116, abs=0.1)
    assert "Goes on after it was cut in by “Event 1”" in back.line.origin.why


# -- steps -----------------------------------------------------------------------------------------


def test_nothing_is_cleared_or_cut_for_an_event_that_has_nothing_to_air():
    for step in (PlayItem(999), PlayList("none"), PlayList("gone"), PlayFolder("nowhere")):
        lost = event(1, "10:00", Entry.CUT_IN, Clear(), step)
        done, _ = air(station(lost), [2, 3, 4], "09:59")
        assert [cart for cart, _, _ in aired(done)][:3] == [2, 3, 4]
        assert all(row.outcome is Outcome.AIRED for row in done.rows[:2])
        found = next(f for f in done.findings if f.code == "event-lacks")
        assert "“Event 1” at 10:00:00 has nothing to air" in found.text


def test_all_or_nothing_is_one_of_both():
    steps = (PlayItem(50), PlayItem(999))
    for whole, expected in ((True, [2, 3]), (False, [2, 50])):
        done, _ = air(station(event(1, "10:00", Entry.NEXT, *steps, whole=whole)), [2, 3], "09:59")
        assert [cart for cart, _, _ in aired(done)][:2] == expected
        assert ("event-not-whole" in {f.code for f in done.findings}) == whole


@examples(30)
@given(st.integers(1, 9), st.integers(2, 30), st.integers(0, 99))
def test_one_at_random_takes_all_before_any_comes_again(size, rounds, seed):
    carts = tuple(range(1, size + 1))
    ids = event(
        1,
        TimeRule(datetime(2026, 11, 24, 10), "FREQ=MINUTELY;INTERVAL=10"),
        Entry.NEXT,
        PlayFolder("ids", Pick.RANDOM),
    )
    programme = station(ids)
    programme.settings = replace(programme.settings, seed=seed)
    programme.items.update({n: make_item(n, 8, Kind.ID) for n in carts})
    programme.set_events(programme.events, programme.drops, EventSources(folders={"ids": carts}))
    state = state_at(TEN - US, [50])
    heard = []
    for step in range(rounds):
        sequencer = Sequencer(programme, decode_state(encode_state(state)))
        done = run(sequencer, TEN + step * 600 * US + US)
        state = sequencer.state
        lines = [*state.order.upcoming, state.order.playing.line]
        heard += [line.cart for f in done.fired for line in lines if line.id in f.line_ids]
    assert len(heard) == rounds
    for begin in range(0, rounds - size + 1, size):
        assert sorted(heard[begin : begin + size]) == list(carts)
    if size > 1:
        assert all(a != b for a, b in pairwise(heard))


def test_lists_categories_and_places():
    show = event(
        1,
        "10:00",
        Entry.CUT_IN,
        PlayList("Show", placement=Placement.REPLACE),
        PlayCategory("Songs", 2, Placement.END),
        PlayItem(50),
        ShowText("The show"),
    )
    done, state = air(station(show), [11, 12, 11], "09:59", "10:00:01")
    carts = [1, *(line.cart for line in state.order.upcoming)]
    assert carts[:8] == list(HOLDINGS.lists["show"])
    assert carts[8] == 50  # at the front means behind what came before it
    assert len(set(carts[8:]) - {50}) == 2
    assert {line.shows for line in state.order.upcoming} == {"The show"}
    dropped = [row for row in done.rows if row.outcome is Outcome.REPLACED]
    assert [row.note for row in dropped] == ["cleared by “Event 1” at 10:00:00"] * 2


def test_switches_texts_and_alarms():
    do = event(
        1,
        "10:00",
        Entry.NEXT,
        SetMode(unattended=False),
        SetOverlays(on=False),
        RaiseAlarm("Ring the harbour master"),
    )
    done, state = air(station(do), [2], "09:59", "10:01")
    assert (state.order.unattended, state.overlays.on) == (False, False)
    assert [(f.code, f.text) for f in done.findings] == [("event-alarm", "Ring the harbour master")]
    (fired,) = done.fired
    assert fired.did[0] == "switch to attended"


def test_every_so_many_songs():
    ids = event(1, AfterSongs(2), Entry.NEXT, PlayFolder("ids", Pick.NEXT))
    done, state = air(station(ids), [1, 2, 50, 3, 4, 5], "10:00", "10:25")
    carts = [cart for cart, _, _ in aired(done)]
    assert carts[:8] == [1, 2, 60, 50, 3, 4, 61, 5]
    # as desk and command line get it from the engine: JSON, then the type
    sent = msgspec.json.decode(msgspec.json.encode({"state": state}))
    assert msgspec.convert(sent["state"], AirState, str_keys=True) == state


def test_a_stream_lasts_as_long_as_it_is_to():
    step = PlayStream("http://127.0.0.1:9/x", "Relay", 90.0)
    done, _ = air(station(event(1, "10:00", Entry.CUT_IN, step)), [2, 3], "09:59")
    rows = [row for row in done.rows if row.play]
    assert rows[1].play.item.cart == stream_cart(1, 0)
    assert (rows[1].end - rows[1].start) / RATE == pytest.approx(90, abs=0.01)
    assert rows[1].line.origin.text == "event “Event 1”"


def test_an_event_by_hand_acts_at_once_whatever_its_rule_says():
    news = event(1, "18:00", Entry.CUT_IN, PlayItem(50), enabled=False)
    sequencer = Sequencer(station(news), state_at(at("09:59"), [2, 3]))
    run(sequencer, TEN)
    actions = sequencer.fire_by_hand(news)
    assert [a.event for a in actions if isinstance(a, Fired)] == ["Event 1"]
    assert sequencer.state.order.playing.item.cart == 50


# -- lengths ---------------------------------------------------------------------------------------


@pytest.mark.parametrize("end", list(BlockEnd))
def test_a_length_ends_as_it_is_set(end):
    show = event(1, "10:00", Entry.CUT_IN, PlayList("Show"), length_s=600.0, at_end=end)
    done, state = air(station(show), [12, 11], "09:59", "10:30")
    over = 600.0
    inside = [(cart, start, outcome) for cart, start, outcome in aired(done) if 1 < start < over]
    last = inside[-1]
    after = next(begun for _, begun, _ in aired(done) if begun >= over)
    lost = [row for row in done.rows if row.outcome is Outcome.REPLACED]
    if end is BlockEnd.CUT:
        assert (after, last[2]) == (pytest.approx(over, abs=1e-4), Outcome.CUT)
    else:
        assert last[2] is Outcome.AIRED
    assert bool(lost) == (end is not BlockEnd.RUNS_ON)
    assert all("“Event 1” is over at 10:10:00" in row.note for row in lost)
    assert state.events.holding is None


def test_inside_anothers_length_an_event_waits_or_is_dropped():
    show = event(1, "10:00", Entry.CUT_IN, PlayList("Show"), length_s=600.0, at_end=BlockEnd.CUT)
    for inside, start in ((Inside.ACTS, 300.0), (Inside.WAITS, 600.0), (Inside.DROPPED, None)):
        news = event(2, "10:05", Entry.CUT_IN, PlayItem(50), inside=inside)
        done, _ = air(station(show, news), [12, 11], "09:59")
        found = [begin for cart, begin, _ in aired(done) if cart == 50]
        assert found == ([] if start is None else [pytest.approx(start, abs=1e-4)])
        codes = {f.code for f in done.findings}
        assert ("event-dropped" in codes) == (inside is Inside.DROPPED)
        assert ("event-waits" in codes) == (inside is Inside.WAITS)


def test_at_the_same_instant_priority_goes_before_order():
    first = event(1, "10:00", Entry.CUT_IN, PlayItem(60))
    for priority, expected in ((0, [60, 50]), (1, [50, 60])):
        news = event(2, "10:00", Entry.CUT_IN, PlayItem(50), priority=priority)
        done, _ = air(station(first, news), [12, 11], "09:59")
        assert [cart for cart, _, _ in aired(done)][1:3] == expected


# -- restarts --------------------------------------------------------------------------------------


def off_air(programme, gone, back, carts=(12, 11, 10, 9, 8, 7, 6)):
    sequencer = Sequencer(programme, state_at(at("09:50"), carts))
    run(sequencer, at(gone))
    saved = decode_state(encode_state(sequencer.state))
    again, begun = take_the_air(programme, saved, at(back))
    return again, begun


def test_what_was_missed_while_off_is_made_good_once_or_dropped():
    for grace, good in ((600.0, True), (60.0, False)):
        news = event(1, "10:00", Entry.CUT_IN, PlayItem(60), grace_s=grace)
        again, begun = off_air(station(news), "09:58", "10:04")
        done = run(again, at("10:20"))
        codes = [a.code for a in begun if isinstance(a, Finding)]
        assert ("event-made-good" in codes) == good
        assert ("event-missed" in codes) == (not good)
        assert [cart for cart, _, _ in aired(done)].count(60) == good


def test_what_was_due_again_and_again_is_told_once():
    rule = TimeRule(datetime(2026, 11, 24, 9), "FREQ=DAILY", repeat=Repeat(600, time(18)))
    bells = event(1, rule, Entry.NEXT, PlayItem(60))
    songs = event(2, AfterSongs(1), Entry.NEXT, PlayItem(61))
    again, begun = off_air(station(bells, songs), "09:58", "10:35")
    told = [a for a in begun if isinstance(a, Finding) and a.code.startswith("event-")]
    assert [a.text for a in told] == [
        "“Event 1” was due 4 times, the last at 10:30:00, while the engine was off: made good now."
    ]
    assert [line.cart for line in again.state.order.upcoming][:1] == [60]


def test_a_show_is_joined_where_it_should_be_after_a_restart():
    show = event(1, "10:00", Entry.CUT_IN, PlayList("Show"), length_s=1200.0, at_end=BlockEnd.CUT)
    programme = station(show)
    whole, _ = air(programme, [12, 11, 10, 9, 8, 7, 6], "09:50", "10:40")
    again, begun = off_air(programme, "10:04", "10:09")
    joined = again.state.order.playing.item.cart
    done = run(again, at("10:40"))
    later = [entry for entry in aired(whole) if entry[1] > 560]
    assert aired(done)[: len(later)] == later
    assert not [a for a in begun if isinstance(a, Finding) and a.code.startswith("event-")]
    # with nothing saved, too: the show holds the air
    cold, _ = take_the_air(programme, None, at("10:09"))
    assert cold.state.order.playing.item.cart == joined
    assert cold.state.events.holding.until_us == at("10:20")


def test_what_is_interrupted_inside_a_length_still_ends_with_it():
    show = event(1, "10:00", Entry.CUT_IN, PlayItem(12), length_s=200.0, at_end=BlockEnd.CUT)
    news = event(2, "10:01", Entry.CUT_IN, PlayItem(60), GoBack())
    done, _ = air(station(show, news), [11, 10], "09:59")
    shown = [(start, outcome) for cart, start, outcome in aired(done) if cart == 12]
    assert [outcome for _, outcome in shown] == [Outcome.CUT, Outcome.CUT]
    assert start_of(done, 10) == pytest.approx(200.0, abs=1e-4)


# -- landing on time -------------------------------------------------------------------------------


POOL = [make_item(200 + n, 130 + (n * 37.7) % 190, artist=f"Other {n}") for n in range(60)]


@examples(25)
@given(st.lists(st.integers(1, 12), min_size=12, max_size=12, unique=True), st.integers(0, 900))
def test_an_event_lands_within_its_tolerance(carts, early):
    news = event(1, "10:00", Entry.LAND, PlayItem(50))
    programme = station(news, pool=[*SONGS, *POOL])
    programme.items.update({item.cart: item for item in POOL})
    begin = TEN - (1500 + early) * US
    sequencer = Sequencer(programme, state_at(begin, carts))
    night = rehearse(programme, sequencer, [], (TEN - begin) / US / 3600 + 0.25)
    rows = night.sounding()
    place = next(n for n, row in enumerate(rows) if row.play.item.cart == 50)
    assert abs(rows[place].start / RATE - TEN / US) <= 2.001
    assert rows[place - 1].outcome is Outcome.AIRED  # nothing was cut for it
    artists = [row.play.item.artist for row in rows[:place]]
    assert len(set(artists)) == len(artists)
    (landing,) = night.landings
    assert abs(landing.offset_s) <= 2.001
    notes = [f for f in night.findings if f.code == "landing"]
    changed = [row for row in rows[:place] if "so that “Event 1” lands" in row.line.origin.why]
    assert bool(notes) or not changed


def test_what_cannot_land_says_so_and_cuts_in_at_its_tolerance():
    news = event(1, "10:00", Entry.LAND, PlayItem(50))
    programme = station(news, pool=[])
    hand = state_at(at("09:56"), [2, 4])
    hand.order.upcoming = [
        replace(line, origin=replace(line.origin, source=LineSource.HAND))
        for line in hand.order.upcoming
    ]
    done, _ = air(programme, (), state=hand)
    assert start_of(done, 50) == pytest.approx(2.0, abs=1e-4)
    told = [f for f in done.findings if f.code == "cannot-land"]
    assert len(told) == 1
    assert "is cut off" in told[0].text


# -- all at once -----------------------------------------------------------------------------------


STEPS = st.sampled_from(
    [
        PlayItem(50),
        PlayItem(999),
        PlayList("Show"),
        PlayList("Show", Pick.SHUFFLED, Placement.END),
        PlayFolder("ids"),
        PlayCategory("Songs", 3, Placement.REPLACE),
        LoadLog(1),
        Clear(),
        GoBack(),
        SetOverlays(on=False),
        ShowText("x"),
        PlayStream("http://x.example/", "", 60.0),
    ]
)
EVENTS = st.lists(
    st.tuples(
        st.integers(0, 7200),
        st.sampled_from(list(Entry)),
        st.lists(STEPS, max_size=3),
        st.sampled_from([0.0, 400.0, 1800.0]),
        st.sampled_from(list(BlockEnd)),
        st.sampled_from(list(Inside)),
        st.booleans(),
        st.integers(0, 2),
    ),
    max_size=8,
)


@examples(60)
@given(EVENTS, st.lists(st.integers(1, 7200 * US), max_size=8).map(sorted))
def test_whatever_events_say_there_is_no_silence_and_neither_steps_nor_restarts_matter(made, cuts):
    events = [
        event(
            n,
            TimeRule(
                datetime(2026, 11, 24, 10, second=0).replace(
                    hour=10 + s // 3600, minute=s // 60 % 60, second=s % 60
                )
            ),
            entry,
            *steps,
            length_s=length,
            at_end=end,
            inside=inside,
            whole=whole,
            priority=priority,
        )
        for n, (s, entry, steps, length, end, inside, whole, priority) in enumerate(made, 1)
    ]
    logs = Logs(d2026_11_24=[3, 4, 5, 0, 6])
    begin, end = TEN - 900 * US, TEN + 7800 * US
    whole = run(Sequencer(station(*events, logs=logs), state_at(begin, [1, 2, 3])), end)
    programme = station(*events, logs=logs)
    state = state_at(begin, [1, 2, 3])
    parts = run(Sequencer(programme, state), begin)
    for cut in [*(TEN + cut for cut in cuts), end]:
        # saved and read back at every stop, as after a restart that takes no time
        sequencer = Sequencer(programme, decode_state(encode_state(state)))
        parts.take(sequencer.advance(cut * RATE // US))
        state = sequencer.state
    assert whole.rows == parts.rows
    assert whole.findings == parts.findings
    rows = [row for row in whole.rows if row.play]
    assert all(a.end >= b.start for a, b in pairwise(rows))
    assert rows[-1].end >= end * RATE // US

"""Loading logs: where their lines go, what is short, long, late, told by hand."""

from dataclasses import replace
from datetime import UTC, datetime, time

import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.base.timebase import US, us_from
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.calendar.recurrence import every_day_at
from nightly_spindle.core.events.steps import LoadLog, Placement
from nightly_spindle.core.events.timed_events import Entry, TimedEvent
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.logs.log_line import LogLine
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import (
    Line,
    LineSource,
    LoadOrder,
    Origin,
    Outcome,
)
from nightly_spindle.core.programme.sequencer_actions import Dropped, LogLoaded
from nightly_spindle.core.reports.as_run import records
from nightly_spindle.core.station.log_sources import (
    DropOptions,
    Late,
    Loads,
    LogChange,
    LogDrop,
    LogReading,
    Long,
    ReadingState,
    Rest,
    WhenShort,
)
from nightly_spindle.core.station.settings import StationSettings

NOON = us_from(datetime(2026, 11, 24, 12, tzinfo=UTC))
MIN = 60 * US
HOUR = 60 * MIN
# minutes on the dot: an item of 184 s has its segue point at 180 s
SONGS = [make_item(n, 184.0, Kind.SONG, f"A{n}") for n in range(1, 60)]
LINKS = [make_item(100 + n, 64.0, Kind.JINGLE) for n in range(5)]


class Logs:
    """Readings by slot key ("2026-11-24T12"); what is not there is missing."""

    def __init__(self, **found):
        self.found = {key.replace("_", "-").lstrip("-"): carts for key, carts in found.items()}

    def reading(self, drop, slot):
        carts = self.found.get(slot.key)
        name = f"{slot.key}.m3u"
        if carts is None:
            return LogReading(drop.id, slot, name, ReadingState.MISSING)
        if carts == "growing":
            return LogReading(drop.id, slot, name, ReadingState.GROWING)
        matches = tuple(
            Match(
                LogLine(n, f"{cart}.flac"),
                MatchStatus.MATCHED if cart else MatchStatus.MISSING,
                "path",
                cart or None,
            )
            for n, cart in enumerate(carts, 1)
        )
        return LogReading(drop.id, slot, name, ReadingState.READ, matches)


def hours(**logs):
    return Logs(**{f"_2026_11_24T{hour[1:]}": carts for hour, carts in logs.items()})


def programme(logs, *options, pool=SONGS[40:]):
    drops = {
        n: LogDrop(n, f"Drop {n}", "/logs", "%Y-%m-%d %H.m3u", replace(one, expected=""))
        for n, one in enumerate(options, 1)
    }
    items = {item.cart: item for item in [*SONGS, *LINKS]}
    return Programme(StationSettings("S", "UTC"), logs, items, [], drops, pool)


def hourly(**more):
    base = {"period": Period.HOUR, "loads": Loads.AT_TIME, "placement": Placement.FRONT}
    return DropOptions(**(base | more))


def on_air(station, at_us, carts=(), drop=0):
    state = new_state(RATE, at_us * RATE // US, at_us - 1)
    source = LineSource.LOG if drop else LineSource.HAND
    for cart in carts:
        origin = Origin(source, "old.m3u" if drop else "", 1, drop=drop)
        state.order.upcoming.append(Line(state.take_id(), cart, origin))
    return Sequencer(station, state)


def go(sequencer, until_us, steps=()):
    recorder = Recorder()
    for step in [*steps, until_us]:
        recorder.take(sequencer.advance(step * RATE // US))
    return recorder


def carts(recorder):
    return [row.line.cart for row in recorder.rows if row.play]


def test_an_hours_log_goes_in_front_and_what_was_there_goes_on_or_not():
    for rest, after in ((Rest.GOES_ON, 9), (Rest.DROPPED, None)):
        options = hourly(rest=rest, entry=Entry.NEXT, short=WhenShort.ROTATION)
        station = programme(hours(T13=[1, 2]), options)
        sequencer = on_air(station, NOON + 59 * MIN, [8, 9])
        heard = carts(go(sequencer, NOON + 75 * MIN))
        assert heard[:3] == [8, 1, 2]
        assert (heard[3] == 9) is (after == 9)
        if after is None:
            assert 9 not in heard


@pytest.mark.parametrize("long", list(Long))
def test_a_log_that_is_too_long_is_cut_or_runs_to_its_end(long):
    logs = hours(T12=list(range(1, 25)), T13=[31, 32, 33])
    station = programme(logs, hourly(long=long))
    done = go(on_air(station, NOON), NOON + 80 * MIN)
    heard = carts(done)
    if long is Long.CUT:
        assert heard[:20] == list(range(1, 21))  # 20 songs of three minutes
        assert heard[20:22] == [31, 32]
        dropped = [row.line.cart for row in done.rows if row.outcome is Outcome.REPLACED]
        assert dropped == [21, 22, 23, 24]
    else:
        assert heard == [*range(1, 25), 31, 32, 33]
        assert not [row for row in done.rows if row.outcome in {Outcome.CUT, Outcome.REPLACED}]


@pytest.mark.parametrize(
    ("short", "then"),
    [(WhenShort.AGAIN, [1, 2]), (WhenShort.ROTATION, [41, 42]), (WhenShort.NET, [1, 2])],
)
def test_a_log_that_is_too_short_is_followed_as_its_drop_says(short, then):
    station = programme(hours(T12=[1, 2]), hourly(short=short))
    assert carts(go(on_air(station, NOON), NOON + 11 * MIN)) == [1, 2, *then]


def test_the_safety_nets_lines_make_room_for_a_log():
    station = programme(hours(T12=[1, 2], T13=[5, 6]), hourly(entry=Entry.NEXT))
    done = go(on_air(station, NOON + 58 * MIN), NOON + 70 * MIN)
    # started at 12:58: rotation until the log of 13:00, whose lines follow at once
    assert carts(done)[1:3] == [5, 6]


def test_the_next_log_loads_when_few_lines_are_left():
    logs = Logs(_2026_11_24=[1, 2, 3, 4], _2026_11_25=[11, 12])
    station = programme(logs, DropOptions(loads=Loads.LINES_LEFT, lines_left=2))
    sequencer = on_air(station, NOON + 12 * HOUR - 9 * MIN)
    heard = go(sequencer, NOON + 12 * HOUR + 9 * MIN)
    assert carts(heard) == [1, 2, 3, 4, 11, 12]
    assert [one.file for one in sequencer.state.logs.loaded] == ["2026-11-25.m3u"]
    # but not half a day too early: tomorrow's log is tomorrow's
    early = go(on_air(station, NOON), NOON + 13 * MIN)
    assert carts(early)[:4] == [1, 2, 3, 4]
    assert 11 not in carts(early)


def test_a_log_by_lines_left_that_is_not_there_is_told_once_and_loads_when_it_comes():
    logs = Logs(_2026_11_24=[1, 2, 3])
    options = DropOptions(loads=Loads.LINES_LEFT, lines_left=2)
    station = programme(logs, options)
    sequencer = on_air(station, NOON + 12 * HOUR - 8 * MIN)
    first = go(sequencer, NOON + 12 * HOUR - 4 * MIN)
    assert [f.code for f in first.findings] == ["log-missing"]
    logs.found["2026-11-25"] = [11, 12]
    then = go(sequencer, NOON + 12 * HOUR + 6 * MIN)
    assert carts(then) == [3, 11, 12]
    assert [f.code for f in then.findings] == ["log-late"]


@pytest.mark.parametrize(
    ("late", "heard"), [(Late.JOIN, [8, 9, 10]), (Late.WHOLE, [1, 2, 3]), (Late.NEVER, None)]
)
def test_a_late_log_goes_on_where_it_should_be(late, heard):
    logs = hours(T13="growing")
    station = programme(logs, hourly(late=late))
    sequencer = on_air(station, NOON + 59 * MIN)
    before = go(sequencer, NOON + 80 * MIN)
    assert [f.code for f in before.findings][:2] == ["net-rotation", "log-not-loaded"]
    logs.found["2026-11-24T13"] = list(range(1, 21))
    awaited = list(sequencer.state.logs.awaited)
    if late is Late.NEVER:
        assert awaited == []
        return
    actions = sequencer.load_awaited(awaited[0])
    after = go(sequencer, NOON + 95 * MIN)
    assert carts(after)[:3] == heard
    (note,) = [a for a in actions if isinstance(a, Finding)]
    assert note.text.startswith("2026-11-24T13.m3u came 20:00 after it was due at 13:00:00")
    passed = [
        a.line.cart for a in actions if isinstance(a, Dropped) and a.outcome is Outcome.MISSED
    ]
    assert passed == list(range(1, heard[0]))
    assert sequencer.state.logs.awaited == []
    assert sequencer.load_awaited(awaited[0]) == []
    # where it should be: line 8 is at 13:21 in the log, and within half a song on air
    if late is Late.JOIN:
        start = next(row.start for row in after.rows if row.line.cart == 8)
        assert abs(start / RATE - (NOON + 81 * MIN) / US) < 92


def test_what_a_log_leaves_behind_in_the_as_run_log():
    logs = hours(T13=[1, 0, 2])
    sequencer = on_air(programme(logs, hourly()), NOON + 59 * MIN, [8])
    actions = sequencer.advance((NOON + 61 * MIN) * RATE // US)
    (loaded,) = [a for a in actions if isinstance(a, LogLoaded)]
    assert (loaded.lines, loaded.lost, loaded.file) == (2, 1, "2026-11-24T13.m3u")
    lines, alarms = records(actions, sequencer.state, "s")
    told = [
        (line.title, line.outcome, line.note) for line in lines if line.title.startswith("Log ")
    ]
    assert told == [("Log 2026-11-24T13.m3u", "loaded", "2 lines, 1 not found")]
    assert [alarm.code for alarm in alarms] == ["log-lines-missing"]


def test_a_log_told_by_hand_loads_at_its_time_even_after_a_restart():
    station = programme(hours(T15=[5, 6]), DropOptions(period=Period.HOUR))
    sequencer = on_air(station, NOON, [1, 2, 3])
    order = LoadOrder(0, NOON + 4 * MIN, 1, NOON + 3 * HOUR, "", "cut in", "front")
    taken = sequencer.edits.load_by_hand(order)
    assert taken.id
    again = Sequencer(station, sequencer.state.copy())
    done = go(again, NOON + 12 * MIN)
    assert carts(done) == [1, 2, 5, 6, 3]
    start = next(row.start for row in done.rows if row.line.cart == 5)
    assert start == (NOON + 4 * MIN) * RATE // US
    assert again.state.logs.orders == []
    # one whose time is over loads at once, and never twice
    now = again.edits.load_by_hand(replace(order, at_us=NOON))
    assert now.at_us >= NOON + 12 * MIN
    assert carts(go(again, NOON + 20 * MIN)).count(5) == 1


def test_a_file_in_place_of_a_log_counts_as_that_log():
    logs = Logs()
    station = programme(logs, hourly(entry=Entry.NEXT))
    reading = logs.reading

    def read(drop, slot):
        if drop.folder != "/elsewhere":
            return reading(drop, slot)
        logs.found[slot.key] = [5, 6]
        found = reading(drop, slot)
        del logs.found[slot.key]
        return found

    logs.reading = read
    sequencer = on_air(station, NOON + 59 * MIN, [1])
    due = NOON + HOUR
    sequencer.edits.load_by_hand(LoadOrder(0, due, 1, due, "/elsewhere/x.m3u", "next", "front"))
    done = go(sequencer, due + 9 * MIN)
    assert carts(done)[:3] == [1, 5, 6]
    assert not [f for f in done.findings if f.code.startswith("log-")], "it is not missed"
    assert [one.drop for one in sequencer.state.logs.loaded] == [1]
    assert sequencer.state.logs.awaited == []
    # come too late, it still takes the place of the one that is awaited
    late = on_air(station, NOON + 59 * MIN, [1])
    late.advance((due + MIN) * RATE // US)
    assert [one.start_us for one in late.state.logs.awaited] == [due]
    late.edits.load_by_hand(LoadOrder(0, 0, 1, due, "/elsewhere/x.m3u", "next", "front"))
    late.advance((due + 2 * MIN) * RATE // US)
    assert late.state.logs.awaited == []


def changed(reading, came, went=()):
    return replace(reading, change=LogChange(NOON, tuple(came), tuple(went)))


def test_what_is_added_to_a_log_on_air_follows_and_any_other_change_is_told():
    logs = hours(T12=[1, 2])
    station = programme(logs, hourly())
    sequencer = on_air(station, NOON)
    sequencer.advance((NOON + MIN) * RATE // US)
    (loaded,) = sequencer.state.logs.loaded
    slot = station.slot(station.drops[1], NOON)
    logs.found["2026-11-24T12"] = [1, 2, 3]
    reading = changed(logs.reading(station.drops[1], slot), ["3.flac"])
    (finding,) = sequencer.log_changed(loaded, reading)
    assert "grew after it was loaded; 1 lines were added" in finding.text
    assert [line.cart for line in sequencer.state.order.upcoming] == [2, 3]
    other = changed(reading, ["9.flac"], ["2.flac"])
    (finding,) = sequencer.log_changed(loaded, other)
    assert "changed after it was loaded (new: 9.flac; gone: 2.flac)" in finding.text
    assert [line.cart for line in sequencer.state.order.upcoming] == [2, 3]


def test_a_start_in_the_middle_of_an_hour_joins_its_log_and_knows_the_day_below():
    logs = hours(T12=[1, 2, 3], T13=list(range(21, 31)))
    logs.found["2026-11-24"] = [*range(1, 40)] * 8
    options = DropOptions(loads=Loads.AT_TIME)
    station = programme(logs, options, hourly(entry=Entry.NEXT, short=WhenShort.NET))
    at = NOON + HOUR + 7 * MIN
    sequencer, _ = take_the_air(station, None, at)
    assert sequencer.state.order.playing.line.origin.file == "2026-11-24T13.m3u"
    # behind the hour's log the day's goes on, as if the engine had run all day
    files = [line.origin.file for line in sequencer.state.order.upcoming]
    assert files[:2] == ["2026-11-24T13.m3u"] * 2
    assert "2026-11-24.m3u" in files
    steady = on_air(station, NOON - 12 * HOUR)
    steady.advance(at * RATE // US)
    assert (
        steady.state.order.playing.line.origin.line
        == sequencer.state.order.playing.line.origin.line
    )
    # nothing there at all: what is due is awaited, from the start on
    bare, _ = take_the_air(programme(Logs(), hourly()), None, at)
    assert [(one.drop, one.due_us) for one in bare.state.logs.awaited] == [(1, at)]


OPTIONS = st.builds(
    DropOptions,
    period=st.sampled_from([Period.HOUR, Period.DAY]),
    loads=st.sampled_from(list(Loads)),
    lines_left=st.integers(0, 4),
    entry=st.sampled_from(list(Entry)),
    placement=st.sampled_from(list(Placement)),
    rest=st.sampled_from(list(Rest)),
    long=st.sampled_from(list(Long)),
    short=st.sampled_from(list(WhenShort)),
    expected=st.just(""),
)
LOG = st.lists(st.sampled_from([0, *range(1, 12), 100, 101]), max_size=25)


@examples(60)
@given(
    st.lists(OPTIONS, min_size=1, max_size=3),
    st.dictionaries(st.sampled_from(["T11", "T12", "T13", "T14"]), LOG),
    st.none() | LOG,
    st.lists(st.integers(1, 3 * 3600 * US), max_size=20).map(sorted),
)
def test_whatever_drops_say_there_is_no_silence_and_steps_do_not_matter(drops, by_hour, day, steps):
    logs = hours(**by_hour)
    if day is not None:
        logs.found["2026-11-24"] = day
    made = []
    for cuts in ([], [NOON + step for step in steps]):
        station = programme(logs, *drops)
        made.append(go(on_air(station, NOON, [31]), NOON + 3 * HOUR, cuts))
    whole, parts = made
    assert whole.rows == parts.rows
    assert whole.findings == parts.findings
    sounding = [row for row in whole.rows if row.play]
    assert all(a.end >= b.start for a, b in zip(sounding, sounding[1:], strict=False))
    assert sounding[-1].end >= (NOON + 3 * HOUR) * RATE // US
    ids = [row.line.id for row in whole.rows]
    assert len(ids) == len(set(ids)), "no line airs twice or vanishes twice"


@pytest.mark.parametrize(
    ("early_s", "ends_before", "at_once"),
    [
        (30.0, 29, True),
        (30.0, 30, True),
        (30.0, 31, False),
        (0.0, 1, False),
    ],
)
def test_a_log_comes_a_little_early_rather_than_a_gap_be_filled(early_s, ends_before, at_once):
    station = programme(hours(T13=[1, 2, 3]), hourly(early_s=early_s, short=WhenShort.ROTATION))
    sequencer = on_air(station, NOON + 57 * MIN - ends_before * US, [8])
    done = go(sequencer, NOON + 63 * MIN)
    heard = carts(done)
    assert heard[0] == 8
    if at_once:
        assert heard[1:3] == [1, 2], "and once only, though its time came meanwhile"
        assert not [row for row in done.rows if row.outcome is Outcome.CUT]
    else:
        assert heard[1] > 40, "rotation fills"
        assert heard[2] == 1


def test_an_event_that_loads_from_a_source_that_is_gone_is_passed_over():
    station = programme(hours(T13=[1, 2, 3]), hourly(early_s=60.0))
    gone = TimedEvent(77, "Gone", every_day_at(time(13)), Entry.NEXT, (LoadLog(9),))
    station.set_events([gone], station.drops, station.event_sources)
    sequencer = on_air(station, NOON + 57 * MIN - 5 * US, [8])
    assert carts(go(sequencer, NOON + 61 * MIN))[:2] == [8, 1]

"""The sequencer: deterministic, never silent, on time."""

from datetime import UTC, date, datetime, time

import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.base.timebase import US, us_from
from nightly_spindle.core.calendar.near_names import NearName
from nightly_spindle.core.calendar.recurrence import every_day_at
from nightly_spindle.core.events.steps import LoadLog, Placement
from nightly_spindle.core.events.timed_events import Entry, TimedEvent
from nightly_spindle.core.library.items import TONE_CART, Kind
from nightly_spindle.core.logs.log_line import LogLine
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import Recorder, rehearse
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.rotation import next_song, turn_order
from nightly_spindle.core.programme.running_order import (
    HeardPlay,
    Line,
    LineSource,
    Origin,
    Outcome,
)
from nightly_spindle.core.programme.sequencer_actions import Ended, FadeVoice, StartVoice
from nightly_spindle.core.segues.joins import plan_join, span
from nightly_spindle.core.segues.segue_rules import Segues
from nightly_spindle.core.station.log_sources import LogDrop, LogReading, ReadingState
from nightly_spindle.core.station.settings import StationSettings

MIDNIGHT = us_from(datetime(2026, 11, 24, tzinfo=UTC))  # also midnight in Lisbon
HOUR = 3600 * US


class Logs:
    """Readings by day, as a log source; days without one are missing."""

    def __init__(self, **days):
        named = {d.strip("d").replace("_", "-"): carts for d, carts in days.items()}
        self.days = {date.fromisoformat(day): carts for day, carts in named.items()}

    def reading(self, drop, slot):
        name = drop.file_name(slot)
        if slot.day not in self.days:
            near = (NearName("2026-11-2.m3u", "lacks “4”"),)
            return LogReading(drop.id, slot, name, ReadingState.MISSING, nearest=near)
        matches = tuple(
            Match(
                LogLine(n, f"{cart}.flac"),
                MatchStatus.MATCHED if cart else MatchStatus.MISSING,
                "path" if cart else "no item",
                cart or None,
            )
            for n, cart in enumerate(self.days[slot.day], 1)
        )
        return LogReading(drop.id, slot, name, ReadingState.READ, matches)


def programme(items, logs=None, entry=Entry.CUT_IN, pool=None, **event):
    rule = every_day_at(event.pop("at", time(0, 0)))
    steps = (LoadLog(1, event.pop("placement", Placement.REPLACE)),)
    load = TimedEvent(1, "Nightly load", rule, entry, steps, **event)
    items = {item.cart: item for item in items}
    songs = [item for item in items.values() if item.kind is Kind.SONG]
    return Programme(
        StationSettings("Pier", "Europe/Lisbon"),
        logs or Logs(),
        items,
        [load],
        {1: LogDrop(1, "Day log", "/logs", "%Y-%m-%d.m3u")},
        songs if pool is None else pool,
    )


def state_at(us, carts=()):
    state = new_state(RATE, us * RATE // US, us - 1)
    origin = Origin(LineSource.LOG, "old.m3u", 1)
    state.order.upcoming = [Line(state.take_id(), cart, origin) for cart in carts]
    return state


def run(sequencer, until_us, steps=()):
    recorder = Recorder()
    for step in [*steps, until_us]:
        recorder.take(sequencer.advance(step * RATE // US))
    return recorder


SONGS = [make_item(n, 100 + 7 * n) for n in range(1, 13)]


@examples(50)
@given(
    st.lists(st.integers(0, 12), min_size=0, max_size=40),
    st.lists(st.integers(1, 3 * 3600 * US), max_size=30).map(sorted),
    st.sampled_from(list(Entry)),
    st.sampled_from(list(Placement)),
    st.sets(st.integers(1, 12), max_size=4),
)
def test_the_step_size_does_not_matter_and_there_is_no_silence(log, steps, entry, place, broken):
    begin = MIDNIGHT - HOUR
    made = []
    for cuts in ([], [begin + step for step in steps]):
        station = programme(SONGS, Logs(d2026_11_24=log), entry, placement=place)
        station.unplayable = dict.fromkeys(broken, "the file is not there")
        made.append(run(Sequencer(station, state_at(begin, [1, 2, 3])), begin + 3 * HOUR, cuts))
    whole, parts = made
    assert whole.rows == parts.rows
    assert whole.findings == parts.findings
    sounding = [row for row in whole.rows if row.play]
    assert all(a.end >= b.start for a, b in zip(sounding, sounding[1:], strict=False))
    assert sounding[-1].end >= (begin + 3 * HOUR) * RATE // US
    assert not {row.play.item.cart for row in sounding} & broken


def test_cut_in_is_to_the_frame_and_next_waits():
    for entry, start in ((Entry.CUT_IN, MIDNIGHT), (Entry.NEXT, None)):
        station = programme(SONGS, Logs(d2026_11_24=[5, 6]), entry)
        done = run(Sequencer(station, state_at(MIDNIGHT - 60 * US, [1, 2])), MIDNIGHT + HOUR)
        first = next(
            row for row in done.rows if row.play and row.line.origin.file.startswith("2026")
        )
        assert first.play.item.cart == 5
        if start:
            assert first.start == start * RATE // US
            assert done.rows[0].outcome is Outcome.CUT
        else:
            assert first.start > MIDNIGHT * RATE // US
            assert done.rows[0].outcome is Outcome.AIRED
        assert [r.outcome for r in done.rows if r.line.cart == 2 and not r.play] == [
            Outcome.REPLACED
        ]


def test_priority_then_order_at_the_same_instant():
    station = programme(SONGS, Logs(d2026_11_24=[5]), placement=Placement.FRONT)
    low = station.events[0]
    high = TimedEvent(
        2, "First", low.rule, Entry.NEXT, (LoadLog(2, Placement.REPLACE),), priority=9
    )
    station.events = [low, high]
    station.drops[2] = LogDrop(2, "Other", "/other", "other-%Y-%m-%d.m3u")
    done = run(Sequencer(station, state_at(MIDNIGHT - 30 * US, [1])), MIDNIGHT + 600 * US)
    files = [row.line.origin.file for row in done.rows if row.play][:3]
    assert files == ["old.m3u", "other-2026-11-24.m3u", "2026-11-24.m3u"]


def test_a_missing_log_leaves_what_is_lined_up_then_the_net_and_an_alarm():
    station = programme(SONGS)
    night = rehearse(station, Sequencer(station, state_at(MIDNIGHT - HOUR, [1, 2])), [], 2)
    alarm = next(f for f in night.findings if f.code == "log-missing")
    assert "2026-11-24.m3u is not in /logs" in alarm.text
    assert "2026-11-2.m3u" in alarm.text
    assert alarm.at == MIDNIGHT * RATE // US
    assert [f.code for f in night.findings if f.code.startswith("net")] == ["net-rotation"]
    sources = [row.line.origin.source for row in night.sounding()]
    assert sources[:3] == [LineSource.LOG, LineSource.LOG, LineSource.ROTATION]


def test_a_short_log_starts_again_and_an_empty_library_has_the_tone():
    station = programme(SONGS, Logs(d2026_11_24=[3, 4]))
    done = run(Sequencer(station, state_at(MIDNIGHT)), MIDNIGHT + HOUR // 4)
    sources = [row.line.origin.source for row in done.rows if row.play]
    assert sources[:4] == [LineSource.LOG] * 2 + [LineSource.DAY_LOG_AGAIN] * 2
    assert [row.line.cart for row in done.rows if row.play][:4] == [3, 4, 3, 4]
    bare = programme([])
    done = run(Sequencer(bare, state_at(MIDNIGHT)), MIDNIGHT + HOUR // 4)
    assert {row.line.cart for row in done.rows if row.play} == {TONE_CART}


def test_rotation_keeps_artists_and_titles_apart_for_an_hour():
    # separation of an hour: common practice, no source
    items = [make_item(n, 200, artist=f"Artist {n % 5}") for n in range(1, 60)]
    station = programme(items)
    done = run(Sequencer(station, state_at(MIDNIGHT)), MIDNIGHT + 6 * HOUR)
    plays = [(row.start, row.play.item.artist) for row in done.rows if row.play]
    assert len({row.play.item.cart for row in done.rows[:50]}) == 50, "nobody twice in a turn"
    # five artists cannot keep an hour apart at 200 s a song; twenty can
    items = [make_item(n, 200, artist=f"Artist {n % 20}") for n in range(1, 60)]
    done = run(Sequencer(programme(items), state_at(MIDNIGHT)), MIDNIGHT + 6 * HOUR)
    plays = [(row.start, row.play.item.artist) for row in done.rows if row.play]
    for at, (start, artist) in enumerate(plays):
        earlier = [s for s, a in plays[:at] if a == artist]
        assert all(start - s >= 3600 * RATE for s in earlier)


def test_turns_are_seeded_and_longest_unheard_first():
    items = [make_item(n) for n in range(1, 9)]
    fresh = [(None, item) for item in items]
    assert turn_order(fresh, 1) == turn_order(fresh, 1) != turn_order(fresh, 2)
    heard = [(item.cart * 100, item) for item in reversed(items)]
    assert [item.cart for item in turn_order(heard, 1)] == list(range(1, 9))
    state = state_at(MIDNIGHT)
    state.history = [
        HeardPlay(n, f"Artist {n}", f"Title {n}", state.clock.frame - n) for n in range(1, 8)
    ]
    assert next_song(programme(items), state, state.clock.frame)[0].cart == 8


def test_attended_waits_and_holds_events_back():
    station = programme(SONGS, Logs(d2026_11_24=[5]))
    sequencer = Sequencer(station, state_at(MIDNIGHT - 300 * US, [1, 2]))
    run(sequencer, MIDNIGHT - 299 * US)
    sequencer.set_unattended(False)
    night = rehearse(station, Sequencer(station, sequencer.state.copy()), [], 1)
    assert [f.code for f in night.findings] == ["attended", "event-held-back"]
    actions = sequencer.advance((MIDNIGHT + 900 * US) * RATE // US)
    assert [type(a) for a in actions if isinstance(a, StartVoice)] == []
    assert sequencer.state.order.stopped
    sequencer.go()
    started = [
        a for a in sequencer.advance(sequencer.state.clock.frame + 1) if isinstance(a, StartVoice)
    ]
    assert started[0].play.item.cart == 5, "the log was loaded meanwhile"


def test_skip_stop_and_a_file_that_breaks_off():
    station = programme(SONGS)
    sequencer = Sequencer(station, state_at(MIDNIGHT + HOUR, [1, 2, 3]))
    run(sequencer, MIDNIGHT + HOUR + 5 * US)
    kinds = [type(action) for action in sequencer.skip()]
    assert kinds == [FadeVoice, Ended, StartVoice]
    playing = sequencer.state.order.playing
    position = 30 * RATE
    told = sequencer.died(playing.id, position, "it is damaged")
    assert isinstance(told[0], Finding)
    actions = sequencer.advance(sequencer.state.clock.frame + 31 * RATE)
    start = next(a for a in actions if isinstance(a, StartVoice))
    assert start.play.start == playing.start + position - RATE // 2
    assert start.play.item.cart == 3
    sequencer.stop()
    assert sequencer.state.order.playing is None
    assert not sequencer.state.order.unattended
    assert sequencer.advance(sequencer.state.clock.frame + 60 * RATE) == []


def test_a_file_that_breaks_off_is_told_once_and_some_frames_less_are_no_matter():
    # nothing is lined up behind it: it sounds to its very end
    sequencer = Sequencer(programme(SONGS[:1]), state_at(MIDNIGHT, [1]))
    run(sequencer, MIDNIGHT + 5 * US)
    playing = sequencer.state.order.playing
    end = span(playing.item, RATE).cue_out
    for frames in (1, 2, RATE // 20 - 1):  # resampled, a file may end some frames sooner
        assert sequencer.died(playing.id, end - frames, "shorter") == []
    assert sequencer.state.order.playing is playing
    assert len(sequencer.died(playing.id, end - RATE // 10, "shorter")) == 1
    for _ in range(3):  # who reads ahead says so four times a second until it is over
        assert sequencer.died(playing.id, end - RATE // 10, "shorter") == []


def test_edits_name_places_by_the_line_that_follows():
    sequencer = Sequencer(programme(SONGS), state_at(MIDNIGHT, [1, 2, 3, 4]))
    ids = [line.id for line in sequencer.state.order.upcoming]

    def carts():
        return [line.cart for line in sequencer.state.order.upcoming]

    was = sequencer.edits.move(ids[3], ids[0])
    assert carts() == [4, 1, 2, 3]
    sequencer.edits.move(ids[3], was)
    assert carts() == [1, 2, 3, 4]
    gone = sequencer.edits.remove([ids[1], ids[2]])
    for before, line in gone:
        sequencer.edits.insert(before, line.cart, line.origin, line.id)
    assert carts() == [1, 2, 3, 4]
    sequencer.edits.insert(9999, 7)
    assert carts()[0] == 7, "before a line that is gone is the front"
    with pytest.raises(InputFault, match="not in the running order any more"):
        sequencer.edits.remove([424242])


@pytest.mark.parametrize(("jump_us", "fires"), [(-HOUR // 2, 1), (HOUR // 6, 1), (HOUR, 0)])
def test_a_jumping_clock_neither_repeats_nor_loses_an_event(jump_us, fires):
    station = programme(SONGS, Logs(d2026_11_24=[5, 6, 7]))
    begin = MIDNIGHT - 60 * US if jump_us > 0 else MIDNIGHT - HOUR // 4
    sequencer = Sequencer(station, state_at(begin, [1, 2, 3, 4]))
    recorder = Recorder()
    moved = begin + 30 * US if jump_us > 0 else MIDNIGHT + 60 * US
    recorder.take(sequencer.advance(moved * RATE // US))
    sequencer.state.clock.offset_us += jump_us
    recorder.take(sequencer.advance((moved + 2 * HOUR) * RATE // US))
    assert len(recorder.fired) == fires
    # beyond the grace of 15 minutes it is not made good, and that is told
    assert [f.code for f in recorder.findings].count("event-missed") == 1 - fires


def test_a_cold_start_joins_where_the_station_should_be():
    logs = Logs(d2026_11_24=list(range(1, 13)))
    station = programme(SONGS, logs)
    whole, _ = take_the_air(station, None, MIDNIGHT)
    night = run(whole, MIDNIGHT + HOUR // 3).rows
    at = MIDNIGHT + 500 * US
    sequencer, begun = take_the_air(programme(SONGS, logs), None, at)
    frame = at * RATE // US
    should = next(row for row in night if row.start <= frame < row.end)
    joined = begun[-1].play
    assert joined.item == should.play.item
    assert joined.begin - should.play.begin == frame - should.start
    after = run(sequencer, MIDNIGHT + HOUR // 3).rows
    assert [row.start for row in after[:3]] == [row.start for row in night if row.start > frame][:3]


def test_a_restart_passes_over_what_was_missed_and_says_so():
    station = programme(SONGS, Logs(d2026_11_24=list(range(1, 13))))
    sequencer, _ = take_the_air(station, None, MIDNIGHT)
    run(sequencer, MIDNIGHT + 50 * US)
    saved = sequencer.state.copy()
    on_air = saved.order.playing.item.cart
    _, begun = take_the_air(station, saved, MIDNIGHT + 300 * US)
    missed = [a.line.cart for a in begun if getattr(a, "outcome", None) is Outcome.MISSED]
    assert missed == [2]
    assert begun[-1].play.item.cart == 3
    assert on_air == 1
    # hardly any left of the item that should be on air: the next one starts instead
    start_of_2 = (saved.order.playing.start + span(SONGS[0], RATE).segue) * US // RATE
    sequencer, begun = take_the_air(station, saved, start_of_2 - 5 * US)
    assert not [a for a in begun if isinstance(a, StartVoice)]
    assert sequencer.advance(sequencer.state.clock.frame + 1)[-1].play.item.cart == 2


@pytest.mark.parametrize(("day", "hours"), [((2026, 3, 29), 23), ((2026, 10, 25), 25)])
def test_short_and_long_nights_are_ordinary(day, hours):
    begin = us_from(datetime(*day, tzinfo=UTC))
    station = programme(SONGS, Logs())
    if hours == 25:
        begin -= HOUR  # midnight in Lisbon is still summer time
    night = rehearse(station, Sequencer(station, state_at(begin)), [], 26)
    alarms = [f.at * US // RATE for f in night.findings if f.code == "log-missing"]
    assert [round((at - begin) / HOUR, 3) for at in alarms] == [0, hours]


KINDS = st.sampled_from([Kind.SONG, Kind.ID, Kind.SPOT])
LENGTHS = st.floats(0.05, 400)


@given(KINDS, KINDS, LENGTHS, LENGTHS, st.floats(0, 1), st.floats(0, 1), st.integers(0, 10**7))
def test_every_join_is_sound(kind, other, seconds, second, segue, cue_out, begin):
    out = make_item(1, seconds, kind, segue_s=segue * seconds, cue_out_s=cue_out * seconds)
    into = make_item(2, second, other, segue_s=second, cue_out_s=second)
    here, there = span(out, RATE), span(into, RATE)
    begin = min(begin, here.cue_out)
    join = plan_join(out, begin, into, Segues(), RATE)
    assert begin <= join.segue <= join.out_end <= here.cue_out
    assert join.overlap <= max(6 * RATE, 0)
    assert 2 * join.overlap <= max(there.cue_out - there.cue_in, 0) or join.segue == begin
    assert join.fade_out == 0 or join.fade_at + join.fade_out == join.out_end
    assert join.fade_out == 0 or 0.3 * RATE <= join.fade_out <= 6 * RATE
    assert join.fade_in == 0, "songs start at full level (common practice, no source)"
    assert kind is not Kind.ID or join.fade_out == 0
    assert len(join.why) >= 3

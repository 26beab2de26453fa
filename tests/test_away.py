"""Folders that are away: lines keep their time, the net plays, nothing is burnt or silent."""

from dataclasses import replace

import pytest
from conftest import RATE, make_item
from hypothesis import given, settings
from hypothesis import strategies as st
from test_sequencer import HOUR, MIDNIGHT, Logs, programme, run, state_at

from nightly_spindle.core.away import Away, away_for, why_away
from nightly_spindle.core.events import Entry
from nightly_spindle.core.items import TONE_CART
from nightly_spindle.core.loading import load_late
from nightly_spindle.core.rehearsal import Recorder
from nightly_spindle.core.running import NET, Awaited, Outcome, Source
from nightly_spindle.core.safety_net import line_up
from nightly_spindle.core.sequencer import Sequencer
from nightly_spindle.core.timebase import US

MUSIC = [make_item(n, 150 + 9 * (n % 11)) for n in range(1, 61)]  # below /music
HERE = [replace(make_item(n, 200 + 7 * n % 60), path=f"/here/{n}.flac") for n in range(101, 121)]
GONE = {"/music": Away("/music", MIDNIGHT, "the folder is not there")}


def station(pool, **gone):
    made = programme([*MUSIC, *HERE], Logs(), pool=pool)
    made.events = []
    made.set_events([], {}, made.holdings)
    made.away.update(gone.get("away", {}))
    return made


def driven(made, state, until_us, at_us, then, cuts=()):
    """Run with a change of the world at an instant."""
    sequencer, recorder, happened = Sequencer(made, state), Recorder(), False
    for step in sorted({*cuts, at_us, until_us}):
        if step > at_us and not happened:
            then(sequencer)
            happened = True
        recorder.take(sequencer.advance(step * RATE // US))
    return recorder


def come_back(sequencer):
    sequencer.programme.away.clear()
    sequencer.folder_back()


@settings(max_examples=25, deadline=None)
@given(
    st.integers(1, 5400), st.booleans(), st.sets(st.integers(1, 60), max_size=20),
    st.lists(st.integers(1, 2 * 3600), max_size=12),
)  # fmt: skip
def test_after_any_absence_the_log_is_where_it_should_be(gone_s, music_here, local, cuts):
    carts = [101 + n % 20 if n in local else n for n in range(1, 61)]
    undisturbed = run(Sequencer(station(HERE), state_at(MIDNIGHT, carts)), MIDNIGHT + 4 * HOUR)
    plan = {row.line.id: row for row in undisturbed.rows if row.play}
    at = MIDNIGHT + gone_s * US
    pool = HERE if music_here else []
    steps = [MIDNIGHT + step * US for step in cuts if step < gone_s]
    made = [
        driven(station(pool, away=GONE), state_at(MIDNIGHT, carts), MIDNIGHT + 2 * HOUR, at,
               come_back, some)
        for some in ([], steps)
    ]  # fmt: skip
    assert made[0].rows == made[1].rows, "the size of steps does not matter"
    rows = [row for row in made[0].rows if row.play]
    assert all(a.end >= b.start for a, b in zip(rows, rows[1:], strict=False)), "never silent"
    back = at * RATE // US
    for row in rows:
        if row.start < back:
            assert row.line.cart not in range(1, 61)
        if row.line.origin.source is Source.LOG:
            # within a stand-in and half a song of where the log has it
            assert abs(row.start - plan[row.line.id].start) <= 420 * RATE
    missed = [row for row in made[0].rows if row.outcome is Outcome.MISSED]
    assert all(row.line.cart <= 60 for row in missed), "what is there is not missed"
    assert not [row for row in made[0].rows if row.outcome is Outcome.UNPLAYABLE]
    over = [i for i, row in plan.items() if row.start + 300 * RATE < back and row.line.cart <= 60]
    assert {row.line.id for row in missed} >= set(over) - {rows[0].line.id}, "each left a trace"


def test_with_everything_away_the_tone_sounds_and_is_told_once():
    made = station(MUSIC, away=GONE)
    done = run(Sequencer(made, state_at(MIDNIGHT, list(range(1, 61)))), MIDNIGHT + HOUR)
    rows = [row for row in done.rows if row.play]
    assert {row.play.item.cart for row in rows} == {TONE_CART}
    assert all(a.end >= b.start for a, b in zip(rows, rows[1:], strict=False))
    assert [one.code for one in done.findings] == ["net-tone"]
    missed = sum(row.outcome is Outcome.MISSED for row in done.rows)
    assert 15 <= missed <= 25, "an hour of the log, not all of it"


def test_thirty_broken_files_in_a_row_never_stand_alone():
    made = station(HERE)
    made.unplayable = dict.fromkeys(range(1, 31), "the file is not there")
    carts = list(range(1, 36))
    done = run(Sequencer(made, state_at(MIDNIGHT, carts)), MIDNIGHT + 2 * HOUR)
    in_a_row = longest = 0
    for row in done.rows:
        in_a_row = 0 if row.play else in_a_row + (row.outcome is Outcome.UNPLAYABLE)
        longest = max(longest, in_a_row)
    assert longest == 3
    assert sum(row.outcome is Outcome.UNPLAYABLE for row in done.rows) == 30
    assert [row.line.cart for row in done.rows if row.play and row.line.cart <= 60][:2] == [31, 32]


def test_a_file_that_breaks_off_is_not_called_aired():
    sequencer = Sequencer(station(HERE), state_at(MIDNIGHT, [1, 2]))
    recorder = Recorder()
    recorder.take(sequencer.advance((MIDNIGHT + 20 * US) * RATE // US))
    recorder.take(sequencer.died(sequencer.state.playing.id, 40 * RATE, "it is damaged"))
    recorder.take(sequencer.advance((MIDNIGHT + 90 * US) * RATE // US))
    first = recorder.rows[0]
    assert first.outcome is Outcome.BROKE_OFF
    assert first.note == "it is damaged"


def test_a_late_log_does_not_start_the_song_that_is_on_air_again():
    from datetime import date

    logs = Logs(d2026_11_24=[7, 8, 9])
    made = programme([*MUSIC], logs)
    state = state_at(MIDNIGHT + 100 * US, [7])
    sequencer = Sequencer(made, state)
    actions = sequencer.advance((MIDNIGHT + 101 * US) * RATE // US)
    awaited = Awaited(1, MIDNIGHT, MIDNIGHT + 24 * HOUR, MIDNIGHT)
    state.awaited.append(awaited)
    lines = load_late(made, state, awaited, state.frame, actions)
    assert [line.cart for line in lines] == [8, 9]
    assert logs.days[date(2026, 11, 24)] == [7, 8, 9]


@pytest.mark.parametrize("entry", [Entry.NEXT, Entry.CUT_IN])
def test_the_net_never_quotes_the_log_that_is_about_to_load(entry):
    # the log of the 24th is there; before it loads at midnight nothing is left
    made = programme(MUSIC, Logs(d2026_11_23=[1, 2], d2026_11_24=[7, 8, 9]), entry)
    state = state_at(MIDNIGHT + 20 * US, [])
    state.fired_until_us = MIDNIGHT - 1
    actions = []
    line_up(made, state, state.frame, actions)
    assert state.upcoming[0].origin.source in NET
    assert state.upcoming[0].origin.source is not Source.DAY_LOG_AGAIN
    done = run(Sequencer(made, state_at(MIDNIGHT - 300 * US, [])), MIDNIGHT + HOUR)
    carts = [row.line.cart for row in done.rows if row.play]
    assert all(a != b for a, b in zip(carts, carts[1:], strict=False))


def test_which_folder_is_away_is_judged_by_what_is_in_it():
    assert why_away("it is not there", {}) == "it is not there"
    assert not why_away("", {"a": False, "b": False}), "two files are not a folder"
    assert why_away("", {"a": False, "b": False, "c": False})
    assert not why_away("", {"a": False, "b": False, "c": True})
    assert away_for("/music/sub/a.flac", GONE) is GONE["/music"]
    assert away_for("/musical/a.flac", GONE) is None

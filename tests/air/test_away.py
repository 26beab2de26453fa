"""Folders that are away: lines keep their time, the net plays, nothing is burnt or silent."""

import shutil
import time
from dataclasses import replace

import pytest
from conftest import RATE, examples, make_item
from hypothesis import given
from hypothesis import strategies as st
from test_sequencer import HOUR, MIDNIGHT, Logs, programme, run, state_at

from nightly_spindle.air.kept_start import KeptStart, kept_settings
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.library.items import TONE_CART
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.away_lines import cannot_play
from nightly_spindle.core.playout.log_loading import load_late
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.playout.safety_net import line_up
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.away_folders import Away, away_for, why_away
from nightly_spindle.core.programme.running_order import NET, Awaited, LineSource, Outcome
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.store.base import roots
from nightly_spindle.store.playout.state_coding import encode_state
from nightly_spindle.store.playout.state_file import StateFile, pack, read_kept

MUSIC = [make_item(n, 150 + 9 * (n % 11)) for n in range(1, 61)]  # below /music
HERE = [replace(make_item(n, 200 + 7 * n % 60), path=f"/here/{n}.flac") for n in range(101, 121)]
GONE = {"/music": Away("/music", MIDNIGHT, "the folder is not there")}


def station(pool, **gone):
    made = programme([*MUSIC, *HERE], Logs(), pool=pool)
    made.events = []
    made.set_events([], {}, made.event_sources)
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


@examples(25)
@given(
    st.integers(1, 5400),
    st.booleans(),
    st.sets(st.integers(1, 60), max_size=20),
    st.lists(st.integers(1, 2 * 3600), max_size=12),
)
def test_after_any_absence_the_log_is_where_it_should_be(gone_s, music_here, local, cuts):
    carts = [101 + n % 20 if n in local else n for n in range(1, 61)]
    undisturbed = run(Sequencer(station(HERE), state_at(MIDNIGHT, carts)), MIDNIGHT + 4 * HOUR)
    plan = {row.line.id: row for row in undisturbed.rows if row.play}
    at = MIDNIGHT + gone_s * US
    pool = HERE if music_here else []
    steps = [MIDNIGHT + step * US for step in cuts if step < gone_s]
    made = [
        driven(
            station(pool, away=GONE),
            state_at(MIDNIGHT, carts),
            MIDNIGHT + 2 * HOUR,
            at,
            come_back,
            some,
        )
        for some in ([], steps)
    ]
    assert made[0].rows == made[1].rows, "the size of steps does not matter"
    rows = [row for row in made[0].rows if row.play]
    assert all(a.end >= b.start for a, b in zip(rows, rows[1:], strict=False)), "never silent"
    back = at * RATE // US
    for row in rows:
        if row.start < back:
            assert row.line.cart not in range(1, 61)
        if row.line.origin.source is LineSource.LOG:
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


@examples(40)
@given(st.lists(st.integers(2, 40), min_size=40, max_size=40), st.booleans(), st.integers(20, 600))
def test_short_lines_of_a_folder_that_is_away_are_not_burnt(lengths, music_here, gone_s):
    """IDs, spots, jingles: each is missed at about its time, however short it is."""
    seconds = [lengths[n % 40] for n in range(300)]
    items = [
        make_item(n + 1, length, segue_s=float(length), fade_start_s=float(length))
        for n, length in enumerate(seconds)
    ]
    made = programme([*items, *HERE], Logs(), pool=HERE if music_here else [])
    made.away.update(GONE)
    begun = state_at(MIDNIGHT, [item.cart for item in items])
    done = run(Sequencer(made, begun), MIDNIGHT + gone_s * US)
    missed = sum(row.outcome is Outcome.MISSED for row in done.rows)
    longest = 220.0 if music_here else 60.0  # of a stand-in that was begun
    passed = sum(seconds[:missed])
    assert gone_s - longest - 20 <= passed <= gone_s + longest + 20 + max(lengths)
    assert len(begun.order.upcoming) + missed >= 300 - 1


def test_what_cannot_be_played_is_told_before_its_turn():
    made = station(HERE)
    state = state_at(MIDNIGHT, [101, 102, 103, 102, 104])
    made.unplayable = {103: "the file /here/103.flac is empty", 102: "the file is not there"}
    (found,) = cannot_play(made, state, [103, 102, 119])
    assert found.text == (
        "“Title 102” cannot be played when its turn comes: the file is not "
        "there; so it is with 1 other item lined up."
    )
    assert found.line_id == state.order.upcoming[1].id
    assert cannot_play(made, state, [119]) == [], "what is not lined up is no news"


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
    recorder.take(sequencer.died(sequencer.state.order.playing.id, 40 * RATE, "it is damaged"))
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
    state.logs.awaited.append(awaited)
    lines = load_late(made, state, awaited, state.clock.frame, actions)
    assert [line.cart for line in lines] == [8, 9]
    assert logs.days[date(2026, 11, 24)] == [7, 8, 9]


@pytest.mark.parametrize("entry", [Entry.NEXT, Entry.CUT_IN])
def test_the_net_never_quotes_the_log_that_is_about_to_load(entry):
    # the log of the 24th is there; before it loads at midnight nothing is left
    made = programme(MUSIC, Logs(d2026_11_23=[1, 2], d2026_11_24=[7, 8, 9]), entry)
    state = state_at(MIDNIGHT + 20 * US, [])
    state.clock.fired_until_us = MIDNIGHT - 1
    actions = []
    line_up(made, state, state.clock.frame, actions)
    assert state.order.upcoming[0].origin.source in NET
    assert state.order.upcoming[0].origin.source is not LineSource.DAY_LOG_AGAIN
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


def kept_by(folder, state, items, roots):
    """Return what an engine keeps, as read from its file."""
    file = StateFile(folder)
    pool = [item.cart for item in items]
    file.write(
        pack({"name": "Pier", "timezone": "UTC"}, encode_state(state), items, pool, roots), 5
    )
    file.close()
    return read_kept(folder)


@pytest.mark.parametrize("harm", ["gone", "hangs", "emptied"])
def test_an_engine_with_its_state_file_alone_tries_nothing_that_is_away(
    tmp_path, harm, monkeypatch
):
    """Fifty songs of a share are not tried one by one: the first thing that sounds is there."""
    share, here = tmp_path / "share", tmp_path / "here"
    items = []
    for n in range(1, 61):
        folder = (share if n <= 50 else here) / f"artist {n % 7}"
        folder.mkdir(parents=True, exist_ok=True)
        (folder / f"{n}.flac").write_bytes(b"x")
        items.append(replace(make_item(n, 150), path=str(folder / f"{n}.flac")))
    begun = state_at(MIDNIGHT, range(1, 40))
    sequencer = Sequencer(programme(items, Logs(), pool=[]), begun)
    sequencer.advance(begun.clock.frame + RATE)
    assert begun.order.playing is not None
    kept = kept_by(tmp_path, begun, items, [str(share), str(here)])
    if harm == "gone":
        share.rename(tmp_path / "elsewhere")
    elif harm == "emptied":
        shutil.rmtree(share)
        share.mkdir()
    else:
        looked = roots._look
        monkeypatch.setattr(
            roots,
            "_look",
            lambda root, paths: time.sleep(30) if root == str(share) else looked(root, paths),
        )
    at = MIDNIGHT + 60 * US
    start = KeptStart(kept, lambda: at)
    began = time.monotonic()
    made = start.programme(kept_settings(kept))
    assert time.monotonic() - began < 5, "a folder that hangs is not waited for"
    assert list(made.away) == [str(share)]
    assert made.away[str(share)].since_us == at
    sequencer, actions = take_the_air(made, kept.state, at)
    recorder = Recorder()
    recorder.take([*actions, *sequencer.advance(sequencer.state.clock.frame + 1)])
    assert sequencer.state.order.playing.item.cart > 50
    assert not [one for one in recorder.findings if one.code in {"unplayable", "broke-off"}]


def test_nothing_kept_is_the_tone(tmp_path):
    made = KeptStart(read_kept(tmp_path), lambda: 1).programme(StationSettings("Pier", "UTC"))
    sequencer, _ = take_the_air(made, None, MIDNIGHT)
    sequencer.advance(sequencer.state.clock.frame + 1)
    assert sequencer.state.order.playing.item.cart == TONE_CART

"""Formats on air: made hours among logs from outside, landings, kills."""

from __future__ import annotations

import sqlite3
import time
from contextlib import closing
from datetime import datetime

import pytest
import test_formats
from conftest import RATE, wait
from test_campaign_week import Life
from test_engine import Air
from test_formats import EVENING, FAR, HOUR, TZ, programmed, run, us

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.library.song_names import artists_of, title_of
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.programme.running_order import LineSource, Origin
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.logs.log_source_edits import save_drop
from nightly_spindle.store.programme.snapshot import open_station

pytestmark = pytest.mark.slow  # whole stations of 240 songs
songs, built_songs = test_formats.songs, test_formats.built_songs

# -- on air -----


def plays_of(folder):
    rows = open_station(folder).connection.execute(
        "SELECT start_us, end_us, cart, artist, title, origin, why FROM as_run"
        " WHERE kind = 'song' AND end_us > start_us ORDER BY start_us"
    )
    return [dict(row) for row in rows]


def too_near(plays, source=""):
    """Pairs that are nearer than the rules allow, one of them from a source: looked up in pairs."""
    found = []
    for at, one in enumerate(plays):
        for other in plays[at + 1 :]:
            if other["cart"] == one["cart"] and other["start_us"] - one["end_us"] < 30 * US:
                continue  # the same play, taken up again after a kill
            apart = (other["start_us"] - one["start_us"]) / US
            if apart >= 5400:
                break
            if source and source not in one["origin"] and source not in other["origin"]:
                continue
            same = set(artists_of(one["artist"], one["title"])) & set(
                artists_of(other["artist"], other["title"])
            )
            if (same and apart < 3600) or title_of(one["title"]) == title_of(other["title"]):
                found.append((one, other, apart))
    return found


def test_made_hours_take_the_air_land_and_survive_kills(songs, capsys):
    programmed(capsys, songs)
    begin = EVENING.isoformat()
    run(capsys, "formats", "make", songs, "--from", FAR, "--hours", 1)
    made = _make(songs, us(EVENING) - 2 * HOUR, us(EVENING) + 6 * HOUR)
    assert not any(hour.broken for hour in made), begin
    life = Life(songs)
    life.start(us(EVENING) - 600 * US)
    life.run(us(EVENING) + 65 * 60 * US, 7 * 60 * US)
    life.kill()
    life.start(us(EVENING) + 65 * 60 * US + 20 * US)
    life.run(us(EVENING) + 5 * HOUR)
    plays = plays_of(songs)
    own = [one for one in plays if "Day 2" in one["origin"] or "Night" in one["origin"]]
    assert len(own) > 60
    assert all("the week plan" in one["why"].lower() for one in own)
    assert not too_near(plays), too_near(plays)[:2]
    # 22:00 and later: the hours end to the second
    for hour in (23, 24):
        due = us(EVENING) + (hour - 20) * HOUR
        starts = min(abs(one["start_us"] - due) for one in plays) / US
        assert starts <= 2.0, hour
    gaps = [b["start_us"] - a["end_us"] for a, b in zip(plays, plays[1:], strict=False)]
    assert max(gaps) <= 30 * US, "but for the kill there is no gap"
    life.kill()
    # whoever reads the station then knows what aired, an engine that remembers nothing too
    snapshot = open_station(songs)
    snapshot.prepare(us(EVENING) + 5 * HOUR, us(EVENING) + 6 * HOUR)
    aired = snapshot.programme.aired
    known = [(one["start_us"] / US, one["cart"]) for one in plays]
    assert known == [one for one in aired if one[0] < us(EVENING) / US + 5 * 3600 and one in known]


def _make(folder, begin_us, end_us):
    """Make hours as of long before them."""
    from nightly_spindle.store.music.made_hours import write_made
    from nightly_spindle.store.reports.log_makings import make_logs

    snapshot = open_station(folder)
    made = make_logs(snapshot, begin_us, end_us, begin_us - 24 * HOUR)
    with LibraryTransaction(folder) as library:
        write_made(library, made.hours)
    return made.hours


@pytest.mark.parametrize("kills", [False, True])
def test_a_night_from_a_log_into_rotation_and_back_keeps_its_distances(songs, capsys, kills):
    """Hourly logs from outside at 20 and 21 and again from 00; nothing between; all as-run."""
    programmed(capsys, songs)
    _make(songs, us(EVENING), us(EVENING) + 2 * HOUR)
    logs = songs / "from outside"
    logs.mkdir()
    midnight = us(EVENING) + 4 * HOUR
    # two stretches that know nothing of each other, as an outside scheduler would make them
    for begin, count in ((us(EVENING), 2), (midnight, 2)):
        _make(songs, begin, begin + count * HOUR)
        for number in range(count):
            start = datetime.fromtimestamp((begin + number * HOUR) / US, TZ)
            run(
                capsys,
                "formats",
                "export",
                songs,
                logs / f"{start:%y%m%d_%H}.m3u",
                "--from",
                start.isoformat(),
                "--hours",
                1,
            )
    with LibraryTransaction(songs) as library:
        library.run(t.made_hour.delete())
        library.run(t.week_hour.delete())
        library.version()
        options = DropOptions(
            period=Period.HOUR,
            loads=Loads.AT_TIME,
            entry=Entry.NEXT,
            placement=Placement.FRONT,
            expected="",
        )
        save_drop(library, LogDrop(0, "Outside", str(logs), "%y%m%d_%H.m3u", options, made_us=1))
    snapshot = open_station(songs)
    begin = us(EVENING) - 60 * US
    snapshot.prepare(begin, begin + 8 * HOUR)
    from nightly_spindle.core.playout.air_start import take_the_air

    sequencer, begun = take_the_air(snapshot.programme, None, begin)
    recorder = Recorder()
    recorder.take(begun)
    recorder.take(sequencer.advance(sequencer.frame_of(us(EVENING) + 6 * HOUR)))
    rehearsed = [(row.start, row.line.cart) for row in recorder.rows if row.play]
    life = Life(songs)
    life.start(begin)
    for stop in range(1, 25):
        life.run(us(EVENING) + stop * 15 * 60 * US, (3 + stop % 7) * 60 * US)
        if kills and stop % 5 == 0:
            life.kill()
            life.start(us(EVENING) + stop * 15 * 60 * US + 3 * US)
    life.kill()
    plays = plays_of(songs)
    rotation = [one for one in plays if "rotation" in one["origin"]]
    logged = [one for one in plays if ".m3u" in one["origin"]]
    assert len(rotation) > 25
    assert len(logged) > 50
    assert {one["start_us"] > midnight for one in logged} == {True, False}
    assert not too_near(plays, "rotation"), too_near(plays, "rotation")[:2]
    assert all("keeps every rule" in one["why"] for one in rotation)
    if not kills:
        aired = [(round(one["start_us"] * RATE / US), one["cart"]) for one in plays]
        assert [cart for _, cart in aired] == [cart for _, cart in rehearsed][: len(aired)]


@pytest.mark.engine
def test_the_engine_makes_its_own_logs_and_airs_them(built_long, tmp_path, capsys):
    import shutil

    folder = tmp_path / "pier"
    shutil.copytree(built_long, folder)
    run(capsys, "station", "settings", folder, "--set", "formats.days_ahead=1")
    run(capsys, "formats", "rules", folder, "kind=item,amount=8")
    run(capsys, "formats", "clock", folder, "Round", "--strip", "music")
    run(capsys, "formats", "week", folder, "", "Round")
    before = time.time_ns() // 1000
    engine = Air(folder, "--no-supervisor", "--cold")
    try:
        engine.wait_on_air()
        connection = open_station(folder).connection

        def hours():
            return connection.execute("SELECT count(*) FROM made_hour").fetchone()[0]

        wait(lambda: hours() >= 23, engine.told)
        first = connection.execute("SELECT min(id) FROM made_hour").fetchone()[0]
        # the next full hour, of when it was made: the clock may have passed it since
        assert before < first <= time.time_ns() // 1000 + HOUR
    finally:
        engine.end()


def test_logs_from_outside_are_neighbours_of_what_is_made(songs, capsys):
    programmed(capsys, songs)
    made = _make(songs, us(EVENING), us(EVENING) + HOUR)
    logs = songs / "from outside"
    logs.mkdir()
    run(
        capsys,
        "formats",
        "export",
        songs,
        logs / "261201_20.m3u",
        "--from",
        EVENING.isoformat(),
        "--hours",
        1,
    )
    with LibraryTransaction(songs) as library:
        library.run(t.made_hour.delete())
        options = DropOptions(period=Period.HOUR, loads=Loads.AT_TIME, expected="")
        save_drop(library, LogDrop(0, "Outside", str(logs), "%y%m%d_%H.m3u", options, made_us=1))
    run(capsys, "formats", "week", songs, "mon-sun 20-21")  # that hour is the outside log's
    after = _make(songs, us(EVENING), us(EVENING) + 2 * HOUR)
    assert [hour.start_us for hour in after] == [us(EVENING) + HOUR]
    assert not after[0].broken
    items = open_station(songs).programme.items
    plays = [
        {
            "start_us": hour.start_us + round(line.at_s * US),
            "end_us": 0,
            "cart": line.cart,
            "artist": items[line.cart].artist,
            "title": items[line.cart].title,
            "origin": "",
        }
        for hour in (*made, *after)
        for line in hour.lines
    ]
    assert not too_near(plays)


def test_an_hour_that_was_not_made_is_filled_by_its_clocks_weights(songs, capsys):
    programmed(capsys, songs)
    life = Life(songs)
    life.start(us(EVENING) - 60 * US)
    life.run(us(EVENING) + 3 * HOUR)
    snapshot = open_station(songs)
    plays = [one for one in plays_of(songs) if "rotation" in one["origin"]]
    assert len(plays) > 45
    fresh = sum(one["cart"] > 160 for one in plays)
    assert abs(fresh - 0.3 * len(plays)) < 2, "the weights of the clock share it out"
    assert not too_near(plays)
    told = snapshot.connection.execute(
        "SELECT text, times FROM alarm WHERE code = 'format-not-made'"
    ).fetchall()
    assert sum(row["times"] for row in told) >= 3
    assert "rotation fills the hour by its clock's weights" in told[0]["text"]
    life.kill()


def test_rotation_lands_on_the_log_that_loads_next(songs, capsys):
    """Nothing is made before 22:00: rotation fills from any minute on, and is there in time."""
    programmed(capsys, songs)
    run(capsys, "formats", "week", songs, "mon-sun 00-22")  # no clock before 22:00
    _make(songs, us(EVENING) + 2 * HOUR, us(EVENING) + 3 * HOUR)
    for minute in (31, 44, 52):
        life = Life(songs)
        life.start(us(EVENING) + HOUR + minute * 60 * US)
        life.run(us(EVENING) + 2 * HOUR + 300 * US)
        life.kill()
        with LibraryTransaction(songs) as library:
            due = us(EVENING) + 2 * HOUR
            night = [one for one in plays_of(songs) if "Night" in one["origin"]]
            assert abs(night[0]["start_us"] - due) <= 90 * US, minute
            library.run(t.as_run.delete())
            library.run(t.air_state.delete())


def test_a_break_of_a_clock_comes_in_its_place(songs, capsys):
    run(
        capsys,
        "campaigns",
        "break",
        songs,
        "Hourly",
        "--set",
        "starts=where logs say so",
        "--set",
        "minutes=20",
        "--set",
        "spots=2",
    )
    run(
        capsys,
        "formats",
        "clock",
        songs,
        "Day",
        "--strip",
        "category Fresh; category Fresh; break Hourly; music; mark 50:00 Ten to; item 7; music",
        "--weights",
        "Standards 100",
    )
    run(capsys, "formats", "week", songs, "", "Day")
    made = _make(songs, us(EVENING), us(EVENING) + HOUR)
    place = next(n for n, line in enumerate(made[0].lines) if line.pattern)
    assert place == 2
    assert made[0].lines[3].at_s - made[0].lines[2].at_s == pytest.approx(60, abs=31)
    assert next(line for line in made[0].lines if line.mark).mark == "Ten to"
    assert next(line.cart for line in made[0].lines if line.mark) == 7
    life = Life(songs)
    life.start(us(EVENING) - 10 * US)
    life.run(us(EVENING) + 5 * US, US)
    opening = [n for n, line in enumerate(life.sequencer.state.order.upcoming) if line.opens]
    assert opening, "the break is lined up, to be filled when it comes"
    life.run(us(EVENING) + 20 * 60 * US)
    # nothing was lined up 10 s before the hour: its log began at once
    carts = [one["cart"] for one in plays_of(songs)]
    assert carts[:4] == [line.cart for line in made[0].lines if line.cart][:4]
    life.kill()


def test_migration_0008_leaves_items_and_categories_as_usual(tmp_path, monkeypatch):
    from nightly_spindle.store.base import schema

    folder = tmp_path / "old"
    folder.mkdir()
    monkeypatch.setattr(schema, "LATEST", "0007")
    schema.migrate(folder / "station.db")
    monkeypatch.undo()
    connection = sqlite3.connect(folder / "station.db")
    with closing(connection), connection:
        connection.execute("INSERT INTO setting VALUES ('name', 'Pier'), ('timezone', 'UTC')")
        connection.execute("INSERT INTO category VALUES (1, 'Nights', 2.0)")
    snapshot = open_station(folder)
    row = snapshot.connection.execute("SELECT * FROM category").fetchone()
    assert (row["weight"], row["turn"]) == (2.0, "oldest first")
    assert not snapshot.programme.formats.plans.used
    assert [rule.sentence() for rule in snapshot.programme.formats.rules] == [
        "The same artist comes again after 1 h (firm).",
        "The same title comes again after 1 h (firm).",
    ]


@pytest.mark.parametrize(
    "disturbance", ["none", "skipped", "skipped twice", "one more", "two more"]
)
def test_timed_marks_hold_on_the_air_whatever_happens_before(songs, capsys, disturbance):
    programmed(capsys, songs)
    strip = "category Fresh; music; fixed mark 30:00 Half past; category Fresh; music; "
    strip += "mark 45:00 Q; music"
    run(capsys, "formats", "clock", songs, "Day", "--strip", strip)
    made = _make(songs, us(EVENING) - 2 * HOUR, us(EVENING) + HOUR)
    life = Life(songs)
    life.start(us(EVENING) - 2 * HOUR)
    ends = [us(EVENING) - HOUR, us(EVENING)]
    for end in ends:
        life.run(end - 48 * 60 * US)
        sequencer = life.sequencer
        if "skipped" in disturbance:
            for _ in range(2 if "twice" in disturbance else 1):
                life._write(sequencer.skip(), life.now_us)
        if "more" in disturbance:
            spare = sorted({item.cart for item in sequencer.programme.pool})[-2:]
            for cart in spare[: 1 if "one" in disturbance else 2]:
                first = sequencer.state.order.upcoming[0].id
                sequencer.edits.insert(first, cart, Origin(LineSource.HAND))
        life.run(end)
    plays = plays_of(songs)
    life.kill()
    for hour in made[:2]:
        half, quarter = (
            next(line.cart for line in hour.lines if line.mark == mark)
            for mark in ("Half past", "Q")
        )
        starts = {one["cart"]: one["start_us"] for one in plays if one["start_us"] >= hour.start_us}
        assert abs(starts[half] - hour.start_us - 30 * 60 * US) <= 2.05 * US
        # the other comes after the item that is on air at its time, unless it was its turn before
        assert starts[quarter] - hour.start_us <= (45 * 60 + 400) * US
        within = [
            one
            for one in plays
            if hour.start_us + 15 * 60 * US <= one["start_us"] < hour.start_us + 50 * 60 * US
        ]
        gaps = [b["start_us"] - a["end_us"] for a, b in zip(within, within[1:], strict=False)]
        assert max(gaps) <= 0, "never silent"

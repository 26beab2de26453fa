"""Formats in a station: by command, in its book, made, and on air among logs from outside."""

from __future__ import annotations

import csv
import io
import json
import sqlite3
import time
from contextlib import closing
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from conftest import RATE, ZONE
from test_campaign_week import Life
from test_engine import Air, wait

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.calendar.day_plans import DayOptions, DayPlan, Plans, painted
from nightly_spindle.core.calendar.log_periods import Period, slot_at
from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.library.song_names import artists_of, song_key, title_of
from nightly_spindle.core.logs.log_matching import key, search_words
from nightly_spindle.core.music.format_clocks import minute_text, slot_from, strip_from, strip_text
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import categories
from nightly_spindle.store.logs.log_source_edits import save_drop
from nightly_spindle.store.music.formats import save_day
from nightly_spindle.store.programme.snapshot import open_station

TZ = ZoneInfo(ZONE)
EVENING = datetime(2026, 12, 1, 20, tzinfo=TZ)
HOUR = 3600 * US
FAR = "2031-03-03"  # a Monday that is still to come


def us(moment):
    return resolve_local(moment.replace(tzinfo=None), TZ)


@pytest.fixture
def songs(tmp_path):
    """A station of 240 songs by 90 artists; their files hold a byte: nothing is decoded here."""
    folder = tmp_path / "pier"
    new_station(folder, {"name": "Pier", "timezone": ZONE, "output.to": "standin"})
    (folder / "audio").mkdir()
    dice = np.random.default_rng(4)
    with LibraryTransaction(folder) as library:
        root = library.run(t.root.insert().values(path="audio")).inserted_primary_key[0]
        version = library.version()
        for cart in range(1, 241):
            seconds = float(np.clip(dice.normal(215, 35), 140, 330))
            artist, title = f"Keeper {int(90 * dice.random() ** 1.3)}", f"Lamp {cart % 200}"
            artist += f" feat. Keeper {cart % 90}" if cart % 9 == 0 else ""
            name = f"{cart}.wav"
            (folder / "audio" / name).write_bytes(b"x")
            library.run(
                t.item.insert().values(
                    cart=cart, kind="song", title=title, artist=artist, root_id=root, path=name,
                    name_key=key(name), added_us=0, duration_s=seconds, sample_rate=RATE,
                    channels=2, loudness_range_lu=4.0, cue_in_s=0.0, cue_out_s=seconds,
                    segue_s=seconds - 3, fade_start_s=seconds - 6, ending="fade",
                    version=version, words=search_words(artist, title),
                    song_key=song_key(artist, title),
                )
            )  # fmt: skip
        for name, carts in (("Standards", range(1, 161)), ("Fresh", range(161, 241))):
            categories.add(library, categories.make(library, name), list(carts))
    return folder


def run(capsys, *arguments, status=0):
    """Run a command; returns what it printed, as JSON where it was asked for."""
    assert main([str(one) for one in arguments]) == status, capsys.readouterr()
    told = capsys.readouterr()
    if status:
        return told.err
    return json.loads(told.out) if "--json" in arguments else told.out


def programmed(capsys, folder):
    """Two clocks, rules, and all hours of the week."""
    run(capsys, "formats", "rules", folder, "kind=artist,amount=60", "kind=title,amount=90",
        "kind=yesterday,amount=20,firm=no")  # fmt: skip
    run(capsys, "formats", "clock", folder, "Day", "--strip",
        "category Fresh; music until 30:00; mark 30:00 Half past; music",
        "--weights", "Standards 70, Fresh 30")  # fmt: skip
    run(capsys, "formats", "clock", folder, "Night", "--copy", "Day", "--set", "fixed_end=yes")
    run(capsys, "formats", "week", folder, "mon-sun 06-22", "Day")
    run(capsys, "formats", "week", folder, "mon-sun 22-06", "Night")


# -- clocks and plans -----


@pytest.mark.parametrize(
    ("written", "what"),
    [
        ("categry X", "is no slot; one begins with category, item"), ("category", "the name of"),
        ("item twelve", "an item is named by its cart number"),
        ("mark 61:00", "is no place in an hour"), ("music until 7", "is no place in an hour"),
    ],
)  # fmt: skip
def test_a_slot_that_cannot_be_is_refused_in_a_sentence(written, what):
    with pytest.raises(InputFault, match=what):
        slot_from(written)


def test_a_strip_is_read_back_as_it_was_written():
    text = ("category Standards; item 12; list News at eight; break Hourly; link Lamps; "
            "music until 20:00; mark 30:00 Half past; fixed mark 45:00; music")  # fmt: skip
    assert strip_text(strip_from(text)) == text
    assert minute_text(2730) == "45:30"


def test_one_order_decides_what_a_day_gets():
    monday = date(2026, 11, 30)
    base = DayPlan(1, "Base", painted((-1,) * 24, range(24), 7))
    plan = DayPlan(2, "Weekdays", painted((-1,) * 24, [6], 8), (), DayOptions(1.0, "mon-fri"))
    feast = DayPlan(3, "Feast", painted((-1,) * 24, [6], 9), (), DayOptions(holidays=True))
    plans = Plans((5,) * 168, {1: base, 2: plan, 3: feast}, {monday: 1}, frozenset({monday}))

    def gets(day, hour):
        at = us(datetime.combine(day, datetime.min.time()) + timedelta(hours=hour))
        begins = datetime(2026, 1, 1, 5).time()
        return plans.hour(slot_at(Period.HOUR, TZ, begins, at))

    tuesday, saturday = monday + timedelta(days=1), monday + timedelta(days=5)
    assert (gets(monday, 6).clock, gets(monday, 6).comes_from) == (7, "“Base”, by the calendar")
    assert gets(tuesday, 6).clock == 8
    assert gets(tuesday, 7).clock == 7, "as the plan that it goes by"
    assert gets(tuesday, 4).clock == 7, "04:00 is still the broadcast day of Monday"
    assert (gets(saturday, 6).clock, gets(saturday, 6).comes_from) == (5, "the week plan")
    feasting = Plans(plans.week, plans.days, {}, plans.holidays)
    begins = datetime(2026, 1, 1, 5).time()
    six = us(datetime.combine(monday, datetime.min.time()) + timedelta(hours=6))
    local = slot_at(Period.HOUR, TZ, begins, six)
    assert feasting.hour(local).comes_from == "“Feast”, for holidays"
    after = feasting.hour(slot_at(Period.HOUR, TZ, begins, local.end_us))
    assert "leaves it to the week plan" in after.comes_from


def test_plans_in_a_circle_are_refused(songs):
    with LibraryTransaction(songs) as library:
        first, _ = save_day(library, DayPlan(0, "One"), Plans())
        one = DayPlan(first, "One")
        second, _ = save_day(library, DayPlan(0, "Two", options=DayOptions(base=float(first))),
                             Plans(days={first: one}))  # fmt: skip
    two = DayPlan(second, "Two", options=DayOptions(base=float(first)))
    circle = DayPlan(first, "One", options=DayOptions(base=float(second)))
    with (
        LibraryTransaction(songs) as library,
        pytest.raises(InputFault, match="goes in a circle: “One” by"),
    ):
        save_day(library, circle, Plans(days={first: one, second: two}))


# -- by command -----


def test_formats_by_command(songs, capsys, tmp_path):
    programmed(capsys, songs)
    listed = run(capsys, "formats", "list", songs, "--json")
    assert [clock["name"] for clock in listed["clocks"]] == ["Day", "Night"]
    assert listed["findings"] == []
    assert len(listed["week"]) == 168
    made = run(capsys, "formats", "make", songs, "--from", f"{FAR}T05:00", "--days", 1, "--json")
    assert len(made["hours"]) == 24
    assert made["broken"] == 0
    assert made["hours"][1]["from"] == "the week plan"
    assert all(abs(hour["lands_s"]) <= (2 if hour["fixed"] else 30) for hour in made["hours"])
    again = run(capsys, "formats", "make", songs, "--from", f"{FAR}T05:00", "--days", 1, "--json")
    assert (again["hours"], again["kept"]) == ([], 24)
    told = run(capsys, "formats", "explain", songs, "--at", f"{FAR}T06:40")
    assert "has the format clock “Day”: the week plan." in told
    fits = run(capsys, "formats", "explain", songs, "--at", f"{FAR}T06:40", "--line", 3, "--json")
    assert not fits[0]["firm"]
    assert fits == sorted(fits, key=lambda one: one["firm"])
    stats = run(capsys, "formats", "stats", songs, "--ahead", 5000, "--json")
    shares = {one["category"]: one for one in stats["categories"]}
    assert abs(shares["Standards"]["share"] - 0.66) < 0.05
    for ending in ("m3u", "xspf", "csv"):
        out = tmp_path / f"hour.{ending}"
        stretch = ("--from", f"{FAR}T06:00", "--hours", 1, "--json")
        wrote = run(capsys, "formats", "export", songs, out, *stretch)
        assert wrote["lines"] == len(made["hours"][1]["lines"])
        read = run(capsys, "log", "check", songs, out, "--json")
        carts = [line["cart"] for line in read["lines"] if line["status"] == "matched"]
        assert carts == [line["cart"] for line in made["hours"][1]["lines"]], ending
    rows = list(csv.DictReader(io.StringIO((tmp_path / "hour.csv").read_text())))
    assert rows[0]["time"].startswith("06:00") or rows[0]["time"].startswith("05:59")
    gone = run(capsys, "formats", "clear", songs, "--from", f"{FAR}T05:00", "--hours", 3, "--json")
    assert gone == {"cleared": 3}
    filled = run(capsys, "formats", "make", songs, "--from", f"{FAR}T05:00", "--days", 1, "--json")
    assert len(filled["hours"]) == 3
    assert filled["broken"] == 0, "the hours around them count"


def test_what_a_command_refuses_in_one_sentence(songs, capsys):
    for arguments, says in (
        (("make", "--hours", 2), "no hour of that stretch has a format clock"),
        (("clock", "Bad", "--strip", "categry X"), "is no slot"),
        (("clock", "Bad", "--weights", "Standards"), "is no weight; write it like"),
        (("clock", "Bad", "--weights", "Standards 0"), "its weights are all zero"),
        (("rules", "kind=artist,amount=nine"), "option amount is 'nine'"),
        (("rules", "kind=in a row,amount=2"), "it needs a trait"),
        (("week", "mon 7"), "is no part of the week"),
        (("week", "mon", "Nobody"), "there is no format clock “Nobody”"),
        (("item", 99_999, "--set", "rest_h=3"), "no item has the cart number 99999"),
        (("item", 1, "--set", "traits=slow"), "is no trait; write it like tempo=slow"),
        (("calendar", "--from", "2031-13-01"), "is no date"),
        (("category", "Nothing", "--turn", "shuffled"), "there is no category “Nothing”"),
        (("explain", "--line", 1), "was not made; make it first"),
    ):
        command, *rest = arguments
        told = run(capsys, "formats", command, songs, *rest, status=2)
        assert says in told, told
        assert told.count("\n") == 1
    strip = "category Nowhere; break None; list None; item 9999; " + "category Fresh; " * 40
    run(capsys, "formats", "clock", songs, "Odd", "--strip", strip)
    run(capsys, "formats", "week", songs, "mon", "Odd")
    codes = [f["text"] for f in run(capsys, "formats", "list", songs, "--json")["findings"]]
    for part in ("“Nowhere” holds nothing", "no break “None”", "no list “None”",
                 "cart number 9999", "is longer than its hour"):  # fmt: skip
        assert any(part in text for text in codes), part
    told = run(capsys, "formats", "remove-clock", songs, "Odd", status=2)
    assert "is used: 24 h of the week plan" in told
    made = run(capsys, "formats", "make", songs, "--from", f"{FAR}T08:00", "--hours", 1, "--json")
    assert len(made["hours"][0]["lines"]) > 12
    assert any("do not fit" in note["text"] for note in made["hours"][0]["notes"])


def test_the_book_holds_the_formats(songs, capsys, tmp_path):
    programmed(capsys, songs)
    run(capsys, "formats", "day", songs, "Feast", "--hours", "6-9=Night", "--hours", "10=none",
        "--show", "20:00 12", "--set", "holidays=yes")  # fmt: skip
    run(capsys, "formats", "calendar", songs, "Feast", "--from", FAR, "--to", "2031-03-05")
    run(capsys, "formats", "item", songs, 1, 2, "--set", "traits=tempo=slow", "--set", "rest_h=30")
    run(capsys, "formats", "category", songs, "Fresh", "--turn", "shuffled", "--weight", 2)
    first, other, second = tmp_path / "one.json", tmp_path / "other", tmp_path / "two.json"
    run(capsys, "station", "export", songs, first)
    new_station(other, {"name": "Else", "timezone": "UTC"})
    run(capsys, "station", "apply", other, first)
    run(capsys, "station", "export", other, second)
    assert first.read_bytes() == second.read_bytes()
    book = json.loads(first.read_text())
    assert [clock["name"] for clock in book["format_clocks"]] == ["Day", "Night"]
    assert book["items"][0]["turn"] == {"rest_h": "30.0", "traits": "tempo=slow"}
    assert len(book["calendar"]) == 3
    book["day_plans"][0]["options"]["days"] = "someday"
    book["rotation_rules"][0]["amount"] = "long"
    first.write_text(json.dumps(book))
    told = run(capsys, "station", "apply", other, first, status=2)
    assert "rotation_rules/1" in told


def test_a_category_that_is_called_otherwise_is_so_in_clocks_and_rules(songs, capsys):
    programmed(capsys, songs)
    run(capsys, "formats", "rules", songs, "kind=item,amount=90,category=fresh", "kind=title")
    with LibraryTransaction(songs) as library:
        number = categories.number_of(library, "Fresh")
        memory = categories.rename_or_merge(library, number, "Just landed")
    listed = run(capsys, "formats", "list", songs, "--json")
    assert listed["findings"] == []
    for clock in listed["clocks"]:
        assert clock["slots"][0] == "category Just landed"
        assert clock["weights"][1] == {"category": "Just landed", "weight": 30.0}
    assert listed["rules"][0]["category"] == "Just landed"
    with LibraryTransaction(songs) as library:
        categories.undo_rename(library, memory)
    listed = run(capsys, "formats", "list", songs, "--json")
    assert listed["clocks"][0]["slots"][0] == "category Fresh"


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
    assert "the week plan: Chosen from" in own[5]["why"].lower() or "The week plan" in own[5]["why"]
    assert not too_near(plays), too_near(plays)[:2]
    # 22:00 and later: the hours end to the second
    for hour in (23, 24):
        due = us(EVENING) + (hour - 20) * HOUR
        starts = min(abs(one["start_us"] - due) for one in plays) / US
        assert starts <= 2.0, hour
    gaps = [b["start_us"] - a["end_us"] for a, b in zip(plays, plays[1:], strict=False)]
    assert max(gaps) <= 30 * US, "but for the kill there is no gap"
    life.kill()


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
            run(capsys, "formats", "export", songs, logs / f"{start:%y%m%d_%H}.m3u", "--from",
                start.isoformat(), "--hours", 1)  # fmt: skip
    with LibraryTransaction(songs) as library:
        library.run(t.made_hour.delete())
        library.run(t.week_hour.delete())
        library.version()
        options = DropOptions(period=Period.HOUR, loads=Loads.AT_TIME, entry=Entry.NEXT,
                              placement=Placement.FRONT, expected="")  # fmt: skip
        save_drop(library, LogDrop(0, "Outside", str(logs), "%y%m%d_%H.m3u", options))
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
    engine = Air(folder, "--no-supervisor", "--cold")
    try:
        engine.wait_on_air()
        connection = open_station(folder).connection

        def hours():
            return connection.execute("SELECT count(*) FROM made_hour").fetchone()[0]

        wait(lambda: hours() >= 23, 90, engine.told)
        now = time.time_ns() // 1000
        first = connection.execute("SELECT min(id) FROM made_hour").fetchone()[0]
        assert 0 < first - now <= HOUR
    finally:
        engine.end()


def test_logs_from_outside_are_neighbours_of_what_is_made(songs, capsys):
    programmed(capsys, songs)
    made = _make(songs, us(EVENING), us(EVENING) + HOUR)
    logs = songs / "from outside"
    logs.mkdir()
    run(capsys, "formats", "export", songs, logs / "261201_20.m3u", "--from",
        EVENING.isoformat(), "--hours", 1)  # fmt: skip
    with LibraryTransaction(songs) as library:
        library.run(t.made_hour.delete())
        options = DropOptions(period=Period.HOUR, loads=Loads.AT_TIME, expected="")
        save_drop(library, LogDrop(0, "Outside", str(logs), "%y%m%d_%H.m3u", options))
    run(capsys, "formats", "week", songs, "mon-sun 20-21")  # that hour is the outside log's
    after = _make(songs, us(EVENING), us(EVENING) + 2 * HOUR)
    assert [hour.start_us for hour in after] == [us(EVENING) + HOUR]
    assert not after[0].broken
    items = open_station(songs).programme.items
    plays = [
        {"start_us": hour.start_us + round(line.at_s * US), "end_us": 0, "cart": line.cart,
         "artist": items[line.cart].artist, "title": items[line.cart].title, "origin": ""}
        for hour in (*made, *after) for line in hour.lines
    ]  # fmt: skip
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
    run(capsys, "campaigns", "break", songs, "Hourly", "--set", "starts=where logs say so",
        "--set", "minutes=20", "--set", "spots=2")  # fmt: skip
    run(capsys, "formats", "clock", songs, "Day", "--strip",
        "category Fresh; category Fresh; break Hourly; music; mark 50:00 Ten to; item 7; music",
        "--weights", "Standards 100")  # fmt: skip
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

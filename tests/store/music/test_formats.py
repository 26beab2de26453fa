"""Formats in a station: by command, in its book, made, and on air among logs from outside."""

from __future__ import annotations

import csv
import io
import json
import shutil
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import numpy as np
import pytest
from conftest import RATE, ZONE

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.calendar.day_plans import DayOptions, DayPlan, Plans, painted
from nightly_spindle.core.calendar.log_periods import Period, slot_at
from nightly_spindle.core.library.song_names import song_key
from nightly_spindle.core.logs.log_matching import key, search_words
from nightly_spindle.core.music.format_clocks import minute_text, slot_from, strip_from, strip_text
from nightly_spindle.core.outputs.outputs import NOT_HEARD
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import categories
from nightly_spindle.store.music.formats import save_day

pytestmark = pytest.mark.slow  # whole stations of 240 songs
TZ = ZoneInfo(ZONE)
EVENING = datetime(2026, 12, 1, 20, tzinfo=TZ)
HOUR = 3600 * US
FAR = "2031-03-03"  # a Monday that is still to come


def us(moment):
    return resolve_local(moment.replace(tzinfo=None), TZ)


@pytest.fixture
def songs(built_songs, tmp_path):
    """A copy of the station of 240 songs."""
    return shutil.copytree(built_songs, tmp_path / "pier")


@pytest.fixture(scope="session")
def built_songs(tmp_path_factory):
    """A station of 240 songs by 90 artists; their files hold a byte: nothing is decoded here."""
    folder = tmp_path_factory.mktemp("songs") / "pier"
    new_station(folder, {"name": "Pier", "timezone": ZONE}, NOT_HEARD)
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
                    cart=cart,
                    kind="song",
                    title=title,
                    artist=artist,
                    root_id=root,
                    path=name,
                    name_key=key(name),
                    added_us=0,
                    duration_s=seconds,
                    sample_rate=RATE,
                    channels=2,
                    loudness_range_lu=4.0,
                    cue_in_s=0.0,
                    cue_out_s=seconds,
                    segue_s=seconds - 3,
                    fade_start_s=seconds - 6,
                    ending="fade",
                    version=version,
                    words=search_words(artist, title),
                    song_key=song_key(artist, title),
                )
            )
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
    run(
        capsys,
        "formats",
        "rules",
        folder,
        "kind=artist,amount=60",
        "kind=title,amount=90",
        "kind=yesterday,amount=20,firm=no",
    )
    run(
        capsys,
        "formats",
        "clock",
        folder,
        "Day",
        "--strip",
        "category Fresh; music until 30:00; mark 30:00 Half past; music",
        "--weights",
        "Standards 70, Fresh 30",
    )
    run(capsys, "formats", "clock", folder, "Night", "--copy", "Day", "--set", "fixed_end=yes")
    run(capsys, "formats", "week", folder, "mon-sun 06-22", "Day")
    run(capsys, "formats", "week", folder, "mon-sun 22-06", "Night")


# -- clocks and plans -----


@pytest.mark.parametrize(
    ("written", "what"),
    [
        ("categry X", "is not a valid slot; one begins with category, item"),
        ("category", "the name of"),
        ("item twelve", "an item is named by its cart number"),
        ("mark 61:00", "is not a valid place in an hour"),
        ("music until 7", "is not a valid place in an hour"),
    ],
)
def test_a_slot_that_cannot_be_is_refused_in_a_sentence(written, what):
    with pytest.raises(InputFault, match=what):
        slot_from(written)


def test_a_strip_is_read_back_as_it_was_written():
    text = (
        "category Standards; item 12; list News at eight; break Hourly; link Lamps; "
        "music until 20:00; mark 30:00 Half past; fixed mark 45:00; music"
    )
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
        second, _ = save_day(
            library,
            DayPlan(0, "Two", options=DayOptions(base=float(first))),
            Plans(days={first: one}),
        )
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
        (("clock", "Bad", "--strip", "categry X"), "is not a valid slot"),
        (("clock", "Bad", "--weights", "Standards"), "is not a valid weight; write it like"),
        (("clock", "Bad", "--weights", "Standards 0"), "its weights are all zero"),
        (("rules", "kind=artist,amount=nine"), "option amount is 'nine'"),
        (("rules", "kind=in a row,amount=2"), "it needs a trait"),
        (("week", "mon 7"), "is not a valid part of the week"),
        (("week", "mon", "Nobody"), "there is no format clock “Nobody”"),
        (("item", 99_999, "--set", "rest_h=3"), "no item has the cart number 99999"),
        (("item", 1, "--set", "traits=slow"), "is not a valid trait; write it like tempo=slow"),
        (("calendar", "--from", "2031-13-01"), "is not a valid date"),
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
    for part in (
        "“Nowhere” holds nothing",
        "no break “None”",
        "no list “None”",
        "cart number 9999",
        "is longer than its hour",
    ):
        assert any(part in text for text in codes), part
    told = run(capsys, "formats", "remove-clock", songs, "Odd", status=2)
    assert "is used: 24 h of the week plan" in told
    made = run(capsys, "formats", "make", songs, "--from", f"{FAR}T08:00", "--hours", 1, "--json")
    assert len(made["hours"][0]["lines"]) > 12
    assert any("do not fit" in note["text"] for note in made["hours"][0]["notes"])


def test_the_book_holds_the_formats(songs, capsys, tmp_path):
    programmed(capsys, songs)
    run(
        capsys,
        "formats",
        "day",
        songs,
        "Feast",
        "--hours",
        "6-9=Night",
        "--hours",
        "10=none",
        "--show",
        "20:00 12",
        "--set",
        "holidays=yes",
    )
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

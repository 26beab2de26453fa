"""Timed events by command, in the database, in the station book, and on air."""

import json
import sqlite3
from datetime import UTC, datetime

import pytest
from conftest import build_station
from test_log_drops import out, view

from nightly_spindle.core.base.timebase import US, us_from
from nightly_spindle.core.events.timed_events import WhenOver
from nightly_spindle.store.base import schema
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.events.events import over_and_done, remove_events, restore_events, retire
from nightly_spindle.store.library.lists import make_list
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.station import book_reading, station_book


@pytest.fixture
def listed(station):
    with LibraryTransaction(station) as library:
        make_list(library, "Tides", [1001, 1002])
    return station


def test_an_event_is_made_changed_switched_and_removed_by_command(listed, capsys):
    (made,) = view(
        capsys,
        "events",
        "add",
        listed,
        "Harbour hour",
        "--at",
        "20:00",
        "--days",
        "tue,thu",
        "--entry",
        "land on time",
        "--step",
        "clear",
        "--step",
        "play list Tides; pick=all shuffled",
        "--set",
        "length_s=3600",
        "--set",
        "at_end=cut off to the second",
        "--not-on",
        "2026-12-24",
    )
    assert made["sentence"] == (
        "Every Tuesday and Thursday at 20:00, not on 24 Dec 2026, land on time within 2 s: clear "
        "what is lined up, then play all, shuffled, of the list “Tides” at the front; holds the "
        "air for 1 h, then what is left is cut off to the second."
    )
    assert len(made["next"]) == 5
    assert made["next"][0]["text"].endswith("20:00 (evening)")
    assert 8 < made["runs_s"] < 14
    late = ("--at", "21:30", "--rename", "Late harbour")
    (changed,) = view(capsys, "events", "add", listed, "Harbour hour", *late)
    assert (changed["id"], changed["start"][11:], changed["name"]) == (
        1,
        "21:30:00",
        "Late harbour",
    )
    assert changed["steps"] == made["steps"]
    bell = ("--before", "Late harbour:5", "--step", "play item 1009")
    (before,) = view(capsys, "events", "add", listed, "Bell", *bell)
    assert before["rule"] == {"beside": 1, "offset_s": -300.0}
    view(
        capsys,
        "events",
        "add",
        listed,
        "Link",
        "--songs",
        "3",
        "--at",
        "22:00",
        "--until",
        "02:00",
        "--step",
        "play folder audio/id",
    )
    status, told, _ = out(capsys, "events", "disable", listed, "2")
    assert status == 0
    assert "(switched off)" in told
    names = [one["name"] for one in view(capsys, "events", "list", listed)]
    assert names == ["Late harbour", "Bell", "Link"]
    fired = view(capsys, "events", listed, "--from", "2026-12-15T00:00", "--hours", "240")
    assert [one["at"][:16] for one in fired if one["event"] == "Late harbour"] == [
        "2026-12-15T21:30",
        "2026-12-17T21:30",
        "2026-12-22T21:30",
    ]
    assert view(capsys, "events", "remove", listed, "Link") == {"removed": "Link"}
    found = view(capsys, "events", "check", listed, "--from", "2026-12-14T12:00")
    assert [one["code"] for one in found] == []


WRONG = [
    (["--at", "half past"], "'half past' is not a time of day"),
    (["--at", "7", "--days", "someday"], "'someday' is no weekday"),
    (["--at", "7", "--weeks", "first"], "weeks of the month need a weekday"),
    (
        ["--at", "7", "--step", "dance"],
        "'dance' is not a valid step; a step begins with one of play item",
    ),
    (["--at", "7", "--step", "play item x"], "cart is 'x'"),
    (["--at", "7", "--step", "clear all"], "takes nothing; 'all' is too much"),
    (["--at", "7", "--set", "fade=3"], "'fade=3' is not like NAME=VALUE"),
    (["--at", "7", "--set", "fade_s=99"], "must be within 0 and 20 s"),
    (["--before", "Nobody:5"], "there is no timed event “Nobody”"),
    (["--rule", "FREQ=SOMETIMES"], "is not a recurrence rule"),
    (["--on", "yesterday"], "'yesterday' is not a date"),
    ([], "say when it fires"),
    (["--songs", "3", "--entry", "cut in", "--step", "play item 1001"], "comes in as “next”"),
]


@pytest.mark.parametrize(("given", "why"), WRONG)
def test_a_wrong_event_is_refused_in_one_line(station, capsys, given, why):
    status, _, told = out(capsys, "events", "add", station, "X", *given)
    assert status == 2
    assert why in told
    assert told.count("\n") == 1
    assert view(capsys, "events", "list", station) == []


def test_events_go_round_through_json_calendar_and_book(listed, capsys, tmp_path):
    made = [
        ["Hour", "--at", "06:00", "--every", "60", "--until", "22:00", "--step", "play item 1009"],
        ["Once", "--on", "2026-12-24,2026-12-26", "--at", "18:00", "--step", "play list Tides"],
        ["Month", "--at", "12:00", "--days", "fri", "--weeks", "first,last", "--step", "clear"],
        ["Songs", "--songs", "4", "--step", "play folder audio/id"],
        [
            "Stream",
            "--at",
            "19:00",
            "--days",
            "sun",
            "--times",
            "3",
            "--step",
            "play stream https://a.example/live; title=Relay; length_s=60",
        ],
        ["After", "--after", "Once:10", "--step", "raise alarm Wake up"],
    ]
    for one in made:
        view(capsys, "events", "add", listed, *one)
    before = view(capsys, "events", "list", listed)
    plain = [
        {k: v for k, v in one.items() if k not in {"sentence", "next", "runs_s", "room_s"}}
        for one in before
    ]
    assert view(capsys, "events", "export", listed, tmp_path / "week.ics")["events"] == 6
    there = station_book.read_station(listed)
    (tmp_path / "events.json").write_text(json.dumps(plain))
    other = build_station(tmp_path / "other")
    for how in (
        ["import", other, tmp_path / "week.ics"],
        ["add", other, "--file", tmp_path / "events.json"],
    ):
        view(capsys, "events", *how)
        again = view(capsys, "events", "list", other)
        assert sorted(one["sentence"] for one in again) == sorted(o["sentence"] for o in before)
        assert len(again) == 6  # those of the same name were changed, not doubled
    station_book.write_book(there, tmp_path / "b.json")
    assert there["format"] == "nightly-spindle-book-9"
    with LibraryTransaction(listed) as library:
        remove_events(library, [1, 2, 3])
    with LibraryTransaction(listed) as library:
        station_book.apply_book(library, book_reading.read_book(tmp_path / "b.json"))
    assert station_book.read_station(listed) == there


def test_an_older_books_events_are_numbered(listed, tmp_path):
    made = station_book.read_station(listed) | {"format": "nightly-spindle-book-3"}
    made["events"] = [
        {
            "name": name,
            "start": "2020-01-01T00:00:00",
            "rrule": "FREQ=DAILY",
            "exdates": [],
            "entry": "cut in",
            "steps": [{"step": "load log", "drop": 1, "placement": "replace"}],
            "priority": 0,
            "grace_s": 900.0,
            "enabled": True,
        }
        for name in ("Load", "Load again")
    ]
    (tmp_path / "b.json").write_text(json.dumps(made))
    events = book_reading.read_book(tmp_path / "b.json")["events"]
    assert [(e["id"], e["rule"], e["options"]) for e in events] == [(1, {}, {}), (2, {}, {})]


def test_migration_0005_keeps_events(tmp_path, monkeypatch):
    monkeypatch.setattr(schema, "LATEST", "0004")
    schema.migrate(tmp_path / "station.db")
    monkeypatch.undo()
    with sqlite3.connect(tmp_path / "station.db") as old:
        old.execute("INSERT INTO setting VALUES ('name', 'Pier'), ('timezone', 'UTC')")
        old.execute(
            "INSERT INTO timed_event VALUES (3, 'Load', '2020-01-01T00:00:00', 'FREQ=DAILY',"
            " '2026-12-25T00:00:00', 'cut in',"
            ' \'[{"step": "load log", "drop": 1, "placement": "front"}]\', 2, 1, 60)'
        )
    old.close()
    (event,) = open_station(tmp_path).programme.events
    assert event.sentence() == (
        "Every day at 00:00, not on 25 Dec 2026 00:00, cut in to the second: load the log at the "
        "front."
    )
    assert (event.id, event.priority, event.grace_s) == (3, 2, 60.0)


def test_events_that_are_over_are_switched_off_or_removed(listed, capsys):
    for name, over in (("Stays", WhenOver.KEEP), ("Off", WhenOver.OFF), ("Gone", WhenOver.REMOVE)):
        view(
            capsys,
            "events",
            "add",
            listed,
            name,
            "--on",
            "2026-01-05",
            "--at",
            "10",
            "--step",
            "play item 1001",
            "--set",
            f"over={over}",
        )
    programme = open_station(listed).programme
    tz = programme.settings.tz
    early = us_from(datetime(2026, 1, 5, 9, tzinfo=UTC))
    assert over_and_done(programme.events, tz, early) == []
    done = over_and_done(programme.events, tz, early + 7200 * US)
    assert [event.name for event in done] == ["Off", "Gone"]
    with LibraryTransaction(listed) as library:
        retire(library, done)
    left = open_station(listed).programme.events
    assert [(event.name, event.enabled) for event in left] == [("Stays", True), ("Off", False)]


def test_an_edit_is_taken_back_to_the_letter(listed, capsys):
    view(capsys, "events", "add", listed, "A", "--at", "10", "--step", "play item 1001")
    was = open_station(listed).programme.events
    with LibraryTransaction(listed) as library:
        memory = remove_events(library, [1])
    with LibraryTransaction(listed) as library:
        restore_events(library, memory)
    assert open_station(listed).programme.events == was


def test_a_folder_names_its_own_files_only(listed, capsys):
    (listed / "audio/id/deeper").mkdir()
    (listed / "audio/id/new.wav").write_bytes((listed / "audio/id/bell.wav").read_bytes())
    for folder in ("audio/id", str(listed / "audio/song"), "nowhere", "audio"):
        view(
            capsys, "events", "add", listed, folder, "--at", "10", "--step", f"play folder {folder}"
        )
    holdings = open_station(listed).programme.event_sources
    assert holdings.folders["audio/id"] == (1009,)
    assert holdings.strays["audio/id"] == 1
    assert len(holdings.folders[str(listed / "audio/song")]) == 8
    assert "nowhere" not in holdings.folders
    assert holdings.folders["audio"] == ()
    found = view(capsys, "events", "check", listed)
    assert {one["event"] for one in found if one["code"] == "missing"} == {"nowhere", "audio"}

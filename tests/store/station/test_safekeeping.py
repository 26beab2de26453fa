"""Backups while on air, putting back, checking, the station book, copies."""

import json
import os
import shutil
import sqlite3
import subprocess
import sys
import threading
import time
import zipfile
from pathlib import Path

import pytest
from conftest import ZONE
from hypothesis import given
from hypothesis import strategies as st
from jsonschema import Draft202012Validator

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault, StorageFault
from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.library.intake import IntakeJob, IntakeOptions
from nightly_spindle.core.logs.log_meanings import Meaning, Means
from nightly_spindle.core.station.backups import Backup, backup_due, backup_standing, surplus
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.core.station.station_book import compare
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import new_station, set_settings
from nightly_spindle.store.base.tables import timed_event
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import categories, intake_jobs, items, lists
from nightly_spindle.store.logs import log_source_edits
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.station import backups, book_reading, station_book

DAY = 86_400 * US
SETTINGS = StationSettings("S", ZONE)


def out(capsys, *arguments):
    status = main([*map(str, arguments)])
    told = capsys.readouterr()
    return status, told.out, told.err


@pytest.fixture
def programmed(station):
    """The small station with something of everything that can be programmed."""
    with LibraryTransaction(station) as library:
        categories.add(library, categories.make(library, "Night", 2.5), [1001, 1002])
        categories.make(library, "Empty")
        lists.set_target(library, lists.make_list(library, "Mine", [1003, 1001, 1003]), 3600.0)
        options = IntakeOptions(categories=("Night",))
        intake_jobs.save_job(library, IntakeJob(0, "In", "in", options, subfolders=False))
        items.take_over(library, 1005, 1004)
        items.edit(library, [1002], {"artist": "Wrén", "genre": "Tide"})
        options = DropOptions(period=Period.HOUR, loads=Loads.AT_TIME, lines_left=7)
        meanings = (Meaning("SPOTS*", Means.BREAK, 2),)
        paths = (("M:\\Music", str(station / "audio")), ("N:", "/srv/n"))
        drop = LogDrop(0, "Hours", str(station / "h"), "%y%m%d%H.csv", options, paths, meanings)
        (station / "h").mkdir()
        log_source_edits.save_drop(library, drop)
        log_source_edits.settle(library, {"wren|lost": 1002})
        library.run(
            timed_event.insert().values(
                name="Load the day's log",
                start="2020-01-01T00:00:00",
                rrule="FREQ=DAILY",
                entry="cut in",
                steps='[{"step": "load log", "drop": 1, "placement": "replace"}]',
            )
        )
    set_settings(station, {"separation_s": "1800.0", "segue.fade_out_s": "2.5"})
    return station


def files(folder):
    return {p.name: p.read_bytes() for p in Path(folder).rglob("*") if p.is_file()}


# -- when a backup is due --------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("tried", "due"),
    [
        ([], True),
        ([(-6.9, "")], False),
        ([(-7.0, "")], True),
        ([(-8, ""), (-0.02, "disk full")], False),  # it failed half an hour ago
        ([(-8, ""), (-0.05, "disk full")], True),
        ([(-3, ""), (-0.05, "disk full")], False),
    ],
)
def test_when_a_backup_is_due(tried, due):
    made = [Backup(round(day * DAY), "x", 1, problem) for day, problem in tried]
    assert backup_due(SETTINGS, made, 0) is due
    assert not backup_due(StationSettings("S", ZONE, backup_every_days=0), made, 0)
    assert not backup_due(StationSettings("S", ZONE, copy_of="T"), made, 0)


def test_an_old_backup_is_a_finding_with_its_reason():
    made = [Backup(-9 * DAY, "x", 1), Backup(-DAY, "x", 0, "/mnt is read-only")]
    (standing,) = backup_standing(SETTINGS, made, -400 * DAY, 0)
    assert standing.severity is Severity.WARNING
    assert standing.text == (
        "The last backup of the station is 9 days old. The last try failed: /mnt is read-only."
    )
    assert backup_standing(SETTINGS, [Backup(-7 * DAY, "x", 1)], -400 * DAY, 0) == []
    assert (
        "no backup of the station after 9 days"
        in backup_standing(SETTINGS, [], -9 * DAY, 0)[0].text
    )
    assert backup_standing(SETTINGS, [], -3 * DAY, 0) == [], "a new station is not scolded"
    assert surplus(["c", "a", "b"], 2) == ["a"]


def test_the_finding_stands_in_the_rehearsal(station, capsys):
    with sqlite3.connect(station / "station.db") as connection:
        connection.execute("UPDATE item SET added_us = 0")
    connection.close()
    night = json.loads(out(capsys, "rehearse", station, "--hours", "1", "--json")[1])
    assert [f["code"] for f in night["findings"]].count("backup-old") == 1
    backups.back_up_by_itself(station)
    night = json.loads(out(capsys, "rehearse", station, "--hours", "1", "--json")[1])
    assert "backup-old" not in [f["code"] for f in night["findings"]]


# -- backup and restore ----------------------------------------------------------------------------


def test_a_backup_made_while_the_station_is_written_to_is_whole(programmed, tmp_path):
    enough = threading.Event()
    edits = []

    def edit():
        while not enough.is_set():
            with LibraryTransaction(programmed) as library:  # two edits that belong together
                name = f"n{len(edits)}"
                items.edit(library, [1001], {"title": name})
                items.edit(library, [1002], {"title": name})
            edits.append(name)

    thread = threading.Thread(target=edit)
    thread.start()
    try:
        while not edits:
            time.sleep(0.01)
        for n in range(5):
            backups.back_up(programmed, tmp_path / f"{n}.zip")
    finally:
        enough.set()
        thread.join()
    assert len(edits) > 3
    for n in range(5):
        backups.restore(tmp_path / f"{n}.zip", tmp_path / f"back{n}")
        connection = connect(tmp_path / f"back{n}")
        rows = connection.execute("SELECT title FROM item WHERE cart IN (1001, 1002)").fetchall()
        assert len({row["title"] for row in rows}) == 1, "no edit is in it by half"


def test_what_is_restored_is_what_was_saved(programmed, tmp_path, capsys):
    (programmed / "logs" / "2026-11-24.m3u").write_text("x.flac\n")
    assert out(capsys, "station", "backup", programmed, tmp_path / "b.zip")[0] == 0
    told = out(capsys, "station", "restore", tmp_path / "b.zip", tmp_path / "new")
    assert told[0] == 0
    assert "things are amiss" in told[1], "its audio lay in the old folder"
    assert station_book.read_station(tmp_path / "new") == station_book.read_station(programmed)
    assert (tmp_path / "new/logs/2026-11-24.m3u").read_text() == "x.flac\n"
    # a station is replaced only when that is said, and is kept in its own backups
    with LibraryTransaction(programmed) as library:
        items.edit(library, [1001], {"title": "Later"})
    later = station_book.read_station(programmed)
    status, _, why = out(capsys, "station", "restore", tmp_path / "b.zip", programmed)
    assert (status, "holds a station already" in why) == (2, True)
    assert out(capsys, "station", "restore", tmp_path / "b.zip", programmed, "--replace")[0] == 0
    assert station_book.read_station(programmed) != later
    (kept,) = (programmed / "backups").glob("before restoring*")
    backups.restore(kept, tmp_path / "later")
    assert station_book.read_station(tmp_path / "later") == later


@pytest.mark.parametrize("harm", ["cut", "flip", "empty", "text", "alien", "climbs", "newer"])
def test_a_backup_that_is_not_sound_is_refused_and_nothing_is_touched(station, tmp_path, harm):
    good, bad = tmp_path / "good.zip", tmp_path / "bad.zip"
    backups.back_up(station, good)
    data = bytearray(good.read_bytes())
    with zipfile.ZipFile(good) as pack:
        parts = {name: pack.read(name) for name in pack.namelist()}
        largest = max(pack.infolist(), key=lambda info: info.compress_size)
    manifest = json.loads(parts["manifest.json"])
    if harm == "flip":
        # in the middle of what is kept, not in a date of the archive that says nothing
        data[largest.header_offset + 60 + largest.compress_size // 2] ^= 0x55
    if harm == "climbs":
        manifest["files"]["../evil"] = "0"
    if harm == "newer":
        manifest["schema"] = "9999"
    if harm in {"climbs", "newer"}:
        with zipfile.ZipFile(bad, "w") as pack:
            for name, body in {**parts, "manifest.json": json.dumps(manifest)}.items():
                pack.writestr(name, body)
    elif harm == "alien":
        with zipfile.ZipFile(bad, "w") as pack:
            pack.writestr("hello", "x")
    else:
        bad.write_bytes(
            {"cut": data[: len(data) // 2], "flip": data, "empty": b"", "text": b"no backup"}[harm]
        )
    before = files(station)
    with pytest.raises(InputFault) as told:
        backups.restore(bad, station, replace=True)
    assert str(bad) in str(told.value)
    assert files(station) == before


def test_a_backup_that_cannot_be_written_leaves_nothing_and_is_noted(station, tmp_path, capsys):
    (tmp_path / "file").write_text("x")
    with pytest.raises(StorageFault, match=r"b\.zip cannot be written: "):
        backups.back_up(station, tmp_path / "file" / "b.zip")
    set_settings(station, {"backup_folder": str(tmp_path / "file")})
    assert out(capsys, "station", "backup", station)[0] == 1
    (tried,) = backups.backups(station)
    assert "cannot be written" in tried.problem


def test_only_so_many_are_kept(station, tmp_path, monkeypatch):
    place = tmp_path / "disk"
    set_settings(station, {"backup_folder": str(place), "backup_keep": "2"})
    place.mkdir()
    (place / "other.zip").write_text("not ours")
    for n in range(4):  # the stamp is to the second: made in other seconds
        (place / f"Pier 2020010{n}T000000Z.backup.zip").write_text("old")
    backups.back_up_by_itself(station)
    names = sorted(p.name for p in place.iterdir())
    assert len(names) == 3
    assert names[0] == "Pier 20200103T000000Z.backup.zip"
    assert "other.zip" in names


def test_the_check_finds_what_is_wrong(programmed, capsys):
    assert backups.check(programmed) == []
    rows = {
        r["cart"]: r["path"] for r in connect(programmed).execute("SELECT cart, path FROM item")
    }
    (programmed / "audio/song" / rows[1001]).unlink()
    with (programmed / "audio/song" / rows[1002]).open("ab") as file:
        file.write(b"more")
    shutil.rmtree(programmed / "logs")
    status, told, _ = out(capsys, "station", "check", programmed)
    assert status == 1
    for part in ("wrong: cart 1001: the file", "note: cart 1002: ", "wrong: log drop “Day log”"):
        assert part in told
    data = bytearray((programmed / "station.db").read_bytes())
    for page in range(3, len(data) // 4096, 2):
        data[page * 4096 : page * 4096 + 100] = os.urandom(100)
    (programmed / "station.db").write_bytes(data)
    (one,) = [t for t in backups.check(programmed) if t.grave][:1]
    assert "malformed" in one.text or "database" in one.text.lower()


# -- the station book ------------------------------------------------------------------------------


def test_export_of_what_was_applied_equals_it(programmed, tmp_path, capsys):
    path = tmp_path / "book.json"
    assert out(capsys, "station", "export", programmed, path)[0] == 0
    made = json.loads(path.read_text(encoding="utf-8"))
    Draft202012Validator(json.loads(book_reading.SCHEMA.read_text(encoding="utf-8"))).validate(made)
    assert "Nothing changes" in out(capsys, "station", "apply", programmed, path)[1]
    other = tmp_path / "other"
    new_station(other, {"name": "Other", "timezone": "Asia/Tokyo"})
    tried = json.loads(out(capsys, "station", "apply", other, path, "--try", "--json")[1])
    assert not tried["applied"]
    assert station_book.read_station(other)["settings"]["name"] == "Other", "only tried"
    told = [change["text"] for change in tried["changes"]]
    assert "setting name: Other → Pier" in told
    assert "item 1002 “Lamp 1” is new" in told
    applied = json.loads(out(capsys, "station", "apply", other, path, "--json")[1])
    assert applied["changes"] == tried["changes"], "what was said beforehand is what was done"
    assert out(capsys, "station", "export", other, tmp_path / "again.json")[0] == 0
    assert (tmp_path / "again.json").read_bytes() == path.read_bytes()


def test_a_book_takes_away_and_changes_too(programmed, tmp_path):
    wanted = station_book.read_station(programmed)
    with LibraryTransaction(programmed) as library:  # meanwhile somebody has worked on
        items.remove(library, [1003])
        items.edit(library, [1001], {"title": "Other"})
        categories.make(library, "Late")
        lists.make_list(library, "Late", [1001])
    waves = dict(connect(programmed).execute("SELECT cart, overview FROM item_sound").fetchall())
    texts = [change.text for change in station_book.changes(programmed, wanted)]
    assert "item 1003 “Lamp 2” is new" in texts
    assert "item 1001 “Lamp 0”: title Other → Lamp 0" in texts
    assert "list “Late” goes" in texts
    with LibraryTransaction(programmed) as library:
        station_book.apply_book(library, wanted)
    assert station_book.read_station(programmed) == wanted
    after = dict(connect(programmed).execute("SELECT cart, overview FROM item_sound").fetchall())
    assert {c: after[c] for c in waves} == waves, "what is measured of items that stay is kept"
    assert open_station(programmed).programme.events


@pytest.mark.parametrize(
    ("path", "value", "why"),
    [
        (("format",), "other", "format"),
        (("items", 0, "cart"), "x", "items/0/cart: 'x' is not of type 'integer'"),
        (("items", 0, "cart"), 1002, "items: 1002 is there twice"),
        (("items", 0, "path"), "../../etc/passwd", "is in none of the roots"),
        (("settings", "timezone"), "Mars/Base", "settings: "),
        (("events", 0, "rrule"), "FREQ=NEVER", "events/1: timed event “Load the day's log”"),
        (("events", 0, "start"), "soon", "events/1"),
        (("intake_jobs", 0, "options"), {"kind": "tune"}, "intake_jobs/0: kind 'tune'"),
        (("lists",), None, "lists"),
        (("log_drops", 1, "pattern"), "%d.csv", "needs the hour in its name"),
        (("log_drops", 1, "options"), {"nigh": "1"}, "there is no option 'nigh'"),
        (("log_drops", 1, "meanings"), [["*", "break", 1]], "would leave nothing of a log"),
    ],
)
def test_a_wrong_book_is_refused_with_the_place(programmed, tmp_path, capsys, path, value, why):
    made = station_book.read_station(programmed)
    spot = made
    for step in path[:-1]:
        spot = spot[step]
    spot[path[-1]] = value
    (tmp_path / "b.json").write_text(json.dumps(made))
    before = station_book.read_station(programmed)
    status, _, told = out(capsys, "station", "apply", programmed, tmp_path / "b.json")
    assert status == 2
    assert why in told
    assert told.count("\n") == 1
    assert station_book.read_station(programmed) == before


@given(text=st.text(max_size=200))
def test_no_text_is_taken_for_a_book(tmp_path_factory, text):
    path = tmp_path_factory.mktemp("b") / "b.json"
    path.write_text(text, encoding="utf-8", errors="surrogatepass")
    with pytest.raises(InputFault):
        book_reading.read_book(path)


def test_a_book_compared_with_itself_is_the_same(programmed):
    made = station_book.read_station(programmed)
    assert compare(made, json.loads(json.dumps(made))) == []


# -- a copy to try things on -----------------------------------------------------------------------


def test_a_copy_is_marked_shares_its_audio_and_is_not_aired(programmed, tmp_path, capsys):
    copy = tmp_path / "copy"
    assert out(capsys, "station", "copy", programmed, copy)[0] == 0
    programme = open_station(copy).programme
    assert (programme.settings.name, programme.settings.copy_of) == ("Copy of Pier", "Pier")
    assert all(Path(i.path).is_relative_to(programmed) for i in programme.items.values())
    assert backups.check(copy) == []
    with LibraryTransaction(copy) as library:
        assert [job.enabled for job in intake_jobs.intake_jobs(library)] == [False]
        items.edit(library, [1001], {"title": "Tried"})
    assert open_station(programmed).programme.items[1001].title == "Lamp 0"
    told = subprocess.run(
        [sys.executable, "-m", "nightly_spindle", "air", str(copy)],
        capture_output=True,
        text=True,
        check=False,
    )
    assert told.returncode == 2
    assert "is a copy of Pier, made for trying things on" in told.stderr
    assert out(capsys, "station", "copy", programmed, copy)[0] == 2, "into a new folder only"

"""Stations on disk: schema, intake, logs, journal, the command line and its errors."""

import json
import os
import sqlite3
import subprocess
import sys
import time
import wave
from contextlib import closing
from datetime import date
from pathlib import Path

import numpy as np
import pytest
import soundfile
from conftest import DATA, RATE, beep, day_slot, song_names, write_log

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault, StorageFault
from nightly_spindle.core.outputs.outputs import FIRST, CardOptions, Output, SimulatedOptions
from nightly_spindle.core.overlays.pool_turn import PoolTurn
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.reports.as_run import AsRun
from nightly_spindle.core.station.log_sources import ReadingState
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.schema import engine_for, migrate
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.library.catalogue import Catalogue, Query
from nightly_spindle.store.outputs.outputs import read_outputs
from nightly_spindle.store.playout import state_file
from nightly_spindle.store.playout.journal import Journal, alarms_between, as_run_between
from nightly_spindle.store.playout.side_file import SIDE_FILE
from nightly_spindle.store.playout.state_coding import decode_state, encode_state
from nightly_spindle.store.programme.snapshot import open_station

DAY = date(2026, 11, 24)


def out(capsys, *arguments):
    status = main([str(a) for a in arguments])
    told = capsys.readouterr()
    return status, told.out, told.err


def view(capsys, *arguments):
    status, text, _ = out(capsys, *arguments, "--json")
    assert status == 0
    return json.loads(text)


# -- schema -------------------------------------------------------------------------------


def test_migrations_make_the_schema_of_the_tables(tmp_path):
    from alembic.autogenerate import compare_metadata
    from alembic.migration import MigrationContext

    from nightly_spindle.store.base.tables import metadata

    migrate(tmp_path / "x.db")
    engine = engine_for(tmp_path / "x.db")
    with engine.connect() as connection:
        context = MigrationContext.configure(connection, opts={"compare_server_default": False})
        assert compare_metadata(context, metadata) == []
    engine.dispose()


def test_migration_0002_keeps_what_the_first_schema_held(tmp_path, monkeypatch):
    from nightly_spindle.store.base import database, schema

    monkeypatch.setattr(schema, "LATEST", "0001")
    migrate(tmp_path / "station.db")
    monkeypatch.undo()
    with sqlite3.connect(tmp_path / "station.db") as old:
        old.execute("INSERT INTO root VALUES (1, 'audio')")
        old.execute("INSERT INTO setting VALUES ('name', 'Pier'), ('timezone', 'UTC')")
        old.execute(
            "INSERT INTO item VALUES (7, 'song', 'Ébb', 'Wren', '', '', 1, 'a.flac', 'a.flac', 5,"
            " NULL, 60, 44100, 2, -14.0, 4, -1, 1.0, 59.0, 55, 50, 'fade', x'0102')"
        )
        old.execute("INSERT INTO category VALUES (3, 'Nights')")
        old.execute("INSERT INTO item_category VALUES (7, 3)")
    old.close()
    assert database.LATEST == "0014"
    connect(tmp_path).close()  # opening migrates
    catalogue = Catalogue(tmp_path)
    for words in ("wren", "ebb", "nights", "7"):
        assert catalogue.find(Query(words)).carts.tolist() == [7], words
    detail = catalogue.detail(7)
    assert (detail.overview, detail.item.measure.cue_out_s) == (b"\1\2", 59.0)


def test_migration_0009_keeps_the_alarms_that_were(tmp_path, monkeypatch):
    from nightly_spindle.store.base import schema

    monkeypatch.setattr(schema, "LATEST", "0008")
    migrate(tmp_path / "station.db")
    monkeypatch.undo()
    with sqlite3.connect(tmp_path / "station.db") as old:
        old.execute("INSERT INTO alarm VALUES ('k', 5, 'dead-air', 'alarm', 'Silent.', 'Listen.')")
    old.close()
    (alarm,) = alarms_between(connect(tmp_path), 0, 10)
    assert (alarm.text, alarm.times, alarm.last_us) == ("Silent.", 1, 0)


@pytest.mark.parametrize(
    ("settings", "made"),
    [
        ({"output.to": "standin"}, Output(1, "Simulated", SimulatedOptions())),
        (
            {"output.to": "device", "output.device": "Desk"},
            Output(1, "Sound card", CardOptions("Desk")),
        ),
        ({}, FIRST[0]),
    ],
)
def test_migration_0012_makes_an_output_of_what_two_settings_said(
    tmp_path, monkeypatch, settings, made
):
    older(tmp_path, monkeypatch, "0011")
    with sqlite3.connect(tmp_path / "station.db") as old:
        rows = {"name": "Pier", "timezone": "UTC", **settings}.items()
        old.executemany("INSERT INTO setting VALUES (?, ?)", rows)
    old.close()
    with closing(connect(tmp_path)) as connection:
        assert read_outputs(connection) == (made,)
        left = connection.execute("SELECT count(*) FROM setting WHERE name LIKE 'output%'")
        assert left.fetchone()[0] == 0


def older(folder, monkeypatch, version="0001"):
    """A database as an earlier program made it."""
    from nightly_spindle.store.base import schema

    monkeypatch.setattr(schema, "LATEST", version)
    migrate(folder / "station.db")
    monkeypatch.undo()


@pytest.mark.slow
def test_many_may_bring_a_database_up_to_date_at_once(tmp_path):
    program = f"""
import sys, time
from pathlib import Path
from nightly_spindle.store.base import schema
folder = Path({str(tmp_path)!r})
if sys.argv[1] == "make":
    schema.LATEST = "0001"
    schema.migrate(folder / "station.db")
else:
    from nightly_spindle.store.base.database import connect
    while time.time() < float(sys.argv[1]):
        time.sleep(0.001)
    connect(folder).close()
"""
    for _ in range(2):
        (tmp_path / "station.db").unlink(missing_ok=True)
        subprocess.run([sys.executable, "-c", program, "make"], check=True)
        at = str(time.time() + 2.0)
        many = [subprocess.Popen([sys.executable, "-c", program, at]) for _ in range(4)]
        assert [one.wait(60) for one in many] == [0] * 4
    connect(tmp_path).close()


def test_a_migration_that_breaks_off_leaves_the_database_as_it_was(tmp_path, monkeypatch):
    from alembic import op

    older(tmp_path, monkeypatch, "0007")
    with sqlite3.connect(tmp_path / "station.db") as db:
        before = db.execute("SELECT sql FROM sqlite_master ORDER BY name").fetchall()
    db.close()

    def power_cut(*_args, **_more):
        raise KeyboardInterrupt

    monkeypatch.setattr(op, "create_index", power_cut)
    with pytest.raises(KeyboardInterrupt):
        connect(tmp_path)
    monkeypatch.undo()
    with sqlite3.connect(tmp_path / "station.db") as db:
        assert db.execute("SELECT sql FROM sqlite_master ORDER BY name").fetchall() == before
    db.close()
    connect(tmp_path).close()


def test_the_unit_runs_the_program_where_it_really_is(station, tmp_path, monkeypatch, capsys):
    import shlex

    monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
    moved = station.with_name('odd "name" 100%')
    station.rename(moved)
    assert main(["station", "service", str(moved), "--write"]) == 0
    (unit,) = (tmp_path / "config/systemd/user").glob("*.service")
    lines = dict(
        line.split("=", 1)
        for line in unit.read_text().splitlines()
        if "=" in line and line[0] != "#"
    )
    words = shlex.split(lines["ExecStart"].replace("%%", "%").replace("$$", "$"))
    assert os.access(words[0], os.X_OK)
    assert words[1:4] == ["-m", "nightly_spindle", "air"]
    assert Path(words[4]) == moved
    told = subprocess.run([*words[:3], "--version"], capture_output=True, text=True, check=True)
    assert told.stdout.strip()
    assert lines["Restart"] == "always"
    assert "1" not in lines["RestartPreventExitStatus"].split()


def test_a_newer_database_is_refused_clearly(station):
    with sqlite3.connect(station / "station.db") as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    connection.close()
    with pytest.raises(StorageFault, match="written by a newer Nightly Spindle"):
        connect(station)


# -- intake ---------------------------------------------------------------------------------


def test_a_station_can_be_moved_and_its_paths_follow(station, built):
    programme = open_station(station).programme
    assert {Path(item.path).parent.parent.parent for item in programme.items.values()} == {station}
    assert all(Path(item.path).exists() for item in programme.items.values())
    assert [item.label for item in sorted(programme.pool, key=lambda i: i.cart)][:2] == [
        "Keeper 0 - Lamp 0",
        "Keeper 1 - Lamp 1",
    ]


def test_tags_are_read_from_flac_mp3_and_wav(station, tmp_path, capsys):
    from mutagen.easyid3 import EasyID3

    tmp_path /= "new"
    tmp_path.mkdir()
    for suffix in ("flac", "mp3", "wav"):
        with soundfile.SoundFile(tmp_path / f"x.{suffix}", "w", RATE, 2) as file:
            if suffix != "mp3":
                file.title, file.artist = "Ebb", "Wren"
            file.write(beep(1, 440))
    tags = EasyID3()
    tags["title"], tags["artist"] = "Ebb", "Wren"
    tags.save(tmp_path / "x.mp3")
    (tmp_path / "bad.flac").write_bytes(b"no")
    arrivals = view(capsys, "import", station, tmp_path, "--kind", "promo", "--category", "Ebbs")
    assert [a["ok"] for a in arrivals] == [False, True, True, True]
    assert "bad.flac is not audio" in arrivals[0]["why_not"]
    hits = Catalogue(station).find(Query("wren EBB promo")).carts
    assert len(hits) == 3
    # a second import of the same files makes no second items
    again = view(capsys, "import", station, tmp_path, "--kind", "song")
    assert [a["cart"] for a in again] == [a["cart"] for a in arrivals]


# -- the command line -------------------------------------------------------------------------


def test_a_night_from_new_import_and_a_log(tmp_path, capsys):
    folder, audio = tmp_path / "st", tmp_path / "music"
    assert out(capsys, "station", "new", folder, "--name", "S", "--timezone", "Asia/Tokyo")[0] == 0
    audio.mkdir()
    soundfile.write(audio / "a.wav", beep(5, 440), RATE)
    assert out(capsys, "import", folder, audio, "--kind", "song")[0] == 0
    (folder / "logs" / "2026-11-24.m3u").write_text(f"{audio}/a.wav\nC:\\x\\A.WAV\nlost.mp3\n")
    found = view(capsys, "log", "check", folder, folder / "logs" / "2026-11-24.m3u")
    assert [line["status"] for line in found["lines"]] == ["matched", "matched", "missing"]
    assert (found["matched"], found["missing"], found["ambiguous"]) == (2, 1, 0)
    night = view(capsys, "rehearse", folder, "--from", "2026-11-24T00:00", "--hours", "0.005")
    airs = [entry for entry in night["entries"] if entry["state"] == "aired"]
    assert airs[0]["start"] == "2026-11-24T00:00:00.000000+09:00"
    assert airs[0]["origin"] == "2026-11-24.m3u line 1"
    assert night["landings"][0]["offset_s"] == 0
    assert [f["code"] for f in night["findings"]] == ["log-lines-missing", "net-day-log"]
    events = view(capsys, "events", folder, "--from", "2026-11-23T00:00", "--hours", "49")
    assert [e["at"][:19] for e in events] == [f"2026-11-2{n}T00:00:00" for n in (3, 4, 5)]
    status, text, _ = out(capsys, "log", "expect", folder, "--from", "2026-11-24T10:00", "--json")
    assert status == 1, "tomorrow's log is not there"
    assert [log["state"] for log in json.loads(text)] == ["read", "missing"]
    assert json.loads(text)[1]["nearest"] == ["2026-11-24.m3u"]


@pytest.mark.parametrize(
    ("arguments", "status", "sentence"),
    [
        (["station", "new", "@/x", "--name", "N", "--timezone", "Europe/Lison"], 2, "Europe/Lison"),
        (
            ["station", "new", "@/x", "--name", " ", "--timezone", "UTC", "--rate", "8000"],
            2,
            "a station needs a name; mix rate '8000'",
        ),
        (["rehearse", "@/none"], 2, "holds no station"),
        (["rehearse", "@/pier", "--from", "noon"], 2, "'noon' is not a time"),
        (["rehearse", "@/pier", "--hours", "-1"], 2, "-1 hours is not within"),
        (["import", "@/pier", "@/none.wav", "--kind", "song"], 2, "none.wav is not there"),
        (["import", "@/pier", "@/pier", "--kind", "polka"], 2, "kind 'polka' is not one of song"),
        (["log", "check", "@/pier", "@/rubbish.m3u"], 2, "rubbish.m3u, line 1: holds the control"),
        (["log", "check", "@/pier", "@/rubbish.m3u", "--drop", "9"], 2, "there is no log drop '9'"),
        (["render", "@/pier", "--seconds", "1", "--out", "@/x.txt"], 2, "choose .wav, .flac"),
        (["render", "@/pier", "--seconds", "1", "--out", "@/no/x.wav"], 1, "cannot be written"),
        (["render", "@/pier", "--seconds", "1", "--out", "/dev/full/x.wav"], 1, "cannot be"),
        (["tell", "@/pier", "skip"], 1, "no engine answers"),
        (["air", "@/pier", "--output", "device", "--pace", "2"], 2, "standin only"),
        (["measure", "@/rubbish.m3u"], 2, "rubbish.m3u is not audio"),
    ],
)
def test_bad_input_is_one_line_with_a_status(station, capsys, arguments, status, sentence):
    base = station.parent
    (base / "rubbish.m3u").write_bytes(b"\x00\x01 rubbish")
    got, text, error = out(capsys, *[a.replace("@", str(base)) for a in arguments])
    assert got == status
    assert sentence in error
    assert error.startswith("nightly-spindle: ")
    assert error.count("\n") == 1
    assert text == ""
    assert not (base / "x").exists()
    assert not list(base.glob(".*.part*")), "nothing half-written is left"


def test_a_wrong_command_line_is_one_line():
    told = subprocess.run(
        [sys.executable, "-m", "nightly_spindle", "rehearse"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert told.returncode == 2
    assert told.stderr.count("\n") == 1


# -- rehearsal, render ----------------------------------------------------------------------------


def test_rehearsed_starts_are_rendered_starts_to_the_frame(station, capsys, tmp_path):
    write_log(station, DAY, song_names(station) * 2, missing=1)
    at = ["--from", "2026-11-23T23:59:40"]
    night = view(capsys, "rehearse", station, *at, "--hours", 70 / 3600)
    made = view(capsys, "render", station, *at, "--seconds", 70, "--out", tmp_path / "x.wav")

    def starts(entries):
        return [(e["start_frame"], e["cart"], e["origin"]) for e in entries if e["kind"]]

    assert starts(made["entries"]) == starts(night["entries"])
    # the audio itself, read by the standard library's own reader
    with wave.open(str(tmp_path / "x.wav")) as file:
        assert (file.getframerate(), file.getnframes()) == (RATE, 70 * RATE)
        raw = np.frombuffer(file.readframes(file.getnframes()), "<i2").reshape(-1, 2)
    sound = raw[:, 0] / 32768
    begin = made["entries"][0]["start_frame"]
    assert abs(sound).max() <= 10 ** (-1 / 20) + 1e-3
    # each song is a sine of its own: its power must rise where its entry starts
    for entry in made["entries"]:
        if entry["kind"] != "song" or entry["from_s"]:
            continue
        hz = 300 + 90 * int(entry["title"].split()[-1])
        at = entry["start_frame"] - begin
        window = sound[max(0, at - 4000) : at + 4000]
        mixed = window * np.exp(-2j * np.pi * hz * np.arange(len(window)) / RATE)
        level = np.abs(np.convolve(mixed, np.ones(400) / 400, "valid"))
        rise = int(np.argmax(level > level[-400:].mean() / 2)) + 200
        assert abs(rise - min(at, 4000)) < 300, entry["title"]
    for rms in np.sqrt((sound[: 69 * RATE].reshape(-1, RATE // 10) ** 2).mean(axis=1)):
        assert rms > 0.003, "no dead air"


def test_a_missing_file_is_skipped_before_it_is_due(station, capsys):
    names = song_names(station)
    write_log(station, DAY, names[:3])
    (station / "audio" / names[1]).unlink()
    night = view(capsys, "rehearse", station, "--from", "2026-11-24T00:00", "--hours", 0.002)
    states = [(e["title"], e["state"]) for e in night["entries"]]
    assert ("Lamp 1", "unplayable") in states
    told = [f["text"] for f in night["findings"] if f["code"] == "unplayable"]
    assert "is not there" in told[0]


def test_hostile_log_lines_open_nothing_outside(station, capsys, monkeypatch):
    log = station / "logs" / f"{DAY}.m3u"
    log.write_text("/etc/hostname\n../../../../etc/passwd\n\\\\evil\\share\\x.flac\n")
    opened = []
    monkeypatch.setattr(soundfile, "SoundFile", lambda *a, **k: opened.append(a))
    found = view(capsys, "log", "check", station, log)
    assert [line["status"] for line in found["lines"]] == ["refused", "refused", "missing"]
    assert not opened


def test_a_log_that_is_still_being_written_is_not_read(station):
    path = write_log(station, DAY, song_names(station))
    os.utime(path)  # just now
    snapshot = open_station(station, settle_s=0.3)
    drop = snapshot.programme.drops[1]
    slot = day_slot(snapshot, drop, DAY)
    assert snapshot.logs.refresh(drop, slot).state is ReadingState.GROWING
    with path.open("a") as file:
        file.write("../audio/id/bell.wav\n")
    time.sleep(0.2)
    assert snapshot.logs.refresh(drop, slot).state is ReadingState.GROWING
    time.sleep(0.4)
    reading = snapshot.logs.refresh(drop, slot)
    assert reading.state is ReadingState.READ
    assert len(reading.carts) == len(song_names(station)) + 1
    path.unlink()
    assert snapshot.logs.refresh(drop, slot).state is ReadingState.MISSING


# -- the journal ----------------------------------------------------------------------


def as_run(n):
    return AsRun(f"s/play/{n}", n, n + 5, n, "song", "T", "A", "o", "w", "aired", "")


def test_a_locked_database_loses_nothing(station):
    journal = Journal(station)
    other = sqlite3.connect(station / "station.db", isolation_level=None)
    other.execute("BEGIN EXCLUSIVE")
    assert not journal.write([as_run(1)], [], None, 1)
    assert "locked" in journal.problem
    assert not journal.write([as_run(2)], [], None, 2)
    assert len((station / SIDE_FILE).read_bytes().rstrip(b"\0").splitlines()) == 2
    other.execute("ROLLBACK")
    # the engine is killed here: a new one takes the side file up
    again = Journal(station)
    assert again.write([], [], None, 3)
    assert [line.cart for line in as_run_between(connect(station), 0, 100)] == [1, 2]
    assert again.waiting == 0
    assert not (station / SIDE_FILE).read_bytes().rstrip(b"\0")
    journal.close()
    again.close()
    other.close()


@pytest.mark.skipif(os.getuid() != 0, reason="a small file system needs root")
def test_a_full_disk_loses_nothing_that_memory_holds(station, tmp_path):
    small = tmp_path / "small"
    small.mkdir()
    mount = ["mount", "-t", "tmpfs", "-o", "size=5m", "tmpfs", str(small)]
    if subprocess.run(mount, capture_output=True, check=False).returncode:
        pytest.skip("mounting is not allowed here")
    try:
        new_station(small / "st", {"name": "S", "timezone": "UTC"})
        journal = Journal(small / "st")
        journal.prepare()  # as the writer's thread does before anything happens
        with (
            (small / "filler").open("wb", buffering=0) as filler,
            pytest.raises(OSError, match="No space"),
        ):
            while True:
                filler.write(bytes(4096))
        lines = [as_run(n) for n in range(1, 2000)]
        assert not journal.write(lines, [], None, 1)
        assert "full" in journal.problem
        (small / "filler").unlink()
        assert journal.write([], [], None, 2)
        assert len(as_run_between(connect(small / "st"), 0, 10**6)) == 1999
        journal.close()
    finally:
        subprocess.run(["umount", "-l", str(small)], check=True)


def test_the_state_is_read_back_as_it_was():
    state = new_state(RATE, 123, 456)
    state.order.unattended, state.net.level = False, "x"
    state.overlays.turns[3] = PoolTurn((1, 2), credit={7: 0.5})
    state.spots.last[4] = 99
    assert decode_state(encode_state(state)) == state
    assert state.copy() == state


def test_a_state_that_was_kept_side_by_side_is_read_in_parts():
    """As the program wrote it until November 2026, every field with a value of its own."""
    body = (DATA / "state-side-by-side.json").read_bytes()
    state = decode_state(body)
    assert (state.clock.frame, state.clock.offset_us, state.clock.fired_until_us) == (
        9_000_000,
        -5,
        77,
    )
    assert [line.cart for line in state.order.upcoming] == [7]
    assert state.order.playing.item.title == "Slow Rope"
    assert (state.order.unattended, state.order.stopped, state.order.next_id) == (False, True, 4)
    assert (state.order.kept_time.until, state.order.skipped, state.order.silent_at) == (2, 1, 8)
    assert (state.logs.loaded[0].file, state.logs.awaited[0].due_us, state.logs.orders[0].id) == (
        "a.m3u",
        21,
        1,
    )
    events = state.events
    assert (events.deadlines[0].event, events.holding.event, events.held) == ("News", "Show", [6])
    assert (events.songs_since, events.taken, events.turns) == ({8: 3}, {"8/0": [7]}, {"8/0": 2})
    assert events.landing.told
    over = state.overlays
    assert (over.on, over.until, over.tried) == (False, 42, ["segue"])
    assert (over.turns, over.since_used, over.last_used) == ({1: PoolTurn()}, {1: 4}, {12: 33})
    assert (state.net.level, state.net.repeat_aired) == ("rotation", False)
    assert (state.revision, state.changed_at, state.marked, len(state.history)) == (9, 44, 9, 1)
    assert decode_state(encode_state(state)) == state
    plain = {"settings": {"name": "Pier"}, "state": json.loads(body), "items": [], "pool": []}
    assert state_file._decoded(json.dumps(plain).encode()).state == state


def test_a_second_station_in_the_same_folder_is_refused(station):
    with pytest.raises(InputFault, match="holds a station already"):
        new_station(station, {"name": "S", "timezone": "UTC"})

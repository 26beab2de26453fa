"""Markers in files and in the database: chunks, sidecars, tables, commands, the intake."""

import csv
import ctypes
import json
import re
import sqlite3
import struct
import subprocess
import sys
import time
from contextlib import closing
from pathlib import Path

import numpy as np
import pytest
import soundfile
from conftest import RATE, beep, build_station, examples, wait
from hypothesis import given
from hypothesis import strategies as st
from test_intake import Running
from test_station import out, view

from nightly_spindle.audio.chunks import Point, Told, read_points, write_points
from nightly_spindle.core.base.errors import AudioUnreadable, InputFault
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.markers import Marker, Marks
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import marking
from nightly_spindle.store.library.catalogue import Catalogue
from nightly_spindle.store.library.marker_files import sidecar_of


class CartInfo(ctypes.Structure):
    """libsndfile's SF_CART_INFO with 256 bytes of tag text, its post timers picked out."""

    _fields_ = (
        ("version", ctypes.c_char * 4),
        ("title", ctypes.c_char * 64),
        ("artist", ctypes.c_char * 64),
        ("cut_id", ctypes.c_char * 64),
        ("before_level", ctypes.c_char * (680 - 196)),
        ("level_reference", ctypes.c_int32),
        ("timers", ctypes.c_char * 64),
        ("rest", ctypes.c_char * (2308 - 748)),
    )


class CuePoint(ctypes.Structure):
    _fields_ = (
        ("index", ctypes.c_int32),
        ("position", ctypes.c_uint32),
        ("chunk", ctypes.c_int32),
        ("chunk_start", ctypes.c_int32),
        ("block_start", ctypes.c_int32),
        ("offset", ctypes.c_uint32),
        ("name", ctypes.c_char * 256),
    )


class Cues(ctypes.Structure):
    _fields_ = (("count", ctypes.c_uint32), ("points", CuePoint * 100))


def by_libsndfile(path):
    """What libsndfile's own functions read: cue points, post timers, title and cut."""
    with soundfile.SoundFile(path) as file:

        def command(number, thing):
            pointer = soundfile._ffi.cast("void *", ctypes.addressof(thing))
            size = ctypes.sizeof(thing)
            return soundfile._snd.sf_command(file._file, number, pointer, size)

        cues, cart = Cues(), CartInfo()
        assert command(0x10CE, cues) == 1
        assert command(0x1401, cart) == 1
        raw = bytes(ctypes.string_at(ctypes.addressof(cart) + CartInfo.timers.offset, 64))
        timers = {
            usage: frame for usage, frame in struct.iter_unpack("<4sI", raw) if usage.strip(b"\0")
        }
        points = {p.name.decode(): p.offset for p in cues.points[: cues.count]}
        return points, timers, cart.title.decode(), cart.cut_id.decode()


def wave_file(path, seconds=1.0, subtype="PCM_16", extra=b""):
    sound = np.random.default_rng(3).uniform(-0.5, 0.5, (round(seconds * RATE), 2))
    soundfile.write(path, sound, RATE, subtype)
    if extra:
        whole = path.read_bytes() + extra
        path.write_bytes(whole[:4] + struct.pack("<I", len(whole) - 8) + whole[8:])
    return soundfile.read(path, dtype="int32")[0]


POINTS = [
    Point(Marker.CUE_IN, 10),
    Point(Marker.SWEEPER, 400),
    Point(Marker.SWEEPER, 900),
    Point(Marker.INTRO_END, 5000),
    Point(Marker.SEGUE, 40_000),
    Point(Marker.CUE_OUT, 43_000),
]


@pytest.mark.parametrize("subtype", ["PCM_16", "PCM_24", "FLOAT"])
def test_chunks_that_are_written_are_read_by_libsndfile_and_the_sound_is_the_same(
    tmp_path, subtype
):
    # AES46 (cart chunk) and the RIFF cue and adtl chunks; libsndfile is the independent reader
    path = tmp_path / "song.wav"
    odd = struct.pack("<4sI", b"junk", 3) + b"abc\0"
    before = wave_file(path, subtype=subtype, extra=odd)
    for points in (POINTS, POINTS[2:], POINTS):
        write_points(path, points, Told("Ferryman's Ledger", "Ines Calloway", "1009"))
        assert read_points(path) == (points, RATE)
        cues, timers, title, cut = by_libsndfile(path)
        assert cues["segue"] == 40_000
        assert timers[b"SEGs"] == 40_000
        assert timers[b"AUDe"] == 43_000
        assert timers[b"INTe"] == 5000
        assert (b"AUDs" in timers) == (points is not POINTS[2:] and points == POINTS)
        assert (title, cut) == ("Ferryman's Ledger", "1009")
        assert np.array_equal(soundfile.read(path, dtype="int32")[0], before)
        assert odd in path.read_bytes(), "what is not ours keeps its bytes"
    assert not list(tmp_path.glob(".*")), "nothing is left beside it"


def test_other_peoples_points_and_cart_fields_are_kept(tmp_path):
    path = tmp_path / "song.wav"
    wave_file(path)
    write_points(path, POINTS, Told("Old", "", "7"))
    whole = bytearray(path.read_bytes())
    at = whole.index(b"cart") + 8
    whole[at + 684 : at + 692] = struct.pack("<4sI", b"MRK1", 777)
    whole = whole.replace(b"sweeper\0", b"drop me\0", 1)
    path.write_bytes(whole)
    write_points(path, [Point(Marker.SEGUE, 5)], Told("New", "", "8"))
    cues, timers, title, _ = by_libsndfile(path)
    assert cues == {"segue": 5, "drop me": 400}
    assert timers == {b"MRK1": 777, b"SEGs": 5}
    assert title == "Old", "a cart chunk that was there says what it said"


@examples(60)
@given(st.data())
def test_damaged_waves_are_refused_or_read_and_never_made_worse(tmp_path_factory, data):
    path = tmp_path_factory.mktemp("torn") / "x.wav"
    wave_file(path, 0.05)
    write_points(path, POINTS[:1], Told())
    whole = bytearray(path.read_bytes())
    for _ in range(data.draw(st.integers(0, 4))):
        whole[data.draw(st.integers(0, min(len(whole) - 1, 200)))] = data.draw(st.integers(0, 255))
    torn = bytes(whole[: data.draw(st.integers(0, len(whole)))])
    path.write_bytes(torn)
    try:
        write_points(path, POINTS, Told("x"))
    except (AudioUnreadable, InputFault) as refused:
        assert str(path) in str(refused)
        assert path.read_bytes() == torn, "the file is as it was"
    else:
        assert next(p for p in POINTS if p.marker is Marker.SEGUE) in read_points(path)[0]


def test_a_crash_while_writing_leaves_the_old_file(tmp_path):
    """Killed at any moment: the file is the old one or the new one, never a part."""
    path = tmp_path / "long.wav"
    wave_file(path, 20)
    old = path.read_bytes()
    code = (
        "from pathlib import Path; from nightly_spindle.audio.chunks import *;"
        "from nightly_spindle.core.library.markers import Marker; print('go', flush=True);\n"
        f"write_points(Path({str(path)!r}), [Point(Marker.SEGUE, 5)], Told('x'))"
    )
    seen = set()
    for delay in (0.0, 0.002, 0.005, 0.01, 0.02, 0.5):
        path.write_bytes(old)
        process = subprocess.Popen([sys.executable, "-c", code], stdout=subprocess.PIPE)
        process.stdout.readline()
        time.sleep(delay)
        process.kill()
        process.wait()
        process.stdout.close()
        now = path.read_bytes()
        whole = now == old or read_points(path)[0] == [Point(Marker.SEGUE, 5)]
        assert whole
        seen.add(now == old)
    assert False in seen, "at last it was written"


# -- in the library --------------------------------------------------------------------------------


def cart_of(folder, suffix):
    rows = connect(folder).execute("SELECT cart, path FROM item ORDER BY cart").fetchall()
    return next(row["cart"] for row in rows if row["path"].endswith(suffix))


def test_markers_by_command_in_all_their_ways(station, capsys, tmp_path):
    wav, flac = cart_of(station, "Lamp 1.wav"), cart_of(station, "Lamp 0.flac")
    for cart in (wav, flac):
        status, told, _ = out(
            capsys,
            "markers",
            "set",
            station,
            cart,
            "--segue",
            "4.5",
            "--hook-start",
            "0:01",
            "--hook-end",
            "2.25",
            "--sweeper",
            "3",
            "--sweeper",
            "1.5",
            "--gain-trim-db",
            "-2",
            "--intro-end",
            "none",
        )
        assert (status, told) == (0, "1 items are changed.\n")
    shown = view(capsys, "markers", "show", station, wav)
    at = {row["marker"]: (row["at_s"], row["by"]) for row in shown["markers"]}
    assert at["segue"] == (4.5, "hand")
    assert at["cue-out"][1] == "measured"
    assert shown["shaping"] == {"gain_trim_db": -2.0}
    _, told, _ = out(capsys, "markers", "show", station, wav)
    assert re.search(r"segue point +0:04\.500  set by hand\n", told)

    # refused with a sentence, and nothing is changed
    status, _, told = out(capsys, "markers", "set", station, wav, flac, "--hook-start", "5")
    assert status == 2
    assert "hook start at 0:05.000 would come after the hook end" in told
    assert "changes nothing" in out(capsys, "markers", "set", station, wav)[2]
    assert "no item has the cart number 99" in out(capsys, "markers", "show", station, 99)[2]

    # a sidecar for every format, chunks for WAV
    _, told, _ = out(capsys, "markers", "write", station, wav, flac)
    assert told.count(".cues.json") == 2
    _, told, _ = out(capsys, "markers", "write", station, wav, "--into-file")
    path = Path(told.strip())
    assert by_libsndfile(path)[0]["hook-end"] == round(2.25 * 48_000)
    source = str(path)
    brought = view(capsys, "import", station, source, "--kind", "song")
    assert brought[0]["state"] == "known", "a file that we wrote markers into is no new audio"
    assert "is not a WAV file" in out(capsys, "markers", "write", station, flac, "--into-file")[2]
    out(
        capsys,
        "markers",
        "set",
        station,
        wav,
        flac,
        "--segue",
        "measured",
        "--sweeper",
        "none",
        "--gain-trim-db",
        "0",
    )
    assert view(capsys, "markers", "read", station, wav, flac)["read"] == [flac, wav]
    again = view(capsys, "markers", "show", station, wav)
    assert again["markers"] == shown["markers"]
    sidecar_of(path).unlink()
    out(capsys, "markers", "set", station, wav, "--segue", "measured")
    out(capsys, "markers", "read", station, wav)
    at = {r["marker"]: r["at_s"] for r in view(capsys, "markers", "show", station, wav)["markers"]}
    assert at["segue"] == pytest.approx(4.5, abs=1 / 48_000)

    # the whole library as a table, changed and read back
    table = tmp_path / "cues.csv"
    out(capsys, "markers", "table", station, table)
    rows = list(csv.DictReader(table.read_text(encoding="utf-8").splitlines()))
    assert len(rows) == 9
    assert view(capsys, "markers", "read-table", station, table)["changed"] == []
    for row in rows:
        if row["cart"] == str(flac):
            row["segue_s"], row["talk_over"] = "0:04.000", "no"
        if row["cart"] == str(wav):
            row["hook_end_s"] = "0.5"
    with table.open("w", encoding="utf-8", newline="") as file:
        writer = csv.DictWriter(file, rows[0])
        writer.writeheader()
        writer.writerows([*rows, {"cart": "4711"}])
    read = view(capsys, "markers", "read-table", station, table)
    assert read["changed"] == [flac]
    assert "hook start at 0:01.000 would come after" in read["problems"][0]
    assert "names 4711, which is not in the library" in read["problems"][1]
    assert view(capsys, "markers", "show", station, flac)["talked_over"] is False


def test_other_thresholds_need_no_audio(station, capsys):
    for file in (station / "audio").rglob("*.*"):
        file.write_bytes(b"gone")  # nothing of this may be read
    cart = cart_of(station, "Lamp 1.wav")
    before = {
        row["marker"]: row["at_s"]
        for row in view(capsys, "markers", "show", station, cart)["markers"]
    }
    assert view(capsys, "markers", "anew", station) == {"changed": [], "without_levels": 0}
    with LibraryTransaction(station) as library:
        marking.set_by_hand(library, {cart: (Marks(segue_s=3.0), None)})
    changed = view(capsys, "markers", "anew", station, "--tail-db", "-20")["changed"]
    assert cart in changed
    after = {
        row["marker"]: row["at_s"]
        for row in view(capsys, "markers", "show", station, cart)["markers"]
    }
    assert after["cue-out"] < before["cue-out"] - 0.3, "its end fades over four seconds"
    assert after["segue"] == 3.0, "what is set by hand stays"
    assert read_settings(station).trimming.tail_db == -20
    status, _, told = out(capsys, "markers", "anew", station, "--tail-db", "7")
    assert (status, "must be within -50 and -10 dB" in told) == (2, True)


def test_segue_rules_by_command_reach_the_rehearsal_and_the_book(station, capsys, tmp_path):
    a, b = cart_of(station, "Lamp 1.wav"), cart_of(station, "Lamp 0.flac")
    plain = view(capsys, "segue", "show", station, a, b)
    assert plain["faults"] == []
    assert plain["levels"]["dip_s"] <= 0.5
    out(
        capsys,
        "segue",
        "rule",
        station,
        "--out",
        "song",
        "--into",
        "song",
        "--overlap",
        "gap",
        "--gap-s",
        "1.25",
    )
    rules = view(capsys, "segue", "rules", station)
    assert rules["pairs"] == [
        {"out": "song", "into": "song", "values": {"gap_s": "1.25", "overlap": "gap"}}
    ]
    assert view(capsys, "segue", "show", station, a, b)["overlap_s"] == -1.25
    out(capsys, "segue", "pair", station, a, b, "--start", "0:03.5", "--fade-out-s", "1")
    shown = view(capsys, "segue", "show", station, a, b)
    assert (shown["start_s"], shown["fade_out_s"], shown["overlap_s"]) == (3.5, 1.0, 1.0)
    assert "Set by hand for this join" in shown["why"][0]
    night = view(capsys, "rehearse", station, "--hours", "0.1")
    joins = {row["join"]["overlap_s"] for row in night["entries"] if row["join"]}
    assert -1.25 in joins
    _, told, _ = out(capsys, "segue", "rules", station)
    assert "Song into song: gap s 1.25, overlap gap." in told
    status, _, told = out(capsys, "segue", "rule", station, "--into", "noise", "--gap-s", "1")
    assert (status, "'noise' is not a kind" in told) == (2, True)
    assert out(capsys, "segue", "rule", station, "--clear")[0] == 2

    out(capsys, "markers", "set", station, a, "--cue-in", "0.25", "--untouched", "yes")
    book = tmp_path / "book.json"
    assert out(capsys, "station", "export", station, book)[0] == 0
    other = tmp_path / "other"
    out(capsys, "station", "new", other, "--name", "Else", "--timezone", "Asia/Tokyo")
    assert out(capsys, "station", "apply", other, book)[0] == 0
    out(capsys, "station", "export", other, tmp_path / "again.json")
    assert (tmp_path / "again.json").read_bytes() == book.read_bytes()
    assert Catalogue(other).items([a])[a].marks == Marks(cue_in_s=0.25)
    wrong = json.loads(book.read_text())
    wrong["segue_rules"][0]["values"]["gap_s"] = "99"
    wrong["items"][0]["marks"] = {"loudest_s": 3}
    book.write_text(json.dumps(wrong))
    told = out(capsys, "station", "apply", other, book)[2]
    assert "segue_rules/song into song: setting gap_s is '99'" in told
    assert "marks: there is no marker 'loudest_s'" in told


def test_a_book_of_the_former_format_is_read(station, capsys, tmp_path):
    book = tmp_path / "book.json"
    out(capsys, "station", "export", station, book)
    old = json.loads(book.read_text())
    old["format"] = "nightly-spindle-book-1"
    del old["segue_rules"], old["join_pairs"]
    old["settings"] = {
        "name": "Pier",
        "timezone": "Europe/Lisbon",
        "segue.curve": "linear",
        "segue.target_lufs": "-20.0",
    }
    for item in old["items"]:
        del item["marks"], item["shaping"]
        for name in (
            "fall",
            "sag_s",
            "intro_end_s",
            "sure_cue_in",
            "sure_segue",
            "sure_cue_out",
            "sure_fade_start",
            "sure_intro_end",
        ):
            del item["measure"][name]
    book.write_text(json.dumps(old))
    assert out(capsys, "station", "apply", station, book)[0] == 0
    settings_now = read_settings(station)
    assert settings_now.segue.fade_out_curve == "linear"
    assert settings_now.levels.target_lufs == -20


# -- coming in, and coming up from an older program ------------------------------------------------


def test_files_bring_their_own_markers_and_odd_ones_are_told(tmp_path, station):
    source = tmp_path / "in"
    source.mkdir()
    for name in ("chunks", "beside", "odd"):
        soundfile.write(source / f"{name}.wav", beep(9, 500 + 100 * len(name)), RATE)
    write_points(source / "chunks.wav", [Point(Marker.SEGUE, 7 * RATE)], Told())
    body = {
        "format": "nightly-spindle-cues-1",
        "markers": {"intro-end": {"at_s": 2.5}},
        "shaping": {"talk_over": False},
    }
    sidecar_of(source / "beside.wav").write_text(json.dumps(body))
    body["markers"]["cue-out"] = {"at_s": 99}
    sidecar_of(source / "odd.wav").write_text(json.dumps(body))
    brought = bring_in(station, [Intake([source], IntakeOptions())])
    carts = {Path(one.path).stem: one.cart for one in brought}
    items = Catalogue(station).items(carts.values())
    assert items[carts["chunks"]].marks == Marks(segue_s=7.0)
    assert items[carts["beside"]].marks == Marks(intro_end_s=2.5)
    assert items[carts["beside"]].talked_over is False
    assert items[carts["odd"]].marks == Marks()
    why = next(one.why for one in brought if "odd" in one.path)
    assert "its own markers are left out" in why
    assert "cue out would be at 1:39.000, outside the file" in why


@pytest.mark.slow
def test_migration_0003_keeps_settings_and_the_intake_measures_what_has_no_levels(tmp_path):
    folder = build_station(tmp_path / "st", songs=2)
    cart = cart_of(folder, "Lamp 0.flac")
    was = Catalogue(folder).items([cart])[cart]
    with closing(sqlite3.connect(folder / "station.db")) as db, db:
        # as the former program left it
        db.execute("UPDATE alembic_version SET version_num = '0002'")
        db.execute("DROP INDEX alarm_by_fold")
        for name in ("times", "last_us", "fold"):
            db.execute(f"ALTER TABLE alarm DROP COLUMN {name}")
        sure = [f"sure_{n}" for n in ("cue_in", "intro_end", "segue", "fade_start", "cue_out")]
        for name in ("marks", "shaping", "fall", "intro_end_s", "sag_s", "rise_s", "soft_s", *sure):
            db.execute(f"ALTER TABLE item DROP COLUMN {name}")
        db.execute("ALTER TABLE item_sound DROP COLUMN envelope")
        # what came after it
        db.execute("DROP INDEX item_by_song")
        db.execute("ALTER TABLE item DROP COLUMN song_key")
        for name in ("options", "paths", "meanings", "made_us"):
            db.execute(f"ALTER TABLE log_drop DROP COLUMN {name}")
        for name in ("rule", "options"):
            db.execute(f"ALTER TABLE timed_event DROP COLUMN {name}")
        for name in (
            "overlay_pool",
            "campaign",
            "break_pattern",
            "spot_placed",
            "placing",
            "format_clock",
            "day_plan",
            "week_hour",
            "calendar_day",
            "rotation_rule",
            "made_hour",
            "output",
            "finding_left",
            "alert",
        ):
            db.execute(f"DROP TABLE {name}")
        for name in ("item", "category"):
            db.execute(f"ALTER TABLE {name} DROP COLUMN turn")
        db.execute("DROP INDEX as_run_by_campaign")
        for name in (
            "over",
            "campaign",
            "break_id",
            "break_us",
            "good",
            "file",
            "whole_us",
            "share",
        ):
            db.execute(f"ALTER TABLE as_run DROP COLUMN {name}")
        db.execute("DROP TABLE log_settled")
        db.execute("DROP TABLE log_edit")
        db.execute("DROP TABLE segue_rule")
        db.execute("DROP TABLE join_pair")
        db.execute("DELETE FROM setting WHERE name LIKE 'level.%' OR name LIKE 'segue.%'")
        db.execute("INSERT INTO setting VALUES ('segue.target_lufs', '-19.0')")
        db.execute("INSERT INTO setting VALUES ('segue.trigger_db', '-55.0')")
    found = Catalogue(folder).items([cart])[cart]  # opening migrates
    assert found.measure.cue_out_s == was.measure.cue_out_s
    assert found.measure.fall == ()
    now = read_settings(folder)
    assert (now.levels.target_lufs, now.segue.trigger_db) == (-19.0, -48.0)
    running = Running(folder)
    try:
        wait(lambda: Catalogue(folder).items([cart])[cart].measure.fall != (), running.told)
    finally:
        running.end()
    assert Catalogue(folder).items([cart])[cart].measure == was.measure

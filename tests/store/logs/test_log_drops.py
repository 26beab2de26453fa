"""Log drops end to end: the command line, the engine on air, audio taken in on the way."""

import json
import os
import signal
import sqlite3
import threading
import time
from datetime import date

import pytest
import soundfile
from conftest import RATE, ask, beep, day_slot, song_names, wait, write_log
from test_engine import Air, lines

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.logs.log_edits import LogEdit, Op
from nightly_spindle.core.logs.log_reading import LogFormat, read_log
from nightly_spindle.core.logs.log_writers import COLUMNS
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.segues.segue_rules import ANY, pair_rule
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop, WhenShort
from nightly_spindle.intake.log_files import LogFiles
from nightly_spindle.intake.service import Service
from nightly_spindle.simulators.scheduler import Fault, entries_of, leave_log
from nightly_spindle.store.base import schema
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.logs import log_reader
from nightly_spindle.store.logs.log_reader import LogReader
from nightly_spindle.store.logs.log_source_edits import save_drop, set_edits, settle
from nightly_spindle.store.playout.journal import alarms_between
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.log_boards import LogBoard
from nightly_spindle.store.segues.segues import set_rule

DAY = date(2026, 11, 24)
LONG_AGO = (10**9, 10**9)
FOREVER = 2**62


def out(capsys, *arguments):
    status = main([*map(str, arguments)])
    told = capsys.readouterr()
    return status, told.out, told.err


def view(capsys, *arguments):
    status, text, error = out(capsys, *arguments, "--json")
    assert status in {0, 1}, error
    return json.loads(text)


@pytest.fixture
def hourly(station):
    """The station with a drop for hours beside its day log."""
    (station / "hours").mkdir()
    options = DropOptions(
        period=Period.HOUR,
        loads=Loads.AT_TIME,
        placement=Placement.FRONT,
        entry=Entry.CUT_IN,
        short=WhenShort.ROTATION,
    )
    with LibraryTransaction(station) as library:
        drop = LogDrop(0, "Hours", str(station / "hours"), "%y%m%d_%H.m3u", options, made_us=1)
        save_drop(library, drop)
    return station


def write_hour(folder, name, songs, *, settled=True):
    path = folder / "hours" / name
    path.write_text("\n".join(f"../audio/{song}" for song in songs) + "\n", encoding="utf-8")
    if settled:
        os.utime(path, LONG_AGO)
    return path


def test_migration_0004_finds_songs_by_name_and_leaves_loading_to_the_event(tmp_path, monkeypatch):
    monkeypatch.setattr(schema, "LATEST", "0003")
    schema.migrate(tmp_path / "station.db")
    monkeypatch.undo()
    with sqlite3.connect(tmp_path / "station.db") as old:
        old.execute("INSERT INTO root VALUES (1, 'audio')")
        old.execute("INSERT INTO setting VALUES ('name', 'Pier'), ('timezone', 'UTC')")
        old.execute("INSERT INTO log_drop VALUES (1, 'Day log', 'logs', '%Y-%m-%d.m3u')")
        old.execute(
            "INSERT INTO item (cart, kind, title, artist, root_id, path, name_key, added_us,"
            " duration_s, sample_rate, channels, loudness_range_lu, cue_in_s, cue_out_s, segue_s,"
            " fade_start_s, ending, album, year) VALUES (7, 'song', 'Ébb (live)', 'The Wren', 1,"
            " 'a.flac', 'a.flac', 5, 60, 44100, 2, 4, 1, 59, 55, 50, 'fade', '', '')"
        )
        old.execute(
            "INSERT INTO timed_event VALUES (1, 'Load', '2020-01-01T00:00:00', 'FREQ=DAILY', '',"
            ' \'cut in\', \'[{"step": "load log", "drop": 1, "placement": "replace"}]\', 0, 1, 900)'
        )
    old.close()
    (tmp_path / "logs").mkdir()
    log = tmp_path / "logs" / "2026-11-24.csv"
    log.write_text("artist,title\nwren,EBB\n")
    snapshot = open_station(tmp_path)  # opening migrates
    assert [m.cart for m in snapshot.logs.match(read_log(log), str(log.parent))] == [7]
    programme = snapshot.programme
    assert programme.drops[1].options.loads is Loads.OTHERWISE
    assert [e.name for e in programme.standing_events() if e.acts] == ["Load"]


# -- the command line ------------------------------------------------------------------------------


def test_a_drop_is_made_changed_and_removed_by_command(station, capsys, tmp_path):
    (made,) = view(
        capsys,
        "log",
        "drop",
        station,
        "Nights",
        "--folder",
        tmp_path,
        "--like",
        "Night 24-11-2026 05.csv",
        "--set",
        "period=hour",
        "--set",
        "loads=at its time",
        "--path",
        "M:\\Music=/srv/music",
        "--meaning",
        "SPOTS*=break 2",
    )
    assert made["pattern"] == "Night %d-%m-%Y %H.csv"
    assert made["paths"] == [["M:\\Music", "/srv/music"]]
    assert made["meanings"] == ["“SPOTS*” is a break of 2 spots"]
    assert len(made["tonight"]) == 25
    status, text, _ = out(capsys, "log", "drop", station)
    assert status == 0
    assert "2  Nights: One log an hour in" in text
    for wrong, why in (
        (["--set", "period=month"], "it is one of day, hour, weekday"),
        (["--set", "colour=red"], "the names are enabled, period"),
        (["--pattern", "x.m3u"], "needs the hour"),
        (["--like", "nothing.m3u"], "no date is to be found"),
        (["--meaning", "x=tune"], "is not a valid meaning"),
        (["--path", "M"], "is not like"),
        (["--rename", "Day log"], "there is a log drop “Day log” already"),
    ):
        status, _, error = out(capsys, "log", "drop", station, "Nights", *wrong)
        assert status == 2
        assert why in error
        assert error.count("\n") == 1
    assert view(capsys, "log", "drop", station, "2", "--remove") == {"removed": "Nights"}
    assert out(capsys, "log", "drop", station, "Nights")[0] == 2


def test_expect_says_what_differs_and_what_is_whole(hourly, capsys):
    names = song_names(hourly)
    write_hour(hourly, "261124_00.m3u", names)
    write_hour(hourly, "261124-01.m3u", names)
    (hourly / "hours" / "261124_02.m3u").mkdir()
    write_hour(hourly, "261124_03.m3u", [])
    found = view(capsys, "log", "expect", hourly, "--from", "2026-11-24T00:30", "--days", 1)
    hours = [log for log in found if log["drop"] == "Hours"]
    assert len(hours) == 24
    assert hours[0]["state"] == "read"
    assert hours[0]["matched"] == len(names)
    assert hours[0]["slot_s"] == 3600
    assert hours[1]["differs"] == ["261124-01.m3u (“-” instead of “_”)"]
    assert "it is a folder, not a file" in hours[2]["problem"]
    assert hours[3]["state"] == "empty"


def test_lost_lines_are_proposed_settled_and_exported(station, capsys, tmp_path):
    log = write_log(station, DAY, song_names(station)[:2])
    log.write_text(log.read_text() + "#EXTINF:9,Keper 4 - Lamp 4\nnobody.flac\nSPOTS\n")
    found = view(capsys, "log", "check", station, log, "--drop", 1, "--propose")
    assert (found["matched"], found["missing"]) == (2, 2)
    lost = found["lines"][2]
    assert lost["proposed"][0]["cart"] == 1005
    said = out(capsys, "log", "settle", station, log, "--line", lost["line"], "--cart", 1005)
    assert "means 1005 Keeper 4 - Lamp 4 from now on" in said[1]
    again = view(capsys, "log", "check", station, log)
    assert again["lines"][2]["how"] == "settled by hand before"
    assert out(capsys, "log", "settle", station, log, "--line", 99, "--cart", 1005)[0] == 2
    for suffix in (".m3u8", ".xspf", ".pls", ".csv"):
        target = tmp_path / f"out{suffix}"
        made = view(
            capsys, "log", "export", station, "--drop", 1, "--log", "2026-11-24", "--out", target
        )
        assert made["lines"] == 4
        assert view(capsys, "log", "check", station, target)["matched"] == 3
    assert out(capsys, "log", "export", station, "--drop", 1, "--out", tmp_path / "x.doc")[0] == 2


@pytest.mark.parametrize("form", [f for f in LogFormat if f is not LogFormat.AUTO])
def test_every_format_and_fault_of_the_scheduler_is_read(station, form, tmp_path):
    snapshot = open_station(station)
    carts = [row["cart"] for row in snapshot.connection.execute("SELECT cart FROM item")]
    snapshot.reach(carts)
    items = [snapshot.programme.items[cart] for cart in carts] * 4
    template = COLUMNS if form is LogFormat.COLUMNS else ""
    drop = LogDrop(
        7, "Out", str(tmp_path), "%Y-%m-%d.log", DropOptions(format=form, template=template)
    )
    slot = day_slot(snapshot, drop, DAY)
    entries = entries_of(items, str(tmp_path))

    def read(*faults):
        leave_log(drop, slot, entries, set(faults))
        snapshot.logs.forget()
        return snapshot.logs.refresh(drop, slot)

    assert read().carts == [item.cart for item in items]
    assert read(Fault.TRUNCATED).carts == [item.cart for item in items[: len(items) // 2]]
    assert read(Fault.WINDOWS_PATHS).carts == [item.cart for item in items]
    assert read(Fault.OTHER_CHARSET).carts == [item.cart for item in items]
    lost = read(Fault.MISSING_ITEMS)
    assert len(lost.lost) == len(range(5, len(items), 10))
    half = read(Fault.HALF_WRITTEN)
    assert half.problem or len(half.carts) < len(items)
    (tmp_path / "2026-11-24.log").unlink()
    near = read(Fault.WRONG_NAME)
    assert not near.usable


def test_a_log_that_cannot_be_reached_any_more_airs_as_it_was_read(station):
    log = write_log(station, DAY, song_names(station))
    snapshot = open_station(station)
    drop = snapshot.programme.drops[1]
    slot = day_slot(snapshot, drop, DAY)
    whole = snapshot.logs.refresh(drop, slot)
    hidden = log.parent.rename(station / "gone")
    away = snapshot.logs.refresh(drop, slot)
    assert away.carts == whole.carts
    assert "cannot be read" in away.problem
    assert "what was read before goes on air" in away.problem
    hidden.rename(log.parent)
    log.write_text("\n".join(f"../audio/{n}" for n in [*song_names(station)[1:], "song/new.flac"]))
    os.utime(log, LONG_AGO)
    back = snapshot.logs.refresh(drop, slot)
    assert back.problem == ""
    assert "../audio/song/new.flac" in back.change.came


def test_looking_again_at_a_folder_that_is_as_it_was_costs_one_listing(hourly, monkeypatch):
    snapshot = open_station(hourly)
    drop = snapshot.programme.drops[2]
    begin = day_slot(snapshot, drop, DAY).start_us
    settings = snapshot.programme.settings
    slots = drop.slots(settings.tz, settings.day_start, begin - 1, begin + 47 * 3600 * 10**6)
    write_hour(hourly, "261124_25.m3u", song_names(hourly))
    asked, listed = [], []
    near, listing = log_reader.nearest, LogReader._listing
    monkeypatch.setattr(log_reader, "nearest", lambda *a: asked.append(a) or near(*a))
    monkeypatch.setattr(
        LogReader, "_listing", lambda self, folder: listed.append(folder) or listing(self, folder)
    )
    wanted = [(drop, slot) for slot in slots]
    first = snapshot.logs.look(wanted)
    assert (len(asked), len(listed)) == (len(slots), 1)
    assert snapshot.logs.look(wanted) == first
    assert (len(asked), len(listed)) == (len(slots), 2)
    write_hour(hourly, "261125-01.m3u", [])
    after = snapshot.logs.look(wanted)
    assert after[25].close.name == "261125-01.m3u"


def test_the_board_knows_every_log_and_an_opened_one_its_times(hourly):
    names = song_names(hourly)
    write_log(hourly, DAY, names, missing=1)
    write_hour(hourly, "261124_13.m3u", [*names, *names])
    board = LogBoard(hourly)
    snapshot = open_station(hourly)
    drop = snapshot.programme.drops[2]
    noon = day_slot(snapshot, snapshot.programme.drops[1], DAY).start_us + 12 * 3600 * 10**6
    found = board.board(noon, 2)
    states = {(log.drop.name, log.slot.key): log.state for log in found.logs}
    assert states["Day log", "2026-11-24"] == "with gaps"
    assert states["Day log", "2026-11-25"] == "expected"
    assert states["Day log", "2026-11-23"] == "did not air"
    assert states["Hours", "2026-11-24T12"] == "did not come"
    assert states["Hours", "2026-11-24T13"] == "whole"
    assert states["Hours", "2026-11-24T14"] == "not here yet"
    slot = next(log.slot for log in found.logs if log.slot.key == "2026-11-24T13")
    opened = board.opened(drop.id, slot, noon)
    starts = [line.at_us for line in opened.lines]
    assert starts[0] == slot.start_us
    assert starts == sorted(starts)
    assert opened.lines[len(names)].clash.startswith("same title")
    first, second = (line.match.key for line in opened.lines[:2])
    with LibraryTransaction(hourly) as library:
        edits = [LogEdit(Op.DROP, first), LogEdit(Op.INSERT, "+1", 1009, second)]
        assert set_edits(library, drop.id, slot.key, edits) == []
    again = board.opened(drop.id, slot, noon)
    assert [line.match.status for line in again.lines[:2]] == ["ignored", "matched"]
    assert again.lines[1].item.cart == 1009
    board.close()


def test_the_times_of_an_opened_log_are_those_of_the_rehearsal(hourly, capsys):
    """Pair rules count: each ID has half a second of silence behind it."""
    with LibraryTransaction(hourly) as library:
        set_rule(library, pair_rule("id", ANY, {"overlap": "gap", "gap_s": "0.5"}))
    names = song_names(hourly)
    write_hour(hourly, "261124_13.m3u", [*names, names[-1], *names])
    snapshot = open_station(hourly)
    drop = snapshot.programme.drops[2]
    at = day_slot(snapshot, snapshot.programme.drops[1], DAY).start_us + 13 * 3600 * 10**6
    slot = snapshot.programme.slot(drop, at)
    board = LogBoard(hourly)
    opened = board.opened(drop.id, slot, at - 10**9)
    board.close()
    snapshot.prepare(at, at + 10**9)
    sequencer, begun = take_the_air(snapshot.programme, None, at)
    night = rehearse(snapshot.programme, sequencer, begun, 0.06)
    aired = [row for row in night.sounding() if row.line.origin.file == "261124_13.m3u"]
    planned = [line.at_us for line in opened.lines]
    assert len(aired) == len(planned) == 19
    for row, at_us in zip(aired, planned, strict=True):
        assert abs(row.start * 10**6 / RATE - at_us) < 1000
    after = night.sounding()[19]
    assert abs(after.start * 10**6 / RATE - at - opened.log.duration_s * 10**6) < 600_000
    told = view(capsys, "log", "expect", hourly, "--from", "2026-11-24T13:10", "--days", 1)
    (hour,) = [log for log in told if log["file"].endswith("261124_13.m3u")]
    assert hour["duration_s"] == round(opened.log.duration_s, 3)


# -- audio that a log names and that nobody took in ------------------------------------------------


def test_audio_in_a_root_is_taken_in_on_the_way_if_the_drop_allows_it(station):
    soundfile.write(station / "audio/song/Wren - New One.flac", beep(4, 700), RATE)
    today = date.today()
    write_log(station, today, ["song/Wren - New One.flac"])
    ahead = LogFiles(station)
    assert ahead.work(100.0, 1) == 0, "the drop does not allow it"
    drop = open_station(station).programme.drops[1]
    options = DropOptions(loads=Loads.AT_TIME, take_in=True)
    with LibraryTransaction(station) as library:
        save_drop(library, LogDrop(1, drop.name, drop.folder, drop.pattern, options))
    assert ahead.work(200.0, 2) == 1
    assert ahead.work(300.0, 3) == 0, "it is in the queue already"
    ahead.close()
    service = Service(station)
    thread = threading.Thread(target=service.run)
    thread.start()
    try:
        fresh = open_station(station)
        slot = day_slot(fresh, fresh.programme.drops[1], today)
        taken = fresh.programme.drops[1]
        wait(lambda: fresh.logs.forget() or fresh.logs.refresh(taken, slot).usable)
    finally:
        service.leave()
        thread.join(30)


# -- on air ----------------------------------------------------------------------------------------


@pytest.fixture
def air(hourly):
    running = []

    def start(*options):
        running.append(Air(hourly, *options))
        return running[-1]

    yield start
    for one in running:
        one.end()


def told(folder, title):
    return [line for line in lines(folder) if line.title == f"Log {title}"]


@pytest.mark.slow
@pytest.mark.engine
def test_a_log_that_comes_late_or_is_half_written_loads_when_it_is_there(hourly, air):
    names = song_names(hourly)
    # the hour before fills the time; the next is half there, and grows
    write_hour(hourly, "261124_12.m3u", names * 60)
    half = write_hour(hourly, "261124_13.m3u", names[:2], settled=False)
    air("--pace", "4", "--clock", "2026-11-24T12:59:30", "--cold").wait_on_air()
    end = time.monotonic() + 60
    while not told(hourly, "261124_13.m3u") and time.monotonic() < end:
        half.write_text(half.read_text() + f"../audio/{names[0]}\n")
        time.sleep(0.3)
    write_hour(hourly, "261124_13.m3u", names * 60, settled=False)
    first, *_ = told(hourly, "261124_13.m3u")
    assert (first.outcome, first.note) == ("missing", "261124_13.m3u is still being written")
    wait(lambda: told(hourly, "261124_13.m3u")[1:])
    loaded = told(hourly, "261124_13.m3u")[1]
    assert loaded.outcome == "loaded"
    assert "from line" in loaded.note
    codes = [alarm.code for alarm in alarms_between(connect(hourly), 0, FOREVER)]
    assert {"log-not-loaded", "log-late"} <= set(codes)
    state = wait(lambda: ask(hourly, "state"))["state"]
    assert state["logs"]["awaited"] == []


@pytest.mark.slow
@pytest.mark.engine
def test_a_restart_in_an_hours_log_comes_back_in_the_right_line(hourly, air):
    names = song_names(hourly)
    write_hour(hourly, "261124_12.m3u", names * 60)
    first = air("--pace", "2", "--clock", "2026-11-24T12:20", "--cold", "--no-supervisor")
    before = first.wait_on_air()
    assert before["state"]["order"]["playing"]["line"]["origin"]["file"] == "261124_12.m3u"
    assert before["state"]["order"]["playing"]["line"]["origin"]["line"] > 50
    wait(lambda: connect(hourly).execute("SELECT 1 FROM air_state").fetchone())
    os.kill(first.process.pid, signal.SIGKILL)
    first.process.wait()
    seen = connect(hourly).execute("SELECT seen_us FROM air_state").fetchone()[0]
    away = 25
    at = time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(seen // 10**6 + away))
    back = air("--clock", at, "--no-supervisor").wait_on_air(other_than=before["pid"])
    playing = back["state"]["order"]["playing"]
    # as if it had never been away: the rehearsal of the whole hour knows what sounds then
    snapshot = open_station(hourly)
    begin = before["state"]["order"]["playing"]["start"] * 10**6 // RATE
    snapshot.prepare(begin, begin + 10**9)
    sequencer, begun = take_the_air(snapshot.programme, None, begin)
    night = rehearse(snapshot.programme, sequencer, begun, 0.1)
    here = [row for row in night.sounding() if row.start <= playing["start"]][-1]
    assert playing["line"]["origin"]["file"] == "261124_12.m3u"
    assert playing["line"]["origin"]["line"] in {here.line.origin.line, here.line.origin.line + 1}


@pytest.mark.slow
@pytest.mark.engine
def test_loading_by_hand_now_and_later_and_the_evenings_look(hourly, air, capsys, tmp_path):
    names = song_names(hourly)
    write_hour(hourly, "261124_17.m3u", names * 60)
    other = tmp_path / "special.m3u"
    other.write_text("\n".join(str(hourly / "audio" / n) for n in names[:3]))
    air("--pace", "2", "--clock", "2026-11-24T17:59:40", "--cold").wait_on_air()
    answer = view(capsys, "log", "load", hourly, "--drop", "Hours", "--file", other)
    assert (answer["matched"], answer["lost"]) == (3, 0)
    wait(lambda: told(hourly, "special.m3u"))
    state = ask(hourly, "state")["state"]
    sounding = [state["order"]["playing"]["line"]] if state["order"]["playing"] else []
    files = [line["origin"]["file"] for line in [*sounding, *state["order"]["upcoming"]]]
    assert "special.m3u" in files[:2], "after the item on air, or on air already"
    later = view(
        capsys,
        "log",
        "load",
        hourly,
        "--file",
        other,
        "--at",
        "2026-11-24T23:00",
        "--placement",
        "end",
    )
    assert later["at"].startswith("2026-11-24T23:00:00")
    assert [o["at_us"] for o in ask(hourly, "state")["state"]["logs"]["orders"]] == [later["at_us"]]
    (listed,) = view(capsys, "log", "load", hourly, "--later")
    assert listed["order"] == later["order"]
    assert view(capsys, "log", "load", hourly, "--forget", later["order"])[0]["forgotten"]
    assert view(capsys, "log", "load", hourly, "--later") == []
    assert out(capsys, "log", "load", hourly, "--forget", later["order"])[0] == 1
    status, _, error = out(capsys, "log", "load", hourly, "--file", tmp_path / "none.m3u")
    assert status == 1
    assert "none.m3u is not in" in error
    # at 18:00 tomorrow's logs should be there
    wait(
        lambda: [
            a
            for a in alarms_between(connect(hourly), 0, FOREVER)
            if a.code == "log-not-here" and "261125_00.m3u is not in" in a.text
        ]
    )


def test_settling_what_says_nothing_is_refused(station):
    with LibraryTransaction(station) as library, pytest.raises(InputFault):
        settle(library, {"": 1001})

"""Taking the air with as little as there can be, and writing down with as little."""

import os
import random
import sqlite3
import threading
import time
from pathlib import Path

import pytest
from conftest import RATE, make_item

from nightly_spindle.air.journal_writer import JournalWriter
from nightly_spindle.air.places import AirLock, engine_pid, was_told_to_leave
from nightly_spindle.air.readahead import Buffered
from nightly_spindle.air.station_watcher import Newest, Opened, newest
from nightly_spindle.core.base.errors import AlreadyOnAir
from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.running_order import Line, Origin, Play
from nightly_spindle.core.programme.running_order import LineSource as From
from nightly_spindle.core.programme.sequencer_actions import StartVoice
from nightly_spindle.core.reports.as_run import Alarm, AsRun, fold_of
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.messages import last_messages
from nightly_spindle.store.base.patience import Hangs, Patience
from nightly_spindle.store.base.roots import look_at_files, root_of
from nightly_spindle.store.playout.journal import Journal, alarms_between, as_run_between, last_seen
from nightly_spindle.store.playout.side_file import SIDE_FILE, SideFile
from nightly_spindle.store.playout.state_coding import encode_state
from nightly_spindle.store.playout.state_file import STATE_FILE, Kept, StateFile, pack, read_kept
from nightly_spindle.store.programme.snapshot import open_station

FOREVER = 2**62


def state(frame=1, lines=3):
    made = new_state(RATE, frame, 7)
    made.revision = frame
    made.order.upcoming = [Line(n, 1000 + n, Origin(From.LOG, "a.m3u", n)) for n in range(lines)]
    return made


def line(n, outcome="on air", start=None):
    start = n if start is None else start
    return AsRun(f"s/play/{n}", start, start + 5, n, "song", f"T{n}", "A", "o", "w", outcome, "")


# -- the state file ----------------------------------------------------------------------------


def test_the_state_file_gives_back_what_was_kept_last(tmp_path):
    file = StateFile(tmp_path)
    items = [make_item(1), make_item(2)]
    for frame in range(1, 6):
        body = pack({"name": "Pier"}, encode_state(state(frame, frame)), items, [2, 1])
        file.write(body, frame * 10)
    file.sign(99, left=True)
    kept = read_kept(tmp_path)
    assert kept.state == state(5, 5)
    assert kept.items == items
    assert (kept.pool, kept.seen_us, kept.left) == ([2, 1], 99, True)
    file.close()
    again = StateFile(tmp_path)
    again.write(pack({}, encode_state(state(6)), [], []), 100)
    again.close()
    assert read_kept(tmp_path).state.clock.frame == 6


def test_a_state_file_that_was_cut_off_while_written_gives_the_one_before(tmp_path):
    dice = random.Random(11)
    for _ in range(40):
        file = StateFile(tmp_path)
        file.write(pack({}, encode_state(state(1)), [], []), 1)
        file.write(pack({}, encode_state(state(2)), [], []), 2)
        file.close()
        data = bytearray(file.path.read_bytes())
        # a kill in the middle of the third: it goes into the first's slot
        at = 4096 + dice.randrange(300)
        wide = dice.randrange(1, 200)
        data[at : at + wide] = os.urandom(wide)
        file.path.write_bytes(data)
        assert read_kept(tmp_path).state.clock.frame in {1, 2}
        file.path.unlink()


def test_a_state_that_outgrows_its_room_finds_more(tmp_path):
    file = StateFile(tmp_path)
    for lines in (3, 5000, 12_000):
        file.write(pack({}, encode_state(state(lines, lines)), [], []), lines)
        assert len(read_kept(tmp_path).state.order.upcoming) == lines
    file.close()


@pytest.mark.parametrize("garbage", [b"", b"x", b"\0" * 9000, os.urandom(9000)])
def test_garbage_is_no_state(tmp_path, garbage):
    (tmp_path / "air-state").write_bytes(garbage)
    assert read_kept(tmp_path) is None


# -- the journal -------------------------------------------------------------------------------


def test_whatever_happens_to_the_database_nothing_is_lost_or_doubled(station):
    journal = Journal(station)
    kept = station / "kept.db"
    written = 0

    def write(expected):
        nonlocal written
        written += 1
        took = journal.write([line(written)], [], None, written)
        assert expected is None or took is expected, journal.problem

    write(True)
    with sqlite3.connect(station / "station.db") as source, sqlite3.connect(kept) as target:
        source.backup(target)
    source.close()
    target.close()
    (station / "station.db").write_bytes(os.urandom(200_000))  # damaged
    write(None)  # SQLite may not notice at once
    (station / "station.db").unlink()  # deleted
    write(False)
    (station / "station.db").mkdir()  # something else in its place
    write(False)
    (station / "station.db").rmdir()
    for name in ("station.db-wal", "station.db-shm"):
        (station / name).unlink(missing_ok=True)
    kept.rename(station / "station.db")  # and a backup put back
    write(True)
    assert journal.waiting == 0
    carts = [one.cart for one in as_run_between(connect(station), 0, FOREVER)]
    assert carts == [1, 2, 3, 4, 5]
    journal.close()


def test_rows_of_an_earlier_run_are_closed_with_it(station):
    first = Journal(station)
    lock = sqlite3.connect(station / "station.db", isolation_level=None)
    lock.execute("BEGIN IMMEDIATE")
    assert not first.write([line(1, start=100)], [], None, 103)
    first.close()  # killed: the row waits in the side file
    lock.close()
    second = Journal(station)
    second.close_open(103)
    assert second.write([line(2, start=110)], [], None, 111)
    rows = as_run_between(connect(station), 0, FOREVER)
    assert [(one.cart, one.outcome, one.end_us) for one in rows] == [
        (1, "interrupted", 103),
        (2, "on air", 115),
    ]
    second.close()


def test_a_row_of_the_side_file_that_was_cut_off_does_no_harm(tmp_path):
    side = SideFile(tmp_path, 1 << 14)
    side.append([b'{"a": 1}', b'{"b": 2}'])
    side.close()
    with (tmp_path / SIDE_FILE).open("r+b") as file:
        file.seek(18)
        file.write(b'{"cut')
    again = SideFile(tmp_path, 1 << 14)
    assert again.open() == [b'{"a": 1}', b'{"b": 2}']
    again.append([b"{}"])
    again.close()
    last = SideFile(tmp_path, 1 << 14)
    assert last.open() == [b'{"a": 1}', b'{"b": 2}', b"{}"]
    last.clear()
    assert (tmp_path / SIDE_FILE).read_bytes() == bytes(1 << 14)
    last.close()


def test_forty_equal_alarms_are_one_with_a_count(station):
    journal = Journal(station)
    many = [
        Alarm(
            f"k{n}",
            n,
            "dead-air",
            "alarm",
            f"Dead air at 03:{n:02}: “Song 7” is silent.",
            "Listen.",
        )
        for n in range(40)
    ]
    other = Alarm("x", 50, "dead-air", "alarm", "Dead air at 03:50: “Song 8”.", "Listen.")
    assert journal.write([], [*many[:20], other], None, 1)
    assert journal.write([], many[10:], None, 2), "what is written again does not count again"
    told = {one.text: one for one in alarms_between(connect(station), 0, FOREVER)}
    assert len(told) == 2
    assert told[many[0].text].times == 40
    assert told[many[0].text].last_us == 39
    assert fold_of("a", "At 03:12 “B 52” fell") == fold_of("a", "At 4:1 “B 52” fell")
    assert fold_of("a", "“B 52”") != fold_of("a", "“B 53”")
    journal.close()


def test_the_writer_survives_and_tells(station):
    snapshot = open_station(station)
    writer = JournalWriter(station, snapshot.programme)
    lock = sqlite3.connect(station / "station.db", isolation_level=None)
    writer.start(1_000_000, 400_000)
    writer.note([], state(), 1_000_000)
    time.sleep(0.6)
    lock.execute("BEGIN IMMEDIATE")
    found = Finding("x", Severity.ALARM, 2, "Something.", "Mend it.")
    writer.note([found], state(2), 1_500_000)
    end = time.monotonic() + 15
    while not writer.problem and time.monotonic() < end:
        time.sleep(0.05)
    assert "locked" in writer.problem
    assert read_kept(station).state.clock.frame == 2, (
        "the state file does not wait for the database"
    )
    lock.close()
    while writer.problem and time.monotonic() < end:
        writer.note([], state(3), 2_000_000)
        time.sleep(0.1)
    writer.stop()
    connection = connect(station)
    codes = [alarm.code for alarm in alarms_between(connection, 0, FOREVER)]
    assert "x" in codes
    assert "records-wait" in codes
    gaps = [one for one in as_run_between(connection, 0, FOREVER) if one.title == "Off air"]
    assert [(gap.start_us, gap.end_us) for gap in gaps] == [(400_000, 1_000_000)]
    assert last_seen(connection) >= 1_500_000
    assert read_kept(station).left
    connection.close()
    snapshot.connection.close()


@pytest.mark.parametrize(
    ("left", "off_us", "told"),
    [
        (False, 40_000, ["engine-restarted"]),
        (False, 2_000_000, ["engine-restarted"]),
        (True, 40_000, []),
        (True, 2_000_000, ["engine-started"]),
    ],
)
def test_an_engine_that_did_not_take_leave_is_told_however_soon_another_was_there(
    station, left, off_us, told
):
    snapshot = open_station(station)
    writer = JournalWriter(station, snapshot.programme)
    writer.start(5_000_000, 5_000_000 - off_us, left=left)
    writer.stop()
    assert [one.code for one in alarms_between(snapshot.connection, 0, FOREVER)] == told
    snapshot.connection.close()


# -- waiting for nobody ------------------------------------------------------------------------


def test_a_folder_that_hangs_is_waited_for_once(tmp_path):
    patience = Patience(0.1)
    hang = threading.Event()
    with pytest.raises(Hangs, match="has not answered"):
        patience.ask("/share", hang.wait)
    begun = time.monotonic()
    with pytest.raises(Hangs):
        patience.ask("/share", lambda: 1)
    assert time.monotonic() - begun < 0.05, "it is not asked again"
    assert patience.ask("/other", lambda: 2) == 2
    assert list(patience.hanging()) == ["/share"]
    hang.set()
    time.sleep(0.1)
    assert patience.ask("/share", lambda: 3) == 3
    assert not patience.hanging()
    with pytest.raises(FileNotFoundError):
        patience.ask("/gone", (tmp_path / "gone").stat)


def test_files_are_looked_at_folder_by_folder(station):
    snapshot = open_station(station)
    items = list(snapshot.programme.items.values())
    found = look_at_files(Patience(), snapshot.programme.roots, items, 5, {})
    assert found.there == set(snapshot.programme.items)
    song = next(item for item in items if item.kind == "song")
    root = root_of(song.path, snapshot.programme.roots)
    Path(root).rename(f"{root}-gone")
    gone = look_at_files(Patience(), snapshot.programme.roots, items, 6, {})
    assert list(gone.away) == [root]
    assert gone.away[root].since_us == 6
    again = look_at_files(Patience(), snapshot.programme.roots, items, 9, gone.away)
    assert again.away[root].since_us == 6, "since it went, not since it was looked at"
    snapshot.connection.close()


def test_a_state_file_that_cannot_be_written_is_told_once(station):
    snapshot = open_station(station)
    (station / STATE_FILE).mkdir()
    writer = JournalWriter(station, snapshot.programme)
    writer.start(1_000_000, None)
    end = time.monotonic() + 2.5
    frame = 1
    while time.monotonic() < end:  # about ten rounds
        frame += 1
        writer.note([], state(frame), 1_000_000 + frame * 300_000)
        time.sleep(0.1)
    assert "the state file cannot be written (Is a directory)" in writer.problem
    (station / STATE_FILE).rmdir()
    while writer.problem and time.monotonic() < end + 10:
        writer.note([], state(frame := frame + 1), 1_000_000 + frame * 300_000)
        time.sleep(0.1)
    assert not writer.problem
    writer.stop()
    assert read_kept(station).state.clock.frame == frame
    codes = [alarm.code for alarm in alarms_between(snapshot.connection, 0, FOREVER)]
    assert codes.count("records-wait") == 1
    snapshot.connection.close()


@pytest.mark.parametrize(
    ("kept", "opened", "expected"),
    [
        (None, None, (None, None, False)),
        ((1, 5_000_000, True), None, (1, 5_000_000, True)),
        (None, (2, 5_000_000), (2, 5_000_000, False)),
        (None, (None, None), (None, None, False)),
        # written in one round, the one a moment after the other: the file's state and goodbye count
        ((1, 5_000_000, True), (2, 5_900_000), (1, 5_900_000, True)),
        ((1, 5_000_000, True), (2, 4_000_000), (1, 5_000_000, True)),
        # an older file, from a backup or a copy: what the database knows is later
        ((1, 5_000_000, True), (2, 9_000_000), (2, 9_000_000, False)),
        ((None, 5_000_000, True), (2, 5_000_000), (2, 5_000_000, True)),
    ],
)
def test_an_engine_goes_on_from_what_is_newest(kept, opened, expected):
    def some(number):
        return None if number is None else state(number)

    made = kept and Kept({}, some(kept[0]), [], [], kept[1], kept[2])
    read = opened and Opened(None, some(opened[0]), opened[1])
    assert newest(made, read) == Newest(some(expected[0]), *expected[1:])


def test_one_source_that_hangs_delays_no_other(monkeypatch, tmp_path):
    from nightly_spindle.air import readahead

    hang = threading.Event()

    class Source:
        problem = ""

        def __init__(self, stuck):
            self.stuck = stuck

        def read_into(self, out):
            if self.stuck:
                hang.wait()
            out[:] = 0.5
            return len(out)

        def close(self): ...

    monkeypatch.setattr(readahead, "file_source", lambda o, _r: Source(o.play.item.cart == 1))
    monkeypatch.setattr(readahead, "_STUCK_S", 0.3)
    ahead = readahead.ReadAhead(RATE)

    def order(cart):
        play = Play(cart, Line(cart, cart, Origin(From.LOG)), make_item(cart), 0, 0)
        return StartVoice(play, 100 * RATE, 0.0, 0, None)

    orders = [order(1), order(2)]
    ahead.want(orders)
    end = time.monotonic() + 5
    while not ahead.ready(orders[1], 5.0) and time.monotonic() < end:
        time.sleep(0.01)
    assert ahead.ready(orders[1], 5.0)
    while not ahead.hanging() and time.monotonic() < end:
        time.sleep(0.01)
    (stuck,) = ahead.hanging()
    assert isinstance(stuck, Buffered)
    stuck.give_up("its folder is away")
    assert ahead.breaks()[0][1:] == (0, "its folder is away")
    ahead.stop()
    hang.set()


def test_messages_of_all_processes_come_by_time(tmp_path):
    folder = tmp_path / "messages"
    folder.mkdir()
    (folder / "engine.log").write_text(
        "2026-11-29T22:00:01.000+00:00 WARNING engine: one\n"
        "Traceback\n  of it\n2026-11-29T22:00:03.000+00:00 INFO engine: three\n"
    )
    (folder / "intake.log").write_text("2026-11-29T22:00:02.000+00:00 INFO intake: two\n")
    said = last_messages(tmp_path, 10)
    assert [text.split()[-1] for text in said] == ["one", "Traceback", "it", "two", "three"]
    assert last_messages(tmp_path, 2) == said[-2:]
    assert last_messages(tmp_path / "none", 5) == []


def test_a_watched_folder_that_hangs_holds_up_no_other(station, tmp_path, monkeypatch, caplog):
    from nightly_spindle.core.library.intake import IntakeJob
    from nightly_spindle.intake import service as module
    from nightly_spindle.intake.watch import Watch
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import arrivals
    from nightly_spindle.store.library.intake_jobs import intake_jobs, save_job
    from nightly_spindle.store.library.intake_reading import Seen

    hang, asked = threading.Event(), []
    service = module.Service(station)
    service._patience = Patience(0.1)
    monkeypatch.setattr(module, "_TOLD_AFTER_S", 0.2)
    with LibraryTransaction(station) as library:
        for number in (1, 2):
            (tmp_path / f"{number}").mkdir()
            save_job(library, IntakeJob(0, f"job {number}", str(tmp_path / f"{number}")))
    with LibraryTransaction(station) as library:
        service._watches = {job.id: Watch(job, {}) for job in intake_jobs(library)}
    first = next(watch for watch in service._watches.values() if watch.job.name == "job 1")

    def look(self, now):
        asked.append(self.job.name)
        if self.job.name == "job 1":
            hang.wait(20)
        return [Seen(f"{self.job.folder}/{len(asked)}.wav", 5, 5)], []

    monkeypatch.setattr(Watch, "look", look)
    for _ in range(4):
        service._watch(0.0)
        time.sleep(0.1)
    assert asked.count("job 1") == 1, "it is not asked again while it hangs"
    assert asked.count("job 2") == 4
    assert "has not answered" in first.problem
    assert "1 has not answered" in caplog.text
    hang.set()
    time.sleep(0.2)
    service._watch(0.0)
    with LibraryTransaction(station) as library:
        waiting = [one.path for one in arrivals.queued(library, 100)]
    assert sum(f"{tmp_path}/1/" in path for path in waiting) == 2, "what it found late counts"
    assert sum(f"{tmp_path}/2/" in path for path in waiting) == 5


def test_a_file_that_hangs_holds_up_the_queue_for_a_while_only(station, tmp_path, caplog):
    """Its folder is left in peace and tried again; what lies elsewhere is taken in meanwhile."""
    from concurrent.futures import Future

    from nightly_spindle.core.library.intake import IntakeOptions
    from nightly_spindle.intake.service import Service
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import arrivals
    from nightly_spindle.store.library.intake_reading import Seen

    sent: list[str] = []

    class Workers:
        def submit(self, _look, task):
            sent.append(task.path)
            answer = Future()
            if "/dead/" not in task.path:
                answer.set_result(f"{task.path} is no audio")
            return answer

        def shutdown(self, **_):
            sent.append("let go")

    names = [f"{tmp_path}/dead/{n}.wav" for n in range(3)]
    names += [f"{tmp_path}/fine/{n}.wav" for n in range(20)]
    with LibraryTransaction(station) as library:
        arrivals.queue(library, [Seen(name, 5_000_000, 5) for name in names], IntakeOptions(), None)
    service = Service(station)
    service._seen_change = 1 << 40  # nothing to be measured again

    def work(now):
        service._pool = service._pool or Workers()
        service._work(now)
        with LibraryTransaction(station) as library:
            return arrivals.queued(library, 100)

    for now in range(60):
        work(float(now))
    assert len(sent) == 8, "what is not read yet is waited for"
    left = work(70.0)
    assert "could not be read within 65 s" in left[0].why
    assert "could not be read within 65 s" in caplog.text
    assert sent[-1] == "let go"
    for now in range(71, 80):
        left = work(float(now))
    assert [one.path for one in left] == names[:3], "the others are done with, these wait"
    tried = len(sent)
    work(75.0 + 300.0)
    assert sent[tried:] == names[:3], "and are tried again"


def test_where_no_lock_can_be_made_it_lies_beside_the_socket(caplog):
    folder = Path("/proc/self")  # nobody can make a file there
    lock = AirLock(folder)
    lock.take()
    assert "the lock is" in caplog.text
    assert engine_pid(folder) == os.getpid()
    with pytest.raises(AlreadyOnAir, match=f"engine process {os.getpid()}"):
        AirLock(folder).take()
    lock.release(left=True)
    assert engine_pid(folder) is None
    assert was_told_to_leave(folder)

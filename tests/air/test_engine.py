"""The air engine as the process it is: started, killed, looked at from outside."""

import itertools
import json
import os
import random
import re
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from datetime import date
from pathlib import Path

import msgspec
import numpy as np
import pytest
import soundfile
from conftest import PATIENCE_S, RATE, ask, song_names, wait, write_log

from nightly_spindle.air.places import engine_pid, socket_path
from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import EnvironmentFault, NotOnAir
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import TONE_CART, Kind
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.programme.running_order import LineSource
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.messages import last_messages
from nightly_spindle.store.library.catalogue import Catalogue
from nightly_spindle.store.playout.journal import alarms_between, as_run_between

pytestmark = pytest.mark.engine
DAY = date(2026, 11, 24)
FOREVER = 2**62


class Air:
    """An engine process; its output is shown when a test fails."""

    def __init__(self, folder, *options, program=("-m", "nightly_spindle")):
        self.folder = folder
        command = [sys.executable, *program, "air", str(folder), *options]
        self.log = (folder / "test.log").open("a+", encoding="utf-8")
        self.process = subprocess.Popen(command, stdout=self.log, stderr=self.log)

    def wait_on_air(self, other_than=None, whole=True):
        """Wait until the engine plays: by its station, else (`whole` false) by what it kept."""

        def ready():
            answer = self.state(other_than)
            return answer if answer and (answer["sight"]["whole"] or not whole) else None

        return wait(ready, self.told)

    def state(self, other_than=None):
        try:
            answer = ask(self.folder, "state")
        except NotOnAir:
            return None
        if (
            answer["pid"] == other_than
            or not answer["sight"]
            or not answer["state"]["order"]["playing"]
        ):
            return None
        return answer

    def told(self):
        return (self.folder / "test.log").read_text(encoding="utf-8")

    def end(self):
        if self.log.closed:
            return self.process.returncode
        if self.process.poll() is None:
            self.process.terminate()
        try:
            self.process.wait(PATIENCE_S)
        finally:
            self.process.kill()
            self.log.close()
            print(self.told())
        return self.process.returncode


@pytest.fixture
def air(station):
    running = []

    def start(*options):
        running.append(Air(station, *options))
        return running[-1]

    yield start
    for one in running:
        one.end()


def lines(folder):
    return as_run_between(connect(folder), 0, FOREVER)


def test_a_live_midnight_load_is_what_was_rehearsed(station, air, tmp_path):
    write_log(station, DAY, song_names(station), missing=1)
    at = "2026-11-23T23:59:20"
    told = subprocess.run(
        [
            sys.executable,
            "-m",
            "nightly_spindle",
            "rehearse",
            str(station),
            "--from",
            at,
            "--hours",
            "0.03",
            "--json",
        ],
        capture_output=True,
        text=True,
        check=True,
    ).stdout
    night = [e for e in json.loads(told)["entries"] if e["kind"]]
    capture = tmp_path / "heard.flac"
    engine = air("--pace", "8", "--clock", at, "--seconds", "95", "--capture", str(capture))
    assert engine.process.wait(150) == 0, engine.told()
    sounded = [line for line in lines(station) if line.kind]
    expected = [(e["start"], e["cart"]) for e in night]
    tz = "+00:00"
    got = [
        (
            time.strftime("%Y-%m-%dT%H:%M:%S", time.gmtime(line.start_us // 10**6))
            + f".{line.start_us % 10**6:06}{tz}",
            line.cart,
        )
        for line in sounded
    ]
    assert got == expected[: len(got)]
    assert len(got) >= 8
    assert any(line.outcome == "missing" for line in lines(station))
    # what was heard: every song starts within one block of where the rehearsal has it
    heard, _ = soundfile.read(capture, dtype="float32")
    begin = night[0]["start_frame"]
    checked = 0
    for entry in night:
        at_frame = entry["start_frame"] - begin
        if entry["kind"] != "song" or entry["from_s"] or at_frame + 4096 > len(heard):
            continue
        hz = 300 + 90 * int(entry["title"].split()[-1])
        window = heard[max(0, at_frame - 6000) : at_frame + 6000, 0]
        tone = np.exp(-2j * np.pi * hz * np.arange(len(window)) / RATE)
        level = np.abs(np.convolve(window * tone, np.ones(500) / 500, "valid"))
        rise = int(np.argmax(level > level[-1000:].mean() / 2)) + 250
        assert abs(rise - min(at_frame, 6000)) < 2048, entry["title"]
        checked += 1
    assert checked >= 6


def test_a_missing_log_is_survived_with_a_clear_alarm(station, air):
    (station / "logs" / "2026-11-4.m3u").write_text("x\n")
    engine = air("--pace", "20", "--clock", "2026-11-23T23:59:30", "--seconds", "60")
    assert engine.process.wait(150) == 0, engine.told()
    alarms = {a.code: a for a in alarms_between(connect(station), 0, FOREVER)}
    text = alarms["log-missing"].text
    assert "At 00:00:00" in text
    assert "2026-11-24.m3u is not in" in text
    assert "2026-11-4.m3u" in text, "the nearest name"
    origins = {line.origin for line in lines(station) if line.kind}
    assert origins == {"safety net: rotation"}


def test_silence_and_a_file_that_breaks_off_are_left_for_the_next_line(station, air):
    names = song_names(station)
    soundfile.write(station / "audio/song/mute.wav", np.zeros((RATE * 40, 2)), RATE)
    bring_in(station, [Intake([station / "audio/song/mute.wav"], IntakeOptions(Kind.PROMO))])
    write_log(station, DAY, [names[0], "song/mute.wav", names[6], *names[1:]])
    torn = station / "audio" / names[6]
    whole = torn.read_bytes()
    torn.write_bytes(whole[: len(whole) // 2])  # damaged after it was measured
    engine = air("--pace", "10", "--clock", "2026-11-23T23:59:50", "--seconds", "60")
    assert engine.process.wait(150) == 0, engine.told()
    alarms = {a.code: a for a in alarms_between(connect(station), 0, FOREVER)}
    assert "Dead air: “mute” is silent" in alarms["dead-air"].text
    assert "“Lamp 6” breaks off after" in alarms["item-died"].text
    sounded = [line for line in lines(station) if line.kind]
    mute = next(line for line in sounded if line.title == "mute")
    assert (mute.outcome, mute.note) == ("skipped", "dead air")
    assert mute.end_us - mute.start_us < 6_000_000
    died = next(line for line in sounded if line.title == "Lamp 6")
    assert died.end_us - died.start_us < 9_000_000, "it was 12 s long"
    for one, other in itertools.pairwise(sounded):
        assert other.start_us <= one.end_us, "no gap"


def test_a_log_that_comes_late_or_changes_is_seen(station, air):
    engine = air("--pace", "8", "--clock", "2026-11-23T23:58:40")
    engine.wait_on_air()
    write_log(station, DAY, song_names(station))
    wait(
        lambda: [r for r in lines(station) if r.origin.startswith("2026-11-24.m3u")],
        engine.told,
    )


@pytest.mark.parametrize("kills", [int(os.environ.get("KILLS", "3"))])
def test_a_killed_engine_is_back_in_its_place_and_says_so(station, air, kills):
    """KILLS=20 BACK_WITHIN=3 for the long form; a busy machine must not fail the short one."""
    limit = float(os.environ.get("BACK_WITHIN", "30"))
    write_log(station, date.today(), song_names(station) * 900)
    write_log(station, date.fromordinal(date.today().toordinal() + 1), song_names(station) * 9)
    with connect(station) as connection:
        connection.execute("UPDATE setting SET value = '1.0' WHERE name = 'rejoin_s'")
    dice = random.Random(4)
    engine = air()
    engine.wait_on_air()
    for _ in range(kills):
        time.sleep(dice.uniform(1.2, 3.5))
        before = ask(station, "state")
        pid = before["pid"]
        assert pid == engine_pid(station)
        killed = time.monotonic()
        os.kill(pid, signal.SIGKILL)
        after = engine.wait_on_air(other_than=pid)
        assert time.monotonic() - killed < limit
        expect_place(before, after)
    assert engine.end() == 0
    gaps = [line for line in lines(station) if line.title == "Off air"]
    assert len(gaps) == kills
    assert all(0 < gap.end_us - gap.start_us < (limit + 1) * 1_000_000 for gap in gaps)
    cut_off = [line for line in lines(station) if line.outcome == "interrupted"]
    # the engine can die in the instant between two plays
    assert kills - 1 <= len(cut_off) <= kills + 1
    # no line older than a second is lost: sounding lines and gaps leave no hole
    told = [r for r in lines(station) if r.kind or r.title == "Off air"]
    for one, other in zip(told, told[1:], strict=False):
        assert other.start_us - max(r.end_us for r in told[: told.index(one) + 1]) < 1_000_000


def expect_place(before, after):
    """The item on air must be the one, at the place, that the state before leads to."""
    from nightly_spindle.core.playout.air_start import take_the_air
    from nightly_spindle.store.programme.snapshot import open_station

    folder = Path(after["state"]["order"]["playing"]["item"]["path"]).parent.parent.parent
    snapshot = open_station(folder)
    state = msgspec.convert(before["state"], AirState, str_keys=True)
    now = msgspec.convert(after["state"], AirState, str_keys=True)
    started = now.order.playing.start * 10**6 // RATE + state.clock.offset_us
    snapshot.prepare(started, started + 10**9, state)
    sequencer, _ = take_the_air(snapshot.programme, state, started)
    sequencer.advance(sequencer.state.clock.frame + 1)
    expected = sequencer.state.order.playing
    assert expected.line.id == now.order.playing.line.id
    if now.order.playing.joined:
        assert abs(expected.begin - now.order.playing.begin) <= 2


@pytest.mark.parametrize("odd", ["folder", "pipe"])
def test_nothing_beside_the_database_keeps_an_engine_off_the_air(
    station, air, monkeypatch, request, odd
):
    """No folder for the socket, something odd where the lock, the state and the messages lie."""
    names = ("air.lock", "air-state", "as-run-waiting.jsonl", "messages")
    for path in (station / name for name in names):
        shutil.rmtree(path, ignore_errors=True)
        path.unlink(missing_ok=True)
        if odd == "folder" and path.name != "messages":
            path.mkdir()
        else:
            os.mkfifo(path)
    monkeypatch.setenv("XDG_RUNTIME_DIR", "/proc/there-is-none")
    short = tempfile.mkdtemp(prefix="ns", dir="/tmp")  # socket paths must stay short
    request.addfinalizer(lambda: shutil.rmtree(short))
    monkeypatch.setattr(tempfile, "tempdir", short)
    monkeypatch.setenv("TMPDIR", short)
    engine = air("--output", "standin", "--no-intake")
    state = wait(engine.state, engine.told)
    assert socket_path(station).parent.parent == Path(short), "the second place for a socket"

    def sight():
        answer = engine.state()  # nothing, where the machine is too slow to answer just then
        return answer["sight"] if answer else None

    wait(lambda: (seen := sight()) and max(seen["peak_db"]) > -45, engine.told)
    assert engine_pid(station) == state["pid"]
    if odd == "pipe":
        wait(
            lambda: (
                (station / "air-state").is_file()
                or ((seen := sight()) is not None and seen["problem"])
            )
        )
    ask(station, "leave")
    assert engine.process.wait(30) == 0
    with sqlite3.connect(station / "station.db") as db:
        assert db.execute("SELECT count(*) FROM as_run").fetchone()[0]
    db.close()


def parent_of(pid):
    return int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[1])


def test_whoever_starts_engines_may_be_killed_too(station, air):
    """First what they are forked from, then the supervisor: and an order to leave still holds."""
    write_log(station, date.today(), song_names(station) * 1600)
    engine = air("--no-intake")
    first = engine.wait_on_air()["pid"]
    forked_from = parent_of(first)
    assert forked_from not in {engine.process.pid, os.getpid()}
    os.kill(forked_from, signal.SIGKILL)
    wait(lambda: any("on air already" in one for one in last_messages(station, 50)))
    assert wait(engine.state)["pid"] == first, "it plays on"
    os.kill(first, signal.SIGKILL)
    second = engine.wait_on_air(other_than=first)
    assert second["state"]["order"]["playing"]["line"]["origin"]["source"] == LineSource.LOG
    codes = [alarm.code for alarm in alarms_between(connect(station), 0, FOREVER)]
    assert "net-alone" not in codes
    engine.process.kill()
    engine.process.wait()
    wait(lambda: any("another takes its place" in one for one in last_messages(station, 50)))
    wait(lambda: sum("on air already" in one for one in last_messages(station, 50)) == 2)
    ask(station, "leave")
    wait(lambda: engine_pid(station) is None)
    end = time.monotonic() + 4
    while time.monotonic() < end:
        assert engine_pid(station) is None, "it was told to leave"
        time.sleep(0.1)


def test_when_all_processes_are_told_to_end_none_comes_back(station):
    """As a service manager ends a service, and `timeout` a command."""
    command = [
        sys.executable,
        "-m",
        "nightly_spindle",
        "air",
        str(station),
        "--no-intake",
        "--output",
        "standin",
    ]
    with subprocess.Popen(command, start_new_session=True, stderr=subprocess.DEVNULL) as process:
        wait(lambda: engine_pid(station))
        wait((station / "air-state").exists)
        engine = engine_pid(station)
        os.kill(engine, signal.SIGSTOP)  # it is the last to know
        os.killpg(process.pid, signal.SIGTERM)
        assert process.wait(30) == 0
        os.kill(engine, signal.SIGCONT)
    wait(lambda: engine_pid(station) is None)
    end = time.monotonic() + 5
    while time.monotonic() < end:
        assert engine_pid(station) is None
        time.sleep(0.1)
    assert not any("another takes its place" in one for one in last_messages(station, 50))


def test_with_no_folder_no_database_and_no_device_the_tone_sounds(station, air):
    """What an engine kept is enough to take the air, and it goes on when all is back."""
    write_log(station, date.today(), song_names(station) * 1600)
    first = air("--no-supervisor", "--output", "standin")
    first.wait_on_air()
    wait((station / "air-state").exists)
    assert first.end() == 0
    (station / "audio").rename(station / "away")
    with sqlite3.connect(station / "station.db", isolation_level=None) as lock:
        lock.execute("PRAGMA locking_mode=EXCLUSIVE")
        lock.execute("BEGIN EXCLUSIVE")
        engine = air("--no-supervisor", "--output", "device", "--device", "there-is-none")

        def sounds():
            state = engine.state()
            return state if state and max(state["sight"]["peak_db"]) > -45 else None

        state = wait(sounds, engine.told)
        assert not state["sight"]["whole"]
        assert state["state"]["order"]["playing"]["line"]["origin"]["source"] == LineSource.TONE
        assert state["state"]["order"]["playing"]["item"]["cart"] == TONE_CART
        assert "there-is-none cannot be opened" in state["sight"]["problem"]
        # not on standard error: it leads nowhere while the library of sound devices starts
        wait(lambda: any("The station cannot be read" in one for one in last_messages(station, 50)))
        assert {gone["why"] for gone in state["away"]} == {"it is not there"}
        assert "breaks off" not in engine.told(), "nothing is tried that cannot sound"
    lock.close()
    (station / "away").rename(station / "audio")

    def by_the_log():
        state = engine.state()
        playing = state and state["sight"]["whole"] and state["state"]["order"]["playing"]
        return playing and playing["line"]["origin"]["source"] == LineSource.LOG

    wait(by_the_log, engine.told)
    assert engine.end() == 0
    codes = [alarm.code for alarm in alarms_between(connect(station), 0, FOREVER)]
    assert {"folder-away", "folder-back", "net-tone", "station-unread"} <= set(codes)
    airs = [(line.start_us, line.end_us) for line in lines(station) if line.start_us < line.end_us]
    gaps = [begin - end for (_, end), (begin, _) in itertools.pairwise(airs)]
    assert max(gaps) < 1_500_000, "from the first start to the end there is no hole"


def test_hands_on_a_running_engine(station, air):
    write_log(station, date.today(), song_names(station) * 1600)
    engine = air("--no-supervisor")
    first = engine.wait_on_air()
    mode = socket_path(station).stat().st_mode
    assert mode & 0o077 == 0, "only the owner may open the socket"
    second = subprocess.run(
        [sys.executable, "-m", "nightly_spindle", "air", str(station), "--no-supervisor"],
        capture_output=True,
        text=True,
        check=False,
    )
    assert second.returncode == 1
    assert re.search(rf"is on air already \(engine process {first['pid']}\)", second.stderr)
    order = [line["id"] for line in first["state"]["order"]["upcoming"]]
    ask(station, "move", line=order[2], before=order[0])
    ask(station, "remove", lines=[order[3]])
    ask(station, "skip")
    playing = ask(station, "state")["state"]["order"]["playing"]
    assert playing["line"]["id"] == order[2]
    ask(station, "stop")
    stopped = ask(station, "state")["state"]
    assert (stopped["order"]["playing"], stopped["order"]["unattended"]) == (None, False)
    ask(station, "unattended", on=True)
    wait(lambda: ask(station, "state")["state"]["order"]["playing"])
    for op, args, sentence in (
        ("remove", {"lines": [999_999]}, "not in the running order any more"),
        ("insert", {"cart": 31_337, "before": 0}, "no item has the cart number 31337"),
        ("dance", {}, "there is no operation 'dance'"),
        ("move", {}, "lacks or misstates"),
    ):
        with pytest.raises(EnvironmentFault, match=sentence):
            ask(station, op, **args)
    ask(station, "leave")
    assert engine.process.wait(60) == 0
    assert "Pier is off air" in engine.told()
    removed = [line.note for line in lines(station) if line.outcome == "removed"]
    assert removed == ["removed by hand"], "nothing vanishes without a trace"


def test_rules_marks_and_joins_that_change_are_followed_on_air(station, air, capsys):
    """A gap for the station, a segue point by hand, one join: each holds from the next on."""
    write_log(station, DAY, song_names(station)[:4] * 3)
    running = air("--clock", "2026-11-24T00:00:00", "--pace", "2", "--no-intake")
    state = running.wait_on_air()["state"]
    assert main(["segue", "rule", str(station), "--overlap", "gap", "--gap-s", "1.5"]) == 0
    second, third = state["order"]["upcoming"][:2]
    assert main(["markers", "set", str(station), str(third["cart"]), "--cue-in", "2"]) == 0
    for edit, told in (({"segue_s": -3}, "seconds in the outgoing item"), ({"loud": 1}, "has no")):
        with pytest.raises(EnvironmentFault, match=told):
            ask(station, "join", line=third["id"], edit=edit)
    with pytest.raises(EnvironmentFault, match="not in the running order any more"):
        ask(station, "join", line=99_999, edit=None)
    edit = {"out_cart": second["cart"], "segue_s": 4.0, "fade_out_s": 1.0}
    assert ask(station, "join", line=third["id"], edit=edit) == {"was": None}
    assert ask(station, "join", line=third["id"], edit=edit)["was"]["segue_s"] == 4.0

    def aired():
        return [line for line in lines(station) if line.outcome == "aired"]

    wait(lambda: len(aired()) >= 4, running.told)
    running.end()
    first, other, joined, after = sorted(aired(), key=lambda line: line.start_us)[:4]
    assert other.start_us - first.end_us == pytest.approx(1.5e6, abs=3e4), "the gap"
    assert joined.start_us - other.start_us == pytest.approx(4.0e6, abs=3e4), "the join by hand"
    assert other.end_us - joined.start_us == pytest.approx(1.0e6, abs=3e4)
    length_us = Catalogue(station).items([third["cart"]])[third["cart"]].measure.cue_out_s * 1e6
    assert joined.end_us - joined.start_us == pytest.approx(length_us - 2e6, abs=5e4), "cue in"
    assert after.start_us - joined.end_us == pytest.approx(1.5e6, abs=3e4)
    capsys.readouterr()


def test_sound_goes_where_the_station_has_it_sent_once_that_is_known(station):
    unread = (
        "import sys, nightly_spindle.cli.playout.engine_process as e\n"
        "e._AIR_BY_ANEW_S = e._LEAST_ANEW_S = 0.0\n"
        "from nightly_spindle.cli.main import main\n"
        "sys.exit(main(sys.argv[1:]))"
    )
    engine = Air(station, "--no-supervisor", program=("-c", unread))
    try:
        engine.wait_on_air()
        assert "the air is taken without it" in engine.told()
        wait(lambda: (state := engine.state()) and state["sight"]["simulated"], engine.told)
        assert not wait(engine.state)["sight"]["problem"], "no device is looked for any more"
    finally:
        assert engine.end() == 0

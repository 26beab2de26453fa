"""The faults: what is done to a station on air, and in which sentence it must be told.

Each is a function that gets a `Station`, does its harm and returns what puts things right again
(None where nothing is to be). Those that harm a station before it takes the air put it there.
"""

from __future__ import annotations

import contextlib
import os
import random
import shutil
import signal
import socket
import sqlite3
import subprocess
import threading
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import soundfile
from fault_station import PROGRAM, RATE, SONG_S, write_log

if TYPE_CHECKING:
    from collections.abc import Callable

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], None] | None]


@dataclass(frozen=True)
class Fault:
    """One fault. `told` is part of the sentence, empty where nothing needs to be told.

    `before`: the harm is done before the engine starts, which the harm itself does. `down` allows
    the silence of a process that is killed and comes back. `lasts_s` is how long it stays.
    """

    name: str
    harm: Harm
    told: str = ""
    lasts_s: float = 12.0
    before: bool = False
    down: bool = False
    share: bool = False
    complete: bool = True  # whether the as-run log must have no hole
    within_s: float = 15.0


FAULTS: list[Fault] = []


def fault(name: str, told: str = "", **options: object) -> Callable[[Harm], Harm]:
    """Put a fault into the table."""

    def taken(harm: Harm) -> Harm:
        FAULTS.append(Fault(name, harm, told, **options))  # type: ignore[arg-type]
        return harm

    return taken


def _kill(pid: int, number: int = signal.SIGKILL) -> None:
    with contextlib.suppress(ProcessLookupError):
        os.kill(pid, number)


def _supervisors(at: Station) -> list[int]:
    return [pid for pid in at.pids("air") if pid != at.engine_pid()]


# -- processes -------------------------------------------------------------------------------------


@fault("engine killed", "The engine was off for", down=True)
def _(at: Station) -> None:
    _kill(at.engine_pid())


@fault("engine killed by a fault of memory (SIGSEGV)", "The engine was off for", down=True)
def _(at: Station) -> None:
    _kill(at.engine_pid(), signal.SIGSEGV)


@fault("engine killed within a second of a start", "The engine was off for", down=True)
def _(at: Station) -> None:
    for _ in range(3):
        pid = at.engine_pid()
        _kill(pid)
        at.wait(lambda pid=pid: at.engine_pid() != pid, 10)
        time.sleep(0.8)


@fault("engine told to end by SIGTERM", "The engine was off for", down=True)
def _(at: Station) -> None:
    _kill(at.engine_pid(), signal.SIGTERM)


@fault("engine stopped for 5 s (SIGSTOP)", "The clock moved by", lasts_s=15, complete=False,
       down=True)  # fmt: skip
def _(at: Station) -> None:
    pid = at.engine_pid()
    _kill(pid, signal.SIGSTOP)
    time.sleep(5)
    _kill(pid, signal.SIGCONT)


@fault("supervisor killed, then the engine", "The supervisor, which starts the engine again, has",
       lasts_s=20, down=True)  # fmt: skip
def _(at: Station) -> None:
    for pid in _supervisors(at):
        _kill(pid)
    at.wait(lambda: at.told("has ended"), 10)
    time.sleep(4)
    _kill(at.engine_pid())


@fault("engine and supervisor killed at once", "The engine was off for", down=True)
def _(at: Station) -> None:
    for pid in [*_supervisors(at), at.engine_pid()]:
        _kill(pid)
    time.sleep(0.3)
    at.air(wait=False)  # as systemd does


@fault("everything killed", "The engine was off for", down=True)
def _(at: Station) -> None:
    for pid in at.all_pids():
        _kill(pid)
    time.sleep(0.3)
    at.air(wait=False)


@fault("intake killed", lasts_s=9)
def _(at: Station) -> None:
    for pid in at.pids("intake"):
        _kill(pid)
    if not at.wait(lambda: at.pids("intake"), 20):
        raise AssertionError("the intake is not started again")


@fault("desk and its planner killed", lasts_s=4)
def _(at: Station) -> None:
    desk = subprocess.Popen([*PROGRAM, "desk", str(at.folder)], env=at.env,
                            stderr=subprocess.DEVNULL)  # fmt: skip
    at.processes.append(desk)
    if not at.wait(lambda: at.pids("nightly_spindle.desk.planning"), 40):
        raise AssertionError("the planner does not start")
    for pid in at.pids("nightly_spindle.desk.planning"):
        _kill(pid)
    time.sleep(2)
    if desk.poll() is not None:
        raise AssertionError("the desk ended with its planner")
    desk.kill()


@fault("two desks", lasts_s=10)
def _(at: Station) -> None:
    desks = [subprocess.Popen([*PROGRAM, "desk", str(at.folder)], env=at.env,
                              stderr=subprocess.DEVNULL) for _ in range(2)]  # fmt: skip
    at.processes += desks
    time.sleep(9)
    if any(desk.poll() is not None for desk in desks):
        raise AssertionError("a desk ended")


@fault("two engines", lasts_s=4)
def _(at: Station) -> None:
    done = subprocess.run([*PROGRAM, "air", str(at.folder)], env=at.env, capture_output=True,
                          text=True, check=False, timeout=30)  # fmt: skip
    if done.returncode != 1 or "is on air already" not in done.stderr:
        raise AssertionError(f"the second says {done.stderr}")


@fault("killed during the midnight load", "the engine ended with status -9", before=True, down=True,
       lasts_s=12, complete=False)  # fmt: skip
def _(at: Station) -> None:
    write_log(at.folder, at.music.parent, "2026-11-24")
    write_log(at.folder, at.music.parent, "2026-11-23")
    at.air("--clock", "2026-11-23T23:59:45+00:00")
    at.mark()
    at.wait(lambda: at.sight()["sight"]["now_us"] % 86_400_000_000 < 40_000_000_000, 40)
    _kill(at.engine_pid())
    at.wait(
        lambda: any(
            "2026-11-24" in one["file"]
            for one in (at.sight() or {"state": {"loaded": []}})["state"]["loaded"]
        ),
        15,
    )


# -- the database ----------------------------------------------------------------------------------


def _locked(at: Station) -> Callable[[], None]:
    lock = sqlite3.connect(at.folder / "station.db", isolation_level=None, timeout=10,
                           check_same_thread=False)  # fmt: skip
    lock.execute("PRAGMA locking_mode=EXCLUSIVE")
    lock.execute("BEGIN EXCLUSIVE")
    return lock.close


@fault("database locked for 60 s", "cannot be written", lasts_s=60)
def _(at: Station) -> Callable[[], None]:
    lock = sqlite3.connect(at.folder / "station.db", isolation_level=None, timeout=10,
                           check_same_thread=False)  # fmt: skip
    lock.execute("BEGIN IMMEDIATE")
    return lock.close


@fault("database locked, then the engine killed", "cannot be written", down=True, lasts_s=20,
       complete=False)  # fmt: skip
def _(at: Station) -> Callable[[], None]:
    lock = sqlite3.connect(at.folder / "station.db", isolation_level=None, timeout=10,
                           check_same_thread=False)  # fmt: skip
    lock.execute("BEGIN IMMEDIATE")
    at.wait(lambda: at.told("cannot be written"), 10)
    _kill(at.engine_pid())
    return lock.close


@fault("database pages damaged", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], None]:
    kept = _backup(at)
    with (at.folder / "station.db").open("r+b") as file:
        size = file.seek(0, 2)
        for page in range(1, size // 4096):
            file.seek(page * 4096)
            file.write(os.urandom(4096))
    return lambda: _put_back(at, kept)


@fault("database deleted", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], None]:
    kept = _backup(at)
    for name in ("station.db", "station.db-wal", "station.db-shm"):
        (at.folder / name).unlink(missing_ok=True)
    return lambda: _put_back(at, kept)


@fault("database replaced by a copy", "the database was replaced", lasts_s=8, complete=False)
def _(at: Station) -> None:
    _put_back(at, _backup(at))


@fault("WAL file deleted", "WAL file was deleted", lasts_s=8)
def _(at: Station) -> None:
    for name in ("station.db-wal", "station.db-shm"):
        (at.folder / name).unlink(missing_ok=True)


@fault("database emptied", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], None]:
    kept = _backup(at)
    os.truncate(at.folder / "station.db", 0)
    return lambda: _put_back(at, kept)


@fault("as-run table gone", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], None]:
    kept = _backup(at)
    with contextlib.closing(sqlite3.connect(at.folder / "station.db", timeout=10)) as db, db:
        db.execute("DROP TABLE as_run")
    return lambda: _put_back(at, kept)


def _backup(at: Station) -> str:
    kept = str(at.base / "kept.db")
    with (
        contextlib.closing(sqlite3.connect(at.folder / "station.db", timeout=10)) as source,
        contextlib.closing(sqlite3.connect(kept)) as target,
    ):
        source.backup(target)
    return kept


def _put_back(at: Station, kept: str) -> None:
    for name in ("station.db-wal", "station.db-shm"):
        (at.folder / name).unlink(missing_ok=True)
    shutil.copyfile(kept, at.folder / "new.db")
    (at.folder / "new.db").replace(at.folder / "station.db")


@fault("disk full", "cannot be written", lasts_s=25, before=True, complete=False)
def _(at: Station) -> Callable[[], None]:
    place = at.small_disk()
    at.air()
    time.sleep(3)
    at.mark()
    with (place / "filler").open("wb", buffering=0) as file, contextlib.suppress(OSError):
        while True:
            file.write(bytes(1 << 16))
    with (place / "filler2").open("wb", buffering=0) as file, contextlib.suppress(OSError):
        while True:
            file.write(bytes(512))

    def free() -> None:
        for name in ("filler", "filler2"):
            (place / name).unlink()

    return free


@fault("start with the disk read-only", "cannot be written", lasts_s=20, before=True, down=True,
       complete=False)  # fmt: skip
def _(at: Station) -> object:
    place = at.small_disk()

    def harm(at: Station) -> Callable[[], None]:
        del at
        done = subprocess.run(["mount", "-o", "remount,bind,ro", str(place)], check=False)
        if done.returncode:
            raise OSError("a file system cannot be made read-only here")
        free = ["mount", "-o", "remount,bind,rw", str(place)]
        return lambda: subprocess.run(free, check=True) and None

    return _start_with(at, harm)


def _start_with(at: Station, harm: Callable[[Station], Callable[[], None] | None]) -> object:
    """Run the engine for a while, stop it, do the harm, start it again; returns what undoes it."""
    process = at.air()
    time.sleep(4)
    process.send_signal(signal.SIGTERM)
    process.wait(30)
    at.mark()
    undo = harm(at)
    at.harmed = time.monotonic()
    at.air(wait=False)
    if not at.wait(lambda: list(at.heard.glob("*.raw"))[1:], 15):
        raise AssertionError("it does not take the air")
    at.air_after_s = time.monotonic() - at.harmed
    return undo


@fault("start with the database locked", "The station cannot be read", before=True, down=True,
       lasts_s=20, complete=False)  # fmt: skip
def _(at: Station) -> object:
    return _start_with(at, _locked)


@fault("start with the database damaged", "The station cannot be read", before=True, down=True,
       lasts_s=20, complete=False)  # fmt: skip
def _(at: Station) -> object:
    def harm(at: Station) -> Callable[[], None]:
        kept = _backup(at)
        with (at.folder / "station.db").open("r+b") as file:
            file.write(os.urandom(8192))
        return lambda: _put_back(at, kept)

    return _start_with(at, harm)


@fault("start with the database missing", "The station cannot be read", before=True, down=True,
       lasts_s=20, complete=False)  # fmt: skip
def _(at: Station) -> object:
    def harm(at: Station) -> Callable[[], None]:
        kept = _backup(at)
        for name in ("station.db", "station.db-wal", "station.db-shm"):
            (at.folder / name).unlink(missing_ok=True)
        return lambda: _put_back(at, kept)

    return _start_with(at, harm)


@fault("start with a database of a newer program", "newer Nightly Spindle", before=True, down=True,
       lasts_s=16, complete=False)  # fmt: skip
def _(at: Station) -> object:
    def harm(at: Station) -> Callable[[], None]:
        kept = _backup(at)
        with contextlib.closing(sqlite3.connect(at.folder / "station.db")) as db, db:
            db.execute("UPDATE alembic_version SET version_num = '9999'")
        return lambda: _put_back(at, kept)

    return _start_with(at, harm)


@fault("start with a database of an older program", before=True, down=True, lasts_s=8,
       complete=False)  # fmt: skip
def _(at: Station) -> object:
    def harm(at: Station) -> None:
        with contextlib.closing(sqlite3.connect(at.folder / "station.db")) as db, db:
            db.execute("DROP INDEX alarm_by_fold")
            for column in ("times", "last_us", "fold"):
                db.execute(f"ALTER TABLE alarm DROP COLUMN {column}")
            db.execute("UPDATE alembic_version SET version_num = '0008'")

    return _start_with(at, harm)


@fault("start with the state file damaged", before=True, down=True, lasts_s=8, complete=False)
def _(at: Station) -> object:
    def harm(at: Station) -> None:
        with (at.folder / "air-state").open("r+b") as file:
            file.write(os.urandom(100_000))

    return _start_with(at, harm)


@fault("start with nothing: share away, database locked, no state",
       "The station cannot be read", before=True, down=True, lasts_s=16,
       complete=False)  # fmt: skip
def _(at: Station) -> object:
    def harm(at: Station) -> Callable[[], None]:
        at.music.rename(at.music.with_name("gone"))
        (at.folder / "air-state").write_bytes(os.urandom(100_000))
        free = _locked(at)

        def undo() -> None:
            free()
            at.music.with_name("gone").rename(at.music)

        return undo

    return _start_with(at, harm)


# -- folders and files -----------------------------------------------------------------------------


@fault("share away (renamed) and back", "is away", lasts_s=30)
def _(at: Station) -> Callable[[], None]:
    at.music.rename(at.music.with_name("gone"))
    return lambda: at.music.with_name("gone").rename(at.music) and None


@fault("share away before the start", "is away", before=True, lasts_s=20)
def _(at: Station) -> Callable[[], None]:
    at.music.rename(at.music.with_name("gone"))
    at.air()
    return lambda: at.music.with_name("gone").rename(at.music) and None


@fault("mount point empty", "is away", lasts_s=25)
def _(at: Station) -> Callable[[], None]:
    gone = at.music.with_name("gone")
    gone.mkdir()
    for path in list(at.music.iterdir()):
        path.rename(gone / path.name)

    def back() -> None:
        for path in list(gone.iterdir()):
            path.rename(at.music / path.name)

    return back


@fault("all folders away", "is away", lasts_s=25)
def _(at: Station) -> Callable[[], None]:
    places = [at.music, at.folder / "audio/song"]
    for place in places:
        place.rename(place.with_name("gone"))

    def back() -> None:
        for place in places:
            place.with_name("gone").rename(place)

    return back


@fault("share hangs (FUSE) and answers again", "has not answered", lasts_s=35, share=True)
def _(at: Station) -> Callable[[], None]:
    at.flag.touch()
    return at.flag.unlink


@fault("share hangs before the start", "is away", share=True, before=True, lasts_s=20,
       complete=False)  # fmt: skip
def _(at: Station) -> Callable[[], None]:
    at.flag.touch()
    at.air()
    return at.flag.unlink


@fault("half of the files gone", "is skipped", lasts_s=35)
def _(at: Station) -> Callable[[], None]:
    gone = at.base / "gone"
    gone.mkdir()
    for path in sorted(at.music.iterdir())[::2]:
        path.rename(gone / path.name)

    def back() -> None:
        for path in list(gone.iterdir()):
            path.rename(at.music / path.name)

    return back


@fault("the item on air deleted and its folder emptied", "is away", lasts_s=25)
def _(at: Station) -> Callable[[], None]:
    gone = at.base / "gone"
    shutil.copytree(at.music, gone)
    for path in at.music.iterdir():
        path.unlink()

    def back() -> None:
        for path in gone.iterdir():
            shutil.copy(path, at.music / path.name)

    return back


@fault("files cut short while on air", "breaks off", lasts_s=35)
def _(at: Station) -> None:
    for path in at.music.iterdir():
        os.truncate(path, round(path.stat().st_size * 0.4))


@fault("30 broken files in a row", "is skipped", lasts_s=40)
def _(at: Station) -> None:
    for n, path in enumerate(sorted(at.music.iterdir())):
        path.write_bytes([b"", b"no audio", os.urandom(50_000)][n % 3])


@fault("pipes in place of songs", "is skipped", lasts_s=30)
def _(at: Station) -> None:
    for path in sorted(at.music.iterdir())[:-1]:
        path.unlink()
        os.mkfifo(path)


@fault("songs of NaN and 1e30", lasts_s=35)
def _(at: Station) -> None:
    for n, path in enumerate(sorted(at.music.iterdir())[::2]):
        sound = np.full((round(SONG_S * RATE), 2), 0.2, np.float32)
        sound[RATE : 2 * RATE] = (np.nan, np.inf, 1e30)[n % 3]
        path.unlink()
        soundfile.write(path, sound, RATE, "FLOAT")


@fault("wrong headers", lasts_s=35)
def _(at: Station) -> None:
    dice = random.Random(3)
    for path in sorted(at.music.iterdir())[::2]:
        data = bytearray(path.read_bytes())
        data[40:44] = dice.randbytes(4)  # how long it says it is
        data[4:8] = dice.randbytes(4)
        beside = path.with_suffix(".part")
        beside.write_bytes(data)
        beside.replace(path)


@fault("log folder hangs (FUSE)", "has not answered", share=True, lasts_s=20, before=True)
def _(at: Station) -> Callable[[], None]:
    with contextlib.closing(sqlite3.connect(at.folder / "station.db")) as db, db:
        db.execute("INSERT INTO log_drop (id, name, folder, pattern, options) VALUES"
                   " (7, 'Share', ?, '%Y-%m-%d-x.m3u', '{\"loads\": \"at its time\"}')",
                   (str(at.music.parent),))  # fmt: skip
    at.air()
    time.sleep(4)
    at.mark()
    at.flag.touch()
    return at.flag.unlink


@fault("log is a pipe", "neither a line nor a log", lasts_s=12, before=True, complete=False)
def _(at: Station) -> None:
    at.mark()
    for path in (at.folder / "logs").iterdir():
        path.unlink()
        os.mkfifo(path)
    at.air()


@fault("10,000 strange files in the log folder", lasts_s=15)
def _(at: Station) -> None:
    for n in range(10_000):
        (at.folder / "logs" / f"strange {n} file of no log.txt").touch()


# -- sound devices ---------------------------------------------------------------------------------


@fault("clock set an hour on and back", "The clock moved by", before=True, lasts_s=15,
       complete=False)  # fmt: skip
def _(at: Station) -> Callable[[], None]:
    compiler, library = shutil.which("cc"), at.base / "shifted.so"
    if compiler is None:
        raise OSError("there is no C compiler to shift a clock with")
    source = Path(__file__).with_name("shifted_clock.c")
    subprocess.run([compiler, "-shared", "-fPIC", "-o", str(library), str(source), "-ldl"],
                   check=True)  # fmt: skip
    rule = at.base / "shift"
    rule.write_text("0\n")
    at.env |= {"LD_PRELOAD": str(library), "SHIFT_FILE": str(rule)}
    at.air()
    time.sleep(4)
    at.mark()
    rule.write_text("3600\n")
    return lambda: rule.write_text("0\n") and None


_SINK = "module-null-sink sink_name=nul rate=48000 channels=2 format=s16le norewinds=1"


def _pulse(at: Station) -> subprocess.Popen[bytes]:
    """A paced sound device in user space; OSError where there is none to be had."""
    if shutil.which("pulseaudio") is None:
        raise OSError("pulseaudio is not installed")
    home = at.base / "pulse"
    home.mkdir(mode=0o700, exist_ok=True)
    alsa = at.base / "asound.conf"
    alsa.write_text(
        "</usr/share/alsa/alsa.conf>\n"
        'pcm.nul { type pulse device "nul" hint { show on description "n" } }\n'
    )
    at.env |= {"PULSE_SERVER": f"unix:{home}/pulse.sock", "ALSA_CONFIG_PATH": str(alsa),
               "HOME": str(home)}  # fmt: skip
    command = ["pulseaudio", "-n", "--daemonize=no", "--exit-idle-time=-1", "--use-pid-file=no",
               "--disable-shm=yes",
               "-L", f"module-native-protocol-unix socket={home}/pulse.sock auth-anonymous=1",
               "-L", _SINK]  # fmt: skip
    made = subprocess.Popen(command, env=at.env, stdout=subprocess.DEVNULL,
                            stderr=subprocess.DEVNULL)  # fmt: skip
    at.processes.append(made)
    if not at.wait((home / "pulse.sock").exists, 10):
        raise OSError("pulseaudio does not start here")
    time.sleep(0.5)
    return made


def _plays(at: Station) -> bool:
    sight = at.sight()
    return bool(sight) and not sight["sight"]["problem"]


@fault("sound device lost and back", "the sound device", before=True, lasts_s=12, complete=False)
def _(at: Station) -> Callable[[], None]:
    device = _pulse(at)
    at.air("--output", "device", "--device", "nul", heard=False)
    if not at.wait(lambda: _plays(at), 15):
        raise AssertionError("the device does not play")
    at.mark()
    device.kill()
    device.wait()
    (at.base / "pulse/pulse.sock").unlink(missing_ok=True)

    def back() -> None:
        _pulse(at)
        if not at.wait(lambda: _plays(at), 25):
            raise AssertionError("the device is not played again")

    return back


@fault("sound device stalled for 8 s", "the sound device takes no more sound", before=True,
       lasts_s=8, complete=False)  # fmt: skip
def _(at: Station) -> Callable[[], None]:
    device = _pulse(at)
    at.air("--output", "device", "--device", "nul", heard=False)
    if not at.wait(lambda: _plays(at), 15):
        raise AssertionError("the device does not play")
    at.mark()
    device.send_signal(signal.SIGSTOP)

    def back() -> None:
        device.send_signal(signal.SIGCONT)
        if not at.wait(lambda: _plays(at), 25):
            raise AssertionError("the device is not played again")

    return back


@fault("no sound device at the start", "cannot be opened", before=True, lasts_s=8, complete=False)
def _(at: Station) -> Callable[[], None]:
    _pulse(at).kill()
    (at.base / "pulse/pulse.sock").unlink(missing_ok=True)
    at.mark()
    at.air("--output", "device", "--device", "nul", heard=False)

    def back() -> None:
        _pulse(at)
        if not at.wait(lambda: _plays(at), 25):
            raise AssertionError("the device is not played")

    return back


# -- the socket ------------------------------------------------------------------------------------


@fault("10,000 connections", lasts_s=12)
def _(at: Station) -> None:
    def crowd() -> None:
        for _ in range(20):
            held = []
            for _ in range(500):
                one = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
                one.settimeout(1)
                with contextlib.suppress(OSError):
                    one.connect(str(at.socket()))
                held.append(one)
            for one in held:
                one.close()

    thread = threading.Thread(target=crowd)
    thread.start()
    thread.join(30)
    if not at.wait(at.sight, 10):
        raise AssertionError("the engine does not answer any more")


@fault("slow readers", lasts_s=12)
def _(at: Station) -> Callable[[], None]:
    held = []
    for _ in range(40):
        one = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        one.settimeout(1)
        with contextlib.suppress(OSError):
            one.connect(str(at.socket()))
            one.sendall(b'{"op": "watch"}\n' + b'{"op": "state"}\n' * 2000)
        held.append(one)
    return lambda: [one.close() for one in held] and None


@fault("a request of 100 MB", lasts_s=8)
def _(at: Station) -> None:
    with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as one:
        one.settimeout(5)
        one.connect(str(at.socket()))
        for _ in range(1600):
            one.sendall(b"x" * 65_536)


@fault("numbers out of all bounds", lasts_s=6)
def _(at: Station) -> None:
    for line in (b'{"op": "insert", "args": {"before": 1e300, "cart": 1001}}',
                 b'{"op": "overlay", "args": {"line": 1, "wish": {"cart": 99999999999999999999}}}',
                 b"[" * 100_000, b"\xff\x00\xfe"):  # fmt: skip
        with contextlib.suppress(OSError), socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as one:
            one.settimeout(5)
            one.connect(str(at.socket()))
            one.sendall(line + b"\n")
            one.recv(1000)
    if not at.wait(at.sight, 10):
        raise AssertionError("the engine does not answer any more")


@fault("control socket removed", "was removed; it is opened again", lasts_s=6)
def _(at: Station) -> None:
    at.socket().unlink()
    if not at.wait(at.sight, 10):
        raise AssertionError("the engine does not answer any more")


@fault("messages cannot be written", lasts_s=8, before=True)
def _(at: Station) -> None:
    (at.folder / "messages").write_text("a file in their place")
    at.air()

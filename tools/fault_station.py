"""A station on air, watched from outside while something is done to it."""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
import soundfile

from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.errors import EnvironmentFault
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.outputs.outputs import NOT_HEARD
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.store.base.messages import last_messages
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.playout.side_file import SIDE_FILE

if TYPE_CHECKING:
    from collections.abc import Callable

RATE = 44_100
SONGS, HERE = 12, 4  # songs on the share, and songs beside the station
SONG_S = 14.0
QUIET = 10 ** (-60 / 20)
PROGRAM = [sys.executable, "-m", "nightly_spindle"]


def tone(seconds: float, hz: float) -> np.ndarray:
    """Return a tone that ends dead, stereo."""
    at = np.arange(round(seconds * RATE)) / RATE
    wave = 0.2 * np.sin(2 * np.pi * hz * at)
    return np.repeat(wave[:, None], 2, axis=1).astype(np.float32)


def build(folder: Path) -> Path:
    """Make a station whose log's songs lie on a share, and some others beside it."""
    share, station = folder / "share", folder / "station"
    new_station(
        station,
        {
            "name": "Fault Pier",
            "timezone": "UTC",
            "day_start": datetime.now(UTC).strftime("%H:00"),  # little is passed over at a start
        },
        NOT_HEARD,
    )
    for place, count, first in ((share / "music", SONGS, 300), (station / "audio/song", HERE, 900)):
        place.mkdir(parents=True)
        for n in range(count):
            sound = tone(SONG_S + n % 5, first + 25 * n)
            soundfile.write(place / f"Wren {place.name}{n} - Lamp {n}.wav", sound, RATE)
    bring_in(
        station,
        [
            Intake([place], IntakeOptions(Kind.SONG))
            for place in (share / "music", station / "audio/song")
        ],
    )
    write_log(station, share)
    return station


def write_log(station: Path, share: Path, day: str | None = None) -> Path:
    """Leave the log of a day: the share's songs over and over."""
    names = sorted(str(path) for path in (share / "music").iterdir())
    date = day or datetime.now(UTC).strftime("%Y-%m-%d")
    path = station / "logs" / f"{date}.m3u"
    path.write_text("#EXTM3U\n" + "\n".join(names * 450) + "\n", encoding="utf-8")
    os.utime(path, (10**9, 10**9))
    return path


@dataclass
class Report:
    """What was seen of one fault."""

    name: str
    silence_s: float = 0.0
    told_s: float | None = None
    told: str = ""
    holes: list[str] = field(default_factory=list)
    went_on: str = ""
    wrong: list[str] = field(default_factory=list)
    skipped: str = ""


class Station:
    """One station of its own, its engine, and what it says. `folder` is the station's."""

    def __init__(self, template: Path, *, share: bool = False) -> None:
        self.base = Path(tempfile.mkdtemp(prefix="fault-", dir="/tmp"))
        shutil.copytree(template, self.base / "all")
        self.folder = self.base / "all/station"
        self.music = self.base / "all/share/music"
        self.heard = self.base / "heard"
        self.heard.mkdir()
        self.runtime = self.base / "run"
        self.runtime.mkdir(mode=0o700)
        self.env = dict(os.environ, XDG_RUNTIME_DIR=str(self.runtime), QT_QPA_PLATFORM="offscreen")
        self.processes: list[subprocess.Popen[bytes]] = []
        self.flag = self.base / "hang"
        self._mount: Path | None = None
        self._undo: list[Callable[[], object]] = []
        self.seen_before: set[str] = set()
        self.air_after_s: float | None = None  # from a start until the first sound
        self.harmed = 0.0  # when (monotonic), where that is not when the harm began
        self._reroot(template)
        if share:
            self.mount_share()

    def _reroot(self, template: Path) -> None:
        """Have roots and logs name this copy."""
        old, new = str(template), str(self.base / "all")
        with contextlib.closing(sqlite3.connect(self.folder / "station.db")) as db, db:
            db.execute("UPDATE root SET path = replace(path, ?, ?)", (old, new))
        for log in (self.folder / "logs").iterdir():
            log.write_text(log.read_text().replace(old, new))
            os.utime(log, (10**9, 10**9))

    # -- processes ---------------------------------------------------------------------------------

    def air(self, *options: str, wait: bool = True, heard: bool = True) -> subprocess.Popen[bytes]:
        """Put the station on air."""
        more = ["--output", "standin", "--capture", str(self.heard)] if heard else []
        log = (self.base / "air.log").open("ab")
        command = [*PROGRAM, "air", str(self.folder), *more, *options]
        process = subprocess.Popen(command, env=self.env, stdout=log, stderr=log)
        log.close()
        self.processes.append(process)
        if wait:
            self.wait(lambda: self.sight() is not None, 30)
        return process

    def ask(self, op: str, **args: Any) -> Any:
        """Ask the engine; None when none answers."""
        with contextlib.suppress(EnvironmentFault, OSError):
            return ask_at(self.socket(), op, **args)
        return None

    def socket(self) -> Path:
        """Return where the engine listens."""
        return self.runtime / "nightly-spindle" / socket_path(self.folder).name

    def sight(self) -> dict[str, Any] | None:
        """Return what the engine says of itself, None when it says nothing."""
        answer = self.ask("state")
        return answer if answer and answer.get("sight") else None

    def engine_pid(self) -> int:
        """Return the engine's process."""
        text = (self.folder / "air.lock").read_text().strip()
        return int(text)

    def pids(self, what: str) -> list[int]:
        """Return the processes of this station whose command line has a word."""
        found = []
        for place in Path("/proc").iterdir():
            if not place.name.isdigit():
                continue
            with contextlib.suppress(OSError):
                words = (place / "cmdline").read_bytes().split(b"\0")
                ours = str(self.folder).encode() in words
                if ours and what.encode() in words:
                    found.append(int(place.name))
        return found

    def wait(self, ready: Callable[[], Any], seconds: float) -> bool:
        """Wait for something; returns whether it came."""
        end = time.monotonic() + seconds
        while time.monotonic() < end:
            if ready():
                return True
            time.sleep(0.05)
        return False

    # -- folders -----------------------------------------------------------------------------------

    def mount_share(self) -> None:
        """Have the share come through FUSE, where it can be made to hang."""
        mount, source = self.base / "all/share", self.base / "source"
        mount.rename(source)
        mount.mkdir()
        helper = Path(__file__).with_name("hung_share.py")
        process = subprocess.Popen(
            [sys.executable, str(helper), str(source), str(mount), str(self.flag)]
        )
        self.processes.append(process)
        self._mount = mount
        if not self.wait(lambda: os.path.ismount(mount), 10):
            raise OSError("FUSE is not allowed here")

    def small_disk(self, megabytes: int = 64) -> Path:
        """Move the station onto a small file system of its own; returns where it lies."""
        place = self.base / "small"
        place.mkdir()
        subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={megabytes}m", "tmpfs", str(place)], check=True
        )
        self._undo.append(lambda: subprocess.run(["umount", "-l", str(place)], check=False))
        shutil.move(self.folder, place / "station")
        self.folder.symlink_to(place / "station")
        return place

    def is_heard(self) -> bool:
        """Whether an engine that was started again puts out sound: into a second file."""
        _, *later = sorted(self.heard.glob("*.raw"))
        return any(
            np.abs(np.fromfile(file, dtype="<i2")).max(initial=0) > QUIET * 32767 for file in later
        )

    # -- what was told -----------------------------------------------------------------------------

    def sentences(self) -> list[str]:
        """Return all that the operator is told now: status, alarms, messages."""
        said: list[str] = []
        answer = self.sight()
        if answer is not None:
            sight = answer["sight"]
            said += [sight["problem"]] if sight["problem"] else []
            said += [f"The folder {one['folder']} is away: {one['why']}." for one in answer["away"]]
            said += [f"The {one} does not move." for one in sight["standing"]]
        with contextlib.suppress(sqlite3.DatabaseError, OSError):
            uri = f"file:{self.folder}/station.db?mode=ro"
            with contextlib.closing(sqlite3.connect(uri, uri=True, timeout=0.2)) as db:
                said += [row[0] for row in db.execute("SELECT text FROM alarm")]
        with contextlib.suppress(OSError):
            for row in (self.folder / SIDE_FILE).read_bytes().split(b"\0")[0].splitlines():
                record = msgspec.json.decode(row)
                said += [record["text"]] if "text" in record else []
        said += [line.partition(": ")[2] for line in last_messages(self.folder, 400)]
        return said

    def mark(self) -> None:
        """What is told from here on is of the fault."""
        self.seen_before = set(self.sentences())
        self.harmed = time.monotonic()

    def told(self, pattern: str) -> str:
        """Return the first sentence since the mark that has a text, empty while there is none."""
        return next(
            (one for one in self.sentences() if pattern in one and one not in self.seen_before), ""
        )

    # -- what was heard ----------------------------------------------------------------------------

    def silence_s(self, since_us: int, until_us: int) -> float:
        """Return the longest silence heard between two instants, seconds."""
        sounding: list[tuple[int, int]] = []
        for path in sorted(self.heard.glob("*.raw")):
            begin = int(path.stem)
            data = np.fromfile(path, dtype="<i2")
            hop = RATE // 50
            hops = np.abs(data[: len(data) // (2 * hop) * 2 * hop].reshape(-1, 2 * hop))
            loud = np.flatnonzero(hops.max(axis=1) / 32767 > QUIET).tolist()
            sounding += [(begin + n * 20_000, begin + (n + 1) * 20_000) for n in loud]
        at, longest = since_us, 0
        for start, end in sorted(sounding):
            if end < since_us or start > until_us:
                continue
            longest = max(longest, start - at)
            at = max(at, end)
        return max(longest, until_us - at) / 1e6

    def holes(self, since_us: int, until_us: int, most_s: float = 1.2) -> list[str]:
        """Return what is missing or double in the as-run log between two instants."""
        with contextlib.closing(sqlite3.connect(self.folder / "station.db")) as db:
            rows = db.execute(
                "SELECT start_us, end_us, title, outcome, key FROM as_run WHERE (kind != '' OR"
                " title = 'Off air') AND end_us > ? AND start_us < ? ORDER BY start_us",
                (since_us, until_us),
            ).fetchall()
        rows = [row for row in rows if row[0] != row[1]]
        wrong, end = [], None
        for start, over, title, outcome, _ in rows:
            if end is not None and start - end > most_s * 1e6:
                wrong.append(f"{(start - end) / 1e6:.1f} s before {title}")
            if end is not None and end - start > 8e6:
                wrong.append(f"{title} ({outcome}) overlaps by {(end - start) / 1e6:.1f} s")
            end = max(over, end or 0)
        if end is None or until_us - end > 25e6:
            wrong.append("it does not go on to the end")
        starts = [(row[0], row[2]) for row in rows]
        wrong += [f"{one[1]} twice" for one in set(starts) if starts.count(one) > 1]
        return wrong

    def burnt(self, since_us: int, until_us: int) -> str:
        """Return how many lines were missed, where that is more than there was time for."""
        with contextlib.closing(sqlite3.connect(self.folder / "station.db")) as db:
            missed = db.execute(
                "SELECT count(*) FROM as_run WHERE outcome = 'missed' AND title != 'Off air' AND"
                " start_us BETWEEN ? AND ?",
                (since_us, until_us),
            ).fetchone()[0]
        passed_s = (until_us - since_us) / 1e6
        too_many = missed * SONG_S > passed_s + 3 * SONG_S
        return f"{missed} lines missed in {passed_s:.0f} s" if too_many else ""

    def close(self) -> None:
        """End everything."""
        with contextlib.suppress(OSError):
            self.flag.unlink(missing_ok=True)
        for number in (signal.SIGTERM, signal.SIGKILL):
            for pid in {*self.all_pids()}:
                with contextlib.suppress(ProcessLookupError):
                    os.kill(pid, number)
            end = time.monotonic() + (4 if number == signal.SIGTERM else 0)
            while time.monotonic() < end and self.all_pids():
                time.sleep(0.1)
        if self._mount is not None:
            subprocess.run(["umount", "-l", str(self._mount)], check=False, capture_output=True)
        for process in self.processes:
            process.kill()
            with contextlib.suppress(subprocess.TimeoutExpired):
                process.wait(5)
        for undo in reversed(self._undo):
            undo()
        shutil.rmtree(self.base, ignore_errors=True)

    def all_pids(self) -> set[int]:
        """Return every process that has this station's place in its environment."""
        found = set()
        mark = f"XDG_RUNTIME_DIR={self.runtime}".encode()
        for place in Path("/proc").iterdir():
            if place.name.isdigit() and int(place.name) != os.getpid():
                with contextlib.suppress(OSError):
                    if mark in (place / "environ").read_bytes().split(b"\0"):
                        stat = (place / "stat").read_text().rpartition(")")[2].split()[0]
                        if stat != "Z":
                            found.add(int(place.name))
        return found


def ask_at(path: Path, op: str, timeout_s: float = 2.0, **args: Any) -> Any:
    """Ask the engine behind a socket one thing."""
    import socket

    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as link:
        link.settimeout(timeout_s)
        try:
            link.connect(str(path))
            link.sendall(msgspec.json.encode({"id": 1, "op": op, "args": args}) + b"\n")
            with link.makefile("rb") as file:
                answer = msgspec.json.decode(file.readline())
        except msgspec.DecodeError as error:
            raise OSError("no answer") from error
    if "error" in answer:
        raise EnvironmentFault(answer["error"])
    return answer.get("ok")

"""What the tests share: a small station of short, recognisable sounds."""

from __future__ import annotations

import contextlib
import os
import shutil
import signal
import sys
import time
from datetime import date, datetime
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
# whoever runs the tests at a desk has a secret store: nothing is put into that
os.environ["PYTHON_KEYRING_BACKEND"] = "keyring.backends.fail.Keyring"
# The stations of tests lie in memory where there is room: faster, and no shared disk holds them up.
MEMORY = Path("/dev/shm")
if os.access(MEMORY, os.W_OK) and shutil.disk_usage(MEMORY).free > 6 * 2**30:
    os.environ.setdefault("PYTEST_DEBUG_TEMPROOT", str(MEMORY))
# tests take helpers from each other by name, whichever folder they lie in
sys.path += [str(folder) for folder in sorted(Path(__file__).parent.rglob("*/"))]

import hypothesis
import numpy as np
import pytest
import soundfile

from nightly_spindle.air.client import ask_plainly
from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Ending, Item, Kind, Measure
from nightly_spindle.core.outputs.outputs import NOT_HEARD
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.programme.snapshot import open_station

# How many examples property tests try, against what they say: few in a hurry, many from a random
# seed in `make deep`, which prints it; otherwise a run says the same each time.
SHARE = float(os.environ.get("EXAMPLES", "1"))
hypothesis.settings.register_profile(
    "by share",
    derandomize=SHARE <= 1,
    deadline=None,
    max_examples=max(5, round(100 * SHARE)),
    suppress_health_check=list(hypothesis.HealthCheck) if SHARE > 1 else (),
)
hypothesis.settings.load_profile("by share")


def examples(many):
    """Have a property test try so many examples, in proportion to what was asked for."""
    return hypothesis.settings(max_examples=max(5, round(many * SHARE)))


def times(many):
    """Return how many random cases a test of its own dice tries, in the same proportion."""
    return max(1, round(many * SHARE))


RATE = 44_100
# Tests wait for a state, not for a clock: how long it takes is no matter, but that it comes is. A
# machine that many share may hold a process up for a minute.
PATIENCE_S = 120
LONG = 1000 * PATIENCE_S  # the same for Qt, in ms
DATA = Path(__file__).parent / "data"
ZONE = "Europe/Lisbon"


def beep(seconds, hz, rate=RATE, level=0.3, channels=2, fade_s=0.0, head_s=0.0, tail_s=0.0):
    at = np.arange(round(seconds * rate)) / rate
    wave = level * np.sin(2 * np.pi * hz * at)
    if fade_s:
        count = round(fade_s * rate)
        wave[-count:] *= np.linspace(1, 0, count)
    quiet = [np.zeros(round(s * rate)) for s in (head_s, tail_s)]
    wave = np.concatenate([quiet[0], wave, quiet[1]])
    return np.repeat(wave[:, None], channels, axis=1).astype(np.float32)


def ask(folder, op, **args):
    """Ask a running engine as a script does."""
    return ask_plainly(folder, op, args)


def wait(ready, why=lambda: ""):
    """Wait until `ready()` says something true, and return that; `why()` is told if it does not."""
    end = time.monotonic() + PATIENCE_S
    while time.monotonic() < end:
        answer = ready()
        if answer:
            return answer
        time.sleep(0.02)
    pytest.fail(f"nothing within {PATIENCE_S} s; {why()}")


def make_item(cart, seconds=180.0, kind=Kind.SONG, artist=None, **facts):
    facts = {"cue_out_s": seconds, "segue_s": seconds - 4, "fade_start_s": seconds - 8} | facts
    measure = Measure(seconds, RATE, 2, facts.pop("lufs", -16.0), ending=Ending.FADE, **facts)
    name = f"Artist {cart}" if artist is None else artist
    return Item(cart, kind, f"Title {cart}", name, f"/music/{cart}.flac", measure)


def build_station(
    folder: Path, songs: int = 8, shortest_s: int = 6, only_rate: int | None = None
) -> Path:
    """A station with short songs, each a second longer than the one before, and one ID."""
    new_station(folder, {"name": "Pier", "timezone": ZONE}, NOT_HEARD)
    (folder / "audio/song").mkdir(parents=True)
    (folder / "audio/id").mkdir(parents=True)
    for n in range(songs):
        rate, suffix = ((RATE, "flac"), (48_000, "wav"), (22_050, "flac"))[n % 3]
        rate = only_rate or rate
        channels = 1 if only_rate or n == 3 else 2
        wave = beep(
            shortest_s + n, 300 + 90 * n, rate, 0.05 * (n + 1), channels, fade_s=(n % 2) * 4.0
        )
        name = f"Keeper {n} - Lamp {n}.{suffix}"
        soundfile.write(folder / "audio/song" / name, wave, rate)
    soundfile.write(folder / "audio/id/bell.wav", beep(2, 1500), RATE)
    bring_in(
        folder,
        [Intake([folder / "audio" / kind], IntakeOptions(Kind(kind))) for kind in ("song", "id")],
    )
    return folder


def write_log(folder: Path, day: date, names, *, missing: int = 0) -> Path:
    lines = [f"../audio/{name}" for name in names]
    lines += [f"../audio/song/lost {n}.flac" for n in range(missing)]
    path = folder / "logs" / f"{day:%Y-%m-%d}.m3u"
    path.write_text("#EXTM3U\n" + "\n".join(lines) + "\n", encoding="utf-8")
    os.utime(path, (10**9, 10**9))  # it lay there for long: it is not still being written
    return path


def day_slot(snapshot, drop, day):
    """The slot of a day's log, as the station's time zone has it."""
    settings = snapshot.programme.settings
    noon = resolve_local(datetime.combine(day, settings.day_start), settings.tz) + 6 * 3600 * US
    return drop.slot_at(settings.tz, settings.day_start, noon)


def song_names(folder: Path) -> list[str]:
    rows = open_station(folder).connection.execute("SELECT path FROM item ORDER BY cart")
    return [
        str(Path("song" if row["path"].startswith("Keeper") else "id") / row["path"])
        for row in rows
    ]


def pytest_collection_modifyitems(items):
    """Have each worker begin with its share of the long tests, so that none is left for the end.

    Workers begin with equal stretches of the list. Tests of a module stay together: they share
    what is built for it.
    """
    many = int(os.environ.get("PYTEST_XDIST_WORKER_COUNT", "1"))
    long = [item for item in items if any(item.iter_markers("engine"))]
    rest = [item for item in items if not any(item.iter_markers("engine"))]
    items[:] = [
        item
        for at in range(many)
        for some in (long, rest)
        for item in some[len(some) * at // many : len(some) * (at + 1) // many]
    ]


def cut_the_power(folder: Path) -> None:
    """Kill all that runs for a station at once: engine, supervisor, intake, what they come from."""
    from nightly_spindle.air.places import engine_pid

    name = str(folder).encode()
    doomed = {
        int(process.name)
        for process in Path("/proc").iterdir()
        if process.name.isdecimal() and name in _command(process).split(b"\0")
    } - {os.getpid()}
    engine = engine_pid(folder)
    if engine is not None:
        doomed |= {engine, _parent(engine)} - {1, os.getpid()}
    for pid in doomed:
        with contextlib.suppress(ProcessLookupError):
            os.kill(pid, signal.SIGKILL)
    wait(lambda: engine_pid(folder) is None)


def _command(process: Path) -> bytes:
    with contextlib.suppress(OSError):
        return (process / "cmdline").read_bytes()
    return b""


def _parent(pid: int) -> int:
    return int(Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[1])


@pytest.fixture(scope="session")
def built(tmp_path_factory) -> Path:
    return build_station(tmp_path_factory.mktemp("station") / "pier")


@pytest.fixture(scope="session")
def built_long(tmp_path_factory) -> Path:
    """Songs over three minutes long: nothing moves on while a test looks, however slow the machine.

    A night of them has few lines, and is planned quickly.
    """
    return build_station(tmp_path_factory.mktemp("long") / "pier", 8, 200, 8000)


@pytest.fixture
def station(built, tmp_path) -> Path:
    """A copy of the small station: station folders can be moved."""
    return Path(shutil.copytree(built, tmp_path / "pier"))


@pytest.fixture(autouse=True)
def runtime(tmp_path, monkeypatch):
    """A runtime folder and settings of its own for each test; socket paths must stay short."""
    import tempfile

    with tempfile.TemporaryDirectory(prefix="ns", dir="/tmp") as short:
        monkeypatch.setenv("XDG_RUNTIME_DIR", short)
        monkeypatch.setenv("XDG_CONFIG_HOME", str(tmp_path / "config"))
        monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
        # whoever runs the tests on a battery has no finding more
        monkeypatch.setattr("nightly_spindle.store.programme.snapshot.on_battery", lambda: None)
        yield

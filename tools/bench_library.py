"""The library's part of the benchmark table: measuring, taking in, 100,000 items to look at."""

from __future__ import annotations

import shutil
import subprocess
import sys
import time
from collections.abc import Callable
from typing import TYPE_CHECKING, Any

import numpy as np
import soundfile

if TYPE_CHECKING:
    from pathlib import Path

RATE = 44_100
Row = Callable[[str, str, str, bool], None]
Best = Callable[..., float]

OPEN = """
import json, sys, time
from pathlib import Path
from PySide6.QtCore import QEventLoop, QSettings
from nightly_spindle.desk.shell.app import application, open_window
app = application()
w = open_window(Path(sys.argv[1]), QSettings(sys.argv[2], QSettings.Format.IniFormat))
w.resize(1280, 800); w.show()
def until(ready):
    begun = time.perf_counter()
    while not ready():
        # waiting, not spinning: the answer comes from a thread that needs its turn
        app.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
        if time.perf_counter() - begun > 60: raise SystemExit('nothing came')
    return time.perf_counter() - begun
until(lambda: w.air.planned is not None)
"""

LOOK = (
    OPEN
    + """
table = w.library.items.table
shown = []
begun = time.perf_counter()
w.go_to("Library")
until(lambda: table.items.rowCount() > 0); w.grab()
first = time.perf_counter() - begun
until(lambda: table.items.rowCount() == int(sys.argv[3]))
field = w.library.items.field
def forget(catalogue):
    catalogue._arrays.answers.clear()
    catalogue._arrays.index._left.clear()
    return True
def typed():
    forgot, times = [], []
    w.shelf.look(forget, forgot.append)
    until(lambda: forgot)
    for text in TEXTS:
        w.library.items._found = None
        begun = time.perf_counter()
        field.setText(text)
        until(lambda: w.library.items._found is not None)
        app.processEvents()  # painted as well
        times.append(time.perf_counter() - begun)
    return times
TEXTS = ("a", "ar", "art", "arti", "artis", "artist", "artist 7", "artist 71", "artist 7",
         "artist", "s", "song 12", "", "quay", "song 9 art")
until(lambda: w.shelf._queue.empty())
# of each key the best of three: what is measured is the desk, not what else the machine does
times = sorted(map(min, zip(typed(), typed(), typed())))
status = Path("/proc/self/status").read_text()
memory = int(status.split("VmHWM:")[1].split()[0]) / 1024
print(json.dumps([first, times[len(times) // 2], times[-1], memory]))
w.close()
"""
)


def measuring(work: Path, row: Row, best: Best) -> None:
    """Full measuring of a 4-minute FLAC beside plain decoding and ffmpeg's loudness filter."""
    from scipy.signal import lfilter

    from nightly_spindle.audio.files import SequentialFile
    from nightly_spindle.audio.measure import measure_file

    path = work / "four.flac"
    dice = np.random.default_rng(1)
    count = 240 * RATE
    wave = lfilter([1], [1, -0.97], dice.standard_normal((count, 2)), axis=0)
    wave *= 0.04 / wave.std() * (0.3 + 0.7 * np.abs(np.sin(np.arange(count) / RATE * 2)))[:, None]
    soundfile.write(path, wave.astype(np.float32), RATE)

    def shortest(what: Callable[[], Any]) -> float:
        taken = []
        for _ in range(5):
            begun = time.perf_counter()
            what()
            taken.append(time.perf_counter() - begun)
        return min(taken)

    def decode() -> None:
        with SequentialFile(path) as file:
            file.straight_on = True
            block = np.empty((65_536, 2), np.float32)
            while len(file.read(out=block)):
                pass

    ours, alone = shortest(lambda: measure_file(str(path))), shortest(decode)
    told = f"{ours:.2f} s, ratio {ours / alone:.2f}"
    row("measure 4 min of FLAC (ratio to decoding alone)", told, "<= 2.5", ours <= 2.5 * alone)
    if shutil.which("ffmpeg"):
        command = [
            "ffmpeg",
            "-nostats",
            "-loglevel",
            "error",
            "-i",
            str(path),
            "-filter_complex",
            "ebur128=peak=true",
            "-f",
            "null",
            "-",
        ]
        theirs = best(command, 3)
        told = f"{theirs:.2f} s, {theirs / ours:.1f} times ours"
        row("the same by ffmpeg's ebur128=peak=true", told, ">= 3 times", theirs >= 3 * ours)
    _many(work, path, alone, row)


def _many(work: Path, path: Path, alone: float, row: Row) -> None:
    """Twelve of them taken in, half of them MP3: bounded by decoding."""
    folder = work / "many"
    folder.mkdir()
    wave, _ = soundfile.read(path, dtype="float32")
    for n in range(6):
        shutil.copy(path, folder / f"Artist {n} - Song {n}.flac")
    soundfile.write(folder / "0.mp3", wave, RATE)
    for n in range(1, 6):
        shutil.copy(folder / "0.mp3", folder / f"{n}.mp3")
    begun = time.perf_counter()
    for file in sorted(folder.iterdir()):
        with soundfile.SoundFile(file) as sound:
            block = np.empty((65_536, 2), np.float32)
            while len(sound.read(out=block)):
                pass
    decoding = time.perf_counter() - begun
    station = work / "taking"
    new = [sys.executable, "-m", "nightly_spindle"]
    subprocess.run(
        [*new, "station", "new", str(station), "--name", "T", "--timezone", "UTC"],
        check=True,
        capture_output=True,
    )
    begun = time.perf_counter()
    subprocess.run(
        [*new, "import", str(station), str(folder), "--kind", "promo"],
        check=True,
        capture_output=True,
    )
    taken = time.perf_counter() - begun
    told = f"{taken:.1f} s, ratio {taken / decoding:.2f}"
    row(
        "take in 12 songs of 4 min (ratio to decoding, one core)",
        told,
        "<= 2.5",
        taken <= 2.5 * decoding,
    )
    del alone


def looking(station: Path, work: Path, count: int, row: Row) -> None:
    """The place Library over 100,000 items."""
    import json

    told = subprocess.run(
        [sys.executable, "-c", LOOK, str(station), str(work / "look.ini"), str(count)],
        check=True,
        capture_output=True,
        text=True,
    ).stdout
    first, middle, longest, memory = json.loads(told)
    row(
        "library, 100,000 items: first rows after opening",
        f"{first * 1000:.0f} ms",
        "< 300 ms",
        first < 0.3,
    )
    row(
        "library: from a key to the filter's rows painted",
        f"{middle * 1000:.0f} ms (longest {longest * 1000:.0f})",
        "< 30 ms",
        middle < 0.03,
    )
    row("desk's memory with it", f"{memory:.0f} MB", "< 400 MB", memory < 400)

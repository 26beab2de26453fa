"""The benchmark table: each row in one run, as a ratio where something comparable exists.

python tools/bench.py [--quick]      # --quick: two minutes of engine instead of an hour
"""

from __future__ import annotations

import os
import resource
import shutil
import subprocess
import sys
import tempfile
import time
from datetime import date
from pathlib import Path

import numpy as np
import soundfile
from bench_big import big
from bench_campaigns import placing
from bench_cues import marking, measuring_anew
from bench_desk import desk
from bench_events import expanding, landing, painting
from bench_formats import making
from bench_library import looking, measuring
from bench_logs import reading
from bench_overlays import ducking, planning

RATE = 44_100
DAY = date(2026, 11, 24)
PYTHON = sys.executable
ROWS: list[tuple[str, str, str, bool]] = []


def row(what: str, got: str, wanted: str, good: bool) -> None:
    """Keep one line of the table, and show it at once."""
    ROWS.append((what, got, wanted, good))
    print(f"{'ok  ' if good else 'MISS'} {what:<52} {got:<34} wanted {wanted}", flush=True)


def best(command: list[str], times: int = 5, **options: object) -> float:
    """Return the shortest wall time of a command, in seconds."""
    taken = []
    for _ in range(times):
        begun = time.perf_counter()
        subprocess.run(command, check=True, capture_output=True, **options)  # type: ignore[call-overload]
        taken.append(time.perf_counter() - begun)
    return min(taken)


def cli(*arguments: object) -> list[str]:
    """Return the command line of the program."""
    return [PYTHON, "-m", "nightly_spindle", *map(str, arguments)]


def library(folder: Path, count: int) -> None:
    """Make a station of `count` songs of 3 to 4 min that share one file, and a log of 400."""
    from nightly_spindle.store.base.database import connect
    from nightly_spindle.store.base.station_folder import new_station

    new_station(folder, {"name": "Bench", "timezone": "Europe/Lisbon"})
    audio = folder / "audio"
    audio.mkdir()
    soundfile.write(folder / "one.wav", np.zeros((100, 2)), RATE)
    connection = connect(folder)
    connection.execute("INSERT INTO root (id, path) VALUES (1, 'audio')")
    rows = []
    for n in range(count):
        name = f"song {n:06}.wav"
        (audio / name).symlink_to("../one.wav")
        long = 190.0 + n % 60
        artist = f"Artist {n % 900}"
        rows.append(
            (
                n + 1,
                "song",
                f"Song {n}",
                artist,
                "",
                "",
                1,
                name,
                name,
                0,
                long,
                RATE,
                2,
                -16.0,
                5.0,
                -1.0,
                0.0,
                long,
                long - 3,
                long - 6,
                "fade",
                artist.lower(),
                f"song {n}",
                f" {artist.lower()} song {n} song {n + 1}",
            )
        )
    marks = ",".join("?" * len(rows[0]))
    with connection:
        connection.executemany(
            "INSERT INTO item (cart, kind, title, artist, album, year, root_id, path, name_key,"
            " added_us, duration_s, sample_rate, channels, integrated_lufs, loudness_range_lu,"
            " true_peak_dbtp, cue_in_s, cue_out_s, segue_s, fade_start_s, ending, sort_artist,"
            f" sort_title, words) VALUES ({marks})",
            rows,
        )
        connection.execute(
            "INSERT INTO category (id, name, weight, turn) VALUES"
            " (1, 'Quay rotation', 1, 'oldest first'), (2, 'Low', 1, 'oldest first')"
        )
        connection.execute("INSERT INTO item_category SELECT cart, 1 + (cart % 3 = 0) FROM item")
    connection.close()
    step = max(1, count // 400)
    names = [f"../audio/song {n * step % count:06}.wav" for n in range(400)]
    (folder / "logs" / f"{DAY}.m3u").write_text("\n".join(names) + "\n", encoding="utf-8")


def rehearsal(work: Path) -> None:
    """A day of 400 lines, with a small and a large library."""
    bare = best([PYTHON, "-c", "pass"])
    taken = {}
    for count in (1000, 100_000):
        folder = work / f"lib{count}"
        library(folder, count)
        day = cli("rehearse", folder, "--from", f"{DAY}T00:00", "--hours", 24, "--json")
        taken[count] = best(day) - bare
    small, large = taken[1000], taken[100_000]
    row(
        "rehearse 24 h, 400 lines, beyond Python's start", f"{small:.2f} s", "< 0.50 s", small < 0.5
    )
    ratio = large / small
    row(
        "the same with 100,000 items", f"{large:.2f} s, ratio {ratio:.2f}", "ratio <= 2", ratio <= 2
    )


def render(work: Path) -> None:
    """Six FLAC songs with 3 s crossfades, beside ffmpeg's acrossfade and plain decoding."""
    folder, audio = work / "render", work / "six"
    subprocess.run(
        cli("station", "new", folder, "--name", "R", "--timezone", "UTC"),
        check=True,
        capture_output=True,
    )
    audio.mkdir()
    dice = np.random.default_rng(1)
    seconds = 180
    for n in range(6):
        at = np.arange(seconds * RATE) / RATE
        wave = 0.2 * np.sin(2 * np.pi * (200 + 30 * n) * at) + 0.02 * dice.standard_normal(len(at))
        wave[-8 * RATE :] *= np.linspace(1, 0, 8 * RATE) ** 2
        soundfile.write(audio / f"{n}.flac", np.repeat(wave[:, None], 2, axis=1), RATE)
    subprocess.run(cli("import", folder, audio, "--kind", "song"), check=True, capture_output=True)
    names = "\n".join(str(audio / f"{n}.flac") for n in range(6))
    (folder / "logs" / f"{DAY}.m3u").write_text(names + "\n", encoding="utf-8")
    total = 6 * seconds - 20
    out = work / "out.wav"
    ours = best(
        cli("render", folder, "--from", f"{DAY}T00:00", "--seconds", total, "--out", out), 3
    )
    startup = best(cli("rehearse", folder, "--from", f"{DAY}T00:00", "--hours", 0.01), 3)
    decode = (
        "import soundfile,numpy as np,sys\nb=np.empty((65536,2),'float32')\n"
        "for p in sys.argv[1:]:\n f=soundfile.SoundFile(p)\n while len(f.read(out=b)): pass"
    )
    files = [str(audio / f"{n}.flac") for n in range(6)]
    alone = best([PYTHON, "-c", decode, *files], 3)
    told = f"{ours:.2f} s (start {startup:.2f}), ratio {ours / alone:.2f}"
    good = ours <= 1.5 * alone
    if shutil.which("ffmpeg"):
        chain = ";".join(
            f"{'[0]' if n == 1 else f'[m{n - 1}]'}[{n}]acrossfade=d=3:c1=qsin:c2=nofade"
            + (f"[m{n}]" if n < 5 else "")
            for n in range(1, 6)
        )
        inputs = [part for file in files for part in ("-i", file)]
        command = ["ffmpeg", "-y", "-loglevel", "error", *inputs, "-filter_complex", chain]
        theirs = best([*command, str(work / "theirs.wav")], 3)
        told += f", ffmpeg {theirs:.2f} s"
        good = good or ours <= theirs
    row("render six FLAC songs (ratio to decoding alone)", told, "<= 1.5 or <= ffmpeg", good)


def engine(work: Path, demo: Path, hours: float) -> None:
    """The engine at twenty times real time."""
    folder = Path(shutil.copytree(demo, work / "air"))
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    command = cli(
        "air",
        folder,
        "--pace",
        20,
        "--clock",
        f"{DAY}T03:00",
        "--seconds",
        hours * 3600,
        "--no-supervisor",
    )
    process = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    told, _ = process.communicate()
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    used = after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
    share = used / (hours * 3600) * 100
    memory = peak_of(folder)
    late = int(told.split("off air;")[1].split()[0])
    row("engine, of one core in real time", f"{share:.1f} %", "< 5 %", share < 5)
    row(f"engine, memory after {hours:g} h", f"{memory:.0f} MB", "< 200 MB", memory < 200)
    row("engine at --pace 20, blocks late", f"{late}", "0", late == 0)


def peak_of(folder: Path) -> float:
    """Return the engine's highest resident memory in MB: it runs once more, for a moment."""
    command = cli("air", folder, "--pace", 20, "--cold", "--no-supervisor")
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    time.sleep(15)
    status = Path(f"/proc/{process.pid}/status").read_text(encoding="ascii")
    process.terminate()
    process.wait(20)
    return float(status.split("VmHWM:")[1].split()[0]) / 1024


def main() -> int:
    """Run everything; returns 1 when a wish is missed."""
    os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
    quick = "--quick" in sys.argv
    with tempfile.TemporaryDirectory(prefix="bench") as name:
        work = Path(name)
        os.environ["XDG_RUNTIME_DIR"] = name
        demo = work / "demo"
        begun = time.perf_counter()
        subprocess.run(
            cli("demo", "--folder", demo, "--build-only"), check=True, capture_output=True
        )
        built = time.perf_counter() - begun
        row("demo station built", f"{built:.0f} s", "< 40 s", built < 40)
        rehearsal(work)
        looking(work / "lib100000", work, 100_000, row)
        reading(work / "lib100000", row)
        expanding(row)
        landing(row)
        painting(row)
        planning(row)
        ducking(row)
        placing(row)
        making(row)
        measuring(work, row, best)
        marking(work, demo, row)
        measuring_anew(work, demo, row)
        render(work)
        big(work, row)
        desk(work, demo, row, best)
        engine(work, demo, 1 / 30 if quick else 1.0)
    missed = [what for what, _, _, good in ROWS if not good]
    print(f"{len(ROWS) - len(missed)} of {len(ROWS)} as wanted.")
    return 1 if missed else 0


if __name__ == "__main__":
    sys.exit(main())

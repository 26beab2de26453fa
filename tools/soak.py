"""Simulated days of the demo station with everything that goes wrong, drawn at random.

    python tools/soak.py [--days N] [--seed N] [--fuzz SECONDS] [--kills N] [--engine-hours N]

The days run through the engine's own way from the sequencer to the as-run log with a simulated
clock and no sound: logs that are late, missing, cut or half unknown, events, breaks, overlays,
folders that go away and come back, files that cannot be played, a locked database, kills. Then odd
files for every reader; then the real engine is killed at random moments; then it plays for hours
at pace, its memory and processor time measured. Exit status 1 when something was lost, doubled,
silent for over 2 s, or grew.
"""

from __future__ import annotations

import argparse
import os
import random
import resource
import sys
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from statistics import mean
from typing import TYPE_CHECKING, Any

from fault_station import Station, build, write_log
from fuzzing import fuzz
from soak_days import BEGIN, ZONE, Days, rss

from nightly_spindle.simulators import demo

if TYPE_CHECKING:
    import subprocess

PACE = 25
MOST_DOWN_S = 3.0
QUIET = 0.05  # a machine is, while its host takes less of the processors
MOST_OF_A_CORE = 0.05
MOST_MB = 12.0  # 5,000 records at hand are about 5 MB of it
MOST_LAST_MB = 1.5  # in the last eighth, when they have long been full


def soak_days(folder: Path, days: int, seed: int) -> list[str]:
    """Run the days; returns what is wrong."""
    run = Days(folder, random.Random(seed))
    at_start = rss()
    run.run(days)
    lost, doubled = run.lost_and_doubled()
    print(f"{days} days, seed {seed}: {dict(sorted(run.counts.items()))}")
    print(
        f"dead air over 2 s: {len(run.dead)}; lines lost: {lost}; lines doubled: {doubled}; "
        f"memory {at_start:.0f} MB at the start, {rss():.0f} MB at the end"
    )
    wrong = [f"dead air: {one}" for one in run.dead[:20]]
    wrong += [f"{lost} lines lost"] if lost else []
    return wrong + ([f"{doubled} lines doubled"] if doubled else [])


def processors() -> tuple[int, int]:
    """Return the processors' time so far, and what of it the host took (ticks; proc(5))."""
    parts = [int(n) for n in Path("/proc/stat").read_text("ascii").split("\n")[0].split()[1:9]]
    return sum(parts), parts[7]


def soak_kills(template: Path, kills: int, dice: random.Random) -> list[str]:
    """Kill the real engine at random moments; returns what is wrong.

    A machine is quiet while its host takes little of it: what comes back late beside that is told,
    and counts as late only where the machine was quiet.
    """
    at = Station(template)
    wrong: list[str] = []
    took: list[tuple[float, float]] = []  # seconds; share that the host took
    try:
        at.air()
        for _ in range(kills):
            time.sleep(dice.uniform(0.3, 4.0))
            before, pid = at.sight(), at.engine_pid()
            killed, used = time.monotonic(), processors()
            os.kill(pid, 9)

            def back(pid: int = pid) -> bool:
                answer = at.ask("state")
                return bool(
                    answer
                    and answer["pid"] != pid
                    and answer["sight"]
                    and answer["state"]["order"]["playing"]
                )

            if not at.wait(back, 20):
                wrong.append("it is not back within 20 s")
                break
            now = processors()
            took.append((time.monotonic() - killed, (now[1] - used[1]) / max(1, now[0] - used[0])))
            place = out_of_place(before, at.sight())
            wrong += [place] if place else []
        time.sleep(2)
        wrong += at.holes(0, time.time_ns() // 1000)
    finally:
        at.close()
    seconds = [one for one, _ in took]
    late = [one for one, stolen in took if one > MOST_DOWN_S and stolen < QUIET]
    beside = [one for one, stolen in took if one > MOST_DOWN_S and stolen >= QUIET]
    load, mean_s = os.getloadavg()[0], sum(seconds) / len(took)
    print(
        f"{len(took)} kills: back after {min(seconds):.1f} to {max(seconds):.1f} s (mean "
        f"{mean_s:.1f}), {len(late)} after more than {MOST_DOWN_S:g} s, and {len(beside)} while "
        f"the host took {QUIET:.0%} or more of the processors; load {load:.1f}"
    )
    return wrong + [f"back after {one:.1f} s" for one in late]


def out_of_place(before: dict[str, Any] | None, after: dict[str, Any] | None) -> str:
    """Say when the engine is not at the line that its log has by now, give or take one."""
    if (
        not before
        or not after
        or not before["state"]["order"]["playing"]
        or not after["state"]["order"]["playing"]
    ):
        return ""
    was = before["state"]["order"]["playing"]["line"]["origin"]
    now = after["state"]["order"]["playing"]["line"]["origin"]
    if was["source"] == now["source"] == "log" and not 0 <= now["line"] - was["line"] <= 2:
        return f"line {was['line']} before, line {now['line']} after"
    return "" if was["source"] == now["source"] else f"{was['source']}, then {now['source']}"


def soak_engine(template: Path, hours: float) -> list[str]:
    """Run the real engine at pace for so many hours of station time; returns what is wrong."""
    grew = _memory_at_pace(template, hours)
    at = Station(template)
    try:
        process = at.air("--no-supervisor", "--no-intake", heard=False)
        time.sleep(5)
        used = cpu_s(process)
        time.sleep(60)
        share = (cpu_s(process) - used) / 60
    finally:
        at.close()
    print(f"in real time: {share:.1%} of a core")
    return grew + ([f"{share:.1%} of a core"] if share > MOST_OF_A_CORE else [])


def _memory_at_pace(template: Path, hours: float) -> list[str]:
    """Return what is wrong with the engine's memory over so many hours of station time."""
    at = Station(template)
    memory: list[tuple[float, float]] = []  # hours of station time, MB
    begin = datetime.now(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    try:
        for day in range(1, 2 + int(hours // 24)):
            date = (begin + timedelta(days=day)).strftime("%Y-%m-%d")
            write_log(at.folder, at.music.parent, date)
        options = ("--pace", str(PACE), "--clock", begin.isoformat(), "--no-supervisor")
        process = at.air(*options, "--no-intake", heard=False)
        done, silent = 0.0, 0
        while done < hours and silent < 5:
            time.sleep(5)
            sight = at.sight()
            silent = 0 if sight else silent + 1
            if sight is None:
                continue
            done = (sight["sight"]["now_us"] / 1e6 - begin.timestamp()) / 3600
            pages = int(Path(f"/proc/{process.pid}/statm").read_text(encoding="ascii").split()[1])
            memory.append((done, pages * resource.getpagesize() / 1e6))
    finally:
        at.close()
    if done < hours:
        return [f"the engine at pace ended after {done:.1f} h"]
    eighths = [mean(mb for hour, mb in memory if int(hour * 8 / hours) == n) for n in range(8)]
    told = ", ".join(f"{one:.1f}" for one in eighths)
    print(f"{hours:g} h at pace {PACE}: MB in each eighth: {told}")
    grew, still = eighths[7] - eighths[1], eighths[7] - eighths[6]
    wrong = [f"memory grew by {grew:.1f} MB"] if grew > MOST_MB else []
    return wrong + ([f"memory still grows: {still:.1f} MB"] if still > MOST_LAST_MB else [])


def cpu_s(process: subprocess.Popen[bytes]) -> float:
    """Return the processor time of a process, seconds."""
    parts = Path(f"/proc/{process.pid}/stat").read_text(encoding="ascii").rpartition(")")[2].split()
    return (int(parts[11]) + int(parts[12])) / os.sysconf("SC_CLK_TCK")


def main() -> int:
    """Soak."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--days", type=int, default=30)
    parser.add_argument("--seed", type=int, default=random.randrange(10**6))
    parser.add_argument("--fuzz", type=float, default=600.0)
    parser.add_argument("--kills", type=int, default=200)
    parser.add_argument("--engine-hours", type=float, default=24.0)
    options = parser.parse_args()
    print(f"seed {options.seed}; {timedelta(days=options.days)} from {BEGIN.astimezone(UTC)}")
    wrong: list[str] = []
    with tempfile.TemporaryDirectory(prefix="soak-", dir="/tmp") as work:
        folder = Path(work) / "station"
        if options.days:
            demo.build(folder, ZONE.key, lambda *_: None)
            wrong += soak_days(folder, options.days, options.seed)
        template = Path(work) / "template"
        template.mkdir()
        small = build(template)
        if options.fuzz:
            count, odd = fuzz(Path(work), small, options.fuzz, options.seed)
            print(
                f"{count} odd files for every reader: {len(odd)} ended otherwise than they should"
            )
            wrong += odd
        if options.kills:
            wrong += soak_kills(template, options.kills, random.Random(options.seed))
        if options.engine_hours:
            wrong += soak_engine(template, options.engine_hours)
    for one in wrong:
        print(f"WRONG: {one}")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())

"""A table of faults, each done to the real engine with its output captured (`make faults`).

    python tools/faults.py [--only WORDS] [--jobs N]

For each: what was done, the longest silence, how long until the operator was told and in which
sentence, whether the as-run log is complete, how it went on. Exit status 1 when one is not as
promised: more than 2 s of silence (3 s where a process was killed), told later than 15 s, a hole.
"""

from __future__ import annotations

import argparse
import os
import shutil
import sys
import tempfile
import time
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from importlib import import_module
from itertools import chain
from pathlib import Path

from fault_station import Report, Station, build
from fault_table import FAULTS, Fault

for _part in ("processes", "storage", "starts", "folders", "devices", "the_socket"):
    import_module(f"faults_of_{_part}")  # each puts its own into the table

MOST_S, MOST_DOWN_S = 2.0, 3.0
SETTLE_S, AFTER_S = 5.0, 14.0


def tried(fault: Fault, template: Path) -> Report:
    """Do one fault to a station of its own; returns what was seen."""
    report = Report(fault.name)
    at = None
    try:
        at = Station(template, share=fault.share)
        watched(fault, at, report)
    except OSError as error:
        report.skipped = str(error)
    except AssertionError as error:
        report.wrong.append(str(error))
    finally:
        if at is not None:
            if report.wrong:
                keep(at, fault)
            at.close()
    return report


def keep(at: Station, fault: Fault) -> None:
    """Keep what a station that failed said."""
    place = Path(tempfile.gettempdir()) / "faults" / fault.name.replace("/", " ")
    shutil.rmtree(place, ignore_errors=True)
    place.mkdir(parents=True)
    database = "all/station/station.db"
    for name in ("air.log", "all/station/messages", database, f"{database}-wal"):
        source = at.base / name
        if source.is_dir():
            shutil.copytree(source, place / source.name)
        elif source.exists():
            shutil.copy(source, place)


def watched(fault: Fault, at: Station, report: Report) -> None:
    """Put the station on air, do the harm, watch, put it right, watch again."""
    if not fault.before:
        at.air()
        time.sleep(SETTLE_S)
        at.mark()
    begun = time.monotonic()
    begun_us = time.time_ns() // 1000
    undo = fault.harm(at)
    begun = at.harmed or begun
    first = begin_of_sound(at) if fault.before else begun_us
    end = time.monotonic() + fault.lasts_s
    while time.monotonic() < end:
        if fault.told and report.told_s is None:
            report.told = at.told(fault.told)
            report.told_s = time.monotonic() - begun if report.told else None
        time.sleep(0.25)
    if callable(undo):
        undo()
    time.sleep(AFTER_S)
    if fault.told and report.told_s is None:
        report.wrong.append(f"nobody was told “{fault.told}”")
    judged(fault, at, report, max(first, begun_us if not fault.before else first))


def begin_of_sound(at: Station) -> int:
    """Return the instant at which the engine's own sound begins, in the newest file of it."""
    files = sorted(at.heard.glob("*.raw"))
    return int(files[-1].stem) + 500_000 if files else time.time_ns() // 1000


def judged(fault: Fault, at: Station, report: Report, since_us: int) -> None:
    """Judge silence, the as-run log, and how it goes on."""
    until_us = time.time_ns() // 1000 - 1_500_000
    sight = at.sight()
    if sight is None:
        report.wrong.append("no engine answers in the end")
        return
    simulated = sight["sight"]["simulated"]
    if simulated:
        report.silence_s = at.silence_s(since_us, until_us)
        most = MOST_DOWN_S if fault.down else MOST_S
        if report.silence_s > most:
            report.wrong.append(f"{report.silence_s:.1f} s of silence")
    late = fault.within_s + (fault.lasts_s if fault.down else 0)
    if report.told_s is not None and report.told_s > late:
        report.wrong.append(f"told after {report.told_s:.1f} s")
    playing = sight["state"]["order"]["playing"]
    origin = playing["line"]["origin"] if playing else {"source": "nothing", "file": ""}
    report.went_on = f"{origin['source']} {origin['file']}".strip()
    if at.air_after_s is not None:
        report.went_on = f"sounding {at.air_after_s:.1f} s after its start, {report.went_on}"
        if at.air_after_s > MOST_S:
            report.wrong.append(f"took the air only after {at.air_after_s:.1f} s")
    if sight["sight"]["problem"]:
        report.wrong.append(f"in the end: {sight['sight']['problem']}")
    burnt = at.burnt(since_us, until_us)
    report.wrong += [burnt] if burnt else []
    if fault.complete and simulated:
        report.holes = at.holes(since_us - 3_000_000, until_us)
        report.wrong += report.holes


def row(report: Report) -> str:
    """Return a report as a line of the table."""
    if report.skipped:
        return f"| {report.name} | skipped: {report.skipped} | | | |"
    told = "" if report.told_s is None else f"{report.told_s:.1f} s: {report.told}"
    state = "as promised" if not report.wrong else "WRONG: " + "; ".join(report.wrong)
    return f"| {report.name} | {report.silence_s:.1f} s | {told} | {report.went_on} | {state} |"


def main() -> int:
    """Do the faults, several stations beside each other, then those that need quiet."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--only", default="", help="those whose name has these words")
    parser.add_argument("--jobs", type=int, default=max(1, (os.cpu_count() or 1)))
    options = parser.parse_args()
    faults = [one for one in FAULTS if options.only in one.name]
    with tempfile.TemporaryDirectory(prefix="faults-") as work:
        template = Path(work)
        build(template)
        with ThreadPoolExecutor(options.jobs) as pool:
            print("| fault | longest silence | told after, in which sentence | went on with | |")
            print("|---|---|---|---|---|", flush=True)
            trial = partial(tried, template=template)
            beside = pool.map(trial, [one for one in faults if not one.alone])
            wrong = 0
            for report in chain(beside, map(trial, (one for one in faults if one.alone))):
                print(row(report), flush=True)
                wrong += bool(report.wrong)
    load = " ".join(f"{one:.1f}" for one in os.getloadavg())
    print(f"{len(faults)} faults, {wrong} not as promised; load {load}")
    return 1 if wrong else 0


if __name__ == "__main__":
    sys.exit(main())

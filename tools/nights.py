"""Two nights on air with everything that can go wrong with logs: `python tools/nights.py`.

A daily, an hourly and a weekday drop from noon on 24 October 2026, through the 25-hour Sunday
in Lisbon, to noon on the 26th, first rehearsed, then live at `--pace`. In the night one log is
missing, one comes 20 minutes late, one is half written at its time, and of one every tenth line
is unknown. Says what was seen and ends with 1 when something is not as it should be.
"""

from __future__ import annotations

import argparse
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from datetime import datetime
from itertools import pairwise
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np
import soundfile

from nightly_spindle.air.client import ask
from nightly_spindle.air.messages import State
from nightly_spindle.core.base.errors import NotOnAir
from nightly_spindle.core.base.timebase import US, clock, parse_instant, resolve_local, zone
from nightly_spindle.core.calendar.log_periods import Period, Slot
from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.library.intake import IntakeOptions
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop, WhenShort
from nightly_spindle.intake.bring_in import Intake, bring_in
from nightly_spindle.simulators.scheduler import Fault, day_log, entries_of, leave_log
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.logs.log_source_edits import save_drop
from nightly_spindle.store.playout.journal import alarms_between, as_run_between
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    from nightly_spindle.core.reports.as_run import AsRun

ZONE = zone("Europe/Lisbon")
MISSING_HOUR = 3
FAULTS = {
    MISSING_HOUR: Fault.NO_LOG,
    5: None,
    7: Fault.HALF_WRITTEN,
    9: Fault.UNKNOWN_LINES,
}
LATE_HOUR, LATE_S = 5, 1200.0
NIGHT = datetime(2026, 10, 25)  # noqa: DTZ001 - local time of the station
RATE = 44_100
FOREVER = 2**62


def local(text: str) -> int:
    """Return an instant from local time."""
    return parse_instant(text, ZONE)


def build(folder: Path, songs: int = 14) -> dict[int, LogDrop]:
    """Make a station with songs of three minutes and three drops."""
    new_station(folder, {"name": "Two nights", "timezone": str(ZONE), "rate": str(RATE)})
    for kind, count, seconds in (("song", songs, 170), ("id", 2, 8)):
        place = folder / "audio" / kind
        place.mkdir(parents=True)
        for n in range(count):
            at = np.arange((seconds + 3 * n) * RATE) / RATE
            wave = 0.2 * np.sin(2 * np.pi * (220 + 40 * n) * at)
            soundfile.write(place / f"Wren {n} - Lamp {kind} {n}.wav", wave, RATE)
    bring_in(
        folder,
        [Intake([folder / "audio" / k], IntakeOptions(Kind(k))) for k in ("song", "id")],
    )
    at_time = DropOptions(loads=Loads.AT_TIME, expected="")
    options = {
        "Day": replace(at_time, placement=Placement.REPLACE),
        "Hours": replace(
            at_time, period=Period.HOUR, placement=Placement.FRONT, short=WhenShort.ROTATION
        ),
        "Week": replace(at_time, period=Period.WEEKDAY, placement=Placement.END, entry=Entry.NEXT),
    }
    names = {"Day": "%Y-%m-%d.m3u", "Hours": "%y%m%d_%H.m3u", "Week": "%A.m3u"}
    with LibraryTransaction(folder) as library:
        for number, (name, group) in enumerate(options.items(), 1):
            (folder / name).mkdir()
            drop = LogDrop(
                number if number == 1 else 0, name, str(folder / name), names[name], group
            )
            save_drop(library, drop)
    return open_station(folder).programme.drops


class Scheduler:
    """Leaves the logs; `late` is what is written while the station is on air."""

    def __init__(self, folder: Path, drops: dict[int, LogDrop], begin: int, until: int) -> None:
        snapshot = open_station(folder)
        carts = [row["cart"] for row in snapshot.connection.execute("SELECT cart FROM item")]
        snapshot.reach(carts)
        self.items: list[Item] = [snapshot.programme.items[cart] for cart in carts]
        settings = snapshot.programme.settings
        self.late: list[tuple[int, LogDrop, Slot]] = []
        for drop in drops.values():
            here = snapshot.programme.slot(drop, begin)
            for slot in drop.slots(settings.tz, settings.day_start, here.start_us - 1, until):
                self._leave(drop, slot)
        snapshot.connection.close()

    def _leave(self, drop: LogDrop, slot: Slot) -> None:
        faulty = slot.hourly and slot.local.date() == NIGHT.date()
        fault = FAULTS.get(slot.local.hour) if faulty else None
        if faulty and slot.local.hour == LATE_HOUR:
            self.late.append((slot.start_us + round(LATE_S * US), drop, slot))
            return
        if fault is Fault.HALF_WRITTEN:
            # in place a while before its time, the rest some minutes after
            self.late.append((slot.start_us - 15 * 60 * US, drop, slot))
            self.late.append((slot.start_us + 6 * 60 * US, drop, slot))
            return
        self.write(drop, slot, {fault} if fault else set())

    def write(self, drop: LogDrop, slot: Slot, faults: set[Fault]) -> None:
        """Write one log: an hour's holds an hour, a day's 20 hours."""
        hours = 1.02 if slot.hourly else 20.0
        entries = entries_of(day_log(self.items, slot.key, drop.id, hours), drop.folder)
        leave_log(drop, slot, entries, faults)


def rehearsed(folder: Path, begin: int, hours: float) -> tuple[list[tuple[int, int]], list[str]]:
    """Return what the rehearsal says: starts and carts, and its findings."""
    snapshot = open_station(folder)
    snapshot.prepare(begin, begin + round(hours * 3600 * US))
    sequencer, begun = take_the_air(snapshot.programme, None, begin)
    night = rehearse(snapshot.programme, sequencer, begun, hours)
    snapshot.connection.close()
    starts = [(row.start, row.line.cart) for row in night.sounding()]
    return starts, [f.code for f in night.findings]


def live(folder: Path, begin: str, hours: float, pace: float, scheduler: Scheduler) -> str:
    """Run the engine, leaving the late logs as its clock reaches their time; returns its words."""
    command = [
        sys.executable,
        "-m",
        "nightly_spindle",
        "air",
        str(folder),
        "--pace",
        str(pace),
        "--clock",
        begin,
        "--seconds",
        str(hours * 3600),
        "--no-intake",
        "--no-supervisor",
        "--cold",
    ]
    log = folder / "engine.log"
    with log.open("w", encoding="utf-8") as out:
        engine = subprocess.Popen(command, stdout=out, stderr=out)
        told: dict[str, int] = {}
        while engine.poll() is None:
            time.sleep(0.1)
            try:
                sight = ask(folder, State()).sight
            except NotOnAir:
                continue
            while scheduler.late and sight and sight.now_us >= min(scheduler.late)[0]:
                _, drop, slot = entry = min(scheduler.late, key=lambda e: e[0])
                scheduler.late.remove(entry)
                first = told.setdefault(slot.key, 0) == 0 and slot.local.hour != LATE_HOUR
                told[slot.key] += 1
                scheduler.write(drop, slot, {Fault.HALF_WRITTEN} if first else set())
                if first:
                    half = Path(drop.folder) / drop.file_name(slot)
                    grow(half, engine, folder, slot.start_us + 5 * 60 * US)
    return log.read_text(encoding="utf-8")


def _now_us(folder: Path) -> int:
    sight = ask(folder, State()).sight
    return sight.now_us if sight is not None else 0


def grow(path: Path, engine: subprocess.Popen[bytes], folder: Path, until: int) -> None:
    """Keep a half-written log growing byte by byte, as a slow program does, until its time."""
    while engine.poll() is None and _now_us(folder) < until:
        with path.open("ab") as file:
            file.write(b"\n")
        time.sleep(0.3)


def check(folder: Path, begin: int, engine: str) -> list[str]:
    """Return what is not as it should be."""
    connection = connect(folder)
    lines = as_run_between(connection, begin, FOREVER)
    alarms = alarms_between(connection, begin, FOREVER)
    logs = [line for line in lines if line.title.startswith("Log ")]
    for line in logs:
        print(
            f"  {clock(line.start_us, ZONE)}  {line.origin:6} {line.title:24} {line.outcome}"
            f"  {line.note}"
        )
    print(f"alarms: {sorted((a.code, clock(a.at_us, ZONE)) for a in alarms)}")
    lost = [one for one in lines if one.outcome == "missing" and one not in logs]
    print(f"{len(lost)} unknown lines in the as-run log")
    wrong = [*silence(lines, engine), *not_loaded(logs)]
    codes = {alarm.code for alarm in alarms if alarm.at_us >= resolve_local(NIGHT, ZONE)}
    wanted = ("log-missing", "log-not-loaded", "log-late", "log-lines-missing")
    wrong += [f"no alarm {code}" for code in wanted if code not in codes]
    return wrong + ([] if lost else ["unknown lines left no trace"])


def silence(lines: list[AsRun], engine: str) -> list[str]:
    """Return what was too quiet: by the as-run log, and by what came out."""
    plays = [line for line in lines if line.kind]
    gap = max((b.start_us - a.end_us) / US for a, b in pairwise(plays))
    quiet = float(engine.rpartition("longest quiet ")[2].split()[0])
    print(f"{len(plays)} plays, longest gap between two {gap:.3f} s; longest quiet {quiet} s")
    print(engine.strip().splitlines()[-1])
    return [f"{what} of {s:.1f} s" for what, s in (("a gap", gap), ("quiet", quiet)) if s > 1.0]


def not_loaded(logs: list[AsRun]) -> list[str]:
    """Return which logs loaded that should not have, or not, or at the wrong time."""
    loaded = {(line.origin, line.title): line for line in logs if line.outcome == "loaded"}
    names = [f"Log 261025_{hour:02}.m3u" for hour in range(24)]
    wrong = [
        f"{name} of the hours: {('Hours', name) in loaded}"
        for hour, name in enumerate(names)
        if (("Hours", name) in loaded) is (hour == MISSING_HOUR)
    ]
    wrong += [
        f"{name} of {origin} was not loaded"
        for origin, name in (
            ("Day", "Log 2026-10-25.m3u"),
            ("Week", "Log Sunday.m3u"),
            ("Week", "Log Monday.m3u"),
        )
        if (origin, name) not in loaded
    ]
    twice = [line for line in logs if line.title == names[1] and line.outcome == "loaded"]
    if len(twice) != 2 or twice[1].start_us - twice[0].start_us != 3600 * US:
        wrong.append("the hour that comes twice did not load twice, an hour apart")
    late = loaded.get(("Hours", names[LATE_HOUR]))
    due = resolve_local(NIGHT.replace(hour=LATE_HOUR), ZONE) + round(LATE_S * US)
    if late is None or not 0 <= late.start_us - due < 15 * 60 * US or "from line" not in late.note:
        wrong.append(f"the late log: {late}")
    return wrong


def main() -> int:
    """Run the two nights."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--pace", type=float, default=100.0)
    parser.add_argument("--from", dest="from_", default="2026-10-24T12:00")
    parser.add_argument("--hours", type=float, default=49.0)
    options = parser.parse_args()
    with tempfile.TemporaryDirectory(prefix="nights-") as work:
        folder = Path(work) / "station"
        drops = build(folder)
        begin = local(options.from_)
        scheduler = Scheduler(folder, drops, begin, begin + round(options.hours * 3600 * US))
        starts, codes = rehearsed(folder, begin, options.hours)
        print(f"rehearsed: {len(starts)} plays; findings {sorted(set(codes))}")
        words = live(folder, options.from_, options.hours, options.pace, scheduler)
        wrong = check(folder, begin, words)
    for one in wrong:
        print(f"WRONG: {one}")
    print("all as it should be" if not wrong else f"{len(wrong)} things are wrong")
    return bool(wrong)


if __name__ == "__main__":
    sys.exit(main())

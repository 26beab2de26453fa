"""The logs of the demo station: a log a day, and one an hour for the night, faults included."""

from __future__ import annotations

import time
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.logs.log_meanings import Meaning, Means
from nightly_spindle.core.logs.log_writers import LogEntry
from nightly_spindle.core.station.log_sources import DropOptions, Loads, LogDrop, WhenShort
from nightly_spindle.simulators.scheduler import Fault, day_log, entries_of, leave_log
from nightly_spindle.store.programme.snapshot import Snapshot, open_station

if TYPE_CHECKING:
    from nightly_spindle.core.library.items import Item

_SEED = 7
_NIGHT = "Night hours"
_MISSING = "../audio/song/Ferry Horn Request.flac"


def night_hours(folder: Path) -> LogDrop:
    """Return the drop of the night's hours of the demo station in `folder`."""
    options = DropOptions(
        period=Period.HOUR,
        hours="0-5",
        loads=Loads.AT_TIME,
        entry=Entry.NEXT,
        placement=Placement.FRONT,
        short=WhenShort.ROTATION,
    )
    paths = (("M:\\Music", str(folder)),)
    meanings = (Meaning("*SPOTS 2*", Means.BREAK, 2),)
    return LogDrop(0, _NIGHT, str(folder / "night-logs"), "%y%m%d_%H.m3u", options, paths, meanings)


def leave_logs(folder: Path, day: date) -> list[Path]:
    """Have the scheduler stand-in leave the logs of `day`, the one before and the one after.

    What is there stays. The last names one item that nobody has: there is something to find.
    """
    snapshot = open_station(folder)
    rows = snapshot.connection.execute("SELECT cart FROM item ORDER BY cart")
    carts = [row["cart"] for row in rows]
    snapshot.reach(carts)
    items = [snapshot.programme.items[cart] for cart in carts]
    drop = next(iter(snapshot.programme.drops.values()))
    _leave_night_hours(snapshot, items)
    settings = snapshot.programme.settings
    before = day - timedelta(days=1)
    begin = resolve_local(datetime.combine(before, settings.day_start), settings.tz)
    left = []
    coming = drop.slots(settings.tz, settings.day_start, begin - 1, begin + 50 * 3600 * US)
    for slot in coming[:3]:
        if (Path(drop.folder) / drop.file_name(slot)).exists():
            continue
        entries = entries_of(day_log(items, slot.day, _SEED), drop.folder)
        if slot.day > day:
            lost = LogEntry(_MISSING, "The Breakwater Choir", "Ferry Horn Request", length_s=201.0)
            entries.insert(20, lost)
        path = leave_log(drop, slot, entries)
        assert path is not None
        left.append(path)
    snapshot.connection.close()
    return left


def _leave_night_hours(snapshot: Snapshot, items: list[Item]) -> None:
    """Leave the logs of last and coming night's hours: one named wrongly, one with a lost item."""
    drop = next((d for d in snapshot.programme.drops.values() if d.name == _NIGHT), None)
    if drop is None:
        return
    settings = snapshot.programme.settings
    now = time.time_ns() // 1000
    coming = drop.slots(settings.tz, settings.day_start, now - 30 * 3600 * US, now + 20 * 3600 * US)
    for slot in coming:
        hour = slot.local.hour
        if (Path(drop.folder) / drop.file_name(slot)).exists():
            continue
        hours = 0.9 if hour == 4 else 1.03
        entries = entries_of(day_log(items, slot.key, _SEED, hours), drop.folder)
        entries[3:3] = [LogEntry(type="break", comment="SPOTS 2 after the hour")]
        faults = {Fault.WRONG_NAME} if hour == 3 else set()
        if hour == 1:
            entries[2:2] = [
                LogEntry(_MISSING, "The Breakwater Choir", "Ferry Horn Request", length_s=201.0),
                LogEntry("../audio/song/track07.flac", "Harow Point", "Balast", length_s=150.0),
            ]
            faults = {Fault.WINDOWS_PATHS}
        leave_log(drop, slot, entries, faults)

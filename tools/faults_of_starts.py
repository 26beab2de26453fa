"""Starts on a station that something is wrong with: the air is to be taken all the same."""

from __future__ import annotations

import contextlib
import os
import signal
import sqlite3
import subprocess
import time
from functools import partial
from typing import TYPE_CHECKING

from fault_table import fault
from faults_of_devices import on_no_device
from faults_of_storage import backup, locked, put_back

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], object] | None]

QUIET_DB = -60.0
NO_DEVICE = ("--output", "device", "--device", "nul")


def start(name: str, told: str = "", lasts_s: float = 16.0) -> Callable[[Harm], Harm]:
    """Put a start into the table of faults."""
    return fault(name, told, before=True, down=True, alone=True, complete=False, lasts_s=lasts_s)


def start_with(
    at: Station, harm: Callable[[Station], Callable[[], object] | None], *options: str
) -> Callable[[], object] | None:
    """Run the engine for a while, stop it, do the harm, start it again; returns what undoes it.

    `options` are of the second start; by the sound device where they say so.
    """
    process = at.air()
    time.sleep(4)
    process.send_signal(signal.SIGTERM)
    process.wait(30)
    at.mark()
    undo = harm(at)
    at.harmed = time.monotonic()
    at.air(*options, wait=False, heard=not options)
    if not at.wait(at.is_heard if not options else lambda: meters(at), 15):
        raise AssertionError("it does not take the air")
    at.air_after_s = time.monotonic() - at.harmed
    return undo


def spoilt(at: Station, spoil: Callable[[Path], None]) -> Callable[[], object]:
    """Do something to the database's file; returns what puts a sound copy back."""
    kept = backup(at)
    spoil(at.folder / "station.db")
    return lambda: put_back(at, kept)


def meters(at: Station) -> bool:
    """Whether the engine's own meters show sound, where no device takes it."""
    sight = at.sight()
    return sight is not None and max(sight["sight"]["peak_db"]) > QUIET_DB


@start("start with the disk read-only", "cannot be written", lasts_s=20)
def _(at: Station) -> Callable[[], object] | None:
    place = at.small_disk()

    def harm(at: Station) -> Callable[[], object]:
        (at.folder / "air.lock").unlink()  # nor can one be made
        done = subprocess.run(["mount", "-o", "remount,bind,ro", str(place)], check=False)
        if done.returncode:
            raise OSError("a file system cannot be made read-only here")
        free = ["mount", "-o", "remount,bind,rw", str(place)]
        return lambda: subprocess.run(free, check=True) and None

    return start_with(at, harm)


@start("start with the database locked", "The station cannot be read", lasts_s=20)
def _(at: Station) -> Callable[[], object] | None:
    return start_with(at, locked)


@start("start with the database damaged", "The station cannot be read", lasts_s=20)
def _(at: Station) -> Callable[[], object] | None:
    def spoil(database: Path) -> None:
        with database.open("r+b") as file:
            file.write(os.urandom(8192))

    return start_with(at, partial(spoilt, spoil=spoil))


@start("start with the database missing", "The station cannot be read", lasts_s=20)
def _(at: Station) -> Callable[[], object] | None:
    def spoil(database: Path) -> None:
        for name in ("station.db", "station.db-wal", "station.db-shm"):
            database.with_name(name).unlink(missing_ok=True)

    return start_with(at, partial(spoilt, spoil=spoil))


@start("start with a database of a newer program", "newer Nightly Spindle", lasts_s=16)
def _(at: Station) -> Callable[[], object] | None:
    def spoil(database: Path) -> None:
        with contextlib.closing(sqlite3.connect(database)) as db, db:
            db.execute("UPDATE alembic_version SET version_num = '9999'")

    return start_with(at, partial(spoilt, spoil=spoil))


@start("start with a database of an older program", lasts_s=8)
def _(at: Station) -> Callable[[], object] | None:
    def harm(at: Station) -> None:
        with contextlib.closing(sqlite3.connect(at.folder / "station.db")) as db, db:
            db.execute("DROP INDEX alarm_by_fold")
            for column in ("times", "last_us", "fold"):
                db.execute(f"ALTER TABLE alarm DROP COLUMN {column}")
            db.execute("UPDATE alembic_version SET version_num = '0008'")

    return start_with(at, harm)


@start(
    "start with the state file damaged",
    lasts_s=8,
)
def _(at: Station) -> Callable[[], object] | None:
    def harm(at: Station) -> None:
        with (at.folder / "air-state").open("r+b") as file:
            file.write(os.urandom(100_000))

    return start_with(at, harm)


@start(
    "start with nothing: share away, database locked, no state",
    "The station cannot be read",
    lasts_s=16,
)
def _(at: Station) -> Callable[[], object] | None:
    def harm(at: Station) -> Callable[[], object]:
        at.music.rename(at.music.with_name("gone"))
        (at.folder / "air-state").write_bytes(os.urandom(100_000))
        free = locked(at)

        def undo() -> None:
            free()
            at.music.with_name("gone").rename(at.music)

        return undo

    return start_with(at, harm)


def everything_away(at: Station, back: Callable[[], object]) -> Callable[[], object]:
    """Take away every folder that has sound and lock the database.

    Returns what undoes it; `back` brings back what else is away.
    """
    places = [at.music, at.folder / "audio"]
    for place in places:
        place.rename(place.with_name(f"{place.name}-gone"))
    free = locked(at)

    def undo() -> None:
        free()
        for place in places:
            place.with_name(f"{place.name}-gone").rename(place)
        back()

    return undo


@start(
    "start with all folders away, the database locked and no sound device",
    "The station cannot be read",
    lasts_s=16,
)
def _(at: Station) -> Callable[[], object] | None:
    back = on_no_device(at)
    return start_with(at, partial(everything_away, back=back), *NO_DEVICE)


@start(
    "start with no folder, no database, no device and no state",
    "The station cannot be read",
    lasts_s=16,
)
def _(at: Station) -> Callable[[], object] | None:
    back = on_no_device(at)

    def harm(at: Station) -> Callable[[], object]:
        (at.folder / "air-state").write_bytes(os.urandom(100_000))
        return everything_away(at, back)

    return start_with(at, harm, *NO_DEVICE)

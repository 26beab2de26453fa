"""The database and the disk: locked, damaged, gone, full."""

from __future__ import annotations

import contextlib
import os
import shutil
import sqlite3
import time
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Callable

    from fault_station import Station

    Harm = Callable[[Station], Callable[[], object] | None]


from fault_table import fault, kill


def locked(at: Station) -> Callable[[], object]:
    """Lock the database for readers, too; returns what lets go of it."""
    lock = sqlite3.connect(
        at.folder / "station.db", isolation_level=None, timeout=10, check_same_thread=False
    )
    lock.execute("PRAGMA locking_mode=EXCLUSIVE")
    lock.execute("BEGIN EXCLUSIVE")
    return lock.close


def locked_for_writing(at: Station) -> Callable[[], object]:
    """Lock the database for writers; returns what lets go of it."""
    lock = sqlite3.connect(
        at.folder / "station.db", isolation_level=None, timeout=10, check_same_thread=False
    )
    lock.execute("BEGIN IMMEDIATE")
    return lock.close


@fault("database locked for 60 s", "cannot be written", lasts_s=60)
def _(at: Station) -> Callable[[], object]:
    return locked_for_writing(at)


@fault(
    "database locked, then the engine killed",
    "cannot be written",
    down=True,
    lasts_s=20,
    complete=False,
)
def _(at: Station) -> Callable[[], object]:
    free = locked_for_writing(at)
    at.wait(lambda: at.told("cannot be written"), 10)
    kill(at.engine_pid())
    return free


@fault("database pages damaged", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], object]:
    kept = backup(at)
    with (at.folder / "station.db").open("r+b") as file:
        size = file.seek(0, 2)
        for page in range(1, size // 4096):
            file.seek(page * 4096)
            file.write(os.urandom(4096))
    return lambda: put_back(at, kept)


@fault("database deleted", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], object]:
    kept = backup(at)
    for name in ("station.db", "station.db-wal", "station.db-shm"):
        (at.folder / name).unlink(missing_ok=True)
    return lambda: put_back(at, kept)


@fault("database replaced by a copy", "the database was replaced", lasts_s=8, complete=False)
def _(at: Station) -> None:
    put_back(at, backup(at))


@fault("WAL file deleted", "WAL file was deleted", lasts_s=8)
def _(at: Station) -> None:
    for name in ("station.db-wal", "station.db-shm"):
        (at.folder / name).unlink(missing_ok=True)


@fault("database emptied", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], object]:
    kept = backup(at)
    os.truncate(at.folder / "station.db", 0)
    return lambda: put_back(at, kept)


@fault("as-run table gone", "cannot be written", lasts_s=14, complete=False)
def _(at: Station) -> Callable[[], object]:
    kept = backup(at)
    with contextlib.closing(sqlite3.connect(at.folder / "station.db", timeout=10)) as db, db:
        db.execute("DROP TABLE as_run")
    return lambda: put_back(at, kept)


def backup(at: Station) -> str:
    """Make a sound copy of the database; returns where it lies."""
    kept = str(at.base / "kept.db")
    with (
        contextlib.closing(sqlite3.connect(at.folder / "station.db", timeout=10)) as source,
        contextlib.closing(sqlite3.connect(kept)) as target,
    ):
        source.backup(target)
    return kept


def put_back(at: Station, kept: str) -> None:
    """Put a copy in the place of the database."""
    for name in ("station.db-wal", "station.db-shm"):
        (at.folder / name).unlink(missing_ok=True)
    shutil.copyfile(kept, at.folder / "new.db")
    (at.folder / "new.db").replace(at.folder / "station.db")


@fault("disk full", "cannot be written", lasts_s=25, before=True, complete=False)
def _(at: Station) -> Callable[[], object]:
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

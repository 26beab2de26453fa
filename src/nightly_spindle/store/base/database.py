"""Opening a station's database through `sqlite3`."""

from __future__ import annotations

import sqlite3
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import StationNotFound, StorageFault
from nightly_spindle.store.base.schema import LATEST, migrate

if TYPE_CHECKING:
    from pathlib import Path

# what `sqlite3` raises when the disk, a lock or damage refuses
DatabaseRefused = sqlite3.DatabaseError

DATABASE = "station.db"


class StationConnection(sqlite3.Connection):
    """A connection that knows which file it reads: its device and inode, and how often files were
    brought up to date by this process: what was read before that may be other now.
    """

    file: tuple[int, int, int] = (0, 0, 0)


def only_locked(said: str) -> bool:
    """Whether what SQLite says of a refusal is a lock: that passes, and the connection is sound."""
    return "locked" in said


def connect(folder: Path, *, timeout_s: float = 5.0) -> StationConnection:
    """Open the database of the station in `folder`, of the schema that this program knows.

    StationNotFound when there is none; StorageFault when it is damaged or newer. An
    older one is migrated first.
    """
    path = folder / DATABASE
    if not path.is_file():
        raise StationNotFound(
            f"{folder} holds no station ({DATABASE} is not there); make one with "
            f"`nightly-spindle station new {folder} --name NAME --timezone ZONE`"
        )
    try:
        connection = _opened(path, timeout_s)
        version = _version(connection)
        if version is None or version < LATEST:
            connection.close()
            migrate(path)
            _Migrated.times += 1
            connection = _opened(path, timeout_s)
        elif version > LATEST:
            connection.close()
            raise StorageFault(
                f"{path} was written by a newer Nightly Spindle (schema {version}, this one "
                f"knows {LATEST}); update the program"
            )
        connection.execute("PRAGMA foreign_keys=ON")
        connection.execute("PRAGMA synchronous=NORMAL")
    except sqlite3.DatabaseError as error:
        raise StorageFault(f"{path} cannot be used: {error}") from error
    connection.row_factory = sqlite3.Row
    return connection


class _Migrated:
    times = 0


def _opened(path: Path, timeout_s: float) -> StationConnection:
    connection = sqlite3.connect(
        path, timeout=timeout_s, check_same_thread=False, factory=StationConnection
    )
    stat = path.stat()
    connection.file = stat.st_dev, stat.st_ino, _Migrated.times
    return connection


def _version(connection: sqlite3.Connection) -> str | None:
    there = connection.execute(
        "SELECT 1 FROM sqlite_master WHERE name = 'alembic_version'"
    ).fetchone()
    if there is None:
        return None
    row = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    return None if row is None else str(row[0])

"""Backups of a station, putting one back, checking, and a copy to try things on.

A backup is a ZIP file: `station.db`, a consistent copy of the database made while it is in
use; the logs; and `manifest.json` with a SHA-256 of each, the station's name, the time and
the schema. Audio is not in it: it stays where it is, and the check says what is missing.
"""

from __future__ import annotations

import hashlib
import json
import logging
import os
import sqlite3
import tempfile
import zipfile
from contextlib import closing, suppress
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import TYPE_CHECKING, Any

from nightly_spindle import __version__
from nightly_spindle.core.base.errors import InputFault, NightlySpindleError, StorageFault
from nightly_spindle.core.station.backups import Backup, backup_due, surplus
from nightly_spindle.store.base.database import DATABASE, connect
from nightly_spindle.store.base.lock import holder
from nightly_spindle.store.base.roots import file_problem
from nightly_spindle.store.base.schema import LATEST
from nightly_spindle.store.base.station_folder import absolute, read_settings
from nightly_spindle.store.playout.state_file import STATE_FILE

_log = logging.getLogger(__name__)

if TYPE_CHECKING:
    from nightly_spindle.core.station.settings import StationSettings

FORMAT = "nightly-spindle-backup-1"
_MANIFEST = "manifest.json"
_LOGS = "logs"
_MOST_LOG = 64 * 2**20
SUFFIX = ".backup.zip"


@dataclass(frozen=True, slots=True)
class Trouble:
    """One thing that a check found; `grave` when the station cannot be trusted with it."""

    text: str
    grave: bool


def backups(folder: Path) -> list[Backup]:
    """Return the backups that were made or tried, the newest first."""
    with closing(connect(folder)) as connection:
        rows = connection.execute(
            "SELECT at_us, path, bytes, problem FROM backup ORDER BY at_us DESC, id DESC LIMIT 200"
        ).fetchall()
    return [Backup(*row) for row in rows]


def back_up(folder: Path, target: Path) -> Backup:
    """Write a backup of a station, on air or not, to a file, and verify it.

    StorageFault when it cannot be written or does not verify; nothing is left of it then.
    """
    beside = target.with_name(f".{target.name}.part")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".backup-", dir=target.parent) as work:
            database = Path(work) / DATABASE
            _copy_database(folder, database)
            _pack(folder, database, beside)
        with beside.open("rb") as file:
            os.fsync(file.fileno())
        verify(beside)
        beside.replace(target)
        size = target.stat().st_size
    except OSError as error:
        _gone(beside)
        raise StorageFault(f"{target} cannot be written: {error.strerror or error}") from error
    except (StorageFault, InputFault) as error:
        _gone(beside)
        raise StorageFault(f"the backup {target} failed: {error}") from error
    return Backup(_now_us(), str(target), size)


def back_up_by_itself(folder: Path) -> Backup:
    """Make a backup where the station keeps them, note it, and clear away the oldest.

    What fails is noted too, and returned with its problem.
    """
    settings = read_settings(folder)
    place = Path(absolute(folder, settings.backup_folder))
    stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%SZ")
    mark = "".join(c if c.isalnum() else "-" for c in settings.name).strip("-") or "station"
    target = place / f"{mark} {stamp}{SUFFIX}"
    try:
        made = back_up(folder, target)
    except StorageFault as error:
        made = Backup(_now_us(), str(target), 0, str(error))
    else:
        ours = [str(p) for p in place.glob(f"{mark} *{SUFFIX}")]
        for old in surplus(ours, settings.backup_keep):
            Path(old).unlink(missing_ok=True)
    note_backup(folder, made)
    return made


def backup_wanted(folder: Path, now_us: int) -> bool:
    """Whether the station's own backup is due; an empty station needs none."""
    with closing(connect(folder)) as connection:
        some = connection.execute("SELECT 1 FROM item LIMIT 1").fetchone()
    return some is not None and backup_due(read_settings(folder), backups(folder), now_us)


def note_backup(folder: Path, made: Backup) -> None:
    """Keep the record of a backup in the station."""
    with closing(connect(folder)) as connection, connection:
        connection.execute(
            "INSERT INTO backup (at_us, path, bytes, problem) VALUES (?, ?, ?, ?)",
            (made.at_us, made.path, made.bytes, made.problem),
        )


def verify(path: Path) -> dict[str, Any]:
    """Read a backup through and through; returns its manifest. InputFault says what is wrong."""
    try:
        with zipfile.ZipFile(path) as pack:
            manifest = _manifest(pack, path)
            for name, digest in manifest["files"].items():
                if _digest(pack, name) != digest:
                    raise InputFault(f"{path} is damaged: {name} is not what was written")
            with tempfile.TemporaryDirectory(prefix="nightly-spindle-") as work:
                database = Path(pack.extract(DATABASE, work))
                trouble = _integrity(database)
                if trouble:
                    raise InputFault(f"{path} holds a damaged database: {trouble}")
    except OSError as error:
        raise InputFault(f"{path} cannot be read: {error.strerror or error}") from error
    except (zipfile.BadZipFile, KeyError, EOFError, NotImplementedError) as error:
        raise InputFault(f"{path} is not a backup of a station, or is damaged: {error}") from error
    return manifest


def restore(path: Path, folder: Path, *, replace: bool = False) -> dict[str, Any]:
    """Put a backup back into a folder; returns its manifest.

    InputFault when the backup is not sound, or when a station is there and is not to be
    replaced or is on air. A station that is replaced is backed up into its own backups first.
    """
    manifest = verify(path)
    if manifest["schema"] > LATEST:
        raise InputFault(
            f"{path} was made by a newer Nightly Spindle (schema {manifest['schema']}, this one "
            f"knows {LATEST}); update the program"
        )
    if (folder / DATABASE).exists():
        if not replace:
            raise InputFault(
                f"{folder} holds a station already; restore into another folder, or replace it"
            )
        if any(holder(folder / lock) for lock in ("air.lock", "intake.lock")):
            raise InputFault(f"{folder} is on air or takes audio in; stop it first")
        stamp = datetime.now(UTC).strftime("%Y%m%dT%H%M%SZ")
        try:
            back_up(folder, folder / "backups" / f"before restoring {stamp}{SUFFIX}")
        except (NightlySpindleError, sqlite3.DatabaseError) as error:
            # what is damaged cannot be backed up: it is put aside as it is
            _log.warning("%s is put aside as it is: %s", folder / DATABASE, error)
            (folder / DATABASE).rename(folder / "backups" / f"damaged {stamp}.db")
    try:
        _unpack(path, manifest, folder)
    except OSError as error:
        raise StorageFault(f"{folder} cannot be written: {error.strerror or error}") from error
    connect(folder).close()  # an older schema is migrated now
    for name in _drop_folders(folder):
        (folder / name).mkdir(parents=True, exist_ok=True)
    return manifest


def _unpack(path: Path, manifest: dict[str, Any], folder: Path) -> None:
    for name in (_LOGS, "captures", "backups"):
        (folder / name).mkdir(parents=True, exist_ok=True)
    fresh = folder / f".{DATABASE}.part"
    with zipfile.ZipFile(path) as pack:
        with pack.open(DATABASE) as source, fresh.open("wb") as file:
            while part := source.read(1 << 20):
                file.write(part)
            file.flush()
            os.fsync(file.fileno())
        for name in manifest["files"]:
            if PurePosixPath(name).parts[0] == _LOGS:
                target = folder / _LOGS / PurePosixPath(name).name
                target.write_bytes(pack.read(name))
    # what an engine kept belongs to the station that was there
    for left in (f"{DATABASE}-wal", f"{DATABASE}-shm", STATE_FILE):
        (folder / left).unlink(missing_ok=True)
    fresh.replace(folder / DATABASE)


def _drop_folders(folder: Path) -> list[str]:
    """Return the folders of log drops that lie inside the station."""
    with closing(connect(folder)) as connection:
        rows = connection.execute("SELECT DISTINCT folder FROM log_drop").fetchall()
    return [row["folder"] for row in rows if not Path(row["folder"]).is_absolute()]


def check(folder: Path) -> list[Trouble]:
    """Look a station over: database, settings, audio, folders, backups."""
    found = [Trouble(text, grave=True) for text in filter(None, [_integrity(folder / DATABASE)])]
    if found:
        return found
    settings = read_settings(folder)
    with closing(connect(folder)) as connection:
        broken = connection.execute("PRAGMA foreign_key_check").fetchall()
        if broken:
            found.append(Trouble(f"{len(broken)} rows of the database point nowhere", grave=True))
        for row in connection.execute("SELECT name, folder FROM log_drop"):
            drop = absolute(folder, row["folder"])
            if not Path(drop).is_dir():
                found.append(Trouble(f"log drop “{row['name']}”: {drop} is not there", grave=True))
        found += _audio(folder, connection)
    place = Path(absolute(folder, settings.backup_folder))
    if not os.access(place if place.exists() else place.parent, os.W_OK):
        found.append(Trouble(f"the backup folder {place} cannot be written", grave=False))
    return found


def _audio(folder: Path, connection: sqlite3.Connection) -> list[Trouble]:
    rows = connection.execute(
        "SELECT i.cart, i.path, i.size, r.path AS root FROM item i JOIN root r ON r.id = i.root_id"
        " ORDER BY i.cart"
    )
    found = []
    for row in rows:
        path = str(Path(absolute(folder, row["root"])) / row["path"])
        problem = file_problem(path)
        if problem:
            found.append(Trouble(f"cart {row['cart']}: {problem}", grave=True))
        elif row["size"] and Path(path).stat().st_size != row["size"]:
            found.append(
                Trouble(
                    f"cart {row['cart']}: {path} has changed since it was measured", grave=False
                )
            )
    return found


def copy_station(folder: Path, target: Path) -> StationSettings:
    """Make a copy of a station to try things on, plainly marked; its audio is shared.

    The copy's intake jobs are off, so that no file is taken in twice.
    """
    if target.exists() and any(target.iterdir()):
        raise InputFault(f"{target} is not empty; choose a new folder for the copy")
    settings = read_settings(folder)
    try:
        for name in (_LOGS, "captures", "backups"):
            (target / name).mkdir(parents=True, exist_ok=True)
        _copy_database(folder, target / DATABASE)
        for name in _drop_folders(target):
            (target / name).mkdir(parents=True, exist_ok=True)
            for log in sorted((folder / name).glob("*")):
                if log.is_file() and log.stat().st_size < _MOST_LOG:
                    (target / name / log.name).write_bytes(log.read_bytes())
    except OSError as error:
        raise StorageFault(f"{target} cannot be written: {error.strerror or error}") from error
    with closing(connect(target)) as connection, connection:
        for row in connection.execute("SELECT id, path FROM root").fetchall():
            connection.execute(
                "UPDATE root SET path = ? WHERE id = ?", (absolute(folder, row["path"]), row["id"])
            )
        for row in connection.execute("SELECT id, paths FROM log_drop").fetchall():
            paths = [[a, absolute(folder, b)] for a, b in json.loads(row["paths"])]
            connection.execute(
                "UPDATE log_drop SET paths = ? WHERE id = ?", (json.dumps(paths), row["id"])
            )
        connection.execute("UPDATE intake_job SET enabled = 0")
        connection.execute("DELETE FROM arrival WHERE state = 'queued'")
        connection.execute("DELETE FROM air_state")
        connection.executemany(
            "INSERT INTO setting (name, value) VALUES (?, ?)"
            " ON CONFLICT (name) DO UPDATE SET value = excluded.value",
            [("copy_of", settings.name), ("name", f"Copy of {settings.name}")],
        )
    return read_settings(target)


# -- within -------------------------------------------------------------------------------------


def _copy_database(folder: Path, target: Path) -> None:
    """Copy the database page by page while others write to it (SQLite's backup interface)."""
    with closing(connect(folder)) as source, closing(sqlite3.connect(target)) as copy:
        try:
            source.backup(copy)
            copy.execute("PRAGMA journal_mode=DELETE")
        except sqlite3.Error as error:
            raise StorageFault(f"the database cannot be copied: {error}") from error


def _gone(path: Path) -> None:
    """Take away what is half written, as far as that can be done."""
    with suppress(OSError):
        path.unlink(missing_ok=True)


def _integrity(database: Path) -> str:
    """Return what is wrong with a database file, empty when it is sound."""
    try:
        with closing(sqlite3.connect(f"file:{database}?mode=ro", uri=True)) as connection:
            rows = connection.execute("PRAGMA integrity_check").fetchall()
            connection.execute("SELECT count(*) FROM item").fetchone()
    except sqlite3.Error as error:
        return str(error)
    said = "; ".join(str(row[0]) for row in rows[:3])
    return "" if said == "ok" else said


def _pack(folder: Path, database: Path, target: Path) -> None:
    files = {DATABASE: database}
    for log in sorted((folder / _LOGS).glob("*")):
        if log.is_file() and log.stat().st_size < _MOST_LOG:
            files[f"{_LOGS}/{log.name}"] = log
    digests = {}
    with zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED, compresslevel=3) as pack:
        for name, file in files.items():
            pack.write(file, name)
            with file.open("rb") as source:
                digests[name] = hashlib.file_digest(source, "sha256").hexdigest()
        manifest = {
            "format": FORMAT,
            "program": __version__,
            "schema": LATEST,
            "station": read_settings(folder).name,
            "made": datetime.now(UTC).isoformat(timespec="seconds"),
            "files": digests,
        }
        pack.writestr(_MANIFEST, json.dumps(manifest, ensure_ascii=False, indent=1))


def _manifest(pack: zipfile.ZipFile, path: Path) -> dict[str, Any]:
    try:
        manifest = json.loads(pack.read(_MANIFEST))
    except ValueError as error:
        raise InputFault(f"{path} is not a backup of a station: {error}") from error
    if not isinstance(manifest, dict) or manifest.get("format") != FORMAT:
        raise InputFault(f"{path} is not a backup of a station that this program knows")
    names = manifest.get("files")
    if not isinstance(names, dict) or DATABASE not in names or not manifest.get("schema"):
        raise InputFault(f"{path} is a backup without a database")
    for name in names:
        parts = PurePosixPath(name).parts
        if name != DATABASE and (len(parts) != 2 or parts[0] != _LOGS or ".." in parts):
            raise InputFault(f"{path} holds {name}, which is no part of a station")
    return manifest


def _digest(pack: zipfile.ZipFile, name: str) -> str:
    with pack.open(name) as source:
        sha = hashlib.sha256()
        while part := source.read(1 << 20):
            sha.update(part)
    return sha.hexdigest()


def _now_us() -> int:
    return round(datetime.now(UTC).timestamp() * 1e6)

"""The engine's memory in the database: its state, the as-run log, the alarms.

The engine alone writes here. When the database cannot be written (locked, disk full, damaged,
deleted or another one in its place), records stay in memory and in a side file whose room is
reserved, and are written when that can be done again.
"""

from __future__ import annotations

import logging
import os
import sqlite3
from collections import deque
from dataclasses import astuple, fields
from typing import TYPE_CHECKING

import msgspec

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.reports.as_run import Alarm, AsRun, fold_of
from nightly_spindle.store.base.database import DATABASE, connect, only_locked
from nightly_spindle.store.playout.side_file import SideFile
from nightly_spindle.store.playout.state_coding import decode_state

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.core.programme.air_state import AirState

_log = logging.getLogger(__name__)

AS_RUN = ", ".join(field.name for field in fields(AsRun))
_ALARM = ", ".join(field.name for field in fields(Alarm))
_PUT_LINE = (
    f"INSERT INTO as_run ({AS_RUN}) VALUES ({', '.join('?' * len(fields(AsRun)))})"
    " ON CONFLICT (key) DO UPDATE SET start_us = excluded.start_us, end_us = excluded.end_us,"
    " outcome = excluded.outcome, note = excluded.note, share = excluded.share"
)
_PUT_ALARM = (
    f"INSERT INTO alarm ({_ALARM}, fold) VALUES ({', '.join('?' * (len(fields(Alarm)) + 1))})"
    " ON CONFLICT (key) DO NOTHING"
)
_RECENT = 5000  # records of a run that are written once more into another database: two weeks
_FOLDS_US = 12 * 3600 * 1_000_000  # an equal alarm after so long is told anew
_CLOSE = (
    "UPDATE as_run SET outcome = ?, end_us = max(start_us, min(end_us, ?)),"
    " share = CASE WHEN whole_us THEN min(1.0, max(0.0,"
    " (min(end_us, ?) - start_us) * 1.0 / whole_us)) ELSE 0 END,"
    " note = trim(note || '; the engine stopped here', '; ') WHERE outcome = ?"
)


class Journal:
    """Writes what happened on air; `waiting` counts records not yet in the database.

    `problem` says why the database does not take them, empty while it does. Nothing is touched
    before the first `write`. Whatever is wrong with the database, no call raises.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._side = SideFile(folder)
        self._taken_up = False  # what an earlier run could not write
        self._connection: sqlite3.Connection | None = None
        self._opened: tuple[int, int] | None = None  # which file the connection is to
        self._wal: tuple[int, int] | None = None  # and which its WAL
        self._lines: list[AsRun] = []
        self._alarms: list[Alarm] = []
        self._recent: deque[AsRun | Alarm] = deque(maxlen=_RECENT)  # what this run wrote
        self._aired: dict[int, int] = {}  # cart: when it went on air last (µs)
        self._spilled_keys: set[tuple[str, int, str]] = set()  # those in the side file too
        self._former = 0  # lines at the front that an earlier run could not write
        self._state: bytes | None = None
        self._closes_us: int | None = None
        self.problem = ""

    @property
    def waiting(self) -> int:
        """Records that are not in the database yet."""
        return len(self._lines) + len(self._alarms)

    def _waiting(self) -> list[AsRun | Alarm]:
        return [*self._lines, *self._alarms]

    def prepare(self) -> None:
        """Reserve the side file's room, and take up what an earlier run could not write."""
        self._take_side_file()

    def close_open(self, seen_us: int) -> None:
        """Have the plays that an engine left open end at its last sign of life.

        That is done before anything else is written.
        """
        self._closes_us = seen_us

    def write(
        self, lines: list[AsRun], alarms: list[Alarm], state: bytes | None, seen_us: int
    ) -> bool:
        """Write everything that waits, these records and the engine's state.

        Returns whether the database took it; when not, `problem` says why.
        """
        self._take_side_file()
        self._lines += lines
        self._alarms += alarms
        self._aired |= {
            line.cart: line.start_us
            for line in lines
            if line.outcome == Outcome.ON_AIR and line.cart
        }
        self._state = state or self._state
        try:
            connection = self._usable()
            with connection:
                self._put(connection, seen_us)
        except (sqlite3.DatabaseError, NightlySpindleError, OSError) as error:
            self._failed(error)
            return False
        self._recent.extend(self._waiting())
        self._lines, self._alarms, self._state, self._closes_us = [], [], None, None
        self._former = 0
        self.problem = ""
        self._wal = self._wal or self._wal_there()
        self._put_aired(connection)
        self._clear_side_file()
        return True

    def _usable(self) -> sqlite3.Connection:
        """Return a connection to the database that lies there now."""
        there = os.stat(self._folder / DATABASE)  # noqa: PTH116
        if self._connection is not None and self._opened != (there.st_dev, there.st_ino):
            _log.warning("the database was replaced; the new one is written from now on")
            self._let_go()
        if self._connection is not None and self._wal_lost():
            _log.warning("the database's WAL file was deleted; it is opened anew")
            # what we wrote there is still ours to move into the database
            self._connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
            self._let_go()
        if self._connection is None:
            self._connection = connect(self._folder, timeout_s=1.0)
            self._opened = (there.st_dev, there.st_ino)
            self._write_again()
        return self._connection

    def _write_again(self) -> None:
        """Have what this run wrote written once more: this may be another database.

        Records have keys, so where they are there already nothing changes.
        """
        lines = {one.key: one for one in self._recent if isinstance(one, AsRun)}
        lines |= {one.key: one for one in self._lines[self._former :]}
        self._lines = [*self._lines[: self._former], *lines.values()]
        known = {one.key for one in self._alarms}
        again = [one for one in self._recent if isinstance(one, Alarm) and one.key not in known]
        self._alarms = [*again, *self._alarms]

    def _wal_lost(self) -> bool:
        """Whether the WAL file that is written lies under its name no more."""
        return self._wal is not None and self._wal != self._wal_there()

    def _wal_there(self) -> tuple[int, int] | None:
        try:
            there = os.stat(self._folder / f"{DATABASE}-wal")  # noqa: PTH116
        except FileNotFoundError:
            return None
        return there.st_dev, there.st_ino

    def _let_go(self) -> None:
        if self._connection is not None:
            try:
                self._connection.close()
            except sqlite3.DatabaseError as error:
                _log.warning("the database could not be closed: %s", error)
        self._connection = self._opened = self._wal = None

    def _put(self, connection: sqlite3.Connection, seen_us: int) -> None:
        if self._closes_us is not None:
            seen = self._closes_us
            # what an earlier run could not write may still be open in it
            connection.executemany(_PUT_LINE, [astuple(one) for one in self._lines[: self._former]])
            connection.execute(_CLOSE, (Outcome.INTERRUPTED, seen, seen, Outcome.ON_AIR))
        ours = self._lines if self._closes_us is None else self._lines[self._former :]
        connection.executemany(_PUT_LINE, [astuple(line) for line in ours])
        for alarm in self._alarms:
            _put_alarm(connection, alarm)
        if self._state is None:
            connection.execute("UPDATE air_state SET seen_us = ?", (seen_us,))
        else:
            connection.execute(
                "INSERT INTO air_state (id, seen_us, body) VALUES (1, ?, ?) ON CONFLICT (id)"
                " DO UPDATE SET seen_us = excluded.seen_us, body = excluded.body",
                (seen_us, self._state),
            )

    def _put_aired(self, connection: sqlite3.Connection) -> None:
        """Note when items went on air, apart: damage there must not keep the as-run log out."""
        if not self._aired:
            return
        rows = [(at, cart) for cart, at in self._aired.items()]
        try:
            with connection:
                connection.executemany("UPDATE item SET last_aired_us = ? WHERE cart = ?", rows)
        except sqlite3.DatabaseError as error:
            self.problem = f"the library cannot be written ({error})"
            return
        self._aired.clear()

    def _failed(self, error: Exception) -> None:
        said = error.strerror if isinstance(error, OSError) and error.strerror else str(error)
        problem = f"the database cannot be written ({said}); records wait in {self._side.path.name}"
        if problem != self.problem:
            _log.warning("%s", problem)
        self.problem = problem
        if not only_locked(said):
            self._let_go()  # what it is now is looked at anew the next time
        self._spill()

    # -- the side file -----------------------------------------------------------------------------

    def _spill(self) -> None:
        """Keep what waits in the side file as well, in case the engine is killed."""
        known = self._spilled_keys
        new = [one for one in self._waiting() if _mark(one) not in known]
        if not new:
            return
        try:
            self._side.append(msgspec.json.encode(record) for record in new)
        except OSError as error:
            # memory is all that is left
            self.problem += f", which cannot be written either ({error.strerror or error})"
            return
        self._spilled_keys |= {_mark(record) for record in new}

    def _take_side_file(self) -> None:
        """Take up what an earlier run could not write."""
        if self._taken_up:
            return
        self._taken_up = True
        try:
            rows = self._side.open()
        except OSError as error:
            self.problem = f"{self._side.path} cannot be used ({error.strerror or error})"
            _log.warning("%s", self.problem)
            return
        for row in rows:
            try:
                record = msgspec.json.decode(row)
                if "at_us" in record:
                    self._alarms.append(msgspec.convert(record, Alarm))
                else:
                    self._lines.append(msgspec.convert(record, AsRun))
            except (msgspec.MsgspecError, TypeError):
                _log.warning("a row of %s cannot be read: %r", self._side.path, row[:80])
        self._former = len(self._lines)
        self._spilled_keys = {_mark(one) for one in self._waiting()}

    def _clear_side_file(self) -> None:
        self._spilled_keys = set()
        try:
            self._side.clear()
        except OSError as error:
            # the rows have keys: written once more they change nothing
            _log.warning("%s cannot be cleared: %s", self._side.path, error.strerror or error)

    def close(self) -> None:
        """Let go of database and side file."""
        self._let_go()
        self._side.close()


def _mark(record: AsRun | Alarm) -> tuple[str, int, str]:
    """Return what tells one version of a record from another: a play is written twice."""
    if isinstance(record, Alarm):
        return record.key, record.at_us, ""
    return record.key, record.end_us, record.outcome


def _put_alarm(connection: sqlite3.Connection, alarm: Alarm) -> None:
    """Write an alarm; one that equals a recent one counts that up."""
    fold = fold_of(alarm.code, alarm.text)
    known = connection.execute("SELECT 1 FROM alarm WHERE key = ?", (alarm.key,)).fetchone()
    if known is not None:
        return
    row = connection.execute(
        "SELECT key, max(last_us, at_us) FROM alarm WHERE fold = ? AND at_us <= ?"
        " ORDER BY at_us DESC LIMIT 1",
        (fold, alarm.at_us),
    ).fetchone()
    if row is None or alarm.at_us - row[1] > _FOLDS_US:
        connection.execute(_PUT_ALARM, (*astuple(alarm), fold))
    elif alarm.at_us > row[1]:  # what was written already and waited in the side file counts once
        connection.execute(
            "UPDATE alarm SET times = times + 1, last_us = ? WHERE key = ?", (alarm.at_us, row[0])
        )


def last_seen(connection: sqlite3.Connection) -> int | None:
    """Return the last sign of life (µs) that the database knows of, None when there is none."""
    row = connection.execute("SELECT seen_us FROM air_state").fetchone()
    return None if row is None else int(row[0])


def load_state(connection: sqlite3.Connection) -> AirState | None:
    """Return the state that the engine saved last, None when it never ran."""
    row = connection.execute("SELECT body FROM air_state").fetchone()
    return None if row is None else decode_state(row["body"])


def as_run_between(connection: sqlite3.Connection, from_us: int, to_us: int) -> list[AsRun]:
    """Return the lines that touch the stretch, by start."""
    rows = connection.execute(
        f"SELECT {AS_RUN} FROM as_run WHERE start_us < ? AND (end_us > ? OR start_us >= ?)"
        " ORDER BY start_us, rowid",
        (to_us, from_us, from_us),
    )
    return [as_run_of(row) for row in rows]


def plays_between(
    connection: sqlite3.Connection, from_us: int, to_us: int
) -> list[tuple[float, int]]:
    """Return the items that aired in a stretch as (instant in s, cart), by time."""
    rows = connection.execute(
        "SELECT start_us, cart FROM as_run WHERE start_us >= ? AND start_us < ?"
        " AND cart IS NOT NULL AND over = '' AND end_us > start_us ORDER BY start_us",
        (from_us, to_us),
    )
    return [(row["start_us"] / US, row["cart"]) for row in rows]


def as_run_of(row: sqlite3.Row) -> AsRun:
    """Return one row of the as-run log."""
    return AsRun(**{**dict(row), "good": bool(row["good"])})


def alarms_between(connection: sqlite3.Connection, from_us: int, to_us: int) -> list[Alarm]:
    """Return the alarms of the stretch, by time."""
    rows = connection.execute(
        f"SELECT {_ALARM} FROM alarm WHERE at_us >= ? AND at_us < ? ORDER BY at_us, rowid",
        (from_us, to_us),
    )
    return [Alarm(**dict(row)) for row in rows]

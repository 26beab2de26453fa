"""The engine's memory on disk: its state, the as-run log, the alarms.

The engine alone writes here. When the database cannot be written (locked, disk full),
records stay in memory and in a side file, and are written when it can be done again.
"""

from __future__ import annotations

import contextlib
import os
import sqlite3
from dataclasses import astuple, fields
from typing import TYPE_CHECKING

import msgspec

from nightly_spindle.core.asrun import Alarm, AsRun
from nightly_spindle.core.running import AirState, Outcome
from nightly_spindle.store.database import connect

if TYPE_CHECKING:
    from pathlib import Path

SIDE_FILE = "as-run-waiting.jsonl"

AS_RUN = ", ".join(field.name for field in fields(AsRun))
_ALARM = ", ".join(field.name for field in fields(Alarm))
_PUT_LINE = (
    f"INSERT INTO as_run ({AS_RUN}) VALUES ({', '.join('?' * len(fields(AsRun)))})"
    " ON CONFLICT (key) DO UPDATE SET start_us = excluded.start_us, end_us = excluded.end_us,"
    " outcome = excluded.outcome, note = excluded.note, share = excluded.share"
)
_PUT_ALARM = (
    f"INSERT INTO alarm ({_ALARM}) VALUES ({', '.join('?' * len(fields(Alarm)))})"
    " ON CONFLICT (key) DO NOTHING"
)


class Journal:
    """Writes what happened on air; `waiting` counts records not yet in the database."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._side = folder / SIDE_FILE
        self._connection = connect(folder, timeout_s=1.0)
        self._lines: list[AsRun] = []
        self._alarms: list[Alarm] = []
        self._spilled = 0
        self.problem = ""
        self._take_side_file()

    @property
    def waiting(self) -> int:
        """Records that are not in the database yet."""
        return len(self._lines) + len(self._alarms)

    def write(
        self,
        lines: list[AsRun],
        alarms: list[Alarm],
        state: bytes | None,
        seen_us: int,
    ) -> bool:
        """Write everything that waits, these records and the engine's state.

        Returns whether the database took it; when not, `problem` says why.
        """
        self._lines += lines
        self._alarms += alarms
        try:
            with self._connection:
                self._connection.executemany(_PUT_LINE, [astuple(line) for line in self._lines])
                self._connection.executemany(_PUT_ALARM, [astuple(a) for a in self._alarms])
                self._connection.executemany(
                    "UPDATE item SET last_aired_us = ? WHERE cart = ?",
                    [
                        (line.start_us, line.cart)
                        for line in self._lines
                        if line.outcome == Outcome.ON_AIR and line.cart
                    ],
                )
                self._put_state(state, seen_us)
        except sqlite3.OperationalError as error:
            self.problem = f"the database cannot be written ({error})"
            self._spill()
            return False
        self._lines, self._alarms = [], []
        self.problem = ""
        if self._spilled:
            self._spilled = 0
            with contextlib.suppress(OSError):
                self._side.unlink()
        return True

    def _put_state(self, state: bytes | None, seen_us: int) -> None:
        if state is None:
            self._connection.execute("UPDATE air_state SET seen_us = ?", (seen_us,))
        else:
            self._connection.execute(
                "INSERT INTO air_state (id, seen_us, body) VALUES (1, ?, ?) ON CONFLICT (id)"
                " DO UPDATE SET seen_us = excluded.seen_us, body = excluded.body",
                (seen_us, state),
            )

    def _spill(self) -> None:
        """Keep what waits in the side file as well, in case the engine is killed."""
        if self._spilled == self.waiting:
            return
        try:
            # written anew: the records are few, and a key stands in the file once
            with self._side.open("wb") as file:
                for record in [*self._lines, *self._alarms]:
                    file.write(msgspec.json.encode(record) + b"\n")
                file.flush()
                os.fsync(file.fileno())
            self._spilled = self.waiting
        except OSError:
            # the disk is full: memory is all that is left, `problem` already says so
            return

    def _take_side_file(self) -> None:
        """Take up what an earlier run could not write."""
        if not self._side.exists():
            return
        for row in self._side.read_bytes().splitlines():
            # a line cut off by a kill is the only one that cannot be read
            with contextlib.suppress(msgspec.DecodeError):
                record = msgspec.json.decode(row)
                if "at_us" in record:
                    self._alarms.append(msgspec.convert(record, Alarm))
                else:
                    self._lines.append(msgspec.convert(record, AsRun))
        self._spilled = max(1, self.waiting)

    def close_gap(self, until_us: int) -> tuple[int, int] | None:
        """Close the plays that a killed engine left open; returns (from, to) of the gap, µs."""
        row = self._connection.execute("SELECT seen_us FROM air_state").fetchone()
        if row is None:
            return None
        seen = int(row["seen_us"])
        still_open = self._connection.execute(
            "SELECT count(*) FROM as_run WHERE outcome = ?", (Outcome.ON_AIR,)
        ).fetchone()[0]
        with self._connection:
            self._connection.execute(
                "UPDATE as_run SET outcome = ?, end_us = max(start_us, min(end_us, ?)),"
                " share = CASE WHEN whole_us THEN min(1.0, max(0.0,"
                " (min(end_us, ?) - start_us) * 1.0 / whole_us)) ELSE 0 END,"
                " note = trim(note || '; the engine stopped here', '; ') WHERE outcome = ?",
                (Outcome.INTERRUPTED, seen, seen, Outcome.ON_AIR),
            )
        return (seen, until_us) if still_open and until_us > seen else None

    def close(self) -> None:
        """Close the database."""
        self._connection.close()


def load_state(connection: sqlite3.Connection) -> AirState | None:
    """Return the state that the engine saved last, None when it never ran."""
    row = connection.execute("SELECT body FROM air_state").fetchone()
    return None if row is None else decode_state(row["body"])


def encode_state(state: AirState) -> bytes:
    """Return the state as JSON."""
    return msgspec.json.encode(state)


def decode_state(body: bytes) -> AirState:
    """Return the state that `encode_state` wrote."""
    return msgspec.json.decode(body, type=AirState)


def as_run_between(connection: sqlite3.Connection, from_us: int, to_us: int) -> list[AsRun]:
    """Return the lines that touch the stretch, by start."""
    rows = connection.execute(
        f"SELECT {AS_RUN} FROM as_run WHERE start_us < ? AND (end_us > ? OR start_us >= ?)"
        " ORDER BY start_us, rowid",
        (to_us, from_us, from_us),
    )
    return [as_run_of(row) for row in rows]


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

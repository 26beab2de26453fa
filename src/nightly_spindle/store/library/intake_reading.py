"""Reading the intake: its jobs, its queue, what became of arrivals. At once, through `sqlite3`."""

from __future__ import annotations

import json
from contextlib import closing
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.library.intake import IntakeJob, IntakeOptions, State, options_from
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.station_folder import absolute

if TYPE_CHECKING:
    from collections.abc import Mapping
    from pathlib import Path


@dataclass(frozen=True, slots=True)
class Arrival:
    """A file that arrived, and what became of it. `job_id` None: brought in by hand."""

    id: int
    path: str
    state: State
    options: IntakeOptions
    job_id: int | None = None
    cart: int | None = None
    why: str = ""
    size: int = 0
    mtime_ns: int = 0
    at_us: int = 0


@dataclass(frozen=True, slots=True)
class Seen:
    """A file as it lies there."""

    path: str
    size: int
    mtime_ns: int


def read_arrivals(folder: Path, most: int, state: State | None = None) -> list[Arrival]:
    """Return the newest arrivals, the newest first; with a state the files that are in it now."""
    where, values = "", []
    if state is not None:
        # what became of the file since then counts
        where = "WHERE state = ? AND id IN (SELECT max(id) FROM arrival GROUP BY path)"
        values = [str(state)]
    with closing(connect(folder)) as connection:
        rows = connection.execute(
            f"SELECT * FROM arrival {where} ORDER BY id DESC LIMIT ?", [*values, most]
        ).fetchall()
    return [arrival_from(dict(row)) for row in rows]


def waiting_in_queue(folder: Path) -> tuple[int, str]:
    """Return how many files are still to be taken in, and what holds them up, if anything."""
    with closing(connect(folder)) as connection:
        row = connection.execute(
            "SELECT count(*), coalesce(max(why), '') FROM arrival WHERE state = 'queued'"
        ).fetchone()
    return int(row[0]), str(row[1])


def read_jobs(folder: Path) -> list[IntakeJob]:
    """Return the jobs by name, folders as absolute paths."""
    with closing(connect(folder)) as connection:
        rows = connection.execute("SELECT * FROM intake_job ORDER BY name").fetchall()
    return [job_from(folder, dict(row)) for row in rows]


def arrival_from(row: Mapping[str, Any]) -> Arrival:
    """Return a row of the arrival table."""
    values = dict(row)
    values["state"] = State(values["state"])
    values["options"] = options_from(json.loads(values["options"]))
    return Arrival(**values)


def job_from(folder: Path, row: Mapping[str, Any]) -> IntakeJob:
    """Return a row of the job table."""
    return IntakeJob(
        row["id"],
        row["name"],
        absolute(folder, row["folder"]),
        options_from(json.loads(row["options"])),
        bool(row["subfolders"]),
        bool(row["enabled"]),
    )

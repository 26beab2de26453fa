"""Arrivals: the queue of files to be taken in, and the report of what became of each."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from sqlalchemy import func, select
from sqlalchemy.dialects.sqlite import insert

from nightly_spindle.core.library.intake import IntakeOptions, State, options_values
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.transaction import LibraryTransaction, now_us
from nightly_spindle.store.library.intake_reading import Arrival, Seen, arrival_from

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

KEPT = 5000  # arrivals that are remembered; older ones are forgotten
CANCELLED = "cancelled by hand"
_MOST = 500  # SQLite takes 999 parameters or more


def queue(
    library: LibraryTransaction,
    files: Iterable[Seen],
    options: IntakeOptions,
    job_id: int | None = None,
) -> int:
    """Put files into the queue; returns how many."""
    text = json.dumps(options_values(options), ensure_ascii=False)
    rows = [
        {
            "job_id": job_id,
            "path": seen.path,
            "size": seen.size,
            "mtime_ns": seen.mtime_ns,
            "state": str(State.QUEUED),
            "why": "",
            "options": text,
            "at_us": now_us(),
        }
        for seen in files
    ]
    if rows:
        library.run(insert(t.arrival), rows)
    return len(rows)


def queued(library: LibraryTransaction, most: int, apart_from: Iterable[str] = ()) -> list[Arrival]:
    """Return the arrivals whose turn is next, none below the folders `apart_from`."""
    query = select(t.arrival).where(t.arrival.c.state == str(State.QUEUED))
    for folder in apart_from:
        query = query.where(~t.arrival.c.path.startswith(f"{folder}/", autoescape=True))
    return [arrival_from(row) for row in library.rows(query.order_by(t.arrival.c.id).limit(most))]


def finish(
    library: LibraryTransaction, arrival_id: int, state: State, cart: int | None, why: str
) -> None:
    """Say what became of an arrival."""
    if state is State.REFUSED:
        library.version()  # what is taken in tells of itself
    library.run(
        t.arrival.update()
        .where(t.arrival.c.id == arrival_id)
        .values(state=str(state), cart=cart, why=why, at_us=now_us())
    )


def refuse_name(library: LibraryTransaction, shown: str, why: str, job_id: int | None) -> None:
    """Report a file that cannot even be queued; `shown` is its name as it can be written."""
    row = {"job_id": job_id, "path": shown, "size": 0, "mtime_ns": 0, "options": "{}"}
    state = {"state": str(State.REFUSED), "why": why, "at_us": now_us()}
    library.run(insert(t.arrival).values(**row, **state))


def last(library: LibraryTransaction, most: int, state: str | None = None) -> list[Arrival]:
    """Return the newest arrivals, the newest last, of one state when it is given."""
    query = select(t.arrival)
    if state is not None:
        query = query.where(t.arrival.c.state == state)
    rows = library.rows(query.order_by(t.arrival.c.id.desc()).limit(most))
    return [arrival_from(row) for row in reversed(rows)]


def counts(library: LibraryTransaction) -> dict[str, int]:
    """Return how many arrivals there are of each state."""
    table = t.arrival.c
    rows = library.run(select(table.state, func.count()).group_by(table.state))
    return {row[0]: row[1] for row in rows}


def cancel(library: LibraryTransaction) -> int:
    """Take everything out of the queue; the files stay where they are."""
    library.hold()
    waiting = t.arrival.c.state == str(State.QUEUED)
    values = {"state": str(State.REFUSED), "why": CANCELLED, "at_us": now_us()}
    return int(library.run(t.arrival.update().where(waiting).values(**values)).rowcount)


def again(library: LibraryTransaction, arrival_ids: Iterable[int]) -> None:
    """Queue refused files once more."""
    chosen = t.arrival.c.id.in_(list(arrival_ids))
    refused = t.arrival.c.state == str(State.REFUSED)
    library.run(t.arrival.update().where(chosen, refused).values(state=str(State.QUEUED), why=""))


def forget(library: LibraryTransaction, arrival_ids: Iterable[int]) -> None:
    """Take refused files off the report; they are not looked at again until they change."""
    chosen = t.arrival.c.id.in_(list(arrival_ids))
    library.run(t.arrival.update().where(chosen).values(state=str(State.KNOWN)))


def dealt_with(library: LibraryTransaction, job_id: int) -> dict[str, tuple[int, int]]:
    """Return {path: (size, mtime ns)} of every file that a job has seen, as it was last."""
    table = t.arrival.c
    rows = library.run(
        select(table.path, table.size, table.mtime_ns)
        .where(table.job_id == job_id)
        .order_by(table.id)
    )
    return {row.path: (row.size, row.mtime_ns) for row in rows}


def seen_before(library: LibraryTransaction, paths: Sequence[str]) -> dict[str, tuple[int, int]]:
    """Return {path: (size, mtime ns)} of those files that arrived before, as they were last."""
    table = t.arrival.c
    query = select(table.path, table.size, table.mtime_ns).order_by(table.id)
    rows = [
        row
        for at in range(0, len(paths), _MOST)
        for row in library.run(query.where(table.path.in_(paths[at : at + _MOST])))
    ]
    return {row.path: (row.size, row.mtime_ns) for row in rows}


def prune(library: LibraryTransaction) -> None:
    """Forget the oldest finished arrivals whose file a later arrival names too."""
    newest = select(func.max(t.arrival.c.id)).group_by(t.arrival.c.path, t.arrival.c.job_id)
    top = library.run(select(func.max(t.arrival.c.id))).scalar() or 0
    library.run(
        t.arrival.delete().where(
            t.arrival.c.id <= top - KEPT,
            t.arrival.c.state != str(State.QUEUED),
            t.arrival.c.id.not_in(newest),
        )
    )

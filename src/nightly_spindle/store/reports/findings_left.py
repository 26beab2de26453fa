"""Findings that the operator left as they are: read, left, taken up again."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.reports.tonight import Left

if TYPE_CHECKING:
    import sqlite3

    from nightly_spindle.core.reports.tonight import Cause
    from nightly_spindle.store.base.transaction import LibraryTransaction

_LONGEST = 500


def read_left(connection: sqlite3.Connection) -> dict[str, Left]:
    """Read what was left as it is, by the causes' keys."""
    rows = connection.execute("SELECT key, names, reason, at_us FROM finding_left")
    return {
        row["key"]: Left(tuple(json.loads(row["names"])), row["reason"], row["at_us"])
        for row in rows
    }


def leave(library: LibraryTransaction, cause: Cause, reason: str, now_us: int) -> Left | None:
    """Leave a cause as it is; returns what was there before, for `put_left`.

    InputFault without a reason.
    """
    said = " ".join(reason.split())
    if not said:
        raise InputFault("say in a few words why it may stay as it is")
    left = Left(cause.names, said[:_LONGEST], now_us)
    return put_left(library, cause.key, left)


def take_up(library: LibraryTransaction, key: str) -> Left | None:
    """Have a cause count again; returns what was there, for `put_left`."""
    return put_left(library, key, None)


def put_left(library: LibraryTransaction, key: str, left: Left | None) -> Left | None:
    """Make what is said of a cause this; returns what was said before."""
    from sqlalchemy.dialects.sqlite import insert  # who only reads needs none of it

    from nightly_spindle.store.base import tables as t

    library.version()
    rows = library.rows(t.finding_left.select().where(t.finding_left.c.key == key))
    before = [Left(tuple(json.loads(r["names"])), r["reason"], r["at_us"]) for r in rows]
    if left is None:
        library.run(t.finding_left.delete().where(t.finding_left.c.key == key))
    else:
        values = {
            "names": json.dumps(left.names, ensure_ascii=False),
            "reason": left.reason,
            "at_us": left.at_us,
        }
        put = insert(t.finding_left).values(key=key, **values)
        library.run(put.on_conflict_do_update(index_elements=["key"], set_=values))
    return before[0] if before else None

"""Reading what was heard in a stretch, with what the library knows of it."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING

from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.reports.uses import About, Use, uses
from nightly_spindle.store.playout.journal import as_run_between

if TYPE_CHECKING:
    import sqlite3


def read_uses(
    connection: sqlite3.Connection, from_us: int, until_us: int, kind: str = Kind.SONG
) -> list[Use]:
    """Return how often each item of a kind was heard between two instants, and for how long."""
    runs = [
        run
        for run in as_run_between(connection, from_us, until_us)
        if from_us <= run.start_us < until_us
    ]
    rows = connection.execute("SELECT cart, album, tags FROM item WHERE kind = ?", (kind,))
    about = {row["cart"]: About(row["album"] or "", _tags(row["tags"])) for row in rows}
    return uses(runs, about, kind)


def _tags(text: str) -> dict[str, str]:
    found = json.loads(text) if text else {}
    return found if isinstance(found, dict) else {}

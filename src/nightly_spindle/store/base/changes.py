"""How often a station was edited: when it grows there is something to read."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    import sqlite3


def change_count(connection: sqlite3.Connection) -> int:
    """Return how often the station was edited: when it grows there is something to read."""
    return int(connection.execute("SELECT count FROM change").fetchone()[0])

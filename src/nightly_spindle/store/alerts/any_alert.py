"""Whether a station has any alert, asked every few seconds."""

from __future__ import annotations

import sqlite3
from contextlib import closing
from typing import TYPE_CHECKING
from urllib.parse import quote

if TYPE_CHECKING:
    from pathlib import Path


def any_alert(folder: Path) -> bool:
    """Whether any alert is on. Only looks: False while the station cannot be read."""
    where = f"file:{quote(str(folder / 'station.db'))}?mode=ro"
    try:
        with closing(sqlite3.connect(where, uri=True, timeout=0.2)) as db:
            return db.execute("SELECT 1 FROM alert WHERE enabled LIMIT 1").fetchone() is not None
    except sqlite3.Error:
        return False

"""Reading the settings of a station, and all that it says of segues. At once, through `sqlite3`."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.station.settings import settings_from
from nightly_spindle.store.segues.segues import read_segues

if TYPE_CHECKING:
    import sqlite3

    from nightly_spindle.core.segues.segue_rules import Segues
    from nightly_spindle.core.station.settings import StationSettings


def read_rules(connection: sqlite3.Connection) -> tuple[StationSettings, Segues]:
    """Read the station's settings, and all that it says of segues."""
    rows = connection.execute("SELECT name, value FROM setting").fetchall()
    settings = settings_from({row["name"]: row["value"] for row in rows})
    return settings, read_segues(connection, settings.segue)

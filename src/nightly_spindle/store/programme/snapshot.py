"""Reading a station into a `Programme`: what rehearsal, render and engine start from."""

from __future__ import annotations

import sqlite3
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.outputs.output_health import can_be_heard
from nightly_spindle.core.outputs.outputs import outputs_sentence
from nightly_spindle.core.programme.items_in_reach import ItemsInReach
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.rotation import reach_s
from nightly_spindle.core.station.backups import Backup, Standing, backup_standing
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.patience import Patience
from nightly_spindle.store.base.power import on_battery
from nightly_spindle.store.base.roots import SharedLooks, look_at_files, note_files
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.logs.log_reader import LogReader
from nightly_spindle.store.playout.journal import plays_between
from nightly_spindle.store.programme.station_parts import (
    StationParts,
    items_with_own,
    next_in_rotation,
    read_parts,
    shared_parts,
)

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.store.base.database import StationConnection

_DROPS = "SELECT * FROM log_drop ORDER BY id"
_looks: dict[str, SharedLooks] = {}  # by station
_BACK_US = 26 * 3600 * US  # the longest day there is: its log may still be on air
POOL_SIZE = 1000  # songs whose turn is next: two days and nights of rotation
CATEGORY_SIZE = 300  # and items of each category that format clocks may take from


@dataclass(slots=True)
class Snapshot:
    """A station read once: its programme, and the connection it came from.

    `count` is how often the station had been edited when reading began (`change_count`): what was
    edited meanwhile may be read or not, and makes it grow.
    """

    folder: Path
    connection: sqlite3.Connection
    programme: Programme
    logs: LogReader
    count: int
    patience: Patience
    looks: SharedLooks | None = None
    pool_stands: tuple[int, int | None] = (-1, None)  # the edit and the play that the pool is of

    def reconnect(self, timeout_s: float) -> None:
        """Read the database that lies there now from here on.

        The former connection is closed first: SQLite keeps what it knows of a file, that it can
        only be read for instance, as long as the process has any connection to it.
        """
        self.connection.close()
        self.connection = connect(self.folder, timeout_s=timeout_s)
        self.logs.use(self.connection)

    def reach(self, carts: Iterable[int]) -> None:
        """Bring the items with these cart numbers into the programme's reach."""
        reach = self.programme.items
        wanted = {cart for cart in carts if cart not in reach}
        for cart, item in items_with_own(self.connection, self.folder, wanted).items():
            reach.setdefault(cart, item)

    def prepare(self, from_us: int, to_us: int, state: AirState | None = None) -> None:
        """Read the logs of the stretch and what aired before, reach all items, look for files."""
        settings = self.programme.settings
        self.logs.look(
            (drop, slot)
            for drop in self.programme.log_drops
            for slot in drop.slots(settings.tz, settings.day_start, from_us - _BACK_US, to_us)
        )
        if state is not None:
            self.reach(line.cart for line in state.order.upcoming)
            self.reach(
                line.overlay.cart
                for line in state.order.upcoming
                if line.overlay is not None and line.overlay.cart
            )
        back_us = round(reach_s(self.programme) * US)
        self.programme.aired = plays_between(self.connection, from_us - back_us, from_us)
        self.look_for_files()
        self.programme.standing = [
            *self._heard(),
            *self._away(),
            *_powered(),
            *self._standing(from_us),
        ]

    def _heard(self) -> list[Standing]:
        """Return that nobody can hear the station, where nobody can."""
        if can_be_heard(self.programme.outputs):
            return []
        return [
            Standing(
                "not-heard",
                Severity.ALARM,
                outputs_sentence(self.programme.outputs),
                "Make an output that listeners hear, or switch one on (Station, Outputs).",
            )
        ]

    def _away(self) -> list[Standing]:
        """Return which folders are away."""
        tz = self.programme.settings.tz
        return [
            Standing(
                "folder-away",
                Severity.ALARM,
                gone.sentence(tz),
                f"Mount or reconnect {gone.folder}, or name the folder as it was.",
            )
            for gone in self.programme.away.values()
        ]

    def _standing(self, now_us: int) -> list[Standing]:
        """Return what is wrong with the station at any hour."""
        rows = self.connection.execute(
            "SELECT at_us, path, bytes, problem FROM backup ORDER BY id DESC LIMIT 50"
        )
        tried = [Backup(*row) for row in rows]
        since = self.connection.execute("SELECT min(added_us) FROM item").fetchone()[0]
        return backup_standing(self.programme.settings, tried, since, now_us)

    def look_for_files(self) -> None:
        """Note which items in reach have no readable file, and which folders are away."""
        programme = self.programme
        now_us, items = time.time_ns() // 1000, list(programme.items.values())
        if self.looks is not None:
            found = self.looks.look(self.patience, programme.roots, items, now_us)
        else:
            found = look_at_files(self.patience, programme.roots, items, now_us, programme.away)
        note_files(programme, found)


def _powered() -> list[Standing]:
    """Return that the computer runs on its battery, where it does."""
    power = on_battery()
    if power is None:
        return []
    left = f", {power.percent} % of it is left" if power.percent is not None else ""
    return [
        Standing(
            "on-battery",
            Severity.WARNING,
            f"The computer runs on its battery{left}; when it is empty the station goes off air.",
            "Plug the computer in.",
        )
    ]


def open_station(
    folder: Path,
    *,
    settle_s: float = 0.0,
    patience: Patience | None = None,
    shared: bool = False,
) -> Snapshot:
    """Read the station in `folder`. `settle_s`: how long a log must have stood unchanged.

    `shared`: what others of this process read of it half a minute ago is good enough, and what
    they found of its files in the last seconds.
    """
    patience = patience or Patience()
    connection = connect(folder)
    read = shared_parts if shared else read_parts
    parts = read(connection, folder, patience)
    snapshot = snapshot_of(parts, connection, folder, settle_s, patience)
    if shared:
        snapshot.looks = _looks.setdefault(str(folder.absolute()), SharedLooks())
    return snapshot


def snapshot_of(
    parts: StationParts,
    connection: StationConnection,
    folder: Path,
    settle_s: float,
    patience: Patience,
) -> Snapshot:
    """Return a snapshot of a station's parts that its owner may change."""
    items = ItemsInReach(parts.items)
    logs = LogReader(folder, connection, items, settle_s, patience)
    programme = Programme(
        parts.settings,
        logs,
        items,
        list(parts.events),
        dict(parts.drops),
        segues=parts.segues,
        event_sources=parts.sources,
        pools=list(parts.pools),
        in_category=dict(parts.in_category),
        spots=parts.spots,
        formats=parts.formats,
        roots=parts.roots,
        outputs=parts.outputs,
    )
    programme.set_pool(list(parts.pool))
    return Snapshot(folder, connection, programme, logs, parts.count, patience)


def load_pool(snapshot: Snapshot) -> None:
    """Read the songs whose turn in rotation is next, where any aired or was edited since."""
    latest = snapshot.connection.execute(
        "SELECT max(last_aired_us) FROM item WHERE kind = 'song'"
    ).fetchone()[0]
    stands = change_count(snapshot.connection), latest
    if stands == snapshot.pool_stands:
        return
    snapshot.pool_stands = stands
    pool = next_in_rotation(snapshot.connection, snapshot.folder, snapshot.programme.settings)
    # what is in reach already stays as it is: the engine takes edits up when it can
    reach = snapshot.programme.items
    snapshot.programme.set_pool([reach.setdefault(item.cart, item) for item in pool])


def items_since(connection: sqlite3.Connection, folder: Path, version: int) -> Iterator[Item]:
    """Read the items that were edited after the station's edit of that number."""
    rows = connection.execute("SELECT cart FROM item WHERE version > ?", (version,))
    yield from items_by_cart(connection, folder, [row["cart"] for row in rows])


def overview(folder: Path, cart: int) -> bytes:
    """Return an item's waveform overview, one byte per column, empty when unknown."""
    connection = connect(folder)
    try:
        row = connection.execute(
            "SELECT overview FROM item_sound WHERE cart = ?", (cart,)
        ).fetchone()
    finally:
        connection.close()
    return b"" if row is None else bytes(row["overview"])

"""Reading a station into a `Programme`: what rehearsal, render and engine start from."""

from __future__ import annotations

import json
import sqlite3
import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import group_from, specs
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.logs.log_meanings import Meaning, Means
from nightly_spindle.core.outputs.output_health import can_be_heard
from nightly_spindle.core.outputs.outputs import outputs_sentence
from nightly_spindle.core.programme.items_in_reach import ItemsInReach
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.rotation import reach_s, turn_order
from nightly_spindle.core.station.backups import Backup, Standing, backup_standing
from nightly_spindle.core.station.log_sources import DropOptions, LogDrop
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.patience import Patience
from nightly_spindle.store.base.power import on_battery
from nightly_spindle.store.base.roots import look_at_files, note_files
from nightly_spindle.store.base.station_folder import absolute
from nightly_spindle.store.events.event_sources import read_holdings
from nightly_spindle.store.events.events import read_timed_events
from nightly_spindle.store.library.item_reading import ITEM, item_from, items_by_cart
from nightly_spindle.store.logs.log_reader import LogReader
from nightly_spindle.store.music.formats import carts_of as format_carts
from nightly_spindle.store.music.formats import read_formats
from nightly_spindle.store.outputs.outputs import read_outputs
from nightly_spindle.store.overlays.pools import carts_of, read_pools
from nightly_spindle.store.playout.journal import plays_between
from nightly_spindle.store.segues.rules_reading import read_rules
from nightly_spindle.store.traffic.campaigns import carts_of as spot_carts
from nightly_spindle.store.traffic.campaigns import fillers_of, read_spots

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping

    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.air_state import AirState

_DROPS = "SELECT * FROM log_drop ORDER BY id"
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
        wanted = [cart for cart in carts if cart not in self.programme.items]
        own = set()
        for item in items_by_cart(self.connection, self.folder, wanted):
            self.programme.items[item.cart] = item
            if item.shaping.own_sweeper is not None:
                own.add(item.shaping.own_sweeper)
        if own - set(self.programme.items):
            self.reach(own)

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
    folder: Path, *, settle_s: float = 0.0, patience: Patience | None = None
) -> Snapshot:
    """Read the station in `folder`. `settle_s`: how long a log must have stood unchanged."""
    patience = patience or Patience()
    connection = connect(folder)
    count = change_count(connection)
    settings, segues = read_rules(connection)
    events, drops = read_events(connection, folder)
    items = ItemsInReach()
    logs = LogReader(folder, connection, items, settle_s, patience)
    spots = read_spots(connection, folder, patience)
    sources, carts = read_holdings(connection, folder, events, fillers_of(spots), patience)
    pools, inside = read_pools(connection)
    formats = read_formats(connection, settings, CATEGORY_SIZE)
    programme = Programme(
        settings,
        logs,
        items,
        events,
        drops,
        segues=segues,
        event_sources=sources,
        pools=pools,
        in_category=inside,
        spots=spots,
        formats=formats,
    )
    programme.roots = read_roots(connection, folder)
    programme.outputs = read_outputs(connection)
    snapshot = Snapshot(folder, connection, programme, logs, count, patience)
    snapshot.reach(carts | carts_of(pools) | spot_carts(spots) | format_carts(formats))
    load_pool(snapshot)
    return snapshot


def read_events(
    connection: sqlite3.Connection, folder: Path
) -> tuple[list[TimedEvent], dict[int, LogDrop]]:
    """Read the timed events, and the log drops by number."""
    drops = {row["id"]: drop_of(row, folder) for row in connection.execute(_DROPS)}
    return read_timed_events(connection), drops


def load_pool(snapshot: Snapshot) -> None:
    """Read the songs whose turn in rotation is next."""
    rows = snapshot.connection.execute(
        f"{ITEM} WHERE i.kind = 'song' AND i.waits = '' ORDER BY i.last_aired_us, i.cart LIMIT ?",
        (POOL_SIZE,),
    ).fetchall()
    turns = [(row["last_aired_us"], item_from(row, snapshot.folder)) for row in rows]
    pool = turn_order(turns, snapshot.programme.settings.seed)
    # what is in reach already stays as it is: the engine takes edits up when it can
    reach = snapshot.programme.items
    snapshot.programme.set_pool([reach.setdefault(item.cart, item) for item in pool])


def read_roots(connection: sqlite3.Connection, folder: Path) -> tuple[str, ...]:
    """Read the folders (absolute) that audio lies in."""
    return tuple(
        absolute(folder, row["path"]) for row in connection.execute("SELECT path FROM root")
    )


def items_since(connection: sqlite3.Connection, folder: Path, version: int) -> Iterator[Item]:
    """Read the items that were edited after the station's edit of that number."""
    for row in connection.execute(f"{ITEM} WHERE i.version > ?", (version,)):
        yield item_from(row, folder)


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


def drop_of(row: sqlite3.Row | Mapping[str, Any], folder: Path) -> LogDrop:
    """Return one row of the table of log drops; SettingRefused when it cannot be."""
    texts = {f"drop.{name}": text for name, text in json.loads(row["options"]).items()}
    known = {f"drop.{name}" for name in specs(DropOptions)}
    wrong = [f"there is no option '{name[5:]}'" for name in sorted(set(texts) - known)]
    options = group_from(DropOptions, texts, "drop", wrong)
    if wrong:
        raise SettingRefused(f"log drop “{row['name']}”: {'; '.join(wrong)}")
    return LogDrop(
        row["id"],
        row["name"],
        absolute(folder, row["folder"]),
        row["pattern"],
        options,
        tuple((a, absolute(folder, b)) for a, b in json.loads(row["paths"])),
        tuple(Meaning(text, Means(m), value) for text, m, value in json.loads(row["meanings"])),
        row["made_us"],
    )

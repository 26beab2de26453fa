"""Reading a station into a `Programme`: what rehearsal, render and engine start from."""

from __future__ import annotations

import json
import os
import sqlite3
from dataclasses import dataclass
from datetime import datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.drops import LogDrop
from nightly_spindle.core.errors import InputFault
from nightly_spindle.core.events import Entry, LoadLog, Placement, TimedEvent
from nightly_spindle.core.items import Item, Kind
from nightly_spindle.core.programme import Programme
from nightly_spindle.core.recurrence import TimeRule
from nightly_spindle.core.rotation import turn_order
from nightly_spindle.core.safekeeping import Backup, Standing, backup_standing
from nightly_spindle.core.settings import settings_from
from nightly_spindle.core.timebase import broadcast_day
from nightly_spindle.store.database import connect
from nightly_spindle.store.log_reader import LogReader
from nightly_spindle.store.rows import marks_of, measure_of, shaping_of
from nightly_spindle.store.segues import read_segues
from nightly_spindle.store.station import absolute

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping

    from nightly_spindle.core.running import AirState
    from nightly_spindle.core.segue_rules import Segues
    from nightly_spindle.core.settings import StationSettings

POOL_SIZE = 1000  # songs whose turn is next: two days and nights of rotation
_CHUNK = 500  # SQLite takes 999 parameters or more

_ITEM = "SELECT i.*, r.path AS root FROM item i JOIN root r ON r.id = i.root_id"


@dataclass(slots=True)
class Snapshot:
    """A station read once: its programme, and the connection it came from."""

    folder: Path
    connection: sqlite3.Connection
    programme: Programme
    logs: LogReader

    def reach(self, carts: Iterable[int]) -> None:
        """Bring the items with these cart numbers into the programme's reach."""
        wanted = [cart for cart in carts if cart not in self.programme.items]
        for item in items_by_cart(self.connection, self.folder, wanted):
            self.programme.items[item.cart] = item

    def prepare(self, from_us: int, to_us: int, state: AirState | None = None) -> None:
        """Read the logs of the stretch, reach the state's items, look for every file."""
        settings = self.programme.settings
        day = broadcast_day(from_us, settings.tz, settings.day_start) - timedelta(days=1)
        last = broadcast_day(to_us, settings.tz, settings.day_start)
        while day <= last:
            for drop in self.programme.drops.values():
                self.logs.refresh(drop, day)
            day += timedelta(days=1)
        if state is not None:
            self.reach(line.cart for line in state.upcoming)
        self.look_for_files()
        self.programme.standing = self._standing(from_us)

    def _standing(self, now_us: int) -> list[Standing]:
        """Return what is wrong with the station at any hour."""
        rows = self.connection.execute(
            "SELECT at_us, path, bytes, problem FROM backup ORDER BY id DESC LIMIT 50"
        )
        tried = [Backup(*row) for row in rows]
        since = self.connection.execute("SELECT min(added_us) FROM item").fetchone()[0]
        return backup_standing(self.programme.settings, tried, since, now_us)

    def look_for_files(self) -> None:
        """Note which items in reach have no readable file."""
        for item in list(self.programme.items.values()):
            problem = file_problem(item.path)
            if problem:
                self.programme.unplayable[item.cart] = problem
            else:
                self.programme.unplayable.pop(item.cart, None)


def file_problem(path: str) -> str:
    """Return why a file cannot be read, empty when nothing speaks against it."""
    try:
        size = os.stat(path).st_size  # noqa: PTH116 - this runs for every item of a night
    except FileNotFoundError:
        return f"the file {path} is not there"
    except OSError as error:
        return f"the file {path} cannot be read: {error.strerror}"
    if size == 0:
        return f"the file {path} is empty"
    if not os.access(path, os.R_OK):
        return f"the file {path} may not be read"
    return ""


def open_station(folder: Path, *, settle_s: float = 0.0) -> Snapshot:
    """Read the station in `folder`. `settle_s`: how long a log must have stood unchanged."""
    connection = connect(folder)
    settings, segues = read_rules(connection)
    events, drops = read_events(connection, folder)
    items: dict[int, Item] = {}
    logs = LogReader(folder, connection, items, settle_s)
    programme = Programme(settings, logs, items, events, drops, segues=segues)
    snapshot = Snapshot(folder, connection, programme, logs)
    load_pool(snapshot)
    return snapshot


def read_events(
    connection: sqlite3.Connection, folder: Path
) -> tuple[list[TimedEvent], dict[int, LogDrop]]:
    """Read the timed events, and the log drops by number."""
    drops = {
        row["id"]: LogDrop(row["id"], row["name"], absolute(folder, row["folder"]), row["pattern"])
        for row in connection.execute("SELECT * FROM log_drop")
    }
    rows = connection.execute("SELECT * FROM timed_event ORDER BY id")
    return [_event(row) for row in rows], drops


def load_pool(snapshot: Snapshot) -> None:
    """Read the songs whose turn in rotation is next."""
    rows = snapshot.connection.execute(
        f"{_ITEM} WHERE i.kind = 'song' AND i.waits = '' ORDER BY i.last_aired_us, i.cart LIMIT ?",
        (POOL_SIZE,),
    ).fetchall()
    turns = [(row["last_aired_us"], item_from(row, snapshot.folder)) for row in rows]
    pool = turn_order(turns, snapshot.programme.settings.seed)
    # what is in reach already stays as it is: the engine takes edits up when it can
    reach = snapshot.programme.items
    snapshot.programme.pool = [reach.setdefault(item.cart, item) for item in pool]


def items_by_cart(
    connection: sqlite3.Connection, folder: Path, carts: Iterable[int]
) -> Iterator[Item]:
    """Read the items with these cart numbers; numbers that are not there are left out."""
    wanted = list(dict.fromkeys(carts))
    for start in range(0, len(wanted), _CHUNK):
        part = wanted[start : start + _CHUNK]
        marks = ",".join("?" * len(part))
        for row in connection.execute(f"{_ITEM} WHERE i.cart IN ({marks})", part):
            yield item_from(row, folder)


def items_by_name(
    connection: sqlite3.Connection, folder: Path, names: Iterable[str]
) -> Iterator[tuple[str, str, Item]]:
    """Read the items whose file names have these keys, as (key, path, item).

    An item whose audio was replaced is found under its former paths too.
    """
    wanted = list(dict.fromkeys(names))
    for start in range(0, len(wanted), _CHUNK):
        part = wanted[start : start + _CHUNK]
        marks = ",".join("?" * len(part))
        for row in connection.execute(
            f"{_ITEM} WHERE i.name_key IN ({marks}) ORDER BY i.cart", part
        ):
            item = item_from(row, folder)
            yield row["name_key"], item.path, item
        former = connection.execute(
            "SELECT DISTINCT f.name_key, f.path, f.cart, r.path AS root FROM former_place f"
            f" JOIN root r ON r.id = f.root_id WHERE f.name_key IN ({marks})",
            part,
        ).fetchall()
        items = {
            item.cart: item
            for item in items_by_cart(connection, folder, [row["cart"] for row in former])
        }
        for row in former:
            yield row["name_key"], f"{_base(row['root'], folder)}/{row['path']}", items[row["cart"]]


def item_from(row: sqlite3.Row | Mapping[str, Any], folder: Path) -> Item:
    """Return one row of the item table, joined with its root's path, as an item."""
    path = f"{_base(row['root'], folder)}/{row['path']}"
    return Item(
        row["cart"],
        Kind(row["kind"]),
        row["title"],
        row["artist"],
        path,
        measure_of(row),
        marks_of(row),
        shaping_of(row),
    )


def _base(root: str, folder: Path) -> str:
    return root if root.startswith("/") else f"{folder.absolute()}/{root}"


def change_count(connection: sqlite3.Connection) -> int:
    """Return how often the station was edited: when it grows there is something to read."""
    return int(connection.execute("SELECT count FROM change").fetchone()[0])


def items_since(connection: sqlite3.Connection, folder: Path, version: int) -> Iterator[Item]:
    """Read the items that were edited after the station's edit of that number."""
    for row in connection.execute(f"{_ITEM} WHERE i.version > ?", (version,)):
        yield item_from(row, folder)


def read_rules(connection: sqlite3.Connection) -> tuple[StationSettings, Segues]:
    """Read the station's settings, and all that it says of segues."""
    rows = connection.execute("SELECT name, value FROM setting").fetchall()
    settings = settings_from({row["name"]: row["value"] for row in rows})
    return settings, read_segues(connection, settings.segue)


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


def _event(row: sqlite3.Row) -> TimedEvent:
    exdates = tuple(datetime.fromisoformat(text) for text in row["exdates"].split(",") if text)
    return TimedEvent(
        row["id"],
        row["name"],
        TimeRule(datetime.fromisoformat(row["start"]), row["rrule"], exdates),
        Entry(row["entry"]),
        tuple(_step(step, row["name"]) for step in json.loads(row["steps"])),
        row["priority"],
        bool(row["enabled"]),
        row["grace_s"],
    )


def _step(step: dict[str, Any], event: str) -> LoadLog:
    if step.get("step") != "load log":
        raise InputFault(
            f"the timed event “{event}” has the step '{step.get('step')}', which this program "
            "does not know; remove the step or update the program"
        )
    return LoadLog(int(step["drop"]), Placement(step["placement"]))

"""What a station has programmed, part by part, as it is read from its database.

Boards of one process share what was read last: an edit is read once, whichever of them looks first.
"""

from __future__ import annotations

import json
import threading
import time
from collections.abc import Mapping
from dataclasses import dataclass, fields, replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import group_from, specs
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.events.timed_events import TimedEvent
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.logs.log_meanings import Meaning, Means
from nightly_spindle.core.music.formats import FormatPlan
from nightly_spindle.core.outputs.outputs import Output
from nightly_spindle.core.overlays.overlay_pools import Pool
from nightly_spindle.core.programme.event_sources import EventSources
from nightly_spindle.core.programme.rotation import turn_order
from nightly_spindle.core.segues.segue_rules import Segues
from nightly_spindle.core.station.log_sources import DropOptions, LogDrop
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.core.traffic.spot_plan import SpotPlan
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.station_folder import absolute
from nightly_spindle.store.events.event_sources import read_holdings
from nightly_spindle.store.events.events import read_timed_events
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.music.formats import carts_of as format_carts
from nightly_spindle.store.music.formats import read_formats
from nightly_spindle.store.outputs.outputs import read_outputs
from nightly_spindle.store.overlays.pools import carts_of, read_pools
from nightly_spindle.store.segues.rules_reading import read_rules
from nightly_spindle.store.traffic.campaigns import carts_of as spot_carts
from nightly_spindle.store.traffic.campaigns import fillers_of, read_spots

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable
    from pathlib import Path

    from nightly_spindle.store.base.database import StationConnection
    from nightly_spindle.store.base.patience import Patience

_DROPS = "SELECT * FROM log_drop ORDER BY id"
POOL_SIZE = 1000  # songs whose turn is next: two days and nights of rotation
CATEGORY_SIZE = 300  # and items of each category that format clocks may take from
# what changes without an edit, as songs air and files come, is read again after so long
_LASTS_S = 30.0


@dataclass(frozen=True, slots=True)
class StationParts:
    """All parts, as of one edit (`change_count`): nobody changes them.

    `items` are those in reach, `pool` the songs of the safety net in the order of their turn.
    """

    count: int
    settings: StationSettings
    segues: Segues
    events: tuple[TimedEvent, ...]
    drops: Mapping[int, LogDrop]
    spots: SpotPlan
    sources: EventSources
    pools: tuple[Pool, ...]
    in_category: Mapping[str, frozenset[int]]
    formats: FormatPlan
    roots: tuple[str, ...]
    outputs: tuple[Output, ...]
    items: Mapping[int, Item]
    pool: tuple[Item, ...]


class _Shared:
    """What was read last of one station's file."""

    def __init__(self) -> None:
        self.lock = threading.Lock()
        self.parts: StationParts | None = None
        self.read_at = 0.0


_shared: dict[tuple[str, tuple[int, int, int]], _Shared] = {}
_MOST_STATIONS = 4


def shared_parts(connection: StationConnection, folder: Path, patience: Patience) -> StationParts:
    """Return the parts as another reader of this process found them, if that still holds.

    Parts that an edit left as they were are the same objects as before it.
    """
    key = str(folder.absolute()), connection.file
    shared = _shared.get(key)
    if shared is None:
        while len(_shared) >= _MOST_STATIONS:
            _shared.pop(next(iter(_shared)), None)
        shared = _shared[key] = _Shared()
    with shared.lock:
        known, now = shared.parts, time.monotonic()
        fresh = now - shared.read_at < _LASTS_S
        if known is None or not fresh or known.count != change_count(connection):
            found = read_parts(connection, folder, patience)
            shared.parts = known = found if known is None else _kept(found, known)
            shared.read_at = now
        return known


def _kept(found: StationParts, known: StationParts) -> StationParts:
    """Return what was found, with the parts that are as they were."""
    same = {
        spec.name: getattr(known, spec.name)
        for spec in fields(StationParts)
        if getattr(found, spec.name) == getattr(known, spec.name)
    }
    return replace(found, **same)


def read_parts(connection: sqlite3.Connection, folder: Path, patience: Patience) -> StationParts:
    """Read all parts."""
    count = change_count(connection)
    settings, segues = read_rules(connection)
    events, drops = read_events(connection, folder)
    spots = read_spots(connection, folder, patience)
    sources, carts = read_holdings(connection, folder, events, fillers_of(spots), patience)
    pools, inside = read_pools(connection)
    formats = read_formats(connection, settings, CATEGORY_SIZE)
    carts |= carts_of(pools) | spot_carts(spots) | format_carts(formats)
    items = items_with_own(connection, folder, carts)
    pool = next_in_rotation(connection, folder, settings)
    for item in pool:
        items.setdefault(item.cart, item)
    return StationParts(
        count,
        settings,
        segues,
        tuple(events),
        drops,
        spots,
        sources,
        tuple(pools),
        inside,
        formats,
        read_roots(connection, folder),
        read_outputs(connection),
        items,
        tuple(pool),
    )


def items_with_own(
    connection: sqlite3.Connection, folder: Path, carts: Iterable[int]
) -> dict[int, Item]:
    """Read items, and the sweepers that belong to them."""
    found: dict[int, Item] = {}
    wanted = set(carts)
    while wanted:
        own = set()
        for item in items_by_cart(connection, folder, wanted):
            found[item.cart] = item
            if item.shaping.own_sweeper is not None:
                own.add(item.shaping.own_sweeper)
        wanted = own - set(found) - wanted
    return found


def next_in_rotation(
    connection: sqlite3.Connection, folder: Path, settings: StationSettings
) -> list[Item]:
    """Read the songs whose turn in rotation is next, in its order."""
    rows = connection.execute(
        "SELECT cart, last_aired_us FROM item WHERE kind = 'song' AND waits = ''"
        " ORDER BY last_aired_us, cart LIMIT ?",
        (POOL_SIZE,),
    ).fetchall()
    items = {i.cart: i for i in items_by_cart(connection, folder, [row["cart"] for row in rows])}
    turns = [(row["last_aired_us"], items[row["cart"]]) for row in rows if row["cart"] in items]
    return turn_order(turns, settings.seed)


def read_events(
    connection: sqlite3.Connection, folder: Path
) -> tuple[list[TimedEvent], dict[int, LogDrop]]:
    """Read the timed events, and the log drops by number."""
    drops = {row["id"]: drop_of(row, folder) for row in connection.execute(_DROPS)}
    return read_timed_events(connection), drops


def read_roots(connection: sqlite3.Connection, folder: Path) -> tuple[str, ...]:
    """Read the folders (absolute) that audio lies in."""
    return tuple(
        absolute(folder, row["path"]) for row in connection.execute("SELECT path FROM root")
    )


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

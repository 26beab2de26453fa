"""Reading items through `sqlite3`: what rehearsal, render and engine start from."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.store.base.database import StationConnection
from nightly_spindle.store.library.item_rows import marks_of, measure_of, shaping_of, turn_of

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Iterator, Mapping
    from pathlib import Path

_CHUNK = 500  # SQLite takes 999 parameters or more

ITEM = "SELECT i.*, r.path AS root FROM item i JOIN root r ON r.id = i.root_id"
_STAMP = "SELECT i.cart, i.version, r.path AS root FROM item i JOIN root r ON r.id = i.root_id"

# The items of a database that this process has built: each is built once for each edit of it, and
# all who read the station have the same one. By folder and file, as another file may lie there.
_Known = dict[int, tuple[int, str, Item]]  # by cart: the number of its edit, its root, the item
_known: dict[tuple[str, tuple[int, int, int]], _Known] = {}
_MOST_STATIONS = 4


def _known_of(connection: sqlite3.Connection, folder: Path) -> _Known:
    if not isinstance(connection, StationConnection):
        return {}
    key = str(folder.absolute()), connection.file
    found = _known.get(key)
    if found is None:
        while len(_known) >= _MOST_STATIONS:
            _known.pop(next(iter(_known)), None)
        found = _known[key] = {}
    return found


def items_by_cart(
    connection: sqlite3.Connection, folder: Path, carts: Iterable[int]
) -> Iterator[Item]:
    """Read the items with these cart numbers; numbers that are not there are left out."""
    known = _known_of(connection, folder)
    wanted = list(dict.fromkeys(carts))
    for start in range(0, len(wanted), _CHUNK):
        part = wanted[start : start + _CHUNK]
        marks = ",".join("?" * len(part))
        stamps = connection.execute(f"{_STAMP} WHERE i.cart IN ({marks})", part).fetchall()
        found: dict[int, Item] = {}
        for cart, version, root in stamps:
            kept = known.get(cart)
            if kept is not None and kept[0] == version and kept[1] == root:
                found[cart] = kept[2]
        lacking = [cart for cart, _, _ in stamps if cart not in found]
        if lacking:
            marks = ",".join("?" * len(lacking))
            for row in connection.execute(f"{ITEM} WHERE i.cart IN ({marks})", lacking):
                item = found[row["cart"]] = item_from(row, folder)
                known[row["cart"]] = row["version"], row["root"], item
        for cart, _, _ in stamps:
            if cart in found:  # else it was removed between the two looks
                yield found[cart]


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
        named = connection.execute(
            f"SELECT cart, name_key FROM item WHERE name_key IN ({marks}) ORDER BY cart", part
        ).fetchall()
        items = {
            item.cart: item
            for item in items_by_cart(connection, folder, [row["cart"] for row in named])
        }
        for row in named:
            if item := items.get(row["cart"]):
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
            if item := items.get(row["cart"]):
                yield row["name_key"], f"{_base(row['root'], folder)}/{row['path']}", item


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
        album=row["album"],
        turn=turn_of(row),
    )


def _base(root: str, folder: Path) -> str:
    return root if root.startswith("/") else f"{folder.absolute()}/{root}"

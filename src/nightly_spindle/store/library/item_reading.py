"""Reading items through `sqlite3`: what rehearsal, render and engine start from."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.store.library.item_rows import marks_of, measure_of, shaping_of, turn_of

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Iterator, Mapping
    from pathlib import Path

_CHUNK = 500  # SQLite takes 999 parameters or more

ITEM = "SELECT i.*, r.path AS root FROM item i JOIN root r ON r.id = i.root_id"


def items_by_cart(
    connection: sqlite3.Connection, folder: Path, carts: Iterable[int]
) -> Iterator[Item]:
    """Read the items with these cart numbers; numbers that are not there are left out."""
    wanted = list(dict.fromkeys(carts))
    for start in range(0, len(wanted), _CHUNK):
        part = wanted[start : start + _CHUNK]
        marks = ",".join("?" * len(part))
        for row in connection.execute(f"{ITEM} WHERE i.cart IN ({marks})", part):
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
            f"{ITEM} WHERE i.name_key IN ({marks}) ORDER BY i.cart", part
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
        album=row["album"],
        turn=turn_of(row),
    )


def _base(root: str, folder: Path) -> str:
    return root if root.startswith("/") else f"{folder.absolute()}/{root}"

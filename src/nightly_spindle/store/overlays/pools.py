"""Reading and editing the pools of overlays."""

from __future__ import annotations

import json
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.overlays.overlay_pools import (
    KINDS,
    Pool,
    check_pool,
    pool_from,
    pool_values,
)
from nightly_spindle.store.base.named import Before, Row, find, new_number, put_rows

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Mapping, Sequence

    from nightly_spindle.store.base.transaction import LibraryTransaction

_JSON = ("members", "options")
_CARTS_IN = (
    "SELECT x.cart FROM item_category x JOIN category c ON c.id = x.category_id WHERE c.name = ?"
)


def values_of(row: sqlite3.Row | Mapping[str, Any]) -> Row:
    """Return one row of the table as a pool's plain values (`overlay_pools`)."""
    plain = {name: row[name] for name in ("id", "name", "use", "place")}
    return plain | {name: json.loads(row[name]) for name in _JSON}


def row_of(values: Mapping[str, Any]) -> Row:
    """Return a pool's plain values as a row."""
    return {**values, **{name: json.dumps(values[name], ensure_ascii=False) for name in _JSON}}


def read_pools(connection: sqlite3.Connection) -> tuple[list[Pool], dict[str, frozenset[int]]]:
    """Read the pools in their order, and the carts of the categories that they name (folded)."""
    rows = connection.execute("SELECT * FROM overlay_pool ORDER BY place, id")
    pools = [pool_from(values_of(row)) for row in rows]
    wanted = {name for pool in pools for name in pool.categories}
    inside: dict[str, frozenset[int]] = {}
    if wanted:
        for row in connection.execute("SELECT name FROM category").fetchall():
            if row["name"].casefold() in wanted:
                found = connection.execute(_CARTS_IN, (row["name"],))
                inside[row["name"].casefold()] = frozenset(one["cart"] for one in found)
    return pools, inside


def carts_of(pools: Iterable[Pool]) -> set[int]:
    """Return the cart numbers of all that pools can play."""
    pools = list(pools)
    carts = {cart for pool in pools for cart in pool.carts}
    return carts | {pool.fallback for pool in pools if pool.fallback}


def save_pool(library: LibraryTransaction, pool: Pool) -> tuple[int, Before]:
    """Write a pool, a new one where its id is 0, behind the others then.

    Returns its number, and what was there, for `restore_pools`. SettingRefused says what cannot
    be, InputFault when the name is taken or a member is none of the library or not for that use.
    """
    from nightly_spindle.store.base import tables as t

    pool = replace(pool, name=" ".join(pool.name.split()))
    check_pool(pool)
    rows = library.rows(t.overlay_pool.select())
    number = new_number(rows, pool.name, "pool", pool.id)
    if not pool.id:
        place = max((row["place"] for row in rows), default=0) + 1
        pool = replace(pool, id=number, place=place)
    _check_members(library, pool)
    return pool.id, restore_pools(library, {pool.id: [row_of(pool_values(pool))]})


def _check_members(library: LibraryTransaction, pool: Pool) -> None:
    from nightly_spindle.store.base import tables as t

    carts = [*pool.carts, *([pool.fallback] if pool.fallback else [])]
    found = library.rows(t.item.select().where(t.item.c.cart.in_(carts)))
    kinds: dict[int, str] = {row["cart"]: row["kind"] for row in found}
    wrong = [f"no item has the cart number {cart}" for cart in carts if cart not in kinds]
    good = KINDS[pool.use]
    listed = ", ".join(sorted(kind.replace("-", " ") for kind in good))
    wrong += [
        f"item {cart} is a {kinds[cart].replace('-', ' ')}; a pool of {pool.use} takes {listed}"
        for cart in carts
        if cart in kinds and Kind(kinds[cart]) not in good
    ]
    if wrong:
        raise InputFault(f"pool “{pool.name}”: {'; '.join(wrong[:4])}")


def remove_pool(library: LibraryTransaction, number: int) -> Before:
    """Take a pool out; returns what was there, for `restore_pools`."""
    return restore_pools(library, {number: []})


def order_pools(library: LibraryTransaction, numbers: Sequence[int]) -> Before:
    """Put the pools in that order; returns what was there, for `restore_pools`."""
    from nightly_spindle.store.base import tables as t

    rows = {row["id"]: row for row in library.rows(t.overlay_pool.select())}
    if set(numbers) != set(rows):
        raise InputFault("the pools have changed meanwhile; look again and put them in order then")
    moved = {n: [{**rows[n], "place": place}] for place, n in enumerate(numbers, 1)}
    return restore_pools(library, moved)


def restore_pools(library: LibraryTransaction, wanted: Mapping[int, Sequence[Row]]) -> Before:
    """Make pools what their rows say, or take them out; returns what was there."""
    from nightly_spindle.store.base import tables as t

    return put_rows(library, t.overlay_pool, wanted)


def find_pool(pools: Iterable[Pool], wanted: str) -> Pool:
    """Return the pool of that number or name; InputFault names those that there are."""
    return find(pools, wanted, "pool")


def wrong_pools(entries: Iterable[Mapping[str, Any]], kinds: Mapping[int, str]) -> list[str]:
    """Return what cannot be of the pools of a station book; `kinds` are its items' by cart."""
    wrong = []
    for entry in entries:
        place = f"overlay_pools/{entry['id']}"
        try:
            pool = pool_from(entry)
        except SettingRefused as error:
            wrong.append(f"{place}: {error}")
            continue
        carts = carts_of([pool])
        wrong += [f"{place}: no item has the cart {cart}" for cart in carts if cart not in kinds]
    return wrong

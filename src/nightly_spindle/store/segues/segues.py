"""The segue rules of pairs of kinds, and joins of pairs of items set by hand."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.segues.segue_rules import (
    JoinEdit,
    PairRule,
    Segues,
    edit_from,
    edit_values,
    pair_rule,
)
from nightly_spindle.store.base.station_folder import update_settings

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Mapping

    from nightly_spindle.core.segues.segue_rules import SegueRule
    from nightly_spindle.store.base.transaction import LibraryTransaction

Row = dict[str, Any]
Before = dict[str, Any]


def read_segues(connection: sqlite3.Connection, station: SegueRule) -> Segues:
    """Read all that a station says of segues; `station` is its own rule, from the settings."""
    rules = tuple(
        pair_rule(row["out"], row["into"], json.loads(row["texts"]))
        for row in connection.execute('SELECT * FROM segue_rule ORDER BY "out", "into"')
    )
    pairs = {
        (row["out_cart"], row["in_cart"]): edit_from(json.loads(row["edit"]))
        for row in connection.execute("SELECT * FROM join_pair")
    }
    return Segues(station, rules, pairs)


def set_station_rule(library: LibraryTransaction, texts: Mapping[str, str]) -> Before:
    """Change values of the station's own rule; returns what they were, for setting them back."""
    names = {f"segue.{name}": text for name, text in texts.items()}
    before = update_settings(library, names)
    return {name.removeprefix("segue."): text for name, text in before.items()}


def set_rule(library: LibraryTransaction, rule: PairRule) -> list[Row]:
    """Write the rule of a pair of kinds; one without values goes.

    Returns what was, for `restore_rule`.
    """
    from nightly_spindle.store.base import tables as t

    library.version()
    table = t.segue_rule
    same = (table.c.out == rule.out, table.c.into == rule.into)
    before = library.rows(table.select().where(*same))
    library.run(table.delete().where(*same))
    if rule.values:
        texts = json.dumps(dict(rule.values), sort_keys=True)
        library.run(table.insert().values(out=rule.out, into=rule.into, texts=texts))
    return before or [{"out": rule.out, "into": rule.into, "texts": ""}]


def restore_rule(library: LibraryTransaction, rows: list[Row]) -> None:
    """Write rules of pairs of kinds back as they were."""
    for row in rows:
        texts = json.loads(row["texts"]) if row["texts"] else {}
        set_rule(library, PairRule(row["out"], row["into"], tuple(sorted(texts.items()))))


def set_pair(
    library: LibraryTransaction, out_cart: int, in_cart: int, edit: JoinEdit | None
) -> str:
    """Write how one item passes into another, whenever they meet (None: as the rules say).

    Returns what was stored before, for `restore_pair`.
    """
    return restore_pair(
        library,
        out_cart,
        in_cart,
        "" if edit is None else json.dumps(edit_values(edit), sort_keys=True),
    )


def restore_pair(library: LibraryTransaction, out_cart: int, in_cart: int, text: str) -> str:
    """Write the stored join of a pair of items back; returns what was stored before."""
    from nightly_spindle.store.base import tables as t

    library.version()
    table = t.join_pair
    same = (table.c.out_cart == out_cart, table.c.in_cart == in_cart)
    before = library.rows(table.select().where(*same))
    library.run(table.delete().where(*same))
    if text:
        library.run(table.insert().values(out_cart=out_cart, in_cart=in_cart, edit=text))
    return before[0]["edit"] if before else ""

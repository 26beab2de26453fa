"""Editing log drops, what was settled by hand, and logs that are not on air yet."""

from __future__ import annotations

import json
import time
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import texts_of
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.logs.log_edits import edit_from_values
from nightly_spindle.core.station.log_sources import check_drop
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.base.station_folder import stored

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

    from nightly_spindle.core.logs.log_edits import LogEdit
    from nightly_spindle.core.station.log_sources import LogDrop
    from nightly_spindle.store.base.transaction import LibraryTransaction

Row = dict[str, Any]


def drop_row(station: Path, drop: LogDrop) -> Row:
    """Return a drop as its row; folders inside the station as relative ones."""
    options = {name.removeprefix("drop."): v for name, v in texts_of(drop.options, "drop").items()}
    return {
        "id": drop.id,
        "name": " ".join(drop.name.split()),
        "folder": stored(station, Path(drop.folder)),
        "pattern": drop.pattern.strip(),
        "options": json.dumps(options, ensure_ascii=False, sort_keys=True),
        "paths": json.dumps([[a, stored(station, Path(b))] for a, b in drop.paths]),
        "meanings": json.dumps(
            [[m.text, str(m.means), m.value] for m in drop.meanings], ensure_ascii=False
        ),
        "made_us": drop.made_us,
    }


def save_drop(library: LibraryTransaction, drop: LogDrop) -> tuple[int, list[Row]]:
    """Write a drop, a new one when its id is 0; SettingRefused says what is wrong with it.

    Returns its id and what was there, for `restore_drop`.
    """
    check_drop(drop)
    row = drop_row(library.folder, drop)
    others = library.rows(t.log_drop.select().where(t.log_drop.c.id != drop.id))
    if any(other["name"].casefold() == row["name"].casefold() for other in others):
        raise InputFault(f"there is a log drop “{row['name']}” already; choose another name")
    was = library.rows(t.log_drop.select().where(t.log_drop.c.id == drop.id))
    row["made_us"] = was[0]["made_us"] if was else drop.made_us or time.time_ns() // 1000
    if not drop.id:
        row["id"] = max((other["id"] for other in others), default=0) + 1
    return row["id"], restore_drop(library, row["id"], [row])


def remove_drop(library: LibraryTransaction, drop_id: int) -> list[Row]:
    """Take a drop out; returns what was there. Events that load from it say so."""
    return restore_drop(library, drop_id, [])


def restore_drop(library: LibraryTransaction, drop_id: int, rows: Sequence[Row]) -> list[Row]:
    """Make a drop what its row says, or take it out; returns what was there."""
    library.version()
    before = library.rows(t.log_drop.select().where(t.log_drop.c.id == drop_id))
    library.run(t.log_drop.delete().where(t.log_drop.c.id == drop_id))
    for row in rows:
        library.run(t.log_drop.insert().values(**row))
    return before


def settle(library: LibraryTransaction, wanted: Mapping[str, int]) -> dict[str, int]:
    """Remember which item lines mean that say this (0: forget); returns what was remembered."""
    library.version()
    table = t.log_settled
    known = {row["said"]: row["cart"] for row in library.rows(table.select())}
    for said, cart in wanted.items():
        if not said:
            raise InputFault("a line that says nothing cannot be remembered")
        library.run(table.delete().where(table.c.said == said))
        if cart:
            now = time.time_ns() // 1000
            library.run(table.insert().values(said=said, cart=cart, at_us=now))
    return {said: known.get(said, 0) for said in wanted}


def set_edits(
    library: LibraryTransaction, drop_id: int, slot: str, edits: Sequence[LogEdit]
) -> list[LogEdit]:
    """Write the edits of a log; returns what they were."""
    library.version()
    table = t.log_edit
    same = (table.c.drop_id == drop_id, table.c.slot == slot)
    rows = library.rows(table.select().where(*same))
    library.run(table.delete().where(*same))
    if edits:
        text = json.dumps([edit.values() for edit in edits], ensure_ascii=False)
        library.run(table.insert().values(drop_id=drop_id, slot=slot, edits=text))
    return [edit_from_values(one) for row in rows for one in json.loads(row["edits"])]

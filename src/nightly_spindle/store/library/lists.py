"""Fixed lists of items, in order. An item may stand in a list more than once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.store.base.database import connect

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from nightly_spindle.store.base.transaction import LibraryTransaction

_MOST = 50_000  # lines of one list


@dataclass(frozen=True, slots=True)
class ItemList:
    """A list: how many lines it has, and how long it should run (None: as long as it does)."""

    id: int
    name: str
    count: int
    target_s: float | None = None


def item_lists(folder: Path) -> list[ItemList]:
    """Return the lists by name."""
    connection = connect(folder)
    rows = connection.execute(
        "SELECT id, name, (SELECT count(*) FROM list_line x WHERE x.list_id = list.id) AS n,"
        " target_s FROM list ORDER BY name"
    ).fetchall()
    connection.close()
    return [ItemList(*row) for row in rows]


def list_named(folder: Path, name: str) -> ItemList:
    """Return the list of that name; InputFault names those that there are."""
    lists = item_lists(folder)
    for one in lists:
        if one.name.casefold() == name.casefold():
            return one
    known = ", ".join(one.name for one in lists) or "none yet"
    raise InputFault(f"there is no list “{name}”; there are: {known}")


def list_carts(folder: Path, list_id: int) -> list[int]:
    """Return a list's cart numbers in order."""
    connection = connect(folder)
    rows = connection.execute(
        "SELECT cart FROM list_line WHERE list_id = ? ORDER BY place", (list_id,)
    ).fetchall()
    connection.close()
    return [row[0] for row in rows]


def make_list(library: LibraryTransaction, name: str, carts: Sequence[int] = ()) -> int:
    """Make a list; InputFault when there is one of that name."""
    from sqlalchemy.dialects.sqlite import insert

    from nightly_spindle.store.base import tables as t

    name = _checked(library, name, 0)
    library.version()
    made = int(library.run(insert(t.list_).values(name=name)).inserted_primary_key[0])
    set_carts(library, made, carts)
    return made


def rename_list(library: LibraryTransaction, list_id: int, name: str) -> None:
    """Give a list another name."""
    from nightly_spindle.store.base import tables as t

    name = _checked(library, name, list_id)
    library.version()
    library.run(t.list_.update().where(t.list_.c.id == list_id).values(name=name))


def set_target(library: LibraryTransaction, list_id: int, target_s: float | None) -> None:
    """Say how long a list should run, in seconds; None: as long as it does."""
    from nightly_spindle.store.base import tables as t

    if target_s is not None and not 0 < target_s <= 86_400 * 7:
        raise InputFault("a list should run longer than nothing and at most a week")
    library.version()
    library.run(t.list_.update().where(t.list_.c.id == list_id).values(target_s=target_s))


def set_carts(library: LibraryTransaction, list_id: int, carts: Sequence[int]) -> None:
    """Write the whole list."""
    from sqlalchemy.dialects.sqlite import insert

    from nightly_spindle.store.base import tables as t

    if len(carts) > _MOST:
        raise InputFault(f"a list has at most {_MOST} lines; this would be {len(carts)}")
    library.version()
    library.run(t.list_line.delete().where(t.list_line.c.list_id == list_id))
    rows = [{"list_id": list_id, "place": at, "cart": cart} for at, cart in enumerate(carts)]
    if rows:
        library.run(insert(t.list_line), rows)


def remove_list(library: LibraryTransaction, list_id: int) -> tuple[ItemList, list[int]]:
    """End a list; its items stay. Returns what `put_list_back` takes."""
    from sqlalchemy import select

    from nightly_spindle.store.base import tables as t

    library.version()
    row = library.run(select(t.list_).where(t.list_.c.id == list_id)).first()
    if row is None:
        raise InputFault("that list is gone already")
    carts = carts_of(library, list_id)
    library.run(t.list_line.delete().where(t.list_line.c.list_id == list_id))
    library.run(t.list_.delete().where(t.list_.c.id == list_id))
    return ItemList(row.id, row.name, len(carts), row.target_s), carts


def put_list_back(library: LibraryTransaction, gone: tuple[ItemList, list[int]]) -> None:
    """Make a list again as it was."""
    from nightly_spindle.store.base import tables as t

    old, carts = gone
    library.version()
    values = {"id": old.id, "name": old.name, "target_s": old.target_s}
    library.run(t.list_.insert().values(**values))
    set_carts(library, old.id, carts)


def _checked(library: LibraryTransaction, name: str, list_id: int) -> str:
    from sqlalchemy import func, select

    from nightly_spindle.store.base import tables as t

    name = " ".join(name.split())
    if not name or len(name) > 80:
        raise InputFault("a list needs a name of at most 80 letters")
    same = func.lower(t.list_.c.name) == name.lower()
    if library.run(select(t.list_.c.id).where(same, t.list_.c.id != list_id)).first():
        raise InputFault(f"there is a list “{name}” already; choose another name")
    return name


def append(
    library: LibraryTransaction, list_id: int, carts: Sequence[int]
) -> tuple[int, list[int]]:
    """Add items at the end; returns what `set_back` takes."""
    before = carts_of(library, list_id)
    set_carts(library, list_id, [*before, *carts])
    return list_id, before


def change(
    library: LibraryTransaction, list_id: int, carts: Sequence[int]
) -> tuple[int, list[int]]:
    """Write the whole list; returns what `set_back` takes."""
    before = carts_of(library, list_id)
    set_carts(library, list_id, carts)
    return list_id, before


def set_back(library: LibraryTransaction, before: tuple[int, list[int]]) -> None:
    """Write a list as it was."""
    set_carts(library, *before)


def carts_of(library: LibraryTransaction, list_id: int) -> list[int]:
    """Return a list's cart numbers in order."""
    from sqlalchemy import select

    from nightly_spindle.store.base import tables as t

    query = select(t.list_line.c.cart).where(t.list_line.c.list_id == list_id)
    return list(library.run(query.order_by(t.list_line.c.place)).scalars())

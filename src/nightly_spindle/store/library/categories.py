"""Categories: groups of items that rotate together."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.music.formats import rename_in_formats

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.store.base.transaction import LibraryTransaction

Pairs = list[tuple[int, int]]  # (cart, category id)


def make(library: LibraryTransaction, name: str, weight: float = 1.0) -> int:
    """Return the category of that name, making it when there is none."""
    name = _checked(name)
    found = library.run(select(t.category.c.id).where(t.category.c.name == name)).scalar()
    if found is not None:
        return int(found)
    library.version()
    made = library.run(insert(t.category).values(name=name, weight=weight)).inserted_primary_key
    return int(made[0])


def number_of(library: LibraryTransaction, name: str) -> int:
    """Return the number of the category of that name; InputFault names those that there are."""
    rows = library.rows(select(t.category.c.id, t.category.c.name).order_by(t.category.c.name))
    wanted = name.strip().casefold()
    for row in rows:
        if row["name"].casefold() == wanted:
            return int(row["id"])
    names = ", ".join(f"“{row['name']}”" for row in rows) or "none yet"
    raise InputFault(f"there is no category “{name}”; there are: {names}")


def rename(library: LibraryTransaction, category: int, name: str) -> None:
    """Give a category another name, format clocks and rules follow; InputFault when it is taken."""
    name = _checked(name)
    other = library.run(select(t.category.c.id).where(t.category.c.name == name)).scalar()
    if other is not None and other != category:
        raise InputFault(f"there is a category “{name}” already; merge the two instead")
    library.version()
    query = select(t.category.c.name).where(t.category.c.id == category)
    was = library.run(query).scalar()
    library.run(t.category.update().where(t.category.c.id == category).values(name=name))
    if was is not None:
        rename_in_formats(library, was, name)


def set_weight(library: LibraryTransaction, category: int, weight: float) -> None:
    """Set how often a category comes round against the others; above 0, 1 is the usual."""
    if not 0 < weight <= 1000:
        raise InputFault(f"a weight of {weight:g} makes no sense; give one above 0, up to 1000")
    library.version()
    library.run(t.category.update().where(t.category.c.id == category).values(weight=weight))


def add(library: LibraryTransaction, category: int, carts: Sequence[int]) -> Pairs:
    """Put items into a category; returns the memberships that are new."""
    inside = set(
        library.run(
            select(t.item_category.c.cart).where(t.item_category.c.category_id == category)
        ).scalars()
    )
    new = [(cart, category) for cart in dict.fromkeys(carts) if cart not in inside]
    put_in(library, new)
    return new


def put_in(library: LibraryTransaction, pairs: Pairs) -> None:
    """Make memberships."""
    library.version()
    if pairs:
        library.run(
            insert(t.item_category).on_conflict_do_nothing(),
            [{"cart": cart, "category_id": category} for cart, category in pairs],
        )


def take_out(library: LibraryTransaction, pairs: Pairs) -> Pairs:
    """End memberships; returns those that were."""
    library.version()
    table = t.item_category.c
    return [
        (cart, category)
        for cart, category in pairs
        if library.run(
            t.item_category.delete().where(table.cart == cart, table.category_id == category)
        ).rowcount
    ]


def members(library: LibraryTransaction, category: int) -> Pairs:
    """Return the memberships of a category."""
    table = t.item_category.c
    rows = library.run(select(table.cart).where(table.category_id == category)).scalars()
    return [(cart, category) for cart in rows]


def of_item(library: LibraryTransaction, cart: int) -> Pairs:
    """Return the memberships of an item."""
    table = t.item_category.c
    rows = library.run(select(table.category_id).where(table.cart == cart)).scalars()
    return [(cart, category) for category in rows]


Gone = tuple[int, str, float, Pairs]


def rename_or_merge(library: LibraryTransaction, category: int, name: str) -> tuple[str, object]:
    """Rename a category; where another has the name, put all into that one instead.

    Returns what `undo_rename` takes.
    """
    name = _checked(name)
    other = library.run(select(t.category.c.id).where(t.category.c.name == name)).scalar()
    if other is None or other == category:
        query = select(t.category.c.name).where(t.category.c.id == category)
        before = library.run(query).scalar_one()
        rename(library, category, name)
        return "renamed", (category, before)
    new = add(library, other, [cart for cart, _ in members(library, category)])
    return "merged", (new, remove(library, category))


def undo_rename(library: LibraryTransaction, memory: tuple[str, Any]) -> None:
    """Take `rename_or_merge` back."""
    what, before = memory
    if what == "renamed":
        rename(library, *before)
        return
    new, gone = before
    take_out(library, new)
    put_category_back(library, gone)


def put_category_back(library: LibraryTransaction, gone: Gone) -> None:
    """Make a category again as it was."""
    number, name, weight, pairs = gone
    library.version()
    library.run(insert(t.category).values(id=number, name=name, weight=weight))
    put_in(library, pairs)


def remove(library: LibraryTransaction, category: int) -> Gone:
    """End a category; its items stay. Returns what `put_category_back` takes."""
    library.version()
    row = library.run(select(t.category).where(t.category.c.id == category)).first()
    if row is None:
        raise InputFault("that category is gone already")
    pairs = members(library, category)
    library.run(t.item_category.delete().where(t.item_category.c.category_id == category))
    library.run(t.category.delete().where(t.category.c.id == category))
    return row.id, row.name, row.weight, pairs


def _checked(name: str) -> str:
    name = " ".join(name.split())
    if not name or len(name) > 80:
        raise InputFault("a category needs a name of at most 80 letters")
    return name

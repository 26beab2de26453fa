"""Categories: groups of items that rotate together."""

from __future__ import annotations

from typing import TYPE_CHECKING

from sqlalchemy import select
from sqlalchemy.dialects.sqlite import insert

from nightly_spindle.core.errors import InputFault
from nightly_spindle.store import tables as t

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.store.library import Library

Pairs = list[tuple[int, int]]  # (cart, category id)


def make(library: Library, name: str, weight: float = 1.0) -> int:
    """Return the category of that name, making it when there is none."""
    name = _checked(name)
    found = library.run(select(t.category.c.id).where(t.category.c.name == name)).scalar()
    if found is not None:
        return int(found)
    library.version()
    made = library.run(insert(t.category).values(name=name, weight=weight)).inserted_primary_key
    return int(made[0])


def rename(library: Library, category: int, name: str) -> None:
    """Give a category another name; InputFault when another has it."""
    name = _checked(name)
    other = library.run(select(t.category.c.id).where(t.category.c.name == name)).scalar()
    if other is not None and other != category:
        raise InputFault(f"there is a category “{name}” already; merge the two instead")
    library.version()
    library.run(t.category.update().where(t.category.c.id == category).values(name=name))


def set_weight(library: Library, category: int, weight: float) -> None:
    """Set how often a category comes round against the others; above 0, 1 is the usual."""
    if not 0 < weight <= 1000:
        raise InputFault(f"a weight of {weight:g} makes no sense; give one above 0, up to 1000")
    library.version()
    library.run(t.category.update().where(t.category.c.id == category).values(weight=weight))


def add(library: Library, category: int, carts: Sequence[int]) -> Pairs:
    """Put items into a category; returns the memberships that are new."""
    inside = set(
        library.run(
            select(t.item_category.c.cart).where(t.item_category.c.category_id == category)
        ).scalars()
    )
    new = [(cart, category) for cart in dict.fromkeys(carts) if cart not in inside]
    put_in(library, new)
    return new


def put_in(library: Library, pairs: Pairs) -> None:
    """Make memberships."""
    library.version()
    if pairs:
        library.run(
            insert(t.item_category).on_conflict_do_nothing(),
            [{"cart": cart, "category_id": category} for cart, category in pairs],
        )


def take_out(library: Library, pairs: Pairs) -> Pairs:
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


def members(library: Library, category: int) -> Pairs:
    """Return the memberships of a category."""
    table = t.item_category.c
    rows = library.run(select(table.cart).where(table.category_id == category)).scalars()
    return [(cart, category) for cart in rows]


def merge(library: Library, category: int, into: int) -> None:
    """Put all items of a category into another, and end it."""
    if category == into:
        raise InputFault("a category cannot be merged with itself")
    add(library, into, [cart for cart, _ in members(library, category)])
    remove(library, category)


def remove(library: Library, category: int) -> tuple[str, float, Pairs]:
    """End a category; its items stay. Returns (name, weight, memberships)."""
    library.version()
    row = library.run(select(t.category).where(t.category.c.id == category)).first()
    if row is None:
        raise InputFault("that category is gone already")
    pairs = members(library, category)
    library.run(t.item_category.delete().where(t.item_category.c.category_id == category))
    library.run(t.category.delete().where(t.category.c.id == category))
    return row.name, row.weight, pairs


def _checked(name: str) -> str:
    name = " ".join(name.split())
    if not name or len(name) > 80:
        raise InputFault("a category needs a name of at most 80 letters")
    return name

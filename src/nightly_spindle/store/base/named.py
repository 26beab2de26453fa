"""Things with a number and a name that are kept one in a row: pools, events, breaks, campaigns."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Protocol, TypeVar

from nightly_spindle.core.base.errors import InputFault

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from sqlalchemy import Table

    from nightly_spindle.store.base.transaction import LibraryTransaction

Row = dict[str, Any]
Before = dict[int, list[Row]]


class Named(Protocol):
    """What can be found by its number or its name."""

    @property
    def id(self) -> int:
        """Its number."""
        ...

    @property
    def name(self) -> str:
        """Its name."""
        ...


Thing = TypeVar("Thing", bound=Named)


def put_rows(
    library: LibraryTransaction, table: Table, wanted: Mapping[int, Sequence[Row]]
) -> Before:
    """Make what has these numbers what the rows say, or take it out; returns what was there.

    The answer, given again, undoes it.
    """
    library.version()
    before: Before = {}
    for number in wanted:
        same = table.c.id == number
        before[number] = library.rows(table.select().where(same))
        library.run(table.delete().where(same))
    for rows in wanted.values():
        for row in rows:
            library.run(table.insert().values(**row))
    return before


def find(things: Iterable[Thing], wanted: str, what: str) -> Thing:
    """Return the thing of that number or name; InputFault names those that there are."""
    known, sought = list(things), wanted.strip().casefold()
    for thing in known:
        if sought in {str(thing.id), thing.name.casefold()}:
            return thing
    names = ", ".join(f"{thing.id} “{thing.name}”" for thing in known) or "none yet"
    raise InputFault(f"there is no {what} “{wanted}”; there are: {names}")


def new_number(rows: Iterable[Row], name: str, what: str, own: int = 0) -> int:
    """Return the number of what is to be written: its own, or a new one.

    InputFault when another has that name.
    """
    known = list(rows)
    for row in known:
        if row["name"].casefold() == name.casefold() and row["id"] != own:
            an = "an" if what[0] in "aeiou" else "a"
            raise InputFault(f"there is {an} {what} “{row['name']}” already; give another name")
    return own or max((row["id"] for row in known), default=0) + 1

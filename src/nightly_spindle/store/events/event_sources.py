"""Reading what the steps of timed events take from: lists, folders, categories."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.events.steps import PlayCategory, PlayFolder, PlayItem, PlayList
from nightly_spindle.core.programme.event_sources import EventSources
from nightly_spindle.store.base.patience import Patience
from nightly_spindle.store.base.station_folder import absolute

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable

    from nightly_spindle.core.events.timed_events import TimedEvent

_MOST = 2000  # items of one category that take part: those longest unheard
_IN_CATEGORY = (
    "SELECT i.cart FROM item i JOIN item_category x ON x.cart = i.cart JOIN category c"
    " ON c.id = x.category_id WHERE c.name = ? AND i.waits = ''"
    " ORDER BY i.last_aired_us, i.cart LIMIT ?"
)


def read_holdings(
    connection: sqlite3.Connection,
    folder: Path,
    events: Iterable[TimedEvent],
    fillers: Iterable[str] = (),
    patience: Patience | None = None,
) -> tuple[EventSources, set[int]]:
    """Return what events take from, and the cart numbers of all of it.

    `fillers` are categories that breaks without a spot take from.
    """
    steps = [step for event in events for step in event.steps]
    steps += [PlayCategory(name) for name in fillers]
    holdings = EventSources()
    carts = {step.cart for step in steps if isinstance(step, PlayItem)}
    if any(isinstance(step, PlayList) for step in steps):
        holdings.lists.update(_lists(connection))
    names = {
        row["name"].casefold(): row["name"]
        for row in connection.execute("SELECT name FROM category")
    }
    for step in steps:
        if isinstance(step, PlayFolder) and step.folder not in holdings.folders:
            inside, strays = in_folder(connection, folder, step.folder, patience)
            if inside is not None:
                holdings.folders[step.folder] = inside
                holdings.strays[step.folder] = strays
        elif isinstance(step, PlayCategory) and step.name.casefold() in names:
            name = names[step.name.casefold()]
            rows = connection.execute(_IN_CATEGORY, (name, _MOST))
            holdings.categories[step.name.casefold()] = tuple(row["cart"] for row in rows)
    for step in steps:
        if isinstance(step, PlayList | PlayFolder | PlayCategory):
            carts |= set(holdings.carts(step) or ())
    return holdings, carts


def _lists(connection: sqlite3.Connection) -> dict[str, tuple[int, ...]]:
    found: dict[str, list[int]] = {}
    for row in connection.execute("SELECT name FROM list"):
        found[row["name"].casefold()] = []
    for row in connection.execute(
        "SELECT l.name, x.cart FROM list_line x JOIN list l ON l.id = x.list_id ORDER BY x.place"
    ):
        found[row["name"].casefold()].append(row["cart"])
    return {name: tuple(carts) for name, carts in found.items()}


def in_folder(
    connection: sqlite3.Connection, station: Path, named: str, patience: Patience | None = None
) -> tuple[tuple[int, ...] | None, int]:
    """Return the items whose audio lies in a folder, by name, and how many files are none.

    None when the folder is not there and no item is known in it.
    """
    path = absolute(station, named).rstrip("/")
    items: dict[str, int] = {}
    for row in connection.execute("SELECT id, path FROM root"):
        root = absolute(station, row["path"]).rstrip("/")
        if path != root and not path.startswith(f"{root}/"):
            continue
        prefix = path[len(root) + 1 :]
        prefix = f"{prefix}/" if prefix else ""
        for item in connection.execute(
            "SELECT cart, path FROM item WHERE root_id = ? AND waits = ''"
            " AND substr(path, 1, ?) = ? AND instr(substr(path, ? + 1), '/') = 0",
            (row["id"], len(prefix), prefix, len(prefix)),
        ):
            items[item["path"][len(prefix) :]] = item["cart"]
    there = _audio_files(Path(path), patience or Patience())
    if there is None and not items:
        return None, 0
    strays = len(set(there or ()) - set(items))
    return tuple(items[name] for name in sorted(items, key=str.casefold)), strays


def _audio_files(folder: Path, patience: Patience) -> list[str] | None:
    from nightly_spindle.audio.files import SUFFIXES

    def names() -> list[str]:
        return [p.name for p in folder.iterdir() if p.suffix.lower() in SUFFIXES]

    try:
        return patience.ask(str(folder), names)
    except OSError:
        return None  # said where it matters: nothing can be taken from it

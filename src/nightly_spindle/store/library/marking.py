"""Markers and shaping of items: setting them by hand, and measuring anew from stored levels."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from sqlalchemy import bindparam, select

from nightly_spindle.audio.envelope import unpack
from nightly_spindle.audio.markers import find_markers
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.segues.effective_markers import checked_marks
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.library.item_reading import item_from
from nightly_spindle.store.library.item_rows import (
    marks_text,
    measure_of,
    measure_values,
    shaping_text,
)

if TYPE_CHECKING:
    from collections.abc import Callable, Mapping, Sequence
    from pathlib import Path

    from nightly_spindle.audio.measure import Measured
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.library.markers import Marks, Shaping
    from nightly_spindle.core.station.settings import Trimming
    from nightly_spindle.store.base.transaction import LibraryTransaction

Row = dict[str, Any]
_PART = 400
# the columns that finding markers anew may change
_FOUND = (
    "cue_in_s",
    "cue_out_s",
    "segue_s",
    "fade_start_s",
    "ending",
    "sag_s",
    "fall",
    "rise_s",
    "soft_s",
    "sure_cue_in",
    "sure_segue",
    "sure_fade_start",
    "sure_cue_out",
)


def item_of(library: LibraryTransaction, cart: int) -> Item:
    """Return an item as it is now; InputFault when it is gone."""
    query = select(t.item, t.root.c.path.label("root")).join(t.root).where(t.item.c.cart == cart)
    found = library.rows(query)
    if not found:
        raise InputFault(f"no item has the cart number {cart}")
    return item_from(found[0], library.folder)


def set_by_hand(
    library: LibraryTransaction, wanted: Mapping[int, tuple[Marks | None, Shaping | None]]
) -> list[Row]:
    """Set marks and shaping of items, each where it is not None; returns what was, for `put_back`.

    InputFault with the item and a sentence when an order cannot be, and then none is set.
    """
    before = _now(library, list(wanted))
    gone = set(wanted) - {row["cart"] for row in before}
    if gone:
        raise InputFault(f"no item has the cart number {', '.join(map(str, sorted(gone)))}")
    rows = []
    for row in before:
        marks, shaping = wanted[row["cart"]]
        new = dict(row)
        if marks is not None:
            checked_marks(item_of(library, row["cart"]), marks)
            new["marks"] = marks_text(marks)
        if shaping is not None:
            new["shaping"] = shaping_text(shaping)
        rows.append(new)
    put_back(library, rows)
    return before


def put_back(library: LibraryTransaction, rows: Sequence[Row]) -> None:
    """Write marks, shaping or measured markers of items as the rows say."""
    version = library.version()
    if not rows:
        return
    names = [name for name in rows[0] if name != "cart"]
    values: Row = {name: bindparam(f"new_{name}") for name in names}
    update = t.item.update().where(t.item.c.cart == bindparam("of_cart"))
    library.run(
        update.values(**values, version=version),
        [{"of_cart": row["cart"], **{f"new_{n}": row[n] for n in names}} for row in rows],
    )


def _now(library: LibraryTransaction, carts: Sequence[int]) -> list[Row]:
    columns = (t.item.c.cart, t.item.c.marks, t.item.c.shaping)
    found: list[Row] = []
    for at in range(0, len(carts), _PART):
        found += library.rows(select(*columns).where(t.item.c.cart.in_(carts[at : at + _PART])))
    return found


def note_file(library: LibraryTransaction, cart: int, path: Path) -> None:
    """Keep in mind that an item's file was written to by us: it is not new audio."""
    stat = path.stat()
    library.run(
        t.item.update()
        .where(t.item.c.cart == cart)
        .values(size=stat.st_size, mtime_ns=stat.st_mtime_ns, version=library.version())
    )


def measured(library: LibraryTransaction, cart: int, found: Measured) -> None:
    """Write what was measured of an item's own file; InputFault when the item is gone."""
    item_of(library, cart)
    values = measure_values(found.measure)
    library.run(
        t.item.update()
        .where(t.item.c.cart == cart)
        .values(**values, encoding=found.encoding, version=library.version())
    )
    sound = {
        "overview": found.overview,
        "fingerprint": found.fingerprint,
        "envelope": found.envelope,
        "sounding_s": found.measure.cue_out_s - found.measure.cue_in_s,
    }
    library.run(t.item_sound.update().where(t.item_sound.c.cart == cart).values(**sound))


def measure_anew(
    library: LibraryTransaction,
    trimming: Trimming,
    carts: Sequence[int] | None = None,
    progress: Callable[[int, int], None] = lambda _done, _all: None,
) -> tuple[list[Row], int]:
    """Find the measured markers again in the stored levels, without the audio.

    `carts` None means all items. Returns what changed items had before, for `put_back`, and how
    many items have no stored levels (those wait for the intake to measure them).
    """
    query = select(t.item, t.item_sound.c.envelope).join(t.item_sound)
    if carts is not None:
        query = query.where(t.item.c.cart.in_(list(carts)))
    before: list[Row] = []
    after: list[Row] = []
    without = 0
    rows = library.rows(query)
    for done, row in enumerate(rows, 1):
        envelope = unpack(row["envelope"])
        if envelope is None:
            without += row["integrated_lufs"] is not None
            continue
        found = measure_values(find_markers(measure_of(row), envelope, trimming))
        if any(found[name] != row[name] for name in _FOUND):
            before.append({"cart": row["cart"], **{name: row[name] for name in _FOUND}})
            after.append({"cart": row["cart"], **{name: found[name] for name in _FOUND}})
        if done % 100 == 0:
            progress(done, len(rows))
    put_back(library, after)
    return before, without


def measure_ends(library: LibraryTransaction, trimming: Trimming, most: int) -> int:
    """Find how softly items begin and end, in the stored levels, where that is not known yet.

    So it is after an update from a program that did not look for it; all else stays as it was
    measured. At most so many items; returns how many there were.
    """
    unknown = t.item.c.rise_s.is_(None) & (t.item_sound.c.envelope != b"")
    query = select(t.item, t.item_sound.c.envelope).join(t.item_sound).where(unknown).limit(most)
    rows = library.rows(query)
    for row in rows:
        found = find_markers(measure_of(row), unpack(row["envelope"]), trimming)
        values = {"rise_s": found.rise_s or 0.0, "soft_s": found.soft_s}
        library.run(
            t.item.update()
            .where(t.item.c.cart == row["cart"])
            .values(**values, version=library.version())
        )
    return len(rows)

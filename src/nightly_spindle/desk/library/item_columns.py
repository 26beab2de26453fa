"""The columns of the table of items, and what the store sorts by for each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import length, short_date
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.store.library.catalogue import CatalogueRow

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

# the column's name, and the name of the order that the catalogue is asked for
ORDERS = {
    "Title": "title",
    "Artist": "artist",
    "Length": "length",
    "LUFS": "loudness",
    "Album": "album",
    "Cart": "cart",
    "Last aired": "aired",
}


def item_layout(tz: ZoneInfo) -> TableLayout[CatalogueRow]:
    """Return the table of items; days and times as they are in `tz`."""
    columns: tuple[Column[CatalogueRow], ...] = (
        Column(
            "Title",
            210,
            lambda r: r.title,
            wide=True,
            sign=lambda r: r.kind,
            mark=lambda r: "full" if r.waits else "",
        ),
        Column("Artist", 130, lambda r: r.artist),
        Column("Length", 58, lambda r: length(r.duration_s), right=True),
        Column(
            "LUFS", 50, lambda r: "" if r.lufs is None else f"{r.lufs:.1f}", right=True, ink="muted"
        ),
        Column("Album", 120, lambda r: r.album, ink="muted"),
        Column("Cart", 52, lambda r: str(r.cart), right=True, ink="muted"),
        Column(
            "Last aired",
            106,
            right=True,
            ink="muted",
            text=lambda r: "" if r.aired_us is None else short_date(r.aired_us, tz),
        ),
        Column("Categories", 108, lambda r: r.categories, ink="muted"),
    )
    return TableLayout(
        "Items",
        columns,
        tip=lambda r: f"{r.title} ({r.kind}, cart {r.cart})",
        key=lambda r: r.cart,
        sorted_by="Artist",
    )

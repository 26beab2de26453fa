"""The library in open formats: CSV (RFC 4180), M3U, XSPF; and tags back from CSV.

Columns of the table, in this order; times are ISO 8601 with offset, lengths seconds, levels
LUFS and dBTP, categories with "; " between them.
"""

from __future__ import annotations

import csv
import io
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from nightly_spindle.audio.tags import clean
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.plain_files import read_plain, replace_file
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.core.library.markers import Marker
from nightly_spindle.core.logs.playlists import PlaylistTrack, m3u, xspf
from nightly_spindle.core.segues.effective_markers import placed

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.segues.segue_rules import SegueRule
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library.catalogue import Catalogue, CatalogueRow

COLUMNS = (
    "cart",
    "kind",
    "artist",
    "title",
    "album",
    "year",
    "genre",
    "categories",
    "duration_s",
    "integrated_lufs",
    "true_peak_dbtp",
    "cue_in_s",
    "segue_s",
    "fade_start_s",
    "cue_out_s",
    "ending",
    "last_aired",
    "added",
    "waits",
    "path",
)
READ = ("kind", "artist", "title", "album", "year", "genre", "categories")
_MOST_BYTES = 256 * 2**20
_PART = 1000


def table_rows(catalogue: Catalogue, carts: Sequence[int], tz: ZoneInfo) -> list[dict[str, Any]]:
    """Return the table's rows of these items, in order."""
    rows: list[dict[str, Any]] = []
    rule = catalogue.rules()[1].station
    for at in range(0, len(carts), _PART):
        part = carts[at : at + _PART]
        items = catalogue.items(part)
        rows += [_table_row(row, items[row.cart], tz, rule) for row in catalogue.rows(part)]
    return rows


def _table_row(row: CatalogueRow, item: Item, tz: ZoneInfo, rule: SegueRule) -> dict[str, Any]:
    measure = item.measure
    at = {one.marker: f"{one.at_s:.3f}" for one in placed(item, rule) if not one.absent}
    return {
        "cart": row.cart,
        "kind": row.kind,
        "artist": row.artist,
        "title": row.title,
        "album": row.album,
        "year": row.year,
        "genre": row.genre,
        "categories": row.categories.replace(", ", "; "),
        "duration_s": f"{measure.duration_s:.3f}",
        "integrated_lufs": _level(measure.integrated_lufs),
        "true_peak_dbtp": _level(measure.true_peak_dbtp),
        "cue_in_s": at.get(Marker.CUE_IN, ""),
        "segue_s": at.get(Marker.SEGUE, ""),
        "fade_start_s": at.get(Marker.FADE_START, ""),
        "cue_out_s": at.get(Marker.CUE_OUT, ""),
        "ending": str(measure.ending),
        "last_aired": "" if row.aired_us is None else iso(row.aired_us, tz),
        "added": iso(row.added_us, tz) if row.added_us else "",
        "waits": row.waits,
        "path": item.path,
    }


def _level(level: float | None) -> str:
    return "" if level is None else f"{level:.2f}"


def write(path: Path, catalogue: Catalogue, carts: Sequence[int], tz: ZoneInfo, name: str) -> None:
    """Write items to a file whose suffix says how; InputFault when it says nothing known."""
    suffix = path.suffix.lower()
    if suffix == ".csv":
        text = io.StringIO()
        writer = csv.DictWriter(text, COLUMNS, lineterminator="\r\n")
        writer.writeheader()
        writer.writerows(table_rows(catalogue, carts, tz))
        body = text.getvalue()
    elif suffix in {".m3u", ".m3u8", ".xspf"}:
        tracks = _tracks(catalogue, carts)
        body = xspf(tracks, name) if suffix == ".xspf" else m3u(tracks)
    else:
        raise InputFault(f"{path}: the name must end in .csv, .m3u, .m3u8 or .xspf")
    replace_file(path, body)


def _tracks(catalogue: Catalogue, carts: Sequence[int]) -> list[PlaylistTrack]:
    items = catalogue.items(carts)
    return [
        PlaylistTrack(row.path, row.title, row.artist, "", row.measure.duration_s)
        for row in (items[cart] for cart in carts if cart in items)
    ]


@dataclass(frozen=True, slots=True)
class TableChange:
    """What one row of a table changes on an item; `problem` says why it cannot."""

    line: int
    cart: int | None
    values: dict[str, str]
    problem: str = ""


def read_table(path: Path) -> list[dict[str, str]]:
    """Read a CSV table with a header; comma, semicolon or tab; UTF-8. InputFault says what not."""
    try:
        if path.stat().st_size > _MOST_BYTES:
            raise InputFault(f"{path} has over {_MOST_BYTES:,} bytes; split the table")
        text = read_plain(path).decode("utf-8-sig")
    except OSError as error:
        raise InputFault(f"{path} cannot be read: {error.strerror}") from error
    except UnicodeDecodeError as error:
        raise InputFault(
            f"{path} is not UTF-8 (byte {error.start}); save the table as UTF-8"
        ) from error
    head = text.partition("\n")[0]
    mark = max(",;\t", key=head.count)
    try:
        reader = csv.DictReader(io.StringIO(text.replace("\0", ""), newline=""), delimiter=mark)
        names = [(name or "").strip().lower() for name in reader.fieldnames or []]
        if not {"cart", "path"} & set(names):
            raise InputFault(
                f"{path} has neither a column cart nor a column path in its first line, so no "
                "row says which item it means"
            )
        reader.fieldnames = names
        return [{k: (v or "").strip() for k, v in row.items() if k} for row in reader]
    except csv.Error as error:
        raise InputFault(f"{path} is not a CSV table: {error}") from error


def changes_from(catalogue: Catalogue, rows: Sequence[dict[str, str]]) -> list[TableChange]:
    """Return what a table changes: only values that differ from the library's."""
    by_path = {}
    if any(row.get("path") and not row.get("cart") for row in rows):
        from nightly_spindle.store.library.catalogue import Query

        every = catalogue.find(Query(), 0).carts.tolist()
        by_path = {item.path: cart for cart, item in catalogue.items(every).items()}
    found = []
    asked = [_number(row, by_path) for row in rows]
    there = {row.cart: row for row in catalogue.rows([cart for cart in asked if cart])}
    for line, (row, cart) in enumerate(zip(rows, asked, strict=True), 2):
        known = there.get(cart or 0)
        if known is None:
            named = row.get("cart") or row.get("path") or "nothing"
            found.append(
                TableChange(
                    line,
                    cart,
                    {},
                    f"line {line} names {named}, which is not in "
                    "the library; import the file first",
                )
            )
            continue
        now = {name: str(getattr(known, name)) for name in READ}
        now["categories"] = "; ".join(sorted(filter(None, known.categories.split(", "))))
        new = {name: clean(row[name]) for name in READ if name in row}
        if "categories" in new:
            parts = {part.strip() for part in new["categories"].split(";")}
            new["categories"] = "; ".join(sorted(filter(None, parts)))
        values = {name: value for name, value in new.items() if value != now[name]}
        if values:
            found.append(TableChange(line, known.cart, values))
    return found


def _number(row: dict[str, str], by_path: dict[str, int]) -> int | None:
    text = row.get("cart", "")
    if text.isdigit() and len(text) < 10:
        return int(text)
    return by_path.get(row.get("path", ""))


Before = list[tuple[list[dict[str, Any]], list[tuple[int, int]]]]


def apply_changes(library: LibraryTransaction, changes: Sequence[TableChange]) -> Before:
    """Make the changes; returns what `undo_changes` takes.

    InputFault, with the line, when one cannot be, and then none is made.
    """
    from nightly_spindle.store.library import categories, items

    before: Before = []
    for change in changes:
        if change.cart is None or change.problem:
            continue
        values = dict(change.values)
        names = values.pop("categories", None)
        try:
            rows = items.edit(library, [change.cart], values)
            pairs = categories.of_item(library, change.cart)
            if names is not None:
                categories.take_out(library, pairs)
                for name in filter(None, names.split("; ")):
                    categories.add(library, categories.make(library, name), [change.cart])
        except InputFault as error:
            raise InputFault(f"line {change.line}: {error}") from error
        before.append((rows, pairs))
    return before


def undo_changes(library: LibraryTransaction, before: Before) -> None:
    """Take `apply_changes` back; categories that it made stay, empty."""
    from nightly_spindle.store.library import categories, items

    for rows, pairs in before:
        items.set_back(library, rows)
        for row in rows:
            categories.take_out(library, categories.of_item(library, row["cart"]))
        categories.put_in(library, pairs)

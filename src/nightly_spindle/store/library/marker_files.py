"""Markers in and out of files: sidecars, the chunks of WAV files, a CSV table of all."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.audio.chunks import Point, Told, read_points, write_points
from nightly_spindle.core.base.errors import AudioUnreadable, InputFault
from nightly_spindle.core.base.plain_files import read_plain, replace_file
from nightly_spindle.core.library.markers import AS_USUAL, UNMARKED, Marks, Shaping
from nightly_spindle.core.segues.effective_markers import checked_marks, placed
from nightly_spindle.core.segues.marker_files import (
    COLUMNS,
    SUFFIX,
    from_row,
    from_sidecar,
    marks_at,
    sidecar,
    table_row,
)
from nightly_spindle.store.library.catalogue import Catalogue, Query
from nightly_spindle.store.library.exchange import read_table

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.segues.segue_rules import SegueRule

_MOST_BYTES = 1 << 20
WAVES = frozenset({".wav", ".rf64", ".bwf"})


def sidecar_of(path: Path) -> Path:
    """Return where the sidecar of an audio file lies."""
    return path.with_name(path.name + SUFFIX)


def write_sidecar(item: Item, rule: SegueRule) -> Path:
    """Write an item's markers beside its audio, whole or not at all; returns the file."""
    target = sidecar_of(Path(item.path))
    replace_file(target, json.dumps(sidecar(item, rule), ensure_ascii=False, indent=1) + "\n")
    return target


def write_into(item: Item, rule: SegueRule) -> Path:
    """Write an item's markers into its WAV file; the sound is not touched. Returns the file."""
    path = Path(item.path)
    _, rate = read_points(path) if path.suffix.lower() in WAVES else ([], 0)
    points = [
        Point(one.marker, round(one.at_s * rate)) for one in placed(item, rule) if not one.absent
    ]
    write_points(path, points, Told(item.title, item.artist, str(item.cart)))
    return path


def read_beside(item: Item, rule: SegueRule) -> tuple[Marks, Shaping] | None:
    """Return what the sidecar of an item's audio says, else the file itself; None for nothing.

    InputFault, with the file, when it cannot be read or its markers make no sense.
    """
    path = Path(item.path)
    beside = sidecar_of(path)
    if beside.exists():
        try:
            marks, shaping = from_sidecar(json.loads(_bytes(beside)))
            return checked_marks(item, marks), shaping
        except OSError as error:
            raise InputFault(f"{beside} cannot be read: {error.strerror}") from error
        except (ValueError, RecursionError) as error:
            raise InputFault(f"{beside} is not JSON: {error}") from error
        except InputFault as error:
            raise InputFault(f"{beside}: {error}") from error
    if path.suffix.lower() not in WAVES:
        return None
    try:
        points, rate = read_points(path)
    except AudioUnreadable:
        return None  # whether it is audio is not decided here
    if not points:
        return None
    marks = marks_at(item, [(point.marker, point.frame / rate) for point in points], rule)
    try:
        return checked_marks(item, marks), AS_USUAL
    except InputFault as error:
        raise InputFault(f"the markers in {path}: {error}") from error


def _bytes(path: Path) -> bytes:
    if path.stat().st_size > _MOST_BYTES:
        raise InputFault("it has over a megabyte")
    return read_plain(path)


def write_table(path: Path, items: Iterable[Item], rule: SegueRule) -> None:
    """Write the markers of items as a CSV table (RFC 4180), whole or not at all."""
    text = io.StringIO()
    writer = csv.DictWriter(text, COLUMNS, lineterminator="\r\n")
    writer.writeheader()
    writer.writerows(table_row(item, rule) for item in items)
    replace_file(path, text.getvalue())


@dataclass(frozen=True, slots=True)
class RowMarks:
    """What one row of a table sets on an item; `problem` says why it cannot."""

    line: int
    cart: int
    marks: Marks = UNMARKED
    shaping: Shaping = AS_USUAL
    problem: str = ""


def is_marker_table(rows: Sequence[Mapping[str, str]]) -> bool:
    """Whether a table that was read is one of markers."""
    return bool(rows) and "by_hand" in rows[0]


def marks_in_table(catalogue: Catalogue, path: Path) -> list[RowMarks]:
    """Return what a table changes of items' markers: rows that change nothing are left out."""
    rule = catalogue.rules()[1].station
    items = catalogue.items(catalogue.find(Query(), 0).carts.tolist())
    by_path = {item.path: cart for cart, item in items.items()}
    found: list[RowMarks] = []
    for line, row in enumerate(read_table(path), 2):
        text = row.get("cart", "")
        cart = int(text) if text.isdigit() and len(text) < 10 else by_path.get(row.get("path", ""))
        item = items.get(cart or 0)
        if item is None:
            named = text or row.get("path") or "nothing"
            why = f"line {line} names {named}, which is not in the library"
            found.append(RowMarks(line, cart or 0, problem=why))
            continue
        try:
            marks, shaping = from_row(item, row, rule)
            checked_marks(item, marks)
        except InputFault as error:
            why = f"line {line} (cart {item.cart} “{item.title}”): {error}"
            found.append(RowMarks(line, item.cart, problem=why))
            continue
        if (marks, shaping) != (item.marks, item.shaping):
            found.append(RowMarks(line, item.cart, marks, shaping))
    return found


def wanted_of(rows: Sequence[RowMarks]) -> dict[int, tuple[Marks | None, Shaping | None]]:
    """Return the rows that can be used as `marking.set_by_hand` takes them."""
    return {row.cart: (row.marks, row.shaping) for row in rows if not row.problem}

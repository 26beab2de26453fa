"""`markers show`, `set`, `table`, `read-table`, `write`, `read`, `anew`."""

from __future__ import annotations

import sys
from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import answer, print_json
from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import parse_stamp, stamp
from nightly_spindle.core.library.loudness_gain import gain
from nightly_spindle.core.library.markers import (
    MEASURED,
    Marker,
    Marks,
    Shaping,
    shaping_from,
    shaping_values,
)
from nightly_spindle.core.segues.effective_markers import placed, sure_words
from nightly_spindle.core.station.settings import Trimming
from nightly_spindle.store.library import marker_files
from nightly_spindle.store.library.catalogue import Catalogue, Query

if TYPE_CHECKING:
    import argparse
    from collections.abc import Sequence

    from nightly_spindle.core.library.items import Item

_AGAIN, _NONE = "measured", "none"


def items_asked(catalogue: Catalogue, carts: Sequence[int]) -> dict[int, Item]:
    """Return items by number; InputFault names those that are not there."""
    found = catalogue.items(carts)
    gone = sorted(set(carts) - set(found))
    if gone:
        raise InputFault(f"no item has the cart number {', '.join(map(str, gone))}")
    return found


def show(options: argparse.Namespace) -> int:
    """Say where an item's markers are."""
    catalogue = Catalogue(Path(options.folder))
    item = items_asked(catalogue, [options.cart])[options.cart]
    settings, segues = catalogue.rules()
    rows = placed(item, segues.station)
    lift = gain(item, settings.levels, settings.kind_levels)
    if options.json:
        print_json(
            {
                "cart": item.cart,
                "title": item.title,
                "duration_s": item.measure.duration_s,
                "ending": str(item.measure.ending),
                "markers": [
                    {
                        "marker": str(row.marker),
                        "at_s": round(row.at_s, 6),
                        "absent": row.absent,
                        "by": "hand" if row.sure is None else "measured",
                        "sure": row.sure,
                    }
                    for row in rows
                ],
                "gain_db": round(lift.db, 3),
                "why_gain": lift.why,
                "untouched": item.untouched,
                "talked_over": item.talked_over,
                "shaping": shaping_values(item.shaping),
            }
        )
        return 0
    print(f"cart {item.cart} “{item.label}”, {stamp(item.measure.duration_s)}")
    for row in rows:
        said = "cleared" if row.absent else sure_words(row.sure)
        print(f"{row.marker.words:<15} {stamp(row.at_s):>12}  {said}")
    print(f"gain {lift.why}")
    return 0


def set_marks(options: argparse.Namespace) -> int:
    """Set markers and wishes of items by hand."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import marking

    folder = Path(options.folder)
    items = items_asked(Catalogue(folder), options.carts)
    wanted: dict[int, tuple[Marks | None, Shaping | None]] = {
        cart: (_marks(item.marks, options), _shaping(item.shaping, options))
        for cart, item in items.items()
    }
    same = [cart for cart, item in items.items() if wanted[cart] == (item.marks, item.shaping)]
    if len(same) == len(items):
        raise InputFault("that changes nothing; say what to set: --cue-in 0.52, --segue none ...")
    with LibraryTransaction(folder) as library:
        marking.set_by_hand(library, wanted)
    return answer(
        options,
        {"changed": [cart for cart in items if cart not in same]},
        f"{len(items) - len(same)} items are changed.",
    )


def _marks(marks: Marks, options: argparse.Namespace) -> Marks:
    for marker in Marker:
        given = getattr(options, marker.replace("-", "_"))
        if given is None:
            continue
        if marker is Marker.SWEEPER:
            times = [parse_stamp(text) for text in given if text != _NONE]
            marks = replace(marks, sweepers_s=tuple(sorted(set(times))))
        elif given == _AGAIN or (given == _NONE and marker not in MEASURED):
            marks = marks.with_mark(marker, None)
        elif given == _NONE:
            marks = marks.without(marker)
        else:
            marks = marks.with_mark(marker, parse_stamp(given))
    return marks


def _shaping(shaping: Shaping, options: argparse.Namespace) -> Shaping:
    values: dict[str, Any] = shaping_values(shaping)
    for name in (
        "gain_trim_db",
        "untouched",
        "talk_over",
        "fade_in_s",
        "fade_out_s",
        "own_sweeper",
    ):
        given = getattr(options, name)
        if given is None:
            continue
        values.pop(name, None)
        if given in {"kind", "rule", _NONE}:
            continue
        if name in {"untouched", "talk_over"}:
            if given not in {"yes", "no"}:
                raise InputFault(f"--{name.replace('_', '-')} is '{given}'; it is yes, no or kind")
            values[name] = given == "yes"
        else:
            try:
                values[name] = float(given)
            except ValueError:
                raise InputFault(f"--{name.replace('_', '-')} is '{given}', no number") from None
    return shaping_from(values)


def write_table(options: argparse.Namespace) -> int:
    """Write the markers of all items as CSV."""
    catalogue = Catalogue(Path(options.folder))
    carts = catalogue.find(Query(sort="cart")).carts.tolist()
    _, segues = catalogue.rules()
    items = catalogue.items(carts)
    there = [items[cart] for cart in carts]
    marker_files.write_table(Path(options.file), there, segues.station)
    return answer(
        options,
        {"out": options.file, "items": len(there)},
        f"The markers of {len(there)} items are written to {options.file}.",
    )


def read_table(options: argparse.Namespace) -> int:
    """Read markers from a CSV table; exit status 2 when no row could be used."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import marking

    folder = Path(options.folder)
    rows = marker_files.marks_in_table(Catalogue(folder), Path(options.file))
    good = [row for row in rows if not row.problem]
    bad = [row for row in rows if row.problem]
    if bad and not good:
        raise InputFault(f"{options.file}: {bad[0].problem}; no row could be used")
    if good and not options.dry:
        with LibraryTransaction(folder) as library:
            marking.set_by_hand(library, marker_files.wanted_of(good))
    if options.json:
        print_json(
            {
                "changed": [row.cart for row in good],
                "problems": [r.problem for r in bad],
                "applied": not options.dry,
            }
        )
    else:
        print(f"{len(good)} items {'would be' if options.dry else 'are'} changed.")
    for row in bad:
        print(f"nightly-spindle: {row.problem}", file=sys.stderr)
    return 0


def write_files(options: argparse.Namespace) -> int:
    """Write markers into sidecars, or into the WAV files themselves."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import marking

    folder = Path(options.folder)
    catalogue = Catalogue(folder)
    _, segues = catalogue.rules()
    written = []
    for cart, item in items_asked(catalogue, options.carts).items():
        if options.into_file:
            path = marker_files.write_into(item, segues.station)
            with LibraryTransaction(folder) as library:
                marking.note_file(library, cart, path)
        else:
            path = marker_files.write_sidecar(item, segues.station)
        written.append(str(path))
    return answer(options, {"written": written}, "\n".join(written))


def read_files(options: argparse.Namespace) -> int:
    """Read markers from sidecars or WAV files."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import marking

    folder = Path(options.folder)
    catalogue = Catalogue(folder)
    _, segues = catalogue.rules()
    found = {
        cart: marks
        for cart, item in items_asked(catalogue, options.carts).items()
        if (marks := marker_files.read_beside(item, segues.station)) is not None
    }
    with LibraryTransaction(folder) as library:
        marking.set_by_hand(library, {cart: (m, s) for cart, (m, s) in found.items()})
    return answer(
        options,
        {"read": sorted(found), "without": sorted(set(options.carts) - set(found))},
        f"The markers of {len(found)} of {len(options.carts)} items are read.",
    )


def measure_anew(options: argparse.Namespace) -> int:
    """Find the measured markers again in the stored levels, with other thresholds if given."""
    from nightly_spindle.store.base.station_folder import read_settings, update_settings
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import marking

    folder = Path(options.folder)
    given = {f"trim.{name}": getattr(options, name) for name in specs(Trimming)}
    given = {name: text for name, text in given.items() if text is not None}
    if options.carts:
        items_asked(Catalogue(folder), options.carts)
    with LibraryTransaction(folder) as library:
        if given:
            update_settings(library, given)
    with LibraryTransaction(folder) as library:
        trimming = read_settings(folder).trimming
        changed, without = marking.measure_anew(library, trimming, options.carts or None)
    if options.json:
        print_json({"changed": [row["cart"] for row in changed], "without_levels": without})
        return 0
    print(f"The markers of {len(changed)} items are others now; those set by hand stay.")
    if without:
        print(f"{without} items have no stored levels yet; the intake measures them.")
    return 0

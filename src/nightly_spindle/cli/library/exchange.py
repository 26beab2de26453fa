"""`library export`, `library read`."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.common import answer, print_json
from nightly_spindle.cli.library.library import query_from
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.store.library import exchange
from nightly_spindle.store.library.catalogue import Catalogue
from nightly_spindle.store.library.lists import list_carts, list_named
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    import argparse


def export(options: argparse.Namespace) -> int:
    """Write the library, a part of it or a list as CSV, M3U or XSPF."""
    folder = Path(options.folder)
    settings = open_station(folder).programme.settings
    catalogue = Catalogue(folder)
    name = settings.name
    if options.list:
        found = list_named(folder, options.list)
        name, carts = found.name, list_carts(folder, found.id)
    else:
        carts = catalogue.find(query_from(options, catalogue)).carts.tolist()
    exchange.write(Path(options.file), catalogue, carts, settings.tz, name)
    return answer(
        options,
        {"out": options.file, "items": len(carts)},
        f"{len(carts)} items are written to {options.file}.",
    )


def read_table(options: argparse.Namespace) -> int:
    """Read tags and categories from a CSV table; exit status 2 when no row could be used."""
    from nightly_spindle.store.base.transaction import LibraryTransaction

    folder = Path(options.folder)
    rows = exchange.read_table(Path(options.file))
    changes = exchange.changes_from(Catalogue(folder), rows)
    good = [change for change in changes if not change.problem]
    bad = [change for change in changes if change.problem]
    if rows and len(bad) == len(rows):
        raise InputFault(f"{options.file}: {bad[0].problem}; no row could be used")
    if good and not options.dry:
        with LibraryTransaction(folder) as library:
            exchange.apply_changes(library, good)
    if options.json:
        print_json(
            {
                "rows": len(rows),
                "changed": [{"line": c.line, "cart": c.cart, **c.values} for c in good],
                "problems": [c.problem for c in bad],
                "applied": not options.dry,
            }
        )
    else:
        for change in good if options.dry else []:
            told = ", ".join(f"{name} “{value}”" for name, value in change.values.items())
            print(f"cart {change.cart}: {told}")
        would = "would be changed" if options.dry else "are changed"
        print(f"{len(good)} of {len(rows)} items {would}.")
    for change in bad:
        print(f"nightly-spindle: {change.problem}", file=sys.stderr)
    return 0

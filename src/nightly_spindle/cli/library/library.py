"""`import`, `library list`, `library show`, `library set`, `library remove`."""

from __future__ import annotations

import csv
import sys
from dataclasses import asdict, fields
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import answer, print_json
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import iso, length
from nightly_spindle.core.library.intake import IntakeOptions, State, options_from
from nightly_spindle.store.library.catalogue import Catalogue, CatalogueRow, Query
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    import argparse
    from zoneinfo import ZoneInfo

_BUT = {State.REFUSED}


def intake_values(options: argparse.Namespace) -> IntakeOptions:
    """Return the intake options that a command line gives."""
    names = [spec.name for spec in fields(IntakeOptions)]
    return options_from({name: getattr(options, name) for name in names})


def bring_in(options: argparse.Namespace) -> int:
    """Bring audio into the library; exit status 2 when nothing could be taken."""
    from nightly_spindle.intake.bring_in import Intake
    from nightly_spindle.intake.bring_in import bring_in as take

    def progress(done: int, of: int) -> None:
        if sys.stderr.isatty():
            print(f"\r{done} of {of}", end="\n" if done == of else "", file=sys.stderr)

    intake = Intake([Path(path) for path in options.paths], intake_values(options))
    brought = take(Path(options.folder), [intake], progress)
    refused = [one for one in brought if one.state in _BUT]
    waiting = [one for one in brought if one.state is State.WAITING]
    if options.json:
        print_json(
            [
                {
                    "cart": one.cart,
                    "path": one.path,
                    "ok": one.state not in _BUT,
                    "state": str(one.state),
                    "why_not": (one.why or None) if one.state in _BUT else None,
                    "why": one.why or None,
                }
                for one in brought
            ]
        )
    else:
        told = f"{len(brought) - len(refused)} of {len(brought)} files are in the library"
        print(f"{told}, {len(waiting)} of them in the waiting room." if waiting else f"{told}.")
        for one in waiting:
            print(f"cart {one.cart} waits: {one.why} ({one.path})")
    for one in refused:
        print(f"nightly-spindle: {one.why}", file=sys.stderr)
    if not brought:
        print("nightly-spindle: there are no audio files", file=sys.stderr)
    return 0 if len(refused) < len(brought) else 2


def category_id(catalogue: Catalogue, name: str) -> int:
    """Return the category of that name; InputFault names those that there are."""
    groups = catalogue.categories()
    found = [group.id for group in groups if group.name.casefold() == name.casefold()]
    if not found:
        known = ", ".join(group.name for group in groups) or "none yet"
        raise InputFault(f"there is no category “{name}”; there are: {known}")
    return found[0]


def query_from(options: argparse.Namespace, catalogue: Catalogue) -> Query:
    """Return what a command line looks for."""
    category = category_id(catalogue, options.category) if options.category else None
    return Query(
        words=" ".join(options.words),
        kinds=tuple(str(options_from({"kind": kind}).kind) for kind in options.kind or ()),
        category=category,
        waiting=getattr(options, "waiting", False),
        sort=getattr(options, "sort", "artist"),
        descending=getattr(options, "descending", False),
    )


def list_items(options: argparse.Namespace) -> int:
    """List items of the library."""
    folder = Path(options.folder)
    tz = open_station(folder).programme.settings.tz
    catalogue = Catalogue(folder)
    found = catalogue.find(query_from(options, catalogue))
    rows = catalogue.rows(found.carts.tolist())
    if options.json:
        print_json([row_view(row, tz) for row in rows])
    elif options.csv:
        from nightly_spindle.store.library.exchange import COLUMNS, table_rows

        writer = csv.DictWriter(sys.stdout, COLUMNS, lineterminator="\r\n")
        writer.writeheader()
        writer.writerows(table_rows(catalogue, found.carts.tolist(), tz))
    else:
        for row in rows:
            name = f"{row.artist} – {row.title}" if row.artist else row.title
            print(f"{row.cart:>6}  {row.kind:<11} {length(row.duration_s):>8}  {name}")
        print(f"{len(rows)} of {found.all_items} items, {length(found.total_s)}.")
    return 0


def row_view(row: CatalogueRow, tz: ZoneInfo) -> dict[str, Any]:
    """Return a row as JSON values."""
    view = asdict(row)
    view["categories"] = row.categories.split(", ") if row.categories else []
    view["integrated_lufs"] = view.pop("lufs")
    aired, added = view.pop("aired_us"), view.pop("added_us")
    view["last_aired"] = None if aired is None else iso(aired, tz)
    view["added"] = iso(added, tz) if added else None
    view["waits"] = row.waits or None
    return view


def show(options: argparse.Namespace) -> int:
    """Say all about one item."""
    from nightly_spindle.store.reports.item_uses import uses_of

    folder = Path(options.folder)
    tz = open_station(folder).programme.settings.tz
    detail = Catalogue(folder).detail(options.cart)
    if detail is None:
        raise InputFault(f"no item has the cart number {options.cart}")
    uses = uses_of(folder, [options.cart])
    view = row_view(detail.row, tz) | {
        "path": detail.item.path,
        "encoding": detail.encoding,
        "size": detail.size,
        "measure": asdict(detail.item.measure),
        "tags": detail.said,
        "why_waits": detail.why_waits or None,
        "uses": [{"where": use.where, "text": use.text} for use in uses],
    }
    if options.json:
        print_json(view)
        return 0
    for name, value in view.items():
        if name not in {"measure", "tags", "uses"} and value not in (None, "", []):
            print(f"{name}: {', '.join(value) if isinstance(value, list) else value}")
    for use in uses:
        print(f"used: {use.text}")
    return 0


def set_values(options: argparse.Namespace) -> int:
    """Change items."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import categories, items

    names = ("title", "artist", "album", "year", "genre", "kind")
    values = {n: getattr(options, n) for n in names if getattr(options, n) is not None}
    if "kind" in values:
        values["kind"] = str(options_from({"kind": values["kind"]}).kind)
    if not values and not (options.into or options.out_of or options.settle):
        raise InputFault("say what to set: --title, --artist, --kind, --into, --settle ...")
    folder = Path(options.folder)
    catalogue = Catalogue(folder)
    gone = set(options.carts) - set(catalogue.items(options.carts))
    if gone:
        raise InputFault(f"no item has the cart number {', '.join(map(str, sorted(gone)))}")
    with LibraryTransaction(folder) as library:
        if values:
            items.edit(library, options.carts, values)
        for name in options.into or ():
            categories.add(library, categories.make(library, name), options.carts)
        for name in options.out_of or ():
            number = category_id(catalogue, name)
            categories.take_out(library, [(cart, number) for cart in options.carts])
        if options.settle:
            items.settle(library, options.carts)
    return answer(options, {"changed": options.carts}, f"{len(options.carts)} items are changed.")


def remove(options: argparse.Namespace) -> int:
    """Remove items; their files stay unless told otherwise."""
    from nightly_spindle.store.base.transaction import LibraryTransaction
    from nightly_spindle.store.library import items
    from nightly_spindle.store.reports.item_uses import uses_of

    folder = Path(options.folder)
    there = Catalogue(folder).items(options.carts)
    gone = set(options.carts) - set(there)
    if gone:
        raise InputFault(f"no item has the cart number {', '.join(map(str, sorted(gone)))}")
    uses = uses_of(folder, options.carts)
    if uses and not options.even_if_used:
        told = "; ".join(use.text for use in uses[:5])
        raise InputFault(f"they are in use ({told}); --even-if-used removes them all the same")
    with LibraryTransaction(folder) as library:
        items.remove(library, options.carts)
    deleted = []
    if options.delete_files:
        for item in there.values():
            Path(item.path).unlink(missing_ok=True)
            deleted.append(item.path)
    return answer(
        options,
        {"removed": options.carts, "deleted": deleted},
        f"{len(options.carts)} items are removed, {len(deleted)} files deleted.",
    )

"""`station export`, `apply`, `check`, `backup`, `restore`, `backups`, `copy`."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.cli.base.common import print_json
from nightly_spindle.core.base.timebase import iso
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.station import backups, book_reading, station_book

if TYPE_CHECKING:
    import argparse


def export(options: argparse.Namespace) -> int:
    """Write the station book."""
    made = station_book.read_station(Path(options.folder))
    if options.book is None:
        print(json.dumps(made, ensure_ascii=False, indent=1))
        return 0
    station_book.write_book(made, Path(options.book))
    if options.json:
        print_json({"out": options.book, "items": len(made["items"])})
    else:
        print(f"{len(made['items'])} items and all that is programmed are in {options.book}.")
    return 0


def apply(options: argparse.Namespace) -> int:
    """Make the station what a book says, saying first what changes."""
    from nightly_spindle.store.base.transaction import LibraryTransaction

    folder = Path(options.folder)
    wanted = book_reading.read_book(Path(options.book))
    changes = station_book.changes(folder, wanted)
    if changes and not options.dry:
        with LibraryTransaction(folder) as library:
            station_book.apply_book(library, wanted)
    if options.json:
        print_json(
            {
                "applied": not options.dry,
                "changes": [
                    {"section": c.section, "what": c.what, "text": c.text} for c in changes
                ],
            }
        )
        return 0
    for change in changes:
        print(change.text)
    if not changes:
        print("Nothing changes: the station is what the book says.")
    elif options.dry:
        print(f"{len(changes)} changes, none made.")
    else:
        print(f"{len(changes)} changes made.")
    return 0


def check(options: argparse.Namespace) -> int:
    """Look the station over; exit status 1 when it cannot be trusted."""
    found = backups.check(Path(options.folder))
    if options.json:
        print_json([{"text": one.text, "grave": one.grave} for one in found])
    else:
        for one in found:
            print(f"{'wrong' if one.grave else 'note'}: {one.text}")
        if not found:
            print("Nothing is wrong with the station.")
    return 1 if any(one.grave for one in found) else 0


def backup(options: argparse.Namespace) -> int:
    """Write a backup and verify it; exit status 1 when it failed."""
    folder = Path(options.folder)
    if options.file is None:
        made = backups.back_up_by_itself(folder)
        if made.problem:
            print(f"nightly-spindle: {made.problem}", file=sys.stderr)
            return 1
    else:
        made = backups.back_up(folder, Path(options.file))
        backups.note_backup(folder, made)
    if options.json:
        print_json({"path": made.path, "bytes": made.bytes})
    else:
        print(f"{made.path} is written and verified, {made.bytes / 1e6:.1f} MB.")
    return 0


def restore(options: argparse.Namespace) -> int:
    """Put a backup back."""
    folder = Path(options.folder)
    manifest = backups.restore(Path(options.file), folder, replace=options.replace)
    missing = sum(one.grave for one in backups.check(folder))
    if options.json:
        print_json({"station": manifest["station"], "made": manifest["made"], "troubles": missing})
    else:
        print(f"{manifest['station']}, as of {manifest['made']}, is restored in {folder}.")
        if missing:
            print(f"{missing} things are amiss; `station check {folder}` lists them.")
    return 0


def list_backups(options: argparse.Namespace) -> int:
    """List the backups that were made or tried, the newest first."""
    folder = Path(options.folder)
    tz = read_settings(folder).tz
    found = backups.backups(folder)
    if options.json:
        print_json(
            [
                {
                    "at": iso(one.at_us, tz),
                    "path": one.path,
                    "bytes": one.bytes,
                    "problem": one.problem or None,
                }
                for one in found
            ]
        )
        return 0
    for one in found:
        print(f"{iso(one.at_us, tz)}  {one.path}  {one.problem or f'{one.bytes / 1e6:.1f} MB'}")
    return 0


def copy(options: argparse.Namespace) -> int:
    """Make a copy to try things on."""
    settings = backups.copy_station(Path(options.folder), Path(options.target))
    if options.json:
        print_json({"folder": options.target, "name": settings.name, "copy_of": settings.copy_of})
    else:
        print(f"{settings.name} is in {options.target}; it is not aired, and its intake is off.")
    return 0

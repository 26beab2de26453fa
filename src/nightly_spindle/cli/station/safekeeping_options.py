"""The options of `station`'s subcommands that keep a station safe."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

Adder = Callable[..., argparse.ArgumentParser]


def safe_commands(group: Any, add: Adder) -> None:
    """Add export, apply, check, backup, restore, backups and copy."""
    out = add(group, "export", "safekeeping:export", "write the station book")
    out.add_argument("book", metavar="BOOK.json", nargs="?", help="default: standard output")
    into = add(group, "apply", "safekeeping:apply", "make the station what a book says")
    into.add_argument("book", metavar="BOOK.json")
    into.add_argument("--try", dest="dry", action="store_true", help="only say what would change")
    add(group, "check", "safekeeping:check", "look the station over: database, audio, folders")
    save = add(group, "backup", "safekeeping:backup", "write a verified backup, on air or not")
    save.add_argument(
        "file", metavar="FILE", nargs="?", help="default: where the station keeps them"
    )
    back = add(group, "restore", "safekeeping:restore", "put a backup back", station=False)
    back.add_argument("file", metavar="FILE")
    back.add_argument("folder", metavar="DIR", help="the station folder")
    back.add_argument("--replace", action="store_true", help="though a station is there")
    add(group, "backups", "safekeeping:list_backups", "list the backups that were made or tried")
    copy = add(group, "copy", "safekeeping:copy", "make a copy to try things on; it is not aired")
    copy.add_argument("target", metavar="NEW", help="a new folder")

"""The options of the library's subcommands."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

Commands = Any  # argparse keeps the type of its subparsers to itself
Adder = Callable[..., argparse.ArgumentParser]


def library_commands(commands: Commands, add: Adder) -> None:
    """Add `import`, `library` and `intake`; `add` makes a subcommand on a station."""
    bring = add(commands, "import", "library:bring_in", "import audio into the library")
    bring.add_argument("paths", metavar="PATH", nargs="+", help="audio files and folders")
    intake_options(bring, required=True)
    _library(commands, add)
    _intake(commands, add)


def intake_options(command: argparse.ArgumentParser, *, required: bool) -> None:
    """Add the options of `intake.IntakeOptions`."""
    option = command.add_argument
    option("--kind", required=required, help="song, id, jingle, sweeper, spot ...")
    option(
        "--category",
        dest="categories",
        action="append",
        metavar="C",
        help="put the items into this category; may be given again",
    )
    option("--numbering", help="next: the next free number; name: the number in the file name")
    option("--first", type=int, help="first cart number given out (1001)")
    option("--last", type=int, help="last cart number given out")
    option("--template", help="what file names say, '{artist} - {title}' if nothing is said")
    option("--markers", help="of an item whose audio is replaced: measure again, or keep")
    option(
        "--source",
        help="leave: play the file where it is; copy it into the station's audio; "
        "or copy and move it away",
    )
    option("--done-folder", help="where moved files go, below the folder unless absolute")


def _library(commands: Commands, add: Adder) -> None:
    group = commands.add_parser("library", help="look through and edit the library")
    group = group.add_subparsers(metavar="COMMAND", required=True)
    listing = add(group, "list", "library:list_items", "list items")
    listing.add_argument("words", metavar="WORD", nargs="*", help="beginnings of words")
    listing.add_argument("--kind", action="append", help="only this kind; may be given again")
    listing.add_argument("--category", help="only items of this category")
    listing.add_argument("--waiting", action="store_true", help="only the waiting room")
    listing.add_argument("--sort", default="artist", help="artist, title, length, aired ...")
    listing.add_argument("--descending", action="store_true")
    listing.add_argument("--csv", action="store_true", help="print CSV (RFC 4180)")
    show = add(group, "show", "library:show", "say all about one item, and where it is used")
    show.add_argument("cart", type=int)
    change = add(group, "set", "library:set_values", "change items")
    change.add_argument("carts", metavar="CART", type=int, nargs="+")
    for name in ("title", "artist", "album", "year", "genre", "kind"):
        change.add_argument(f"--{name}")
    change.add_argument("--into", action="append", metavar="CATEGORY", help="put into a category")
    change.add_argument("--out-of", action="append", metavar="CATEGORY")
    change.add_argument("--settle", action="store_true", help="let out of the waiting room")
    remove = add(group, "remove", "library:remove", "remove items; their files stay")
    remove.add_argument("carts", metavar="CART", type=int, nargs="+")
    remove.add_argument("--delete-files", action="store_true", help="delete the audio too")
    remove.add_argument("--even-if-used", action="store_true", help="though something uses them")
    out = add(group, "export", "exchange:export", "write the library as CSV, M3U or XSPF")
    out.add_argument("file", metavar="FILE", help=".csv, .m3u, .m3u8 or .xspf")
    out.add_argument("words", metavar="WORD", nargs="*", help="beginnings of words")
    out.add_argument("--kind", action="append")
    out.add_argument("--category")
    out.add_argument("--list", help="a list instead, in its own order")
    table = add(group, "read", "exchange:read_table", "read tags and categories from a CSV table")
    table.add_argument("file", metavar="FILE.csv")
    table.add_argument("--try", dest="dry", action="store_true", help="only say what would change")


def _intake(commands: Commands, add: Adder) -> None:
    group = commands.add_parser("intake", help="watched folders and what arrived in them")
    group = group.add_subparsers(metavar="COMMAND", required=True)
    run = add(group, "run", "intake:run", "watch the folders and take audio in", json=False)
    run.add_argument("--with-parent", action="store_true", help=argparse.SUPPRESS)
    add(group, "jobs", "intake:list_jobs", "list the intake jobs")
    job = add(group, "job", "intake:save", "make an intake job, or change the one of that name")
    job.add_argument("--name", required=True)
    job.add_argument("--folder", dest="watched", help="the folder to watch")
    job.add_argument("--no-subfolders", action="store_true")
    job.add_argument("--off", action="store_true", help="do not watch for now")
    intake_options(job, required=False)
    end = add(group, "end", "intake:end", "end an intake job; what it took in stays")
    end.add_argument("name")
    report = add(group, "report", "intake:report", "what arrived, and what became of it")
    report.add_argument("--state", help="taken, replaced, waiting, refused, queued or known")
    report.add_argument("--last", dest="most", type=int, default=100)

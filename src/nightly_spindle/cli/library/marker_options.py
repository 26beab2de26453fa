"""The options of `markers`; those of trimming grow from its declaration."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.library.markers import Marker
from nightly_spindle.core.station.settings import Trimming

Adder = Callable[..., argparse.ArgumentParser]
_WISHES = (
    ("--gain-trim-db", "dB added to its gain on playing"),
    ("--untouched", "yes, no, or kind: play it without trimming and fades"),
    ("--talk-over", "yes, no, or kind: whether it may be talked over"),
    ("--fade-in-s", "its own fade-in in seconds, or rule"),
    ("--fade-out-s", "its own fade-out in seconds, or rule"),
    ("--own-sweeper", "cart number of its own sweeper, or none"),
)


def marker_commands(commands: Any, add: Adder) -> None:
    """Add the commands for cue markers."""
    _markers(commands.add_parser("markers", help="cue markers of items"), add)


def _markers(parser: argparse.ArgumentParser, add: Adder) -> None:
    group = parser.add_subparsers(metavar="COMMAND", required=True)
    show = add(group, "show", "markers:show", "say where an item's markers are, and how sure")
    show.add_argument("cart", type=int)
    put = add(group, "set", "markers:set_marks", "set markers and how items want to be played")
    put.add_argument("carts", type=int, nargs="+", metavar="CART")
    for marker in Marker:
        text = "3:07.250, seconds, measured, or none"
        if marker is Marker.SWEEPER:
            put.add_argument(
                "--sweeper",
                action="append",
                metavar="AT",
                help="a sweeper point (may be given again), or none",
            )
        else:
            put.add_argument(f"--{marker}", metavar="AT", help=text)
    for name, text in _WISHES:
        put.add_argument(name, metavar="VALUE", help=text)
    table = add(group, "table", "markers:write_table", "write all markers as a CSV table")
    table.add_argument("file", metavar="FILE.csv")
    read = add(group, "read-table", "markers:read_table", "read markers from a CSV table")
    read.add_argument("file", metavar="FILE.csv")
    read.add_argument("--try", dest="dry", action="store_true", help="only say what would change")
    write = add(group, "write", "markers:write_files", "export markers next to the audio (JSON)")
    write.add_argument("carts", type=int, nargs="+", metavar="CART")
    write.add_argument(
        "--into-file",
        action="store_true",
        help="into WAV files themselves (AES46 cart and cue chunks)",
    )
    own = add(group, "read", "markers:read_files", "read markers from sidecars or WAV files")
    own.add_argument("carts", type=int, nargs="+", metavar="CART")
    anew = add(group, "anew", "markers:measure_anew", "measure markers again from stored levels")
    anew.add_argument("carts", type=int, nargs="*", metavar="CART", help="default: all items")
    for name, spec in specs(Trimming).items():
        option = f"--{name.replace('_', '-')}"
        anew.add_argument(option, metavar="N", help=f"{spec.metadata['sentence']} Kept.")

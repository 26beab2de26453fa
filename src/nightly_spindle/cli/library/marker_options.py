"""The options of `markers` and `segue`; those of a rule grow from its declaration."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.library.markers import Marker
from nightly_spindle.core.segues.segue_rules import ANY, PRESETS, SegueRule
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
    """Add the commands for cue markers and segues."""
    _markers(commands.add_parser("markers", help="cue markers of items"), add)
    _segues(commands.add_parser("segue", help="how one item passes into the next"), add)


def _markers(parser: argparse.ArgumentParser, add: Adder) -> None:
    group = parser.add_subparsers(metavar="COMMAND", required=True)
    show = add(group, "show", "markers:show", "say where an item's markers are, and how sure")
    show.add_argument("cart", type=int)
    put = add(group, "set", "markers:set_marks", "set markers and how items want to be played")
    put.add_argument("carts", type=int, nargs="+", metavar="CART")
    for marker in Marker:
        text = "3:07.250, seconds, measured, or none"
        if marker is Marker.SWEEPER:
            put.add_argument("--sweeper", action="append", metavar="AT",
                             help="a sweeper point (may be given again), or none")  # fmt: skip
        else:
            put.add_argument(f"--{marker}", metavar="AT", help=text)
    for name, text in _WISHES:
        put.add_argument(name, metavar="VALUE", help=text)
    table = add(group, "table", "markers:write_table", "write all markers as a CSV table")
    table.add_argument("file", metavar="FILE.csv")
    read = add(group, "read-table", "markers:read_table", "read markers from a CSV table")
    read.add_argument("file", metavar="FILE.csv")
    read.add_argument("--try", dest="dry", action="store_true",
                      help="only say what would change")  # fmt: skip
    write = add(group, "write", "markers:write_files", "write markers beside the audio (JSON)")
    write.add_argument("carts", type=int, nargs="+", metavar="CART")
    write.add_argument("--into-file", action="store_true",
                       help="into WAV files themselves (AES46 cart and cue chunks)")  # fmt: skip
    own = add(group, "read", "markers:read_files", "read markers from sidecars or WAV files")
    own.add_argument("carts", type=int, nargs="+", metavar="CART")
    anew = add(group, "anew", "markers:measure_anew", "measure markers anew from stored levels")
    anew.add_argument("carts", type=int, nargs="*", metavar="CART", help="default: all items")
    for name, spec in specs(Trimming).items():
        option = f"--{name.replace('_', '-')}"
        anew.add_argument(option, metavar="N", help=f"{spec.metadata['sentence']} Kept.")


def _segues(parser: argparse.ArgumentParser, add: Adder) -> None:
    group = parser.add_subparsers(metavar="COMMAND", required=True)
    add(group, "rules", "segues:rules", "say the segue rules in sentences")
    rule = add(group, "rule", "segues:set_rule", "change the station's rule, or that of a pair")
    rule.add_argument("--out", default=ANY, metavar="KIND", help="kind that is ending")
    rule.add_argument("--into", default=ANY, metavar="KIND", help="kind that starts")
    rule.add_argument("--preset", choices=sorted(PRESETS), help="begin from these values")
    rule.add_argument("--clear", action="store_true", help="forget the pair's rule")
    for name, spec in specs(SegueRule).items():
        rule.add_argument(
            f"--{name.replace('_', '-')}", metavar="VALUE", help=spec.metadata["sentence"]
        )
    show = add(group, "show", "segues:show", "say how one item passes into another, and why")
    pair = add(group, "pair", "segues:set_pair", "set how one item passes into another by hand")
    for command in (show, pair):
        command.add_argument("out", type=int, metavar="OUT", help="cart number of what ends")
        command.add_argument("into", type=int, metavar="IN", help="cart number of what starts")
    pair.add_argument("--start", metavar="AT", help="position in OUT at which IN starts")
    pair.add_argument("--fade-start", metavar="AT", help="position in OUT at which its fade begins")
    pair.add_argument("--fade-out-s", type=float)
    pair.add_argument("--fade-in-s", type=float)
    pair.add_argument("--clear", action="store_true", help="as the rules say again")

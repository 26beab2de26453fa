"""The options of `segue`; those of a rule grow from its declaration."""

from __future__ import annotations

import argparse
from collections.abc import Callable
from typing import Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.segues.segue_rules import ANY, PRESETS, SegueRule

Adder = Callable[..., argparse.ArgumentParser]


def segue_commands(commands: Any, add: Adder) -> None:
    """Add the commands for segues."""
    parser = commands.add_parser("segue", help="how one item passes into the next")
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

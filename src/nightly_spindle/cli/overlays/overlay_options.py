"""The options of the `overlays` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.overlays.overlay_pools import FOR, PoolOptions, PoolUse

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable


def overlay_commands(
    commands: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    """Add the `overlays` commands."""
    group = commands.add_parser(
        "overlays", help="sweepers, voiceovers and links: their pools, what is to come"
    ).add_subparsers(metavar="COMMAND", required=True)
    add(group, "list", "overlays:list_pools", "list the pools, their members and whose turn it is")
    plan = add(group, "plan", "overlays:plan", "say which overlays will play over what, and why")
    check = add(group, "check", "overlays:check", "say what is wrong with the coming overlays")
    for command in (plan, check):
        command.add_argument("--from", dest="from_", metavar="T", help="default: now")
        command.add_argument("--hours", type=float, default=24.0)
    _pool(add(group, "pool", "overlays:pool", "make a pool, or change one"))
    remove = add(group, "remove", "overlays:remove", "remove a pool")
    remove.add_argument("pool", metavar="POOL", help="number or name")
    order = add(group, "order", "overlays:order", "say in which order pools are asked")
    order.add_argument("pools", metavar="POOL", nargs="+", help="all of them, the first first")
    lay = add(group, "lay", "overlays:lay", "have the running engine lay something over a line")
    lay.add_argument("line", type=int, help="line id, as `status --json` and `rehearse` say it")
    how = lay.add_mutually_exclusive_group(required=True)
    how.add_argument("--this", type=int, metavar="CART", help="this overlay")
    how.add_argument("--pool", metavar="POOL", help="the next of a pool; any: whichever serves")
    how.add_argument("--none", action="store_true", help="nothing")
    how.add_argument("--usual", action="store_true", help="automatic, from the pools")
    lay.add_argument(
        "--at",
        type=float,
        metavar="S",
        help="with --this: starts this many seconds after the line, negative for before",
    )
    switch = add(
        group, "switch", "overlays:switch", "have the running engine let overlays play or not"
    )
    switch.add_argument("to", choices=["on", "off"])
    tag = add(group, "tag", "overlays:tag", "give a line a word that pools can go by")
    tag.add_argument("line", type=int, help="line id")
    tag.add_argument("word", help="such as request; empty takes it away")


def _pool(made: argparse.ArgumentParser) -> None:
    made.add_argument("name", metavar="NAME", help="its name, or the number of one that is there")
    made.add_argument("--use", choices=list(map(str, PoolUse)), help="default: sweepers")
    made.add_argument("--rename", metavar="NAME")
    made.add_argument(
        "--members", metavar="CART[:WEIGHT]", nargs="*", help="all of its members, in their order"
    )
    told = [
        f"{name} ({', '.join(use for use in PoolUse if name in FOR[use])}): "
        f"{spec.metadata['sentence']}"
        for name, spec in specs(PoolOptions).items()
    ]
    made.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help=f"may be given again. {' '.join(told)}".replace("%", "%%"),
    )

"""The command line of `campaigns`: its subcommands and options."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.traffic.break_patterns import BreakOptions
from nightly_spindle.core.traffic.campaigns import CampaignOptions

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable


def campaign_commands(
    commands: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    """Add `campaigns` and what belongs to it."""
    group = commands.add_parser(
        "campaigns", help="advertisers' orders, breaks, and what aired of them"
    ).add_subparsers(metavar="COMMAND", required=True)
    listed = add(group, "list", "campaigns:list_orders", "list the orders and how each stands")
    listed.add_argument("--csv", action="store_true", help="print CSV (RFC 4180)")
    listed.add_argument("--at", metavar="T", help="as of this time; default: now")
    made = add(group, "set", "campaigns:set_order", "make an order, or change one")
    made.add_argument("name", metavar="NAME", help="its name, or the number of one that is there")
    made.add_argument("--rename", metavar="NAME")
    made.add_argument("--copies", metavar="CART[:WEIGHT]", nargs="*", help="all of its audio")
    made.add_argument(
        "--set", action="append", default=[], metavar="NAME=VALUE", help=_told(CampaignOptions)
    )
    removed = add(group, "remove", "campaigns:remove", "remove an order")
    removed.add_argument("campaign", metavar="CAMPAIGN", help="number or name")
    pinned = add(group, "pin", "campaigns:pin_spot", "set a spot into one break by hand")
    pinned.add_argument("campaign", metavar="CAMPAIGN", help="number or name")
    pinned.add_argument("break_", metavar="BREAK", help="number or name of a break pattern")
    pinned.add_argument("time", metavar="T", help="when that break is due")
    pinned.add_argument("--off", action="store_true", help="give the place up again")
    taken = add(group, "import", "campaigns:import_orders", "take orders in from a CSV table")
    taken.add_argument("file", metavar="FILE")
    _breaks(group, add)
    placed = add(group, "place", "campaigns:place_all", "place the spots of the coming days")
    placed.add_argument("--anew", action="store_true", help="whatever stands now")
    placed.add_argument("--at", metavar="T", help="as of this time; default: now")
    check = add(group, "check", "campaigns:check", "say what is wrong with campaigns and breaks")
    check.add_argument("--at", metavar="T", help="as of this time; default: now")
    plan = add(group, "plan", "campaign_reports:plan", "say when spots are going to air")
    proof = add(group, "report", "campaign_reports:report", "proof of play: what aired when")
    for command in (plan, proof):
        command.add_argument("--month", metavar="YYYY-MM")
        command.add_argument("--from", dest="from_", metavar="T")
        command.add_argument("--to", metavar="T")
        command.add_argument("--advertiser", metavar="NAME")
        command.add_argument("--campaign", metavar="CAMPAIGN", help="number or name")
        command.add_argument("--csv", action="store_true", help="print CSV (RFC 4180)")
    proof.add_argument("--totals", action="store_true", help="the sums alone")


def _breaks(
    group: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    add(group, "breaks", "campaigns:list_breaks", "list the break patterns")
    made = add(group, "break", "campaigns:set_break", "make a break pattern, or change one")
    made.add_argument("name", metavar="NAME", help="its name, or the number of one that is there")
    made.add_argument("--rename", metavar="NAME")
    made.add_argument(
        "--set", action="append", default=[], metavar="NAME=VALUE", help=_told(BreakOptions)
    )
    removed = add(group, "remove-break", "campaigns:remove_pattern", "remove a break pattern")
    removed.add_argument("break_", metavar="BREAK", help="number or name")


def _told(options: type[Any]) -> str:
    told = [f"{name}: {spec.metadata['sentence']}" for name, spec in specs(options).items()]
    return f"may be given again. {' '.join(told)}".replace("%", "%%")

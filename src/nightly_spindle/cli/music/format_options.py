"""The command line of `formats`: its subcommands and options."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.calendar.day_plans import DayOptions
from nightly_spindle.core.library.rotation_card import RotationCard
from nightly_spindle.core.music.format_clocks import ClockOptions
from nightly_spindle.core.music.formats import Turn
from nightly_spindle.core.music.made_logs import Mode
from nightly_spindle.core.music.rotation_rules import RotationRule

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable

    Add = Callable[..., argparse.ArgumentParser]
    Group = argparse._SubParsersAction[Any]  # noqa: SLF001 - it has no public name


def format_commands(commands: Group, add: Add) -> None:
    """Add `formats` and what belongs to it."""
    group = commands.add_parser(
        "formats", help="the station's own scheduling: clocks, plans, rules, made logs"
    ).add_subparsers(metavar="COMMAND", required=True)
    add(group, "list", "formats:list_all", "list clocks, plans, rules and what is wrong with them")
    _clocks(group, add)
    _plans(group, add)
    _turns(group, add)
    _logs(group, add)


def _clocks(group: Group, add: Add) -> None:
    made = add(group, "clock", "formats:set_clock", "make a format clock, or change one")
    made.add_argument("name", metavar="NAME", help="its name, or the number of one that is there")
    made.add_argument(
        "--strip",
        metavar="SLOTS",
        help="all its slots, semicolons between: "
        "'category Standards; break Hourly; music until 30:00; fixed mark 45:00 News'",
    )
    made.add_argument("--weights", metavar="WEIGHTS", help="'Standards 50, New 30'; '' is none")
    made.add_argument(
        "--rule",
        action="append",
        metavar="NAME=VALUE,...",
        help="a rule of its own, may be given again; '' is none",
    )
    made.add_argument("--copy", metavar="CLOCK", help="start as a copy of this one")
    made.add_argument("--rename", metavar="NAME")
    _settable(made, ClockOptions)
    removed = add(group, "remove-clock", "formats:drop_clock", "remove a format clock")
    removed.add_argument("clock", metavar="CLOCK", help="number or name")


def _plans(group: Group, add: Add) -> None:
    week = add(group, "week", "formats:paint", "give hours of the week to a clock")
    week.add_argument("hours", metavar="HOURS", help="such as 'mon-fri 22-05; sat'")
    week.add_argument("clock", metavar="CLOCK", nargs="?", help="number or name; none: no clock")
    day = add(group, "day", "formats:set_day", "make a day plan, or change one")
    day.add_argument("name", metavar="NAME", help="its name, or the number of one that is there")
    day.add_argument(
        "--hours",
        action="append",
        default=[],
        metavar="HOURS=CLOCK",
        help="such as 22-5=Night, 6=none, 7-9=base; may be given again",
    )
    day.add_argument(
        "--show",
        action="append",
        metavar="'TIME CART'",
        help="a fixed item at a time, may be given again; '' is none",
    )
    day.add_argument("--rename", metavar="NAME")
    _settable(day, DayOptions)
    removed = add(group, "remove-day", "formats:drop_day", "remove a day plan")
    removed.add_argument("plan", metavar="PLAN", help="number or name")
    calendar = add(group, "calendar", "formats:calendar", "give days to a day plan")
    calendar.add_argument("plan", metavar="PLAN", nargs="?", help="number or name; none: no plan")
    calendar.add_argument("--from", dest="from_", metavar="DATE", required=True)
    calendar.add_argument("--to", metavar="DATE", help="inclusive; default: that day only")


def _turns(group: Group, add: Add) -> None:
    rules = add(group, "rules", "formats:rules", "set the station's rules of rotation")
    rules.add_argument(
        "rules",
        metavar="NAME=VALUE,...",
        nargs="*",
        help=f"all in order; none: the usual ones. {_told(RotationRule)}",
    )
    item = add(group, "item", "formats:turn_card", "say when and how often items may air")
    item.add_argument("carts", metavar="CART", nargs="+", type=int)
    _settable(item, RotationCard)
    category = add(group, "category", "formats:category", "say how a category rotates")
    category.add_argument("name", metavar="CATEGORY")
    category.add_argument("--turn", choices=[str(turn) for turn in Turn])
    category.add_argument("--weight", type=float)


def _logs(group: Group, add: Add) -> None:
    made = add(group, "make", "log_makings:make", "make the logs of a stretch")
    made.add_argument(
        "--mode",
        choices=[str(mode) for mode in Mode],
        default=str(Mode.KEEP),
        help="hours already made: keep them, fill their gaps, or make them again",
    )
    made.add_argument("--at", metavar="T", help="as of this time; default: now")
    made.add_argument("--progress", action="store_true", help="tell progress on standard error")
    cleared = add(group, "clear", "log_makings:clear", "remove made hours again")
    shown = add(group, "show", "log_makings:show", "show made hours line by line")
    out = add(group, "export", "log_makings:export", "write made hours as M3U, XSPF or CSV")
    out.add_argument("file", metavar="FILE", help="its ending says how")
    for command in (made, cleared, shown, out):
        command.add_argument("--from", dest="from_", metavar="T", help="default: the next hour")
        length = command.add_mutually_exclusive_group()
        length.add_argument("--hours", type=float, metavar="N", help="default: 24")
        length.add_argument("--days", type=float, metavar="N")
    told = add(group, "explain", "log_makings:explain", "say what an hour gets, and why")
    told.add_argument("--at", metavar="T", help="default: now")
    told.add_argument("--line", type=int, metavar="N", help="what would fit there best")
    stats = add(group, "stats", "log_makings:stats", "say how often what airs, and how evenly")
    stats.add_argument("--back", type=float, default=28.0, metavar="DAYS")
    stats.add_argument("--ahead", type=float, default=28.0, metavar="DAYS")


def _settable(parser: argparse.ArgumentParser, group: type[Any]) -> None:
    parser.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help=f"may be given again. {_told(group)}",
    )


def _told(options: type[Any]) -> str:
    told = [f"{name}: {spec.metadata['sentence']}" for name, spec in specs(options).items()]
    return " ".join(told).replace("%", "%%")

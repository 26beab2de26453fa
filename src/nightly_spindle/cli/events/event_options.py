"""The options of the `events` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.events.steps import STEPS
from nightly_spindle.core.events.timed_events import Entry, EventOptions

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable

NAMES = (
    "list",
    "expand",
    "add",
    "remove",
    "enable",
    "disable",
    "fire",
    "check",
    "export",
    "import",
)


def event_commands(
    commands: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    """Add the `events` commands."""
    group = commands.add_parser(
        "events", help="timed events; without a further word: what they will fire"
    ).add_subparsers(metavar="COMMAND", required=True)
    add(group, "list", "events:list_events", "list the timed events and their next firings")
    expand = add(
        group, "expand", "playout.rehearse:list_firings", "list what timed events will fire"
    )
    expand.add_argument("--from", dest="from_", metavar="T", help="default: now")
    expand.add_argument("--hours", type=float, default=24.0)
    _add(add(group, "add", "events:add", "make a timed event, or change one"))
    for name, runner, text in (
        ("remove", "remove", "remove a timed event"),
        ("enable", "enable", "switch a timed event on"),
        ("disable", "enable", "switch a timed event off"),
        ("fire", "fire", "have the running engine carry one out now"),
    ):
        command = add(group, name, f"events:{runner}", text)
        command.add_argument("event", metavar="EVENT", help="number or name")
        command.set_defaults(off=name == "disable")
    check = add(group, "check", "events:check", "say what is wrong with the timed events")
    check.add_argument("--from", dest="from_", metavar="T", help="as of then; default: now")
    export = add(group, "export", "events:export", "write them to an iCalendar file")
    export.add_argument("file", metavar="FILE.ics")
    bring_in = add(group, "import", "events:bring_in", "read them from an iCalendar file")
    bring_in.add_argument("file", metavar="FILE.ics")


def _add(made: argparse.ArgumentParser) -> None:
    made.add_argument("name", metavar="NAME", nargs="?", default="", help="its name, or a number")
    made.add_argument("--file", help="JSON instead: one event or a list, as `events list --json`")
    made.add_argument("--rename", metavar="NAME")
    when = made.add_argument_group("when")
    for option, text in (
        ("--at", "time of day, 24-hour clock"),
        ("--days", "mon,wed or mon-fri or weekend; default every day"),
        ("--weeks", "weeks of the month: first,third,last"),
        ("--every-weeks", "every N weeks"),
        ("--months", "jan,jun-aug"),
        ("--month-days", "1,15,-1"),
        ("--hours", "hours of the day, such as 6-22"),
        ("--minutes", "minutes of those hours, such as 0,30"),
        ("--every", "minutes between two firings, from --at to --until"),
        ("--until", "time of day at which that ends"),
        ("--first", "first date, YYYY-MM-DD"),
        ("--last", "last date, YYYY-MM-DD"),
        ("--not-on", "dates on which it does not fire, commas between"),
        ("--times", "ends after N runs"),
        ("--on", "given dates instead, commas between"),
        ("--songs", "after N songs instead"),
        ("--before", "EVENT:MINUTES before each firing of another event instead"),
        ("--after", "EVENT:MINUTES after it instead"),
        ("--rule", "an RFC 5545 RRULE instead, such as FREQ=YEARLY"),
    ):
        when.add_argument(option, help=text)
    what = made.add_argument_group("what")
    what.add_argument("--entry", choices=list(map(str, Entry)))
    what.add_argument(
        "--step",
        action="append",
        default=[],
        help=f"may be given again: {', '.join(STEPS)}; then what it takes, then ;name=value",
    )
    known = ", ".join(specs(EventOptions))
    what.add_argument("--set", action="append", default=[], metavar="OPTION=VALUE", help=known)
    what.add_argument("--priority", type=int, help="higher goes first at the same instant")
    what.add_argument(
        "--grace", type=float, metavar="S", help="still runs if late by up to this (min)"
    )

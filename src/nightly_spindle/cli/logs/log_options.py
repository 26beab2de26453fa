"""The options of the `log` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.events.steps import Placement
from nightly_spindle.core.events.timed_events import Entry

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable


def log_commands(
    commands: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    """Add the `log` commands."""
    group = commands.add_parser(
        "log", help="music logs: check, expect, load, and where they arrive"
    ).add_subparsers(metavar="COMMAND", required=True)
    check = add(group, "check", "logs:check", "match a log file to the library")
    check.add_argument("file", metavar="FILE")
    check.add_argument("--drop", help="as if it lay in this log drop (number or name)")
    check.add_argument("--propose", action="store_true", help="say what lost lines may mean")
    expect = add(group, "expect", "logs:expect", "see whether the coming logs are there")
    expect.add_argument("--from", dest="from_", metavar="T", help="default: now")
    expect.add_argument("--days", type=int, default=2)
    load = add(group, "load", "logs:load", "have the running engine load a log")
    load.add_argument("--drop", help="the log drop (number or name); default: the first")
    load.add_argument("--log", metavar="T", help="the log of this time; default: of now")
    load.add_argument("--file", help="this file instead, read as the drop's logs are")
    load.add_argument("--at", metavar="T", help="load it then; default: now")
    load.add_argument("--entry", choices=list(map(str, Entry)), default=str(Entry.NEXT))
    load.add_argument(
        "--placement", choices=list(map(str, Placement)), help="default: as the drop says"
    )
    load.add_argument("--forget", type=int, metavar="N", help="do not load what was told for later")
    load.add_argument("--later", action="store_true", help="list what is to load later")
    export = add(group, "export", "logs:export", "write a log as it would air to a file")
    export.add_argument("--drop", required=True, help="the log drop (number or name)")
    export.add_argument("--log", metavar="T", help="the log of this time; default: of now")
    export.add_argument("--out", required=True, help=".m3u, .m3u8, .xspf, .pls, .csv or .txt")
    settle = add(group, "settle", "logs:settle", "remember which item a log's line means")
    settle.add_argument("file", metavar="FILE")
    settle.add_argument("--line", type=int, required=True, help="the line's number")
    settle.add_argument("--cart", type=int, required=True, help="the item; 0 forgets it")
    settle.add_argument("--drop", help="as if it lay in this log drop (number or name)")
    _drop(add(group, "drop", "log_sources:drop", "list, make, change or remove log drops"))


def _drop(drop: argparse.ArgumentParser) -> None:
    drop.add_argument("name", metavar="NAME", nargs="?", help="name or number; none: list all")
    drop.add_argument("--folder", dest="log_folder", metavar="FOLDER", help="where logs arrive")
    drop.add_argument("--pattern", help="file name with date parts, such as %%Y-%%m-%%d_%%H.m3u")
    drop.add_argument("--like", metavar="NAME", help="work the pattern out from a real file name")
    drop.add_argument("--sample", metavar="FILE", help="work the format out from a real log")
    drop.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="OPTION=VALUE",
        help="change an option; may be given again",
    )
    drop.add_argument(
        "--path",
        action="append",
        default=[],
        metavar="WRITTEN=HERE",
        help="M:\\\\Music=/srv/music; may be given again; none clears",
    )
    drop.add_argument(
        "--meaning",
        action="append",
        default=[],
        metavar="TEXT=MEANS",
        help="a line's meaning, such as SPOTS*=break 2",
    )
    drop.add_argument("--rename", metavar="NAME")
    drop.add_argument("--remove", action="store_true")

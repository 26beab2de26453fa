"""The command `nightly-spindle`: its subcommands, and how errors are told."""

from __future__ import annotations

import argparse
import os
import sys
import traceback
from collections.abc import Callable, Container, Sequence
from functools import partial
from importlib import import_module
from typing import Any, NoReturn

from nightly_spindle import __version__
from nightly_spindle.core.base.errors import NightlySpindleError

Runner = Callable[[argparse.Namespace], int]
_AT_ONCE = {"air", "tell", "status", "--version"}  # these need no other command's options
DRILLS = ("nothing", "no-log", "late-log", "folder", "power", "item")  # core.playout.drills.Drill
_OPTIONS = {  # module: its package, and the commands that it adds
    "library": ("library", ("import", "library", "intake")),
    "marker": ("library", ("markers",)),
    "segue": ("segues", ("segue",)),
    "log": ("logs", ("log",)),
    "event": ("events", ("events",)),
    "overlay": ("overlays", ("overlays",)),
    "campaign": ("traffic", ("campaigns",)),
    "format": ("music", ("formats",)),
    "output": ("outputs", ("outputs", "recordings")),
    "alert": ("alerts", ("alerts",)),
}
CRASHED = 70  # EX_SOFTWARE in sysexits.h: our own mistake, never one that was foreseen


def run() -> NoReturn:
    """Run the command line and leave with its exit status."""
    try:
        status = main(sys.argv[1:])
    except BrokenPipeError:
        # whoever read our output has closed it, as `head` does
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
        status = 0
    except Exception:  # noqa: BLE001 - the edge of the process: told, and told apart
        traceback.print_exc()
        status = CRASHED
    sys.exit(status)


def main(arguments: Sequence[str]) -> int:
    """Run one subcommand; returns the exit status (0, 1 not done, 2 bad input)."""
    given = _spelt_out(arguments)
    options = _parser(given[0] if given else "").parse_args(given)
    try:
        module, function = options.runner.split(":")
        runner: Runner = getattr(import_module(f"nightly_spindle.cli.{module}"), function)
        return runner(options)
    except NightlySpindleError as error:
        print(f"nightly-spindle: {error}", file=sys.stderr)
        return error.exit_status
    except KeyboardInterrupt:
        return 130


def _spelt_out(arguments: Sequence[str]) -> list[str]:
    """`events DIR` is short for `events expand DIR`, a path alone for `desk PATH`."""
    given = list(arguments)
    if len(given) == 1 and (os.sep in given[0] or given[0] in {".", ".."}):
        return ["desk", *given]
    if given[:1] != ["events"]:
        return given
    from nightly_spindle.cli.events.event_options import NAMES

    if given[:1] == ["events"] and len(given) > 1 and given[1] not in {*NAMES, "-h", "--help"}:
        return ["events", "expand", *given[1:]]
    return given


class _Parser(argparse.ArgumentParser):
    """Tells a wrong command line in one line."""

    def error(self, message: str) -> NoReturn:
        self.exit(2, f"{self.prog}: {message}; see `{self.prog} --help`\n")


def whole_parser() -> argparse.ArgumentParser:
    """Return the parser with every command and option: the man page is made of it."""
    return _parser("")


def _parser(first: str) -> argparse.ArgumentParser:
    parser = _Parser(
        prog="nightly-spindle",
        description="Runs a small internet radio station unattended all night. "
        "Without a command it opens the desk.",
    )
    parser.add_argument("--version", action="version", version=__version__)
    parser.set_defaults(runner="station.desk:open_desk", folder=None)
    commands = parser.add_subparsers(title="commands", metavar="COMMAND")
    if first not in _AT_ONCE:
        _station(commands)
        _planning(commands)
    for module in _modules_for(first, commands.choices):
        package, _ = _OPTIONS[module]
        options = import_module(f"nightly_spindle.cli.{package}.{module}_options")
        getattr(options, f"{module}_commands")(commands, partial(_add, package=package))
    _air(commands)
    return parser


def _modules_for(first: str, there: Container[str]) -> list[str]:
    """Return whose options are to be read: those of the command alone where that is known."""
    if first in _AT_ONCE or first in there:
        return []
    own = [module for module, (_, names) in _OPTIONS.items() if first in names]
    return own or list(_OPTIONS)


def _add(
    commands: argparse._SubParsersAction[Any],
    name: str,
    runner: str,
    text: str,
    *,
    package: str = "",
    json: bool = True,
    station: bool = True,
) -> argparse.ArgumentParser:
    """Add a command. `runner` is "module:function", of `package` where it names no other."""
    command = commands.add_parser(name, help=text, description=text)
    here = "." in runner or not package
    command.set_defaults(runner=runner if here else f"{package}.{runner}")
    if station:
        command.add_argument("folder", metavar="DIR", help="the station folder")
    if json:
        command.add_argument("--json", action="store_true", help="print JSON")
    return command  # type: ignore[no-any-return]  # argparse types its parsers as Any


def _station(commands: argparse._SubParsersAction[Any]) -> None:
    add = partial(_add, package="station")
    group = commands.add_parser(
        "station", help="make, check, back up, copy a station"
    ).add_subparsers(metavar="COMMAND", required=True)
    new = add(group, "new", "station:new", "make an empty station")
    new.add_argument("--name", required=True, help="the station's name")
    new.add_argument("--timezone", required=True, help="IANA name, such as Europe/Lisbon")
    new.add_argument("--day-start", default="00:00", help="start of the broadcast day, HH:MM")
    new.add_argument("--rate", default="44100", help="mix rate, 44100 or 48000")
    told = add(group, "settings", "station:settings", "say and change the station's settings")
    told.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help="change one; may be given again",
    )
    service = add(
        group, "service", "station:service", "a systemd user unit for the engine", json=False
    )
    service.add_argument("--write", action="store_true", help="put it where systemd finds it")
    start = add(group, "autostart", "starting:autostart", "start the engine with the computer")
    start.add_argument("switch", nargs="?", choices=["on", "off"], help="without it: how it is now")
    start.add_argument(
        "--after",
        type=float,
        default=10.0,
        metavar="SECONDS",
        help="takes the air this long after the start",
    )
    folders = add(group, "folders", "starting:folders", "where the audio lies; one that has moved")
    folders.add_argument(
        "--move", nargs=2, metavar=("OLD", "NEW"), help="play from NEW from now on"
    )
    folders.add_argument(
        "--even-so", action="store_true", help="though files differ or are missing"
    )
    from nightly_spindle.cli.station.safekeeping_options import safe_commands

    safe_commands(group, add)
    measure = add(commands, "measure", "station:measure", "measure audio files", station=False)
    measure.add_argument("files", metavar="FILE", nargs="+")
    standin = commands.add_parser(
        "standin", help="simulated devices and services on their own"
    ).add_subparsers(metavar="COMMAND", required=True)
    _stand_ins(standin, add)
    demo = add(
        commands,
        "demo",
        "demo:demo",
        "build the demo station and open the desk on it",
        json=False,
        station=False,
    )
    demo.add_argument("--folder", dest="folder", help="where; default: the user's data folder")
    demo.add_argument("--build-only", action="store_true", help="build it and leave")
    demo.add_argument("--steps", action="store_true", help="print each step as PART TAB WHAT")
    demo.add_argument("--no-window", action="store_true", help="engine only, no desk")
    desk = add(commands, "desk", "desk:open_desk", "open the desk", json=False, station=False)
    desk.add_argument(
        "folder", metavar="DIR", nargs="?", help="the station folder; without it a window asks"
    )


def _stand_ins(
    standin: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    """Add the stand-ins of services that a station uses."""

    def server(name: str, text: str, port: int, faults: Sequence[str]) -> argparse.ArgumentParser:
        made = add(standin, name, f"simulators:{name}", text, json=False, station=False)
        made.add_argument("--port", type=int, default=port)
        made.add_argument("--fault", default="none", choices=["none", *faults])
        made.add_argument("--seconds", type=float, help="leave after this time")
        return made

    stream = server(
        "stream",
        "serve a simulated web stream",
        8136,
        ["refused", "hangs", "breaks off", "no sound"],
    )
    stream.add_argument("--hz", type=float, default=330.0, help="its tone")
    streaming = server(
        "streaming",
        "run a simulated streaming server",
        8135,
        ["no answer", "refuses", "taken", "full", "drops", "takes nothing", "slow"],
    )
    streaming.add_argument("--password", default="lantern", help="of sources; default: lantern")
    streaming.add_argument("--certificate", metavar="FILE", help="certificate and key, for https")
    for made in (stream, streaming):
        made.add_argument("--after", type=float, default=0.0, help="seconds until the fault")
    mail = server(
        "mail",
        "run a simulated mail server",
        8025,
        ["no answer", "refuses", "no such box", "drops"],
    )
    mail.add_argument("--user", default="", help="who has to sign in; default: nobody")
    mail.add_argument("--password", default="lantern", help="of that user; default: lantern")
    server(
        "web",
        "take alerts at a simulated web address",
        8138,
        ["no answer", "refuses", "leads elsewhere"],
    )


def _planning(commands: argparse._SubParsersAction[Any]) -> None:
    add = partial(_add, package="playout")
    rehearse = add(commands, "rehearse", "rehearse:rehearse_hours", "play the coming hours ahead")
    rehearse.add_argument("--from", dest="from_", metavar="T", help="start here, cold")
    rehearse.add_argument("--hours", type=float, default=24.0)
    tonight = add(
        commands,
        "tonight",
        "tonight:tonight",
        "say whether the coming hours work (status 1: no)",
    )
    tonight.add_argument("--from", dest="from_", metavar="T", help="start here, cold")
    tonight.add_argument("--hours", type=float, default=12.0)
    tonight.add_argument("--leave", metavar="CODE", help="leave this finding as it is")
    tonight.add_argument("--because", metavar="TEXT", default="", help="why it may stay")
    tonight.add_argument("--take-up", metavar="CODE", help="have it count again")
    drill = add(
        commands, "drill", "drill:drill", "the coming hours with one thing broken on purpose"
    )
    drill.add_argument("name", nargs="?", choices=DRILLS, help="without it: each of them")
    drill.add_argument("--from", dest="from_", metavar="T", help="start here, cold")
    drill.add_argument("--at", metavar="T", help="when it breaks; default: in an hour")
    drill.add_argument("--hours", type=float, default=12.0)
    handover = add(
        commands,
        "handover",
        "handover:handover",
        "write down what is known; leave it unattended",
    )
    handover.add_argument("--hours", type=float, default=12.0)
    morning = add(
        commands, "morning", "morning:morning", "say what was not as planned (status 1: something)"
    )
    morning.add_argument(
        "--from", dest="from_", metavar="T", help="default: the handover, or 18:00"
    )
    morning.add_argument("--to", metavar="T", help="default: now")
    render = add(commands, "render", "rehearse:render_out", "render the station's sound to a file")
    render.add_argument("--from", dest="from_", metavar="T", help="start here, cold")
    render.add_argument("--seconds", type=float, required=True)
    render.add_argument("--out", required=True, help=".wav, .flac or .ogg")
    as_run = add(commands, "asrun", "as_run:list_as_run", "list what did air")
    as_run.add_argument("--from", dest="from_", metavar="T", required=True)
    as_run.add_argument("--to", metavar="T", help="default: now")
    as_run.add_argument("--csv", action="store_true", help="print CSV (RFC 4180)")
    as_run.add_argument(
        "--find", default="", metavar="WORDS", help="only lines that hold all of these words"
    )
    as_run.add_argument(
        "--use", action="store_true", help="how often each song was heard, as CSV for licences"
    )
    as_run.add_argument("--alarms", action="store_true", help="the alarms instead of the lines")


def _air(commands: argparse._SubParsersAction[Any]) -> None:
    add = partial(_add, package="playout")
    air = add(commands, "air", "air:on_air", "run the air engine", json=False)
    air.add_argument(
        "--output", choices=["standin", "device"], help="default: what the station's settings name"
    )
    air.add_argument("--device", help="name or number of the sound device")
    air.add_argument("--pace", type=float, help="run the stand-in faster than real time")
    air.add_argument("--clock", metavar="T", help="the stand-in's clock starts here")
    air.add_argument("--seconds", type=float, help="leave after this much station time")
    air.add_argument("--capture", help="keep what is heard in this FLAC file (stand-in)")
    air.add_argument("--cold", action="store_true", help="forget the running order first")
    air.add_argument("--no-supervisor", action="store_true", help="do not restart after a crash")
    air.add_argument("--even-a-copy", action="store_true", help="air a copy made for trying")
    air.add_argument("--no-intake", action="store_true", help="do not run the intake as well")
    air.add_argument("--log-level", choices=["DEBUG", "INFO", "WARNING"], default="INFO")
    air.add_argument(
        "--after",
        type=float,
        default=0.0,
        metavar="SECONDS",
        help="after a start of the computer, take the air this long after it",
    )
    air.add_argument("--waits", action="store_true", help=argparse.SUPPRESS)
    ask = add(commands, "tell", "tell:tell", "tell a running engine to do something")
    ask.add_argument("order", choices=["skip", "stop", "go", "unattended", "attended", "leave"])
    told = add(commands, "status", "tell:status", "say what is on air")
    told.add_argument("--log", type=int, metavar="N", help="the last N lines of the messages, too")

"""The options of the `outputs` and `recordings` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.outputs.outputs import GROUPS

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable


def output_commands(
    commands: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    """Add the `outputs` and `recordings` commands."""
    group = commands.add_parser(
        "outputs", help="where the sound goes: streams, sound cards, recordings"
    ).add_subparsers(metavar="COMMAND", required=True)
    add(group, "list", "outputs:list_outputs", "list the outputs, and how they do")
    _set(add(group, "set", "outputs:set_output", "make an output, or change one"))
    for name, text in (
        ("remove", "remove an output, and forget its password"),
        ("test", "try an output for two seconds"),
    ):
        made = add(group, name, f"outputs:{name}_output", text)
        made.add_argument("output", metavar="OUTPUT", help="number or name")
    meter = add(group, "meter", "outputs:meter", "watch level and state of the outputs")
    meter.add_argument("--seconds", type=float, default=10.0, help="how long; default 10")
    kept = commands.add_parser("recordings", help="what went out, as it was recorded")
    parts = kept.add_subparsers(metavar="COMMAND", required=True)
    add(parts, "list", "recordings:list_recordings", "list the recordings")
    save = add(parts, "save", "recordings:save", "write what went out in a stretch to a file")
    save.add_argument("--from", dest="from_", metavar="T", required=True)
    how = save.add_mutually_exclusive_group(required=True)
    how.add_argument("--to", metavar="T")
    how.add_argument("--seconds", type=float)
    save.add_argument("--out", required=True, help=".wav, .flac or .ogg")


def _set(made: argparse.ArgumentParser) -> None:
    made.add_argument("name", metavar="NAME", help="its name, or the number of one that is there")
    made.add_argument("--kind", choices=list(map(str, GROUPS)), help="of a new one")
    made.add_argument("--rename", metavar="NAME")
    switch = made.add_mutually_exclusive_group()
    switch.add_argument("--on", action="store_true", default=None)
    switch.add_argument("--off", action="store_true", default=None)
    made.add_argument(
        "--password-from",
        metavar="FILE",
        help="read its password from the first line of this file; - is standard input",
    )
    told = [
        f"{name} ({kind}): {spec.metadata['sentence']}"
        for kind, options in GROUPS.items()
        for name, spec in specs(options).items()
    ]
    made.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help=f"may be given again. {' '.join(told)}".replace("%", "%%"),
    )

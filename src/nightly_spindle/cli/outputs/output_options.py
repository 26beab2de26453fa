"""The options of the `outputs` and `recordings` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.set_options import add_set_options
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
    add_set_options(
        add(group, "set", "outputs:set_output", "make an output, or change one"), GROUPS
    )
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

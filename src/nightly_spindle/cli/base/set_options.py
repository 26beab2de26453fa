"""What `set` takes of things that have a name, a kind, a switch, options and maybe a password."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import specs

if TYPE_CHECKING:
    import argparse
    from collections.abc import Iterable, Mapping


def add_set_options(
    made: argparse.ArgumentParser, groups: Mapping[Any, type[Any]], more: Iterable[type[Any]] = ()
) -> None:
    """Add them.

    `groups` are the options by kind (a `StrEnum`), `more` those that every kind has.
    """
    made.add_argument("name", metavar="NAME", help="its name, or the number of one that is there")
    made.add_argument("--kind", choices=list(map(str, groups)), help="of a new one")
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
        for kind, options in groups.items()
        for name, spec in specs(options).items()
    ]
    told += [
        f"{name}: {spec.metadata['sentence']}"
        for options in more
        for name, spec in specs(options).items()
    ]
    made.add_argument(
        "--set",
        action="append",
        default=[],
        metavar="NAME=VALUE",
        help=f"may be given again. {' '.join(told)}".replace("%", "%%"),
    )

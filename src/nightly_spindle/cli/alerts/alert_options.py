"""The options of the `alerts` commands."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.set_options import add_set_options
from nightly_spindle.core.alerts.alerts import GROUPS, When

if TYPE_CHECKING:
    import argparse
    from collections.abc import Callable


def alert_commands(
    commands: argparse._SubParsersAction[Any], add: Callable[..., argparse.ArgumentParser]
) -> None:
    """Add the `alerts` commands."""
    group = commands.add_parser(
        "alerts", help="tell somebody of troubles: by mail, web address or command"
    ).add_subparsers(metavar="COMMAND", required=True)
    add(group, "list", "alerts:list_alerts", "list the alerts, and what came of each last")
    add_set_options(
        add(group, "set", "alerts:set_alert", "make an alert, or change one"), GROUPS, [When]
    )
    for name, text in (
        ("remove", "remove an alert, and forget its password"),
        ("test", "send a trial (status 1: it did not arrive)"),
    ):
        made = add(group, name, f"alerts:{name}_alert", text)
        made.add_argument("alert", metavar="ALERT", help="number or name")
    run = add(group, "run", "alerts:run", "watch the air and send alerts", json=False)
    run.add_argument("--with-parent", action="store_true", help="end with standard input")

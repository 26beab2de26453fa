"""The desk's command: opens it, and says so when there is no display."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import EnvironmentFault

if TYPE_CHECKING:
    import argparse


def open_desk(options: argparse.Namespace) -> int:
    """Open the desk on the station that is named, else a window that asks which."""
    folder = Path(options.folder) if options.folder else None
    if no_display():
        raise EnvironmentFault(
            "there is no display; start it under a virtual one with `xvfb-run -a "
            "nightly-spindle desk DIR`"
        )
    return open_desk_on(folder, start_engine=False)


def open_desk_on(folder: Path | None, *, start_engine: bool) -> int:
    """Open the window and stay until it is closed."""
    from nightly_spindle.desk.shell.app import run

    return run(folder, start_engine=start_engine)


def no_display() -> bool:
    """Whether no window can be shown here."""
    if os.environ.get("QT_QPA_PLATFORM"):
        return False
    if not sys.platform.startswith("linux"):
        return False
    return not (os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"))

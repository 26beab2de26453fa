"""The desk's command: finds the station to open and says so when there is no display."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import EnvironmentFault, StationNotFound

if TYPE_CHECKING:
    import argparse


def open_desk(options: argparse.Namespace) -> int:
    """Open the desk on a station: the one named, else the demo station if it was built."""
    from nightly_spindle.cli.base.common import demo_folder

    folder = Path(options.folder) if options.folder else demo_folder()
    if not options.folder and not folder.is_dir():
        raise StationNotFound(
            "name the station folder (`nightly-spindle desk DIR`), make one with "
            "`nightly-spindle station new`, or try `nightly-spindle demo`"
        )
    if no_display():
        raise EnvironmentFault(
            "there is no display; start it under a virtual one with `xvfb-run -a "
            "nightly-spindle desk DIR`"
        )
    return open_desk_on(folder, start_engine=False)


def open_desk_on(folder: Path, *, start_engine: bool) -> int:
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

"""`demo`: builds the demo station, puts it on air and opens the desk on it."""

from __future__ import annotations

import os
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.air.places import engine_pid
from nightly_spindle.cli.base.common import now_us
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import zone
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    import argparse

_FALLBACK_ZONE = "Europe/Lisbon"
_BUILT = 0.9  # of the whole when its audio is made and measured


def demo(options: argparse.Namespace) -> int:
    """Build the demo station if it is not there, then go on air and open the desk."""
    from nightly_spindle.simulators.demo import build
    from nightly_spindle.simulators.demo_folder import demo_folder
    from nightly_spindle.simulators.demo_logs import leave_logs
    from nightly_spindle.simulators.demo_night import air_the_night_before
    from nightly_spindle.simulators.demo_services import serve_demo

    folder = Path(options.folder) if options.folder else demo_folder()

    def progress(what: str, part: float) -> None:
        if options.steps:
            print(f"{part:.3f}\t{what}", flush=True)
            return
        end = "\n" if part >= 1 else ""
        start = "\r" if sys.stdout.isatty() else ""
        if start or part >= 1:
            print(f"{start}Demo station: {what:<23} {part:4.0%}", end=end, flush=True)

    build(folder, local_zone(), lambda what, part: progress(what, _BUILT * part))
    settings = open_station(folder).programme.settings
    at_us = now_us()
    leave_logs(folder, broadcast_day(at_us, settings.tz, settings.day_start))
    if engine_pid(folder) is None:
        air_the_night_before(
            folder, at_us, lambda what, part: progress(what, _BUILT + (1 - _BUILT) * part)
        )
    progress("done", 1.0)
    print(f"{settings.name} is in {folder}.", flush=True)
    if options.build_only:
        return 0
    serve_demo()
    if options.no_window:
        from nightly_spindle.cli.playout.air import keep_on_air
        from nightly_spindle.cli.playout.wanted import Wanted

        return keep_on_air(Wanted(folder))
    from nightly_spindle.cli.station.desk import no_display, open_desk_on

    if no_display():
        print(
            "No display: start it under a virtual one with `xvfb-run -a make demo` (xvfb, xauth).",
            file=sys.stderr,
        )
        return 1
    return open_desk_on(folder, start_engine=True)


def local_zone() -> str:
    """Return this machine's IANA time zone, or one that stands in for it."""
    named = os.environ.get("TZ", "").lstrip(":")
    linked = str(Path("/etc/localtime").resolve())
    for name in (named, linked.partition("zoneinfo/")[2]):
        try:
            if "/" in name and not name.startswith("Etc/"):
                return zone(name).key
        except SettingRefused:
            continue
    return _FALLBACK_ZONE

"""`air`: it imports little, for an engine is waited for."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import AlreadyOnAir, SettingRefused

if TYPE_CHECKING:
    import argparse

    from nightly_spindle.cli.playout.wanted import Wanted


def on_air(options: argparse.Namespace) -> int:
    """Run the air engine until it is told to leave."""
    from nightly_spindle.cli.playout.wanted import Wanted, refuse_what_cannot_be

    folder = Path(options.folder)
    simulated = options.pace is not None or options.clock or options.capture
    if options.output == "device" and simulated:
        raise SettingRefused("--pace, --clock and --capture go with --output standin only")
    if options.pace is not None:
        from nightly_spindle.cli.base.common import checked_length

        checked_length(options.pace, "times real time", 1000.0)
    if options.seconds is not None:
        from nightly_spindle.cli.base.common import checked_length

        checked_length(options.seconds, "seconds", 1e7)
    if options.after:
        from nightly_spindle.cli.playout.starting import wait_after_start

        wait_after_start(options.after, maybe_again=options.no_supervisor)
    wanted = Wanted(
        folder,
        options.output or ("standin" if simulated else None),
        options.device,
        options.pace,
        options.clock,
        options.seconds,
        Path(options.capture) if options.capture else None,
        cold=options.cold,
        even_a_copy=options.even_a_copy,
        log_level=options.log_level,
    )
    if options.no_supervisor:
        refuse_what_cannot_be(wanted)
        from nightly_spindle.air.supervisor import end_process
        from nightly_spindle.cli.playout.engine_process import live

        end_process(live(wanted))
    from nightly_spindle.air.places import engine_pid

    running = engine_pid(folder)
    if running is not None and not options.waits:
        raise AlreadyOnAir(f"{folder} is on air already (engine process {running})")
    return keep_on_air(wanted, with_intake=not options.no_intake, waits=options.waits)


def keep_on_air(wanted: Wanted, *, with_intake: bool = True, waits: bool = False) -> int:
    """Run engines under a supervisor until one is told to leave."""
    from nightly_spindle.air.supervisor import get_ready, supervise
    from nightly_spindle.cli.playout.engine_life import Life
    from nightly_spindle.cli.playout.wanted import refuse_what_cannot_be

    get_ready("nightly_spindle.cli.playout.engine_process")
    refuse_what_cannot_be(wanted)  # what is wrong with the command is told once, here
    return supervise(wanted.folder, Life(wanted), with_intake=with_intake, waits=waits)

"""Waiting a little after the computer has started: clock, drives and network come first."""

from __future__ import annotations

import time

from nightly_spindle.cli.base.common import checked_length

_EARLY_S = 120.0  # a start of the engine later than this is no start of the computer


def wait_after_start(seconds: float, *, maybe_again: bool) -> None:
    """Wait before the air is taken; `maybe_again`: not unless the computer has only just started.

    Whoever restarts an engine by its command gives the same command again: that one is not to wait.

    Common practice, no source: drives, network and the time service are there some seconds later.
    """
    checked_length(seconds, "seconds", 3600.0)
    up = time.clock_gettime(time.CLOCK_BOOTTIME)
    if not maybe_again or up < _EARLY_S + seconds:
        time.sleep(seconds)

"""Work that is done beside the engine, by a command in a process of its own."""

from __future__ import annotations

import logging
import subprocess
import sys
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Sequence

_log = logging.getLogger(__name__)
_AGAIN_US = 900_000_000  # a quarter of an hour until it is tried again
_LOOK_US = 60_000_000


class BackgroundJob:
    """One kind of work; `what` names it in messages. One runs at a time."""

    def __init__(self, what: str) -> None:
        self._what = what
        self._running: subprocess.Popen[bytes] | None = None
        self._again_at = 0

    def failed(self) -> bool:
        """Whether it has ended since this was last asked, and not well."""
        status = self._running.poll() if self._running is not None else None
        if status is None:
            return False
        self._running = None
        return status != 0

    def may_start(self, now_us: int) -> bool:
        """Whether it does not run, and was not tried within the last quarter of an hour."""
        return self._running is None and now_us >= self._again_at

    def put_off(self, now_us: int) -> None:
        """There is nothing to do now: look again in a minute."""
        self._again_at = now_us + _LOOK_US

    def start(self, arguments: Sequence[str], now_us: int) -> None:
        """Start one of this program's commands."""
        self._again_at = now_us + _AGAIN_US
        try:
            self._running = subprocess.Popen(
                [sys.executable, "-m", "nightly_spindle", *arguments],
                stdout=subprocess.DEVNULL,
                stdin=subprocess.DEVNULL,
            )
        except OSError as error:  # no memory, no process left: tried again later
            _log.warning("%s did not start: %s", self._what, error)

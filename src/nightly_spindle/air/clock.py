"""Where the engine's wall clock comes from."""

from __future__ import annotations

import time
from typing import Protocol


class Clock(Protocol):
    """The wall clock, in microseconds since the epoch."""

    def now_us(self) -> int:
        """Return the instant now."""
        ...


class SystemClock:
    """The machine's own clock."""

    def now_us(self) -> int:
        """Return the instant now."""
        return time.time_ns() // 1000

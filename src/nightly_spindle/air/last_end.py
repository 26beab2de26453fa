"""How a station's last engine ended: told to leave, or not."""

from __future__ import annotations

from contextlib import closing
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.air.places import engine_pid, was_told_to_leave
from nightly_spindle.core.base.timebase import short_date
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.playout.journal import last_seen

if TYPE_CHECKING:
    from pathlib import Path
    from zoneinfo import ZoneInfo


@dataclass(frozen=True, slots=True)
class LastEnd:
    """`runs`: an engine holds the air. `told`: the last one left because it was told to.

    `seen_us` is its last sign of life (µs), None where the station was never on air.
    """

    runs: bool
    told: bool
    seen_us: int | None

    def sentence(self, tz: ZoneInfo) -> str:
        """What there is to say of an engine that does not answer."""
        if self.runs:
            return "the engine does not answer"
        if self.seen_us is None or self.told:
            return "the engine is off"
        return f"the engine was killed at {short_date(self.seen_us, tz)}"


def last_end(folder: Path) -> LastEnd:
    """Return how the last engine of a station ended."""
    with closing(connect(folder)) as connection:
        seen = last_seen(connection)
    return LastEnd(engine_pid(folder) is not None, was_told_to_leave(folder), seen)

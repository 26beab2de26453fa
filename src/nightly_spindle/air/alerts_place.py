"""Where the lock of what sends a station's alerts lies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.store.base.lock import holder

if TYPE_CHECKING:
    from pathlib import Path

LOCK = "alerts.lock"


def alerts_pid(folder: Path) -> int | None:
    """Return the process that sends a station's alerts, None when none does."""
    return holder(folder / LOCK)

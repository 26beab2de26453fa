"""Where the intake's lock lies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.store.base.lock import holder

if TYPE_CHECKING:
    from pathlib import Path

LOCK = "intake.lock"


def intake_pid(folder: Path) -> int | None:
    """Return the process that takes audio in, None when none does."""
    return holder(folder / LOCK)

"""Folders of audio that cannot be reached now: a drive that is not mounted, a share that hangs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import clock

if TYPE_CHECKING:
    from collections.abc import Mapping
    from zoneinfo import ZoneInfo

_ENOUGH = 3  # files that are all missing before their whole folder counts as away


@dataclass(frozen=True, slots=True)
class Away:
    """A folder (absolute) that cannot be reached since an instant (µs), and why in words."""

    folder: str
    since_us: int
    why: str

    @property
    def reason(self) -> str:
        """Why an item that lies there cannot be played."""
        return f"its folder {self.folder} is away ({self.why})"

    def sentence(self, tz: ZoneInfo) -> str:
        """Which folder is not there, since when, and what airs meanwhile."""
        when = clock(self.since_us, tz)
        return (
            f"The folder {self.folder} has been away since {when}: {self.why}. Its items keep "
            "their time and wait; the safety net plays what is there."
        )


def away_for(path: str, away: Mapping[str, Away]) -> Away | None:
    """Return the folder that is away and holds a file, None when none does."""
    for folder, gone in away.items():
        if path.startswith(folder if folder.endswith("/") else f"{folder}/"):
            return gone
    return None


def why_away(reachable: str, files: Mapping[str, bool]) -> str:
    """Return why a folder counts as away, empty when it is there.

    `reachable` says why it cannot be listed, empty when it can be; `files` which of the files
    looked for there are. An empty mount point can be listed, and holds none of them.
    """
    if reachable:
        return reachable
    if len(files) >= _ENOUGH and not any(files.values()):
        return f"none of {len(files)} files looked for is in it"
    return ""

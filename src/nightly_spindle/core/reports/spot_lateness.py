"""Why a break's spots aired late: what was on air when the break was due."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, clock, length
from nightly_spindle.core.base.wording import listed

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.as_run import AsRun

LATE_US = 60 * US  # a break that begins so much after its time is told as late
_NAMED = 2  # items that are named, those on air last

Key = tuple[int, int]  # a break pattern, and when the break was due
OnAir = Callable[[int, int], "Sequence[AsRun]"]  # what sounded in a stretch, by its instants (µs)


def late_breaks(lines: Iterable[AsRun], on_air: OnAir, tz: ZoneInfo) -> dict[Key, str]:
    """Return the breaks that began late, each with by how much and why, in words.

    A break begins with the first of its own spots: those that follow come after it by themselves,
    and what makes good is not of it.
    """
    begins: dict[Key, int] = {}
    for line in lines:
        if line.break_id and not line.good and line.end_us > line.start_us:
            key = (line.break_id, line.break_us)
            begins[key] = min(begins.get(key, line.start_us), line.start_us)
    return {
        key: _told(key[1], begin, on_air(key[1], begin), tz)
        for key, begin in begins.items()
        if begin - key[1] >= LATE_US
    }


def _told(due_us: int, begin_us: int, lines: Sequence[AsRun], tz: ZoneInfo) -> str:
    """Say by how much a break was late, and what was on air from when it was due on."""
    late = f"the break began {length((begin_us - due_us) / US)} late"
    there = [
        line
        for line in lines
        if not line.over and line.start_us < begin_us and line.end_us > max(due_us, line.start_us)
    ]
    if not there:
        return f"{late}: nothing was on air before it"
    there.sort(key=lambda line: line.start_us)
    names = listed([f"“{line.title}”" for line in there[-_NAMED:]])
    were = "was" if len(there[-_NAMED:]) == 1 else "were"
    return f"{late}: {names} {were} on air until {clock(there[-1].end_us, tz)}"

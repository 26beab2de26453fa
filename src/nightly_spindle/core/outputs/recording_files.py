"""Recordings of what went out: how their files are called, where an instant lies, what goes.

A file begins at a full hour of local time, or where recording began or went on after a gap. Its
name is that local time with the offset from UTC, so that a night of 25 hours has no name twice.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, moment_from

if TYPE_CHECKING:
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo

_NAME = re.compile(r"(\d{4}-\d\d-\d\d)_(\d\d)-(\d\d)-(\d\d)\.(\d{3})([+-])(\d\d)(\d\d)")
_HOUR_US = 3600 * US


@dataclass(frozen=True, slots=True)
class Recorded:
    """A file of recordings: when its first frame went out (µs), and how large it is (bytes)."""

    name: str
    start_us: int
    size: int


def file_name(start_us: int, tz: ZoneInfo, suffix: str) -> str:
    """Return the name of a file that begins at an instant, to the millisecond."""
    at = moment_from(start_us, tz)
    offset = at.utcoffset() or timedelta(0)
    minutes = round(offset.total_seconds() / 60)
    sign, minutes = ("-" if minutes < 0 else "+"), abs(minutes)
    milli = at.microsecond // 1000
    return f"{at:%Y-%m-%d_%H-%M-%S}.{milli:03}{sign}{minutes // 60:02}{minutes % 60:02}{suffix}"


def start_of(name: str) -> int | None:
    """Return the instant (µs, to the millisecond) that a file's name says, None where it is none.

    >>> start_of("2026-12-01_20-00-00.000+0100.oga") == start_of("2026-12-01_19-00-00.000+0000.oga")
    True
    """
    found = _NAME.match(name)
    if found is None:
        return None
    day, hour, minute, second, milli, sign, off_hours, off_minutes = found.groups()
    try:
        local = datetime.fromisoformat(f"{day}T{hour}:{minute}:{second}.{milli}")
    except ValueError:
        return None
    off = timedelta(hours=int(off_hours), minutes=int(off_minutes))
    at = local.replace(tzinfo=UTC) - (off if sign == "+" else -off)
    return round(at.timestamp() * 1000) * 1000


def next_hour(at_us: int, tz: ZoneInfo) -> int:
    """Return the first full hour of local time after an instant."""
    at = moment_from(at_us, tz)
    into = (at.minute * 60 + at.second) * US + at.microsecond
    return at_us - into + _HOUR_US


def to_remove(
    files: Iterable[Recorded], now_us: int, keep_days: float, most: float, lacking: float
) -> list[Recorded]:
    """Return what goes, the oldest first: what is too old, over `most` bytes, or lacking on disk.

    `lacking` are bytes that have to be freed in any case.
    """
    ordered = sorted(files, key=lambda one: one.start_us)
    left = sum(one.size for one in ordered)
    gone, freed = [], 0
    for one in ordered:
        old = now_us - one.start_us > keep_days * 86_400 * US
        if not (old or left > most or freed < lacking):
            break
        gone.append(one)
        left -= one.size
        freed += one.size
    return gone


def reaching(files: Iterable[Recorded], begin_us: int, end_us: int) -> list[Recorded]:
    """Return the files in which a stretch may lie, by what their names say to the millisecond."""
    ordered = sorted(files, key=lambda one: one.start_us)
    before = [one for one in ordered if one.start_us <= begin_us]
    return [*before[-2:], *(one for one in ordered if begin_us < one.start_us < end_us)]

"""Keeping a station safe: when a backup is due, which are kept, what is told of it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.station.settings import StationSettings

_DAY_US = 86_400 * US
_GRACE_US = _DAY_US  # a backup that is late by so much is told of
_RETRY_US = 3600 * US


@dataclass(frozen=True, slots=True)
class Standing:
    """Something wrong with the station that no single line of the night causes."""

    code: str
    severity: Severity
    text: str
    mend: str


@dataclass(frozen=True, slots=True)
class Backup:
    """A backup that was made or tried; `problem` is empty when it was verified."""

    at_us: int
    path: str
    bytes: int
    problem: str = ""


def backup_due(settings: StationSettings, tried: Sequence[Backup], now_us: int) -> bool:
    """Whether a backup is to be made now; one that failed is tried again after an hour."""
    if not settings.backup_every_days or settings.copy_of:
        return False
    good = max((one.at_us for one in tried if not one.problem), default=None)
    latest = max((one.at_us for one in tried), default=None)
    if latest is not None and latest > now_us - _RETRY_US:
        return False
    return good is None or now_us - good >= settings.backup_every_days * _DAY_US


def surplus(paths: Sequence[str], keep: int) -> list[str]:
    """Return the backups beyond the newest `keep`; the names sort by time."""
    return sorted(paths)[: max(0, len(paths) - keep)]


def backup_standing(
    settings: StationSettings, tried: Sequence[Backup], since_us: int | None, now_us: int
) -> list[Standing]:
    """Return what is wrong with the backups. `since_us`: since when there is work to lose."""
    if not settings.backup_every_days or settings.copy_of or since_us is None:
        return []
    good = max((one.at_us for one in tried if not one.problem), default=None)
    begun = since_us if good is None else good
    if now_us - begun < settings.backup_every_days * _DAY_US + _GRACE_US:
        return []
    days = (now_us - begun) // _DAY_US
    text = (
        f"The last backup of the station is {days} days old."
        if good is not None
        else f"There is no backup of the station after {days} days of work."
    )
    last = max(tried, key=lambda one: one.at_us, default=None)
    if last is not None and last.problem:
        text += f" The last try failed: {last.problem}."
    mend = f"See that {settings.backup_folder} can be written, or choose another backup folder."
    return [Standing("backup-old", Severity.WARNING, text, mend)]

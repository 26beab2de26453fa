"""The time zones of this machine, as they are offered."""

from __future__ import annotations

from PySide6.QtCore import QTimeZone


def time_zones() -> list[str]:
    """Return the IANA names of places; offsets and abbreviations are none a station lies in."""
    found = (bytes(name.data()).decode() for name in QTimeZone.availableTimeZoneIds())
    return sorted(name for name in found if "/" in name and not name.startswith(("Etc/", "posix")))


def own_time_zone() -> str:
    """Return the time zone that this machine is set to."""
    return bytes(QTimeZone.systemTimeZoneId().data()).decode()

"""Instants, frames and local time.

Instants are whole microseconds since 1970-01-01T00:00Z (`_us`). Station frames are
whole frames at the mix rate, counted from the same moment. Rules are kept in local
time and become instants here, following RFC 5545 section 3.3.5: a local time that
does not exist is read with the offset before the gap, one that comes twice means the
first. `zoneinfo` with `fold=0` does exactly that.
"""

from __future__ import annotations

import re
from datetime import UTC, datetime, time, timedelta
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from nightly_spindle.core.base.errors import SettingRefused, clipped

US = 1_000_000
EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
_FIRST_YEAR, _LAST_YEAR = 1970, 2200  # that a station is asked about


def zone(name: str) -> ZoneInfo:
    """Return the IANA time zone of that name; SettingRefused when there is none."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise SettingRefused(
            f"time zone '{clipped(name)}' is not in the IANA database; give a name such as "
            "Europe/Lisbon"
        ) from error


def us_from(moment: datetime) -> int:
    """Return an aware datetime as microseconds since the epoch, exactly."""
    delta = moment.astimezone(UTC) - EPOCH
    return (delta.days * 86_400 + delta.seconds) * US + delta.microseconds


def moment_from(us: int, tz: ZoneInfo) -> datetime:
    """Return the instant as an aware datetime in the zone."""
    return (EPOCH + timedelta(microseconds=us)).astimezone(tz)


def frames_from_us(us: int, rate: int) -> int:
    """Return the frame nearest to the instant."""
    return (us * rate + US // 2) // US


def us_from_frames(frames: int, rate: int) -> int:
    """Return the microsecond nearest to the frame."""
    return (frames * US + rate // 2) // rate


def to_frames(seconds: float, rate: int) -> int:
    """Return a duration in seconds as whole frames."""
    return round(seconds * rate)


def resolve_local(local: datetime, tz: ZoneInfo) -> int:
    """Return the instant (µs) of a naive local time, by RFC 5545 section 3.3.5."""
    return us_from(local.replace(tzinfo=tz, fold=0))


def local_from(us: int, tz: ZoneInfo) -> datetime:
    """Return the naive local time of an instant."""
    return moment_from(us, tz).replace(tzinfo=None)


def parse_instant(text: str, tz: ZoneInfo) -> int:
    """Read ISO 8601; without an offset it is the station's local time. Returns µs."""
    try:
        moment = datetime.fromisoformat(text)
    except ValueError as error:
        raise SettingRefused(
            f"'{text}' is not a time; write it like 2026-11-23T23:50 or 2026-11-23T23:50:00+00:00"
        ) from error
    if not _FIRST_YEAR <= moment.year <= _LAST_YEAR:
        raise SettingRefused(f"'{text}' is not in the years {_FIRST_YEAR} to {_LAST_YEAR}")
    return resolve_local(moment, tz) if moment.tzinfo is None else us_from(moment)


def parse_time_of_day(text: str) -> time:
    """Read HH:MM or HH:MM:SS on the 24-hour clock."""
    try:
        return time.fromisoformat(text)
    except ValueError as error:
        raise SettingRefused(
            f"'{text}' is not a time of day; write it like 05:00 or 17:30:00 (24-hour clock)"
        ) from error


def iso(us: int, tz: ZoneInfo) -> str:
    """Return ISO 8601 with offset and microseconds."""
    return moment_from(us, tz).isoformat(timespec="microseconds")


def clock(us: int, tz: ZoneInfo) -> str:
    """Return the local time of day, to the second, as operators read it.

    A frame's instant can lie some microseconds before the second that it stands for.
    """
    return moment_from(us + 1000, tz).strftime("%H:%M:%S")


def short_date(us: int, tz: ZoneInfo) -> str:
    """Return an instant as "22 Nov 14:03"."""
    moment = moment_from(us, tz)
    return f"{moment.day} {moment:%b %H:%M}"


def length(seconds: float) -> str:
    """Return a duration as 3:07 or 1:02:03."""
    whole = max(0, round(seconds))
    minutes, second = divmod(whole, 60)
    hours, minute = divmod(minutes, 60)
    return f"{hours}:{minute:02}:{second:02}" if hours else f"{minute}:{second:02}"


def stamp(seconds: float) -> str:
    """Return a position to the millisecond, as 3:07.250 or 1:02:03.004."""
    thousandths = max(0, round(seconds * 1000))
    minutes, rest = divmod(thousandths, 60_000)
    hours, minute = divmod(minutes, 60)
    text = f"{rest // 1000:02}.{rest % 1000:03}"
    return f"{hours}:{minute:02}:{text}" if hours else f"{minute}:{text}"


def parse_stamp(text: str) -> float:
    """Read a position: 3:07.250, 1:02:03 or plain seconds; SettingRefused says how to write it."""
    parts = text.strip().replace(",", ".").split(":")
    good = all(re.fullmatch(r"\d{1,6}", part) for part in parts[:-1])
    if len(parts) > 3 or not good or not re.fullmatch(r"\d{1,6}(\.\d*)?|\.\d+", parts[-1]):
        raise SettingRefused(f"'{text}' is not a position; write 3:07.250 or seconds as 187.25")
    total = 0.0
    for part in parts:
        total = total * 60 + float(part)
    return round(total, 6)

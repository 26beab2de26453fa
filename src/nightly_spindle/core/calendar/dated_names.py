"""File names of logs made from date parts.

A pattern is literal text with codes, a subset of `strftime` in its C locale:

    %Y %y       year, four or two digits        %H %-H   hour 00 to 23
    %m %-m      month                           %I %p    hour 01 to 12, AM or PM
    %b %B       month by name                   %j       day of the year
    %d %-d      day                             %u %w    weekday 1 (Monday) to 7, 0 (Sunday) to 6
    %a %A       weekday by name                 %%       a percent sign

and `*` for any text. `%A` says the drop's own seven names where it has them. Capitals never
count. When several files fit: the exact spelling first, then the newest, then by alphabet.
"""

from __future__ import annotations

import re
import unicodedata
from dataclasses import dataclass
from functools import lru_cache
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.calendar.log_periods import Period

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence
    from datetime import datetime

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MONTHS = (
    "January",
    "February",
    "March",
    "April",
    "May",
    "June",
    "July",
    "August",
    "September",
    "October",
    "November",
    "December",
)

# what can be picked, and how it is called
PARTS = {
    "%Y": "year, 4 digits",
    "%y": "year, 2 digits",
    "%m": "month, 2 digits",
    "%-m": "month, no zero",
    "%b": "month, short name",
    "%B": "month, full name",
    "%d": "day, 2 digits",
    "%-d": "day, no zero",
    "%j": "day of the year",
    "%H": "hour 00-23",
    "%-H": "hour, no zero",
    "%I": "hour 01-12",
    "%p": "AM or PM",
    "%A": "weekday name",
    "%a": "weekday, short name",
    "%u": "weekday 1-7 (Monday 1)",
    "%w": "weekday 0-6 (Sunday 0)",
    "*": "any text",
}
_CODE = re.compile(r"%-?[A-Za-z%]|\*|[^%*]+|%")
YEAR = {"%Y", "%y"}
MONTH = {"%m", "%-m", "%b", "%B"}
DAY = {"%d", "%-d"}
WEEKDAY = {"%A", "%a", "%u", "%w"}
HOUR24 = {"%H", "%-H"}


def parts_of(pattern: str) -> list[str]:
    """Return the codes and the literal texts of a pattern, in order."""
    return _CODE.findall(pattern)


def check_pattern(pattern: str, period: Period, names: Sequence[str] = WEEKDAYS) -> None:
    """SettingRefused when no log could be told from the next by this pattern."""
    parts = parts_of(pattern)
    codes = {part for part in parts if part.startswith("%") and part != "%%"}
    wrong = []
    unknown = sorted(codes - set(PARTS))
    if not pattern.strip():
        wrong.append("it is empty")
    if "/" in pattern or "\0" in pattern or pattern in {".", ".."}:
        wrong.append("a file name holds no “/”: put the folder into the folder")
    if unknown:
        wrong.append(f"{', '.join(unknown)} is not a date part")
    whole = bool(codes & YEAR or codes & MONTH) and (
        (bool(codes & MONTH) and bool(codes & DAY)) or "%j" in codes
    )
    if period is Period.WEEKDAY and not codes & WEEKDAY:
        wrong.append("a log per weekday needs the weekday in its name")
    elif period is Period.DAY and not whole and not codes & WEEKDAY:
        wrong.append("it says neither the date nor the weekday, so every day's name is the same")
    if period is Period.HOUR and not (codes & HOUR24 or {"%I", "%p"} <= codes):
        wrong.append("a log per hour needs the hour in its name (00-23, or 01-12 with AM or PM)")
    if period is not Period.HOUR and codes & (HOUR24 | {"%I", "%p"}):
        wrong.append("it has an hour in it, which a log per hour has: make it one, or leave it out")
    if len({name.casefold() for name in names}) != len(WEEKDAYS):
        wrong.append(f"there are {len(names)} names for the weekdays; give seven different ones")
    if wrong:
        raise SettingRefused(f"file-name pattern “{pattern}”: {'; '.join(wrong)}")


def period_of(pattern: str) -> Period:
    """Return how much a log holds, going by what its name says."""
    codes = set(parts_of(pattern))
    if codes & (HOUR24 | {"%I"}):
        return Period.HOUR
    dated = codes & MONTH or "%j" in codes
    return Period.WEEKDAY if codes & WEEKDAY and not dated else Period.DAY


def written(pattern: str, at: datetime, names: Sequence[str] = WEEKDAYS) -> str:
    """Return the file name for a local time; `*` stays as it is."""
    return "".join(_part(part, at, names) for part in parts_of(pattern))


def _part(part: str, at: datetime, names: Sequence[str]) -> str:
    if part == "%A":
        return names[at.weekday()]
    text = _TEXTS.get(part)
    return part if text is None else text(at)


_TEXTS: dict[str, Callable[[datetime], str]] = {
    "%Y": lambda at: f"{at.year:04}",
    "%y": lambda at: f"{at.year % 100:02}",
    "%m": lambda at: f"{at.month:02}",
    "%-m": lambda at: str(at.month),
    "%b": lambda at: MONTHS[at.month - 1][:3],
    "%B": lambda at: MONTHS[at.month - 1],
    "%d": lambda at: f"{at.day:02}",
    "%-d": lambda at: str(at.day),
    "%j": lambda at: f"{at.timetuple().tm_yday:03}",
    "%H": lambda at: f"{at.hour:02}",
    "%-H": lambda at: str(at.hour),
    "%I": lambda at: f"{(at.hour - 1) % 12 + 1:02}",
    "%p": lambda at: "AM" if at.hour < 12 else "PM",
    "%a": lambda at: WEEKDAYS[at.weekday()][:3],
    "%u": lambda at: str(at.weekday() + 1),
    "%w": lambda at: str((at.weekday() + 1) % 7),
    "%%": lambda _: "%",
}


@dataclass(frozen=True, slots=True)
class FolderEntry:
    """A name in a folder: size in bytes, time of the last change in ns."""

    name: str
    size: int = 0
    mtime_ns: int = 0


def fitting(wanted: str, names: Iterable[str]) -> list[str]:
    """Return the names that fit a written name."""
    folded = _expression(same_text(wanted))
    return [name for name in names if folded.fullmatch(same_text(name))]


def candidates(wanted: str, entries: Iterable[FolderEntry]) -> list[FolderEntry]:
    """Return the entries that fit a written name, best first (see the module)."""
    exact, folded = _expression(wanted), _expression(same_text(wanted))
    there = [entry for entry in entries if folded.fullmatch(same_text(entry.name))]
    return sorted(
        there, key=lambda e: (exact.fullmatch(e.name) is None, -e.mtime_ns, e.name.casefold())
    )


def _expression(wanted: str) -> re.Pattern[str]:
    return re.compile(".*".join(map(re.escape, wanted.split("*"))), re.DOTALL)


@lru_cache(maxsize=65_536)
def same_text(text: str) -> str:
    """Return a text as it is compared: capitals and ways to write an accent do not count."""
    return unicodedata.normalize("NFC", text).casefold()


def stem_of(name: str) -> tuple[str, str]:
    """Return a file name without its suffix, and that, folded; none is empty."""
    stem, dot, suffix = name.rpartition(".")
    return (stem, suffix.casefold()) if dot else (name, "")

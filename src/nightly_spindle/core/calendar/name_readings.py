"""From one real file name to the pattern that it may follow, and to the time that it says."""

from __future__ import annotations

import re
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.dated_names import (
    DAY,
    HOUR24,
    MONTH,
    MONTHS,
    PARTS,
    WEEKDAY,
    WEEKDAYS,
    YEAR,
    parts_of,
    stem_of,
)

if TYPE_CHECKING:
    from datetime import datetime

_DATES = {
    8: ("%Y%m%d", "%d%m%Y", "%m%d%Y", "%y%m%d%H", "%d%m%y%H", "%m%d%y%H"),
    6: ("%y%m%d", "%d%m%y", "%m%d%y", "%m%d%H", "%d%m%H"),
    10: ("%Y%m%d%H", "%d%m%Y%H", "%m%d%Y%H"),
    12: ("%Y%m%d%H00",),
    4: ("%Y", "%m%d", "%d%m", "%H00"),
    3: ("%j",),
    2: ("%y", "%m", "%d", "%H"),
    1: ("%-m", "%-d", "%u"),
}
_WIDTHS = {"%Y": 4, "%j": 3, "%u": 1, "%w": 1}  # digits; two of all others
_WORDS = {"%A", "%a", "%B", "%b", "%p"}
_ANY_WIDTH = _WORDS | {"%-m", "%-d", "%-H"}
_RANK = {code: at for at, code in enumerate(("%Y", "%y", "%m", "%d"))}
_MOST_RUNS = 5


@lru_cache(maxsize=512)
def patterns_from(name: str, around: datetime) -> list[str]:
    """Return the patterns that one real file name may follow, likeliest first.

    `around` is about when the log was for (the file's own time, or now): of all readings the
    one whose date lies nearest wins; years far away do not count as years. Where the name can be
    read as a date, nothing else is made of its digits.
    """
    stem, dot, suffix = name.rpartition(".")
    stem, end = (stem, dot + suffix) if dot else (name, "")
    pieces = re.findall(r"\d+|[^\W\d_]+|[\W_]+", stem)
    found: list[tuple[tuple[float, ...], str]] = []
    said: dict[str, str] = {}  # what the codes so far read in the name

    def go(at: int, sofar: str, used: frozenset[str], runs: int) -> None:
        if at == len(pieces):
            whole = sofar + end.replace("%", "%%")
            score = _score(whole, used, _time_of(said, around), around)
            if score is not None:
                found.append((score, whole))
            return
        piece = pieces[at]
        options = [piece.replace("%", "%%").replace("*", "")]
        if piece.isdigit() and runs < _MOST_RUNS:
            options += _DATES.get(len(piece), ())
        elif piece.isalpha():
            options += _named(piece)
        for option in options:
            codes = [code for code in parts_of(option) if code in PARTS]
            roles = {_role(code) for code in codes}
            if len(roles) < len(codes) or used & roles:
                continue
            read = _read_piece(option, piece) if codes else {}
            if read is not None:
                said.update(read)
                go(at + 1, sofar + option, used | roles, runs + piece.isdigit())
                for code in read:
                    del said[code]

    go(0, "", frozenset(), 0)
    sensible = [one for one in found if _says_date(one[1]) and not one[0][0]] or found
    return list(dict.fromkeys(pattern for _, pattern in sorted(sensible)))[:12]


def _says_date(pattern: str) -> bool:
    codes = set(parts_of(pattern))
    return bool(codes & MONTH and codes & DAY) or "%j" in codes


def _read_piece(option: str, piece: str) -> dict[str, str] | None:
    """Return what each code of an option reads in a piece of a name, None when it does not fit."""
    read = {}
    left = piece
    for part in parts_of(option):
        if part not in PARTS:
            if not left.startswith(part):
                return None
            left = left[len(part) :]
            continue
        wide = len(left) if part in _ANY_WIDTH else _WIDTHS.get(part, 2)
        if len(left) < wide:
            return None
        read[part], left = left[:wide], left[wide:]
    return None if left else read


@lru_cache(maxsize=4096)
def _named(word: str) -> tuple[str, ...]:
    low = word.casefold()
    found = []
    for full, short, names in (("%A", "%a", WEEKDAYS), ("%B", "%b", MONTHS)):
        if low in {name.casefold() for name in names}:
            found.append(full)
        elif low in {name[:3].casefold() for name in names}:
            found.append(short)
    return tuple(found)


def _role(code: str) -> str:
    for role, codes in (
        ("year", YEAR),
        ("month", MONTH),
        ("day", DAY),
        ("weekday", WEEKDAY),
        ("hour", HOUR24 | {"%I"}),
    ):
        if code in codes:
            return role
    return code


def _score(
    pattern: str, used: frozenset[str], at: datetime | None, around: datetime
) -> tuple[float, ...] | None:
    """Return how unlikely a reading is that says a time, None when it is none at all."""
    dated = {"month", "day"} <= used or "%j" in used
    if not dated and not used & {"weekday", "hour"}:
        return None
    if dated and {"%u", "%w"} & set(parts_of(pattern)):
        return None  # a digit beside a date is something else
    if not dated and used & {"year", "month", "day"}:
        return None
    if at is None:
        return None
    away = abs((at.date() - around.date()).days) if dated else 0
    order = [_RANK.get(code, 9) for code in parts_of(pattern) if code in PARTS]
    disorder = sum(a > b for a, b in pairwise(order))
    literal = [part for part in parts_of(stem_of(pattern)[0]) if part not in PARTS]
    left = sum(len(run) for part in literal for run in re.findall(r"\d{2,}", part))
    left += sum(bool(_named(word)) for part in literal for word in re.findall(r"[^\W\d_]+", part))
    return (away > 400, left, min(away, 400) // 4, disorder, away, -len(used))


def read_name(pattern: str, name: str, around: datetime) -> datetime | None:
    """Return the local time that a name says by a pattern; None when it does not fit it."""
    expression, roles = _reader(pattern)
    match = expression.fullmatch(name)
    if match is None:
        return None
    return _time_of(dict(zip(roles, match.groups(), strict=True)), around)


def _time_of(said: dict[str, str], around: datetime) -> datetime | None:
    """Return the local time that codes read, None when there is no such time."""
    year = int(said.get("%Y", 0)) or (2000 + int(said["%y"]) if "%y" in said else around.year)
    month = next((int(said[c]) for c in ("%m", "%-m") if c in said), 0)
    for code in ("%b", "%B"):
        if code in said:
            names = [m[: None if code == "%B" else 3].casefold() for m in MONTHS]
            month = names.index(said[code].casefold()) + 1 if said[code].casefold() in names else 13
    day = next((int(said[c]) for c in ("%d", "%-d") if c in said), 0)
    hour = next((int(said[c]) for c in ("%H", "%-H") if c in said), 0)
    try:
        if not month and not day and not {"%Y", "%y"} & set(said):
            return around.replace(hour=hour)
        return around.replace(year=year, month=month, day=day, hour=hour)
    except ValueError:
        return None


@lru_cache(maxsize=512)
def _reader(pattern: str) -> tuple[re.Pattern[str], tuple[str, ...]]:
    """Return the expression that reads names of a pattern, and the codes of its groups."""
    expression = ""
    roles: list[str] = []
    for part in parts_of(pattern):
        if part == "*":
            expression += ".*"
        elif part not in PARTS:
            expression += re.escape(part.replace("%%", "%"))
        else:
            count = "{1,2}" if part.startswith("%-") else f"{{{_WIDTHS.get(part, 2)}}}"
            alpha = part in _WORDS
            expression += r"([^\W\d_]+)" if alpha else rf"(\d{count})"
            roles.append(part)
    return re.compile(expression, re.IGNORECASE | re.DOTALL), tuple(roles)

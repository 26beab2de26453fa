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

import difflib
import re
import unicodedata
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache
from itertools import pairwise
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.calendar.log_periods import Period

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

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
ANOTHER_TIME = "the log of another time"
_LOOKED_AT, _DATED = 40, 12  # names that are compared letter by letter, and read as dates
_CLOSE = 0.7  # of 1: names less alike are not the same name mistyped
_NOT_LYING_ABOUT_S = 45 * 86_400.0  # logs of dates nearer than this do lie in the folder
_CODE = re.compile(r"%-?[A-Za-z%]|\*|[^%*]+|%")
_YEAR = {"%Y", "%y"}
_MONTH = {"%m", "%-m", "%b", "%B"}
_DAY = {"%d", "%-d"}
_WEEKDAY = {"%A", "%a", "%u", "%w"}
_HOUR24 = {"%H", "%-H"}


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
    whole = bool(codes & _YEAR or codes & _MONTH) and (
        (bool(codes & _MONTH) and bool(codes & _DAY)) or "%j" in codes
    )
    if period is Period.WEEKDAY and not codes & _WEEKDAY:
        wrong.append("a log per weekday needs the weekday in its name")
    elif period is Period.DAY and not whole and not codes & _WEEKDAY:
        wrong.append("it says neither the date nor the weekday, so every day's name is the same")
    if period is Period.HOUR and not (codes & _HOUR24 or {"%I", "%p"} <= codes):
        wrong.append("a log per hour needs the hour in its name (00-23, or 01-12 with AM or PM)")
    if len({name.casefold() for name in names}) != len(WEEKDAYS):
        wrong.append(f"there are {len(names)} names for the weekdays; give seven different ones")
    if wrong:
        raise SettingRefused(f"file-name pattern “{pattern}”: {'; '.join(wrong)}")


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
    folded = _expression(_same(wanted))
    return [name for name in names if folded.fullmatch(_same(name))]


def candidates(wanted: str, entries: Iterable[FolderEntry]) -> list[FolderEntry]:
    """Return the entries that fit a written name, best first (see the module)."""
    exact, folded = _expression(wanted), _expression(_same(wanted))
    there = [entry for entry in entries if folded.fullmatch(_same(entry.name))]
    return sorted(
        there, key=lambda e: (exact.fullmatch(e.name) is None, -e.mtime_ns, e.name.casefold())
    )


def _expression(wanted: str) -> re.Pattern[str]:
    return re.compile(".*".join(map(re.escape, wanted.split("*"))), re.DOTALL)


@lru_cache(maxsize=65_536)
def _same(text: str) -> str:
    return unicodedata.normalize("NFC", text).casefold()


@dataclass(frozen=True, slots=True)
class NearName:
    """A name that is close to the one looked for, and what differs."""

    name: str
    differs: str

    @property
    def text(self) -> str:
        """Name and difference in a few words."""
        return f"{self.name} ({self.differs})"


def nearest(
    wanted: str,
    there: Sequence[str],
    when: datetime,
    pattern: str,
    names: Sequence[str] = WEEKDAYS,
    most: int = 3,
) -> tuple[NearName, ...]:
    """Return which of the names that lie there come closest to the one looked for, best first.

    `when` is the local time that the log is for, `names` the seven names of the weekdays. Names
    that the pattern writes for other days or hours are other logs, not a slip of this one: the
    nearest is told when there is nothing else. A date far away that is this one with its parts
    exchanged (241126 for 261124) is a slip. However many files lie there, few are looked at
    closely: those most alike, and those that say the day.
    """
    away_of = _distance(pattern, when, names)
    chosen: list[tuple[float, str, bool]] = []
    for name in _worth_a_look(wanted, there, when):
        away = away_of(name)
        if away is not None and away < _NOT_LYING_ABOUT_S:
            continue
        dated = _says_same_date(name, wanted, when)
        if away is not None and not dated:
            continue
        close = difflib.SequenceMatcher(None, _same(wanted), _same(name)).ratio()
        if close + 0.4 * dated > _CLOSE:
            chosen.append((-close - 0.4 * dated, name, dated))
    if not chosen:
        others = [(away, name) for name in there if (away := away_of(name)) is not None]
        return (NearName(min(others)[1], ANOTHER_TIME),) if others else ()
    best = sorted(chosen)[:most]
    return tuple(NearName(name, _differs(wanted, name, dated)) for _, name, dated in best)


def _worth_a_look(wanted: str, there: Sequence[str], when: datetime) -> list[str]:
    """Return the names that are most like the one looked for, and most of those with its day."""
    if len(there) <= _LOOKED_AT:
        return list(there)
    from rapidfuzz import fuzz, process

    # reading dates out of a name takes long: of those that seem to say the day, a few
    dated = [name for name in there if _may_say_date(name, when)]
    known = set(dated)
    others = [name for name in there if name not in known]
    found: list[str] = []
    for some, most in ((dated, _DATED), (others, _LOOKED_AT)):
        best = process.extract(_same(wanted), some, scorer=fuzz.ratio, processor=_same, limit=most)
        found += [name for name, _, _ in best]
    return found


def _distance(pattern: str, when: datetime, names: Sequence[str]) -> Callable[[str], float | None]:
    """Return what tells how far from a time the log of a name is (s), None when it is no log."""
    codes = set(parts_of(pattern))
    if codes & _WEEKDAY and not codes & (_MONTH | {"%j"}):
        week = [when + timedelta(days=days) for days in range(1, 7)]
        days = {_same(written(pattern, at, names)): at for at in reversed(week)}

        def weekly(name: str) -> float | None:
            at = days.get(_same(name))
            return None if at is None else abs((at - when).total_seconds())

        return weekly

    def dated(name: str) -> float | None:
        at = read_name(pattern, name, when)
        if at is None or _same(written(pattern, at, names)) != _same(name):
            return None
        return abs((at - when).total_seconds())

    return dated


def _may_say_date(name: str, when: datetime) -> bool:
    """Whether a name holds the day, and the month in some way: a look that costs nothing."""
    months = (f"{when:%m}", str(when.month), MONTHS[when.month - 1][:3])
    return str(when.day) in name and any(_same(m) in _same(name) for m in months)


def _says_same_date(name: str, wanted: str, when: datetime) -> bool:
    """Whether a name says the day (and hour) looked for, in another way."""
    if not _may_say_date(name, when):
        return False
    asked = re.findall(r"\d+", wanted)
    hourly = f"{when:%H}" in asked or bool(re.search(rf"\d{{4,}}{when:%H}\b", wanted))
    for pattern in patterns_from(name, when)[:4]:
        codes = set(parts_of(pattern))
        if not (codes & _DAY or "%j" in codes):
            continue
        if written(pattern, when) == name and (not hourly or codes & _HOUR24):
            return True
    return False


def _stem(name: str) -> tuple[str, str]:
    stem, dot, suffix = name.rpartition(".")
    return (stem, suffix.casefold()) if dot else (name, "")


def _differs(wanted: str, name: str, dated: bool) -> str:
    (want, want_suffix), (stem, suffix) = _stem(wanted), _stem(name)
    said = []
    if suffix != want_suffix:
        said.append(f"ends in “.{suffix}” instead of “.{want_suffix}”")
    if stem != stem.strip():
        said.append("a blank at its edge")
        stem = stem.strip()
    if _same(stem) != _same(want):
        if dated and sorted(re.findall(r"\d", stem)) != sorted(re.findall(r"\d", want)):
            said.append("the same date, written in another way")
        elif dated and re.sub(r"\D", "", stem) != re.sub(r"\D", "", want):
            said.append("the same date in another order")
        else:
            said += _edits(want, stem)
    return ", ".join(said) or "only the spelling of a letter"


def _edits(want: str, have: str) -> list[str]:
    said = []
    for op, a, b, c, d in difflib.SequenceMatcher(None, want, have, autojunk=False).get_opcodes():
        if op == "replace":
            said.append(f"“{have[c:d]}” instead of “{want[a:b]}”")
        elif op == "delete":
            said.append(f"lacks “{want[a:b]}”")
        elif op == "insert":
            said.append(f"“{have[c:d]}” too much")
    return said[:3]


# -- from a name to its pattern --------------------------------------------------------------------

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
    one whose date lies nearest wins; years far away do not count as years.
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
    return list(dict.fromkeys(pattern for _, pattern in sorted(found)))[:12]


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
        ("year", _YEAR),
        ("month", _MONTH),
        ("day", _DAY),
        ("weekday", _WEEKDAY),
        ("hour", _HOUR24 | {"%I"}),
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
    literal = [part for part in parts_of(_stem(pattern)[0]) if part not in PARTS]
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

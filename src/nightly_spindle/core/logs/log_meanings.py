"""What the lines of a log mean that name no item: breaks, timed marks, comments.

A drop has a small table of meanings: a text (`*` stands for anything, capitals do not count)
and what lines with it mean. Its first row that fits a line or its type decides, before any
matching. Lines that no row fits go by their type ("break", "comment", "time mark"), else they
name an item.
"""

from __future__ import annotations

import re
from dataclasses import dataclass
from enum import StrEnum
from functools import lru_cache
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.logs.log_matching import Match, MatchStatus
from nightly_spindle.core.logs.log_text import time_of_day

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.logs.log_line import LogLine

_MOST_SPOTS = 20


class Means(StrEnum):
    """What a line can mean."""

    BREAK = "break"
    MARK = "timed mark"
    COMMENT = "comment"
    IGNORE = "ignore"
    ITEM = "item"
    TAG = "tag"


@dataclass(frozen=True, slots=True)
class Meaning:
    """One row of the table. `value`: a break's spots, an item's cart number; else 0.

    A tag decides nothing: lines that it fits carry its text as a word that pools of overlays go by.
    """

    text: str
    means: Means
    value: int = 0

    def sentence(self) -> str:
        """The row in words."""
        said = {
            Means.BREAK: f"is a break of {self.value or 1} "
            + ("spot" if self.value in {0, 1} else "spots"),
            Means.MARK: "is a timed mark",
            Means.COMMENT: "is a comment",
            Means.IGNORE: "is left out",
            Means.ITEM: f"is cart {self.value}",
            Means.TAG: f"tags its line “{self.tag}”",
        }
        return f"“{self.text}” {said[self.means]}"

    @property
    def tag(self) -> str:
        """The word that it gives to lines."""
        return " ".join(self.text.replace("*", " ").split()).casefold()


_BY_TYPE = {
    "break": Means.BREAK,
    "spot break": Means.BREAK,
    "avail": Means.BREAK,
    "comment": Means.COMMENT,
    "note": Means.COMMENT,
    "remark": Means.COMMENT,
    "mark": Means.MARK,
    "time": Means.MARK,
    "time mark": Means.MARK,
    "timed mark": Means.MARK,
}
_WORDS = {
    "break": Means.BREAK,
    "mark": Means.MARK,
    "comment": Means.COMMENT,
    "ignore": Means.IGNORE,
    "item": Means.ITEM,
    "cart": Means.ITEM,
    "tag": Means.TAG,
}


def meaning_from(text: str) -> Meaning:
    """Read a row written as "TEXT=break 2", "TEXT=mark", "TEXT=ignore", "TEXT=cart 1024"."""
    said, equals, means = text.rpartition("=")
    word, _, number = means.strip().lower().partition(" ")
    number = number.strip()
    value = int(number) if number.isdecimal() and len(number) < 10 else 0
    if not (equals and said.strip() and word in _WORDS) or (number and not value):
        raise SettingRefused(
            f"'{text}' is not a valid meaning; write it like “SPOTS*=break 2”, “* TOP OF "
            "HOUR=mark”, “END=ignore”, “*request*=tag” or “NEWS=cart 1024”"
        )
    return checked_meaning(Meaning(said.strip(), _WORDS[word], value))


def checked_meaning(row: Meaning) -> Meaning:
    """Return a row as it is; SettingRefused when it cannot be."""
    if not row.text.strip("* "):
        raise SettingRefused("a meaning for every line there is would leave nothing of a log")
    if row.means is Means.BREAK and not 0 <= row.value <= _MOST_SPOTS:
        raise SettingRefused(f"a break of {row.value} spots; it has 1 to {_MOST_SPOTS}")
    if row.means is Means.ITEM and row.value < 1:
        raise SettingRefused(f"“{row.text}” is to mean an item; say which cart number")
    return row


def meant(line: LogLine, table: Sequence[Meaning]) -> Match | None:
    """Return what a line means that names no item by itself; None when it is to be matched."""
    for row in table:
        if row.means is not Means.TAG and _fits(line, row):
            return _match(line, row)
    if line.remark:
        return Match(line, MatchStatus.COMMENT, "a comment in the log")
    means = _BY_TYPE.get(line.type.casefold())
    if means is not None and line.cart is None and not line.path:
        digits = re.search(r"\b\d{1,2}\b", f"{line.artist} {line.title} {line.comment}")
        spots = int(digits[0]) if means is Means.BREAK and digits else 0
        row = Meaning(line.type, means, min(spots, _MOST_SPOTS))
        return _match(line, row)
    if not (line.fault or line.path or line.cart is not None or line.title):
        return Match(line, MatchStatus.COMMENT, "it names nothing")
    return None


def tag_of(line: LogLine, table: Sequence[Meaning]) -> str:
    """Return the word that the table gives to a line for pools of overlays, empty for none."""
    rows = (row for row in table if row.means is Means.TAG)
    return next((row.tag for row in rows if _fits(line, row, line.label)), "")


def _fits(line: LogLine, row: Meaning, also: str = "") -> bool:
    texts = (line.raw, line.comment, line.type, also)
    return any(text and _expression(row.text).fullmatch(text) for text in texts)


def _match(line: LogLine, row: Meaning) -> Match:
    how = row.sentence()
    if row.means is Means.ITEM:
        return Match(line, MatchStatus.MATCHED, how, row.value)
    if row.means is Means.MARK:
        at = line.at_s if line.at_s is not None else time_of_day(f"{line.raw} {line.comment}")
        if at is None:
            return Match(line, MatchStatus.COMMENT, f"{how}, but it says no time of day")
        return Match(line, MatchStatus.MARK, how, value=at)
    if row.means is Means.BREAK:
        return Match(line, MatchStatus.BREAK, how, value=float(row.value or 1))
    status = MatchStatus.COMMENT if row.means is Means.COMMENT else MatchStatus.IGNORED
    return Match(line, status, how)


@lru_cache(maxsize=256)
def _expression(text: str) -> re.Pattern[str]:
    parts = ".*".join(re.escape(part) for part in text.strip().split("*"))
    return re.compile(parts, re.IGNORECASE | re.DOTALL)

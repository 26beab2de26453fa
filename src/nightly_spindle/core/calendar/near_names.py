"""Which of the names that lie in a folder come closest to the log that is looked for, and why."""

from __future__ import annotations

import difflib
import re
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.dated_names import (
    DAY,
    HOUR24,
    MONTH,
    MONTHS,
    WEEKDAY,
    WEEKDAYS,
    parts_of,
    same_text,
    stem_of,
    written,
)
from nightly_spindle.core.calendar.name_readings import patterns_from, read_name

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

ANOTHER_TIME = "the log of another time"
_LOOKED_AT, _DATED = 40, 12  # names that are compared letter by letter, and read as dates
_CLOSE = 0.7  # of 1: names less alike are not the same name mistyped
_NOT_LYING_ABOUT_S = 45 * 86_400.0  # logs of dates nearer than this do lie in the folder


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
        close = difflib.SequenceMatcher(None, same_text(wanted), same_text(name)).ratio()
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
        best = process.extract(
            same_text(wanted), some, scorer=fuzz.ratio, processor=same_text, limit=most
        )
        found += [name for name, _, _ in best]
    return found


def _distance(pattern: str, when: datetime, names: Sequence[str]) -> Callable[[str], float | None]:
    """Return what tells how far from a time the log of a name is (s), None when it is no log."""
    codes = set(parts_of(pattern))
    if codes & WEEKDAY and not codes & (MONTH | {"%j"}):
        week = [when + timedelta(days=days) for days in range(1, 7)]
        days = {same_text(written(pattern, at, names)): at for at in reversed(week)}

        def weekly(name: str) -> float | None:
            at = days.get(same_text(name))
            return None if at is None else abs((at - when).total_seconds())

        return weekly

    def dated(name: str) -> float | None:
        at = read_name(pattern, name, when)
        if at is None or same_text(written(pattern, at, names)) != same_text(name):
            return None
        return abs((at - when).total_seconds())

    return dated


def _may_say_date(name: str, when: datetime) -> bool:
    """Whether a name holds the day, and the month in some way: a look that costs nothing."""
    months = (f"{when:%m}", str(when.month), MONTHS[when.month - 1][:3])
    return str(when.day) in name and any(same_text(m) in same_text(name) for m in months)


def _says_same_date(name: str, wanted: str, when: datetime) -> bool:
    """Whether a name says the day (and hour) looked for, in another way."""
    if not _may_say_date(name, when):
        return False
    asked = re.findall(r"\d+", wanted)
    hourly = f"{when:%H}" in asked or bool(re.search(rf"\d{{4,}}{when:%H}\b", wanted))
    for pattern in patterns_from(name, when)[:4]:
        codes = set(parts_of(pattern))
        if not (codes & DAY or "%j" in codes):
            continue
        if written(pattern, when) == name and (not hourly or codes & HOUR24):
            return True
    return False


def _differs(wanted: str, name: str, dated: bool) -> str:
    (want, want_suffix), (stem, suffix) = stem_of(wanted), stem_of(name)
    said = []
    if suffix != want_suffix:
        said.append(f"ends in “.{suffix}” instead of “.{want_suffix}”")
    if stem != stem.strip():
        said.append("a blank at its edge")
        stem = stem.strip()
    if same_text(stem) != same_text(want):
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

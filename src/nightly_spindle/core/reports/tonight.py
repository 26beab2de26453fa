"""Will tonight work? What the rehearsal found, by cause, and the one sentence that answers.

What the operator has left as it is stays out of the answer for as long as nothing is added to it.
"""

from __future__ import annotations

import re
from collections import defaultdict
from dataclasses import dataclass, field, replace
from enum import IntEnum, StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.reports.timeline import Pin

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping, Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.timeline import Block, Mark, Night

_NOW_US = 60 * US  # what is wrong within a minute from now is wrong now
_HOUR_US = 3600 * US
_NAMED = re.compile(r"“([^”]*)”")
_LAST = 120  # of the names that a cause was left with so many are remembered


class Heard(IntEnum):
    """What listeners would hear of it, the worst first."""

    SILENCE = 0
    TONE = 1
    CUT_OFF = 2
    WRONG = 3
    NOTHING = 4

    @property
    def words(self) -> str:
        """What is heard, in a word or two."""
        return _WORDS[self]


_WORDS = {
    Heard.SILENCE: "silence",
    Heard.TONE: "the tone",
    Heard.CUT_OFF: "cut off",
    Heard.WRONG: "something else",
    Heard.NOTHING: "no difference",
}
_HEARD = {
    Heard.SILENCE: ("not-heard", "attended", "dead-air", "output-down", "output-unheard"),
    Heard.TONE: ("only-tone", "net-tone"),
    Heard.CUT_OFF: ("cut-short", "does-not-fit", "cannot-land", "item-died", "overlay-died"),
    Heard.NOTHING: (
        *("on-battery", "may-sleep", "backup-old", "landing", "log-through", "log-changed"),
        *("few-artists", "few-songs", "not-a-spot", "unknown-category", "once-only"),
        *("clears-only", "ends-before", "clock-moved", "log-late", "overlays-off", "no-length"),
    ),
}
_BY_CODE = {code: heard for heard, codes in _HEARD.items() for code in codes}


def heard_of(code: str, severity: str) -> Heard:
    """Return what listeners would hear of a finding: something else, where nothing is known."""
    if code == "landing" and severity != Severity.NOTE:
        return Heard.CUT_OFF  # outside its tolerance
    found = _BY_CODE.get(code)
    if found is None:
        return Heard.NOTHING if severity == Severity.NOTE else Heard.WRONG
    return found


class Answer(StrEnum):
    """Whether tonight works."""

    WORKS = "works"
    KNOWN = "works, with things to know"
    NEEDS_YOU = "needs you"


@dataclass(frozen=True, slots=True)
class Left:
    """A cause that was left as it is: what it was about then, and why."""

    names: tuple[str, ...]
    reason: str
    at_us: int


@dataclass(frozen=True, slots=True)
class Cause:
    """All findings of one cause: the first one's sentence and mend, and when they are heard.

    `names` are what the sentences name; `left` is what was said when it was left as it is, None
    where it counts; `over` says that it lies in the past, as what a start passes over.
    """

    code: str
    severity: str
    heard: Heard
    text: str
    mend: str
    first_us: int
    last_us: int
    line_ids: tuple[int, ...]
    many: int
    names: tuple[str, ...]
    left: Left | None = None
    over: bool = False

    @property
    def key(self) -> str:
        """What it is known by when it is left as it is."""
        return f"{self.code}|{self.mend}"

    @property
    def needs_you(self) -> bool:
        """Whether it must be seen to before the operator leaves."""
        if self.left is not None or self.over or self.code in _PAST:
            return False
        return self.severity == Severity.ALARM or self.heard <= Heard.TONE


@dataclass(frozen=True, slots=True)
class HourAhead:
    """One hour: what fills it (words and seconds, the most first), spots, events, how they land."""

    start_us: int
    fills: tuple[tuple[str, float], ...]
    items: int
    spots: int
    pins: tuple[Pin, ...]
    causes: int

    @property
    def net_s(self) -> float:
        """How much of it the safety net fills (s)."""
        return sum(seconds for name, seconds in self.fills if name in _NETS)


_NETS = {"rotation", "log again", "tone"}


def _source(block: Block) -> str:
    """Return in a word or two where a block comes from."""
    brief = block.brief
    if block.net:
        return "tone" if brief == "safety net" else brief.rstrip("0123456789 ")
    if block.in_break:
        return "spots"
    return "log" if brief.startswith("log line") else brief


@dataclass(frozen=True, slots=True)
class Tonight:
    """The answer: causes by time, those left as they are at the end; the hours."""

    from_us: int
    until_us: int
    answer: Answer
    sentence: str
    causes: tuple[Cause, ...]
    hours: tuple[HourAhead, ...] = field(default_factory=tuple)

    @property
    def counting(self) -> list[Cause]:
        """The causes that count: not left as they are, and more than notes."""
        return [one for one in self.causes if counts(one)]


def counts(cause: Cause) -> bool:
    """Whether a cause is something that the operator has to know."""
    return cause.left is None and (cause.severity != Severity.NOTE or cause.needs_you)


# what is told of a time that is over already
_PAST = frozenset({"event-missed", "event-made-good", "engine-restarted", "engine-started"})


def tonight_of(night: Night, tz: ZoneInfo, left: Mapping[str, Left]) -> Tonight:
    """Answer for a stretch that was rehearsed. `left` are causes left as they are, by key."""
    causes = by_cause(night.marks, left, night.from_us)
    answer, sentence = _answer(night, causes, tz)
    return Tonight(
        night.from_us,
        night.until_us,
        answer,
        sentence,
        tuple(causes),
        tuple(hours_of(night, tz)),
    )


def by_cause(marks: Iterable[Mark], left: Mapping[str, Left], from_us: int = 0) -> list[Cause]:
    """Return findings by cause, in order of time, those left as they are at the end.

    One cause has one code and one mend: a folder that is gone is one, however many lines lie there.
    """
    groups: dict[tuple[str, str], list[Mark]] = {}
    for mark in marks:
        groups.setdefault((mark.code, mark.mend), []).append(mark)
    found = [_cause(same, left, from_us) for same in groups.values()]
    found.sort(key=_order)
    return found


def _order(one: Cause) -> tuple[bool, bool, bool, int, Heard]:
    """Return what causes are sorted by: what counts, by time; what is over; what was left."""
    return one.left is not None, one.over, not counts(one), one.first_us, one.heard


def _cause(marks: Sequence[Mark], left: Mapping[str, Left], from_us: int) -> Cause:
    first = min(marks, key=lambda one: one.at_us)
    worst = min((Severity(mark.severity) for mark in marks), key=list(Severity).index)
    names = dict.fromkeys(name for mark in marks for name in _NAMED.findall(mark.text))
    cause = Cause(
        first.code,
        worst,
        heard_of(first.code, worst),
        first.text,
        first.mend,
        first.at_us,
        max(mark.at_us for mark in marks),
        tuple(dict.fromkeys(mark.line_id for mark in marks if mark.line_id)),
        len(marks),
        tuple(names)[:_LAST],
        over=max(mark.at_us for mark in marks) < from_us - _NOW_US,
    )
    known = left.get(cause.key)
    # it holds as long as nothing is named that was not named then
    holds = known is not None and set(cause.names) <= set(known.names)
    return replace(cause, left=known) if holds else cause


def _answer(night: Night, causes: Sequence[Cause], tz: ZoneInfo) -> tuple[Answer, str]:
    if not night.blocks:
        return Answer.NEEDS_YOU, "Tonight needs you: there is nothing to play yet."
    needs = [one for one in causes if one.needs_you]
    if needs:
        soonest = min(one.first_us for one in needs)
        before = f"before {local_from(soonest, tz):%H:%M}"
        when = "now" if soonest <= night.from_us + _NOW_US else before
        return Answer.NEEDS_YOU, f"Tonight needs you: {counted(len(needs), 'thing')} {when}."
    known = [one for one in causes if counts(one)]
    if known:
        return Answer.KNOWN, f"Tonight works, with {counted(len(known), 'thing')} to know."
    return Answer.WORKS, "Tonight works."


def hours_of(night: Night, tz: ZoneInfo) -> list[HourAhead]:
    """Return the hours of a stretch by the clock on the wall, the first and last of them parts."""
    found = []
    at = night.from_us
    while at < night.until_us:
        local = local_from(at, tz)
        left_us = _HOUR_US - (local.minute * 60 + local.second) * US - local.microsecond
        end = min(night.until_us, at + left_us)
        found.append(_hour(night, at, end))
        at = end
    return found


def _hour(night: Night, begin_us: int, end_us: int) -> HourAhead:
    seconds: dict[str, float] = defaultdict(float)
    inside: list[Block] = []
    for block in night.blocks:
        part = min(block.end_us, end_us) - max(block.start_us, begin_us)
        if part > 0:
            seconds[_source(block)] += part / US
        if begin_us <= block.start_us < end_us:
            inside.append(block)
    return HourAhead(
        begin_us,
        tuple(sorted(seconds.items(), key=lambda one: -one[1])),
        len(inside),
        sum(block.kind == "spot" for block in inside),
        tuple(pin for pin in night.pins if begin_us <= pin.at_us < end_us),
        sum(
            mark.severity != Severity.NOTE and begin_us <= mark.at_us < end_us
            for mark in night.marks
        ),
    )

"""The handover: what was known and planned when the operator left the station to itself.

It is written down in the evening; in the morning what aired is held against it.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass
from difflib import SequenceMatcher
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.base.wording import counted

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.reports.as_run import AsRun
    from nightly_spindle.core.reports.timeline import Night
    from nightly_spindle.core.reports.tonight import Cause, Tonight

_MOST_NAMED = 3  # titles of a run of items that are named; the rest are counted
_ON_TIME_US = 1_000_000


@dataclass(frozen=True, slots=True)
class PlannedItem:
    """One item as it was to air."""

    start_us: int
    cart: int
    title: str
    artist: str
    origin: str


@dataclass(frozen=True, slots=True)
class Handover:
    """What was known at an instant: the verdict, findings in sentences, the plan up to an end."""

    at_us: int
    until_us: int
    verdict: str
    known: tuple[str, ...]
    left: tuple[str, ...]
    plan: tuple[PlannedItem, ...]


@dataclass(frozen=True, slots=True)
class PlanChange:
    """A run of items that aired otherwise than planned: what was to air, what did, and why."""

    at_us: int
    planned: str
    aired: str
    why: str


def handover_of(found: Tonight, night: Night, now_us: int) -> Handover:
    """Return what is known and planned now."""
    return Handover(
        now_us,
        found.until_us,
        found.sentence,
        tuple(f"{one.text} {one.mend}" for one in found.counting),
        tuple(_left(one) for one in found.causes if one.left is not None),
        tuple(
            PlannedItem(one.start_us, one.cart, one.title, one.artist, one.origin)
            for one in night.blocks
            if one.end_us > now_us
        ),
    )


def _left(cause: Cause) -> str:
    reason = cause.left.reason if cause.left is not None else ""
    return f"{cause.text} Left as it is: {reason}."


def handover_text(one: Handover, station: str, tz: ZoneInfo) -> str:
    """Return it as a text to be read, copied or printed."""
    at, until = local_from(one.at_us, tz), local_from(one.until_us, tz)
    lines = [
        f"{station}, handed over on {at:%A %d %B %Y at %H:%M}.",
        f"{one.verdict} Rehearsed until {until:%A %H:%M}: {counted(len(one.plan), 'item')}.",
    ]
    for head, said in (("Known:", one.known), ("Left as it is:", one.left)):
        if said:
            lines += ["", head, *(f"- {text}" for text in said)]
    return "\n".join(lines) + "\n"


def handover_values(one: Handover) -> dict[str, Any]:
    """Return it as plain values."""
    return asdict(one)


def handover_from(values: Mapping[str, Any]) -> Handover:
    """Return it from plain values; KeyError, TypeError or ValueError where they are none."""
    return Handover(
        int(values["at_us"]),
        int(values["until_us"]),
        str(values["verdict"]),
        tuple(map(str, values["known"])),
        tuple(map(str, values["left"])),
        tuple(PlannedItem(**one) for one in values["plan"]),
    )


def against_plan(plan: Sequence[PlannedItem], aired: Sequence[AsRun]) -> list[PlanChange]:
    """Return where other items aired than planned, in order; equal stretches are left out.

    `aired` are the lines that sounded, by time. An item that aired at another time than planned,
    in its place among the others, is no change: a join or a landing may move it.
    """
    carts = [one.cart for one in plan]
    heard = [line.cart or 0 for line in aired]
    changes = []
    for what, a, b, c, d in SequenceMatcher(None, carts, heard, autojunk=False).get_opcodes():
        if what == "equal":
            continue
        came = aired[c:d]
        at_us = came[0].start_us if came else plan[a].start_us
        why = (came[0].why or came[0].origin) if came else "It was left out."
        changes.append(
            PlanChange(
                at_us,
                _named([one.title for one in plan[a:b]]) or "nothing",
                _named([line.title for line in came]) or "nothing",
                why,
            )
        )
    return changes


def _named(titles: Sequence[str]) -> str:
    named = ", ".join(f"“{title}”" for title in titles[:_MOST_NAMED])
    more = len(titles) - _MOST_NAMED
    return f"{named} and {counted(more, 'more item')}" if more > 0 else named

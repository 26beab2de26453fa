"""Timed events: a time rule, an entry, steps."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Protocol

if TYPE_CHECKING:
    from collections.abc import Iterable
    from zoneinfo import ZoneInfo


class Rule(Protocol):
    """When something happens, again and again."""

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the instants (µs) with `after_us < instant <= until_us`, ascending."""
        ...

    def sentence(self) -> str:
        """Return the rule as a plain phrase."""
        ...


class Entry(StrEnum):
    """How a timed event takes the air."""

    CUT_IN = "cut in"
    NEXT = "next"


class Placement(StrEnum):
    """Where a step puts its lines in the running order."""

    REPLACE = "replace"
    FRONT = "front"
    END = "end"


@dataclass(frozen=True, slots=True)
class LoadLog:
    """The step that loads the log of a log drop: that of the firing's own time.

    `slot_us` means the log of another time, `file` (absolute) a file that lies anywhere.
    """

    drop: int
    placement: Placement = Placement.REPLACE
    slot_us: int = 0
    file: str = ""

    def sentence(self) -> str:
        where = {
            Placement.REPLACE: "in place of what is lined up",
            Placement.FRONT: "at the front",
            Placement.END: "at the end",
        }
        return f"load the log {where[self.placement]}"


@dataclass(frozen=True, slots=True)
class ExpectLog:
    """The step that looks whether the next day's logs of a drop are there."""

    drop: int

    def sentence(self) -> str:
        return "see whether the next day's logs are there"


Step = LoadLog | ExpectLog


@dataclass(frozen=True, slots=True)
class TimedEvent:
    """A standing order. `grace_s`: how late it may still be made good."""

    id: int
    name: str
    rule: Rule
    entry: Entry
    steps: tuple[Step, ...]
    priority: int = 0
    enabled: bool = True
    grace_s: float = 900.0

    @property
    def loads(self) -> bool:
        """Whether it puts anything on air."""
        return any(isinstance(step, LoadLog) for step in self.steps)

    def sentence(self) -> str:
        """The event as one plain sentence."""
        steps = ", then ".join(step.sentence() for step in self.steps) or "do nothing"
        entry = {
            Entry.CUT_IN: "cut in to the second",
            Entry.NEXT: "after the item on air",
        }[self.entry]
        off = "" if self.enabled else " (switched off)"
        return f"{self.rule.sentence()}, {entry}: {steps}{off}."


@dataclass(frozen=True, slots=True)
class Firing:
    """One event at one instant (µs)."""

    at_us: int
    event: TimedEvent


def firings(
    events: Iterable[TimedEvent], tz: ZoneInfo, after_us: int, until_us: int
) -> list[Firing]:
    """Return all firings with after < at <= until, by time, then priority, then order."""
    found = [
        Firing(at, event)
        for event in events
        if event.enabled
        for at in event.rule.firings(tz, after_us, until_us)
    ]
    return sorted(found, key=lambda f: (f.at_us, -f.event.priority, f.event.id))

"""Timed events: a time rule, an entry, steps, and what else is set for them."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Protocol

from nightly_spindle.core.base.declared import choice, flag, number
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.base.wording import span_text
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import (
    PLAYS,
    Clear,
    ExpectLog,
    GoBack,
    GoToMark,
    LoadLog,
    Placement,
    PlayItem,
    PlayStream,
    Step,
    check_step,
)

if TYPE_CHECKING:
    from collections.abc import Iterable, Mapping
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.events.steps import LineStep


class FiringRule(Protocol):
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
    WAIT = "wait at most"
    LAND = "land on time"


class BlockEnd(StrEnum):
    """What becomes of an event's lines when its length is over."""

    RUNS_ON = "they play out"
    NEXT = "dropped after the item on air"
    CUT = "cut off to the second"


class Inside(StrEnum):
    """What an event does whose time falls inside another's length."""

    ACTS = "acts all the same"
    WAITS = "waits for its end"
    DROPPED = "is dropped"


class WhenOver(StrEnum):
    """What becomes of an event that has no firing left."""

    KEEP = "kept"
    OFF = "switched off"
    REMOVE = "removed"


@dataclass(frozen=True, slots=True)
class EventOptions:
    """What can be set for an event besides its rule, entry and steps."""

    wait_s: float = number(
        120.0, "s", 1.0, 7200.0, "Waits for the item on air up to this long, then cuts in."
    )
    tolerance_s: float = number(
        2.0, "s", 0.5, 60.0, "Lands so near to its time; beyond it, it cuts in."
    )
    fade_s: float = number(
        0.0, "s", 0.0, 20.0, "How long the item on air fades when it is cut; 0 as the station's."
    )
    length_s: float = number(
        0.0, "s", 0.0, 86_400.0, "How long it holds the air; 0 as long as what it plays."
    )
    at_end: BlockEnd = choice(BlockEnd.RUNS_ON, "What is left of it when its length is over.")
    inside: Inside = choice(Inside.ACTS, "When its time falls inside another event's length.")
    over: WhenOver = choice(WhenOver.KEEP, "What becomes of it when it has no firing left.")
    whole: bool = flag(False, "Nothing of it airs unless all of it can.")


@dataclass(frozen=True, slots=True)
class TimedEvent:
    """A standing order. `grace_s`: how late it may still be made good."""

    id: int
    name: str
    rule: FiringRule
    entry: Entry
    steps: tuple[Step, ...]
    priority: int = 0
    enabled: bool = True
    grace_s: float = 900.0
    options: EventOptions = EventOptions()

    @property
    def acts(self) -> bool:
        """Whether anything happens on air when it fires: it does not only look."""
        return any(not isinstance(step, ExpectLog) for step in self.steps)

    @property
    def after_songs(self) -> bool:
        """Whether it comes after so many songs, not at an instant."""
        return isinstance(self.rule, AfterSongs)

    @property
    def line_steps(self) -> list[LineStep]:
        """The steps that put lines into the running order."""
        return [step for step in self.steps if isinstance(step, (*PLAYS, LoadLog, GoToMark))]

    @property
    def at_the_end(self) -> bool:
        """Whether all that it puts in goes behind what is lined up; no where it puts nothing in."""
        places = [getattr(step, "placement", Placement.FRONT) for step in self.line_steps]
        return bool(places) and all(place is Placement.END for place in places)

    @property
    def clears(self) -> bool:
        """Whether nothing of what was lined up before is left."""
        if any(isinstance(step, GoBack) for step in self.steps):
            return False
        return any(
            isinstance(step, Clear) or getattr(step, "placement", None) is Placement.REPLACE
            for step in self.steps
        )

    def entry_words(self) -> str:
        """How it takes the air, in words."""
        return {
            Entry.CUT_IN: "cut in to the second",
            Entry.NEXT: "after the item on air",
            Entry.WAIT: f"wait at most {span_text(self.options.wait_s)}",
            Entry.LAND: f"land on time within {self.options.tolerance_s:g} s",
        }[self.entry]

    def sentence(self, titles: Mapping[int, str] | None = None) -> str:
        """The event as one plain sentence; `titles` has the names of items by cart number."""
        steps = ", then ".join(_said(step, titles or {}) for step in self.steps) or "do nothing"
        entry = f", {self.entry_words()}" if self.line_steps else ""
        options = self.options
        tail = f"; holds the air for {span_text(options.length_s)}" if options.length_s else ""
        if options.length_s and options.at_end is not BlockEnd.RUNS_ON:
            tail += f", then what is left is {options.at_end}"
        if options.inside is not Inside.ACTS:
            tail += f"; inside another event's length it {options.inside}"
        if options.over is not WhenOver.KEEP:
            tail += f"; {options.over} after its last firing"
        off = "" if self.enabled else " (switched off)"
        return f"{self.rule.sentence()}{entry}: {steps}{tail}{off}."


def _said(step: Step, titles: Mapping[int, str]) -> str:
    if isinstance(step, PlayItem) and step.cart in titles:
        return step.sentence().replace(f"item {step.cart}", f"“{titles[step.cart]}”")
    return step.sentence()


@dataclass(frozen=True, slots=True)
class OffsetRule:
    """The rule "so long before or after each firing of another event".

    `other` is None when that event is gone. `offset_s` is negative for before.
    """

    other_id: int
    offset_s: float
    other: TimedEvent | None = None

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the other's firings, moved; none while the other is switched off."""
        if self.other is None or not self.other.enabled:
            return []
        by = round(self.offset_s * US)
        return [at + by for at in self.other.rule.firings(tz, after_us - by, until_us - by)]

    def check(self) -> None:
        """SettingRefused when there is no such event."""
        if self.other is None:
            raise SettingRefused("the event it is based on is not there; choose another")
        if not abs(self.offset_s) <= 7 * 86_400:
            raise SettingRefused("an event can be at most 7 days before or after another")

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        name = f"“{self.other.name}”" if self.other else "an event that is gone"
        if not self.offset_s:
            return f"Together with {name}"
        side = "before" if self.offset_s < 0 else "after"
        return f"{span_text(abs(self.offset_s))} {side} {name}"


@dataclass(frozen=True, slots=True)
class AfterSongs:
    """The rule "after so many songs": the sequencer counts, there are no instants.

    `within` narrows it to a daypart: from its time to the end of its repeat, on its days.
    """

    songs: int
    within: TimeRule | None = None

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """There are none beforehand."""
        del tz, after_us, until_us
        return []

    def windows(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[tuple[int, int]]:
        """Return when songs count in a stretch, as instants (begin, end)."""
        if self.within is None:
            return [(after_us, until_us + 1)]
        return self.within.dayparts(tz, after_us, until_us)

    def check(self) -> None:
        """SettingRefused when it cannot be counted so."""
        if not 1 <= self.songs <= 500:
            raise SettingRefused(f"{self.songs} songs cannot be counted; give 1 to 500")
        if self.within is not None:
            self.within.check()

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        said = "After every song" if self.songs == 1 else f"After every {self.songs} songs"
        if self.within is None:
            return said
        words = self.within.sentence()
        return f"{said}, {words[0].lower()}{words[1:]}"


def check_event(event: TimedEvent) -> None:
    """SettingRefused with all that makes an event none."""
    wrong = [] if event.name.strip() else ["it needs a name"]
    try:
        if isinstance(event.rule, TimeRule | OffsetRule | AfterSongs):
            event.rule.check()
    except SettingRefused as error:
        wrong.append(str(error))
    for step in event.steps:
        wrong += check_step(step)
        if isinstance(step, PlayStream) and not (step.length_s or event.options.length_s):
            wrong.append("a stream needs a length, its own or the event's")
    if isinstance(event.rule, AfterSongs) and event.entry is not Entry.NEXT and event.line_steps:
        wrong.append(f"what comes after songs comes in as “{Entry.NEXT}”")
    if not 0 <= event.grace_s <= 7 * 86_400:
        wrong.append("it can be made good for up to 7 days")
    if wrong:
        raise SettingRefused(f"timed event “{event.name}”: {'; '.join(wrong)}")


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

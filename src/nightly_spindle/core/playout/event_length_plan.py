"""What an event holds: how long it runs, what fits, what is cut, what never airs."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.events.steps import (
    PLAYS,
    Pick,
    PlayBreak,
    PlayCategory,
    PlayFolder,
    PlayList,
    PlayStream,
)
from nightly_spindle.core.events.timed_events import BlockEnd
from nightly_spindle.core.programme.event_sources import stream_cart
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.segues.list_length import running_time

if TYPE_CHECKING:
    from nightly_spindle.core.events.steps import PlayStep
    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.programme.programme import Programme


class LengthFate(StrEnum):
    """What becomes of a line when the event's length is over."""

    WHOLE = "airs"
    OVER = "plays past its time"
    CUT = "is cut short"
    NOT = "does not air"


@dataclass(frozen=True, slots=True)
class HeldLine:
    """One line of an event: `start_s` from the event's time.

    `lost_s` is what is cut off of it, `over_s` how long it plays past the event's time.
    """

    title: str
    start_s: float
    length_s: float
    fits: LengthFate
    lost_s: float = 0.0
    over_s: float = 0.0


@dataclass(frozen=True, slots=True)
class EventContents:
    """The lines of an event, how long they run, and the room that is left (negative: too long).

    `about` means that what is played is chosen when it fires: lengths are means.
    """

    lines: tuple[HeldLine, ...]
    runs_s: float
    room_s: float | None
    about: bool = False

    def sentence(self) -> str:
        """What fits, in one sentence."""
        about = "about " if self.about else ""
        if self.room_s is None:
            return f"Runs {about}{length(self.runs_s)}." if self.runs_s else ""
        if self.room_s >= 0:
            return f"Runs {about}{length(self.runs_s)}; {length(self.room_s)} of its time is left."
        said = f"Runs {about}{length(self.runs_s)}, {length(-self.room_s)} too long"
        found = [one for line in self.lines if (one := _told(line))][-1:]
        lost = sum(line.fits is LengthFate.NOT for line in self.lines)
        if lost:
            found.append(f"{lost} {'line does' if lost == 1 else 'lines do'} not air")
        return f"{said}: {', '.join(found)}." if found else f"{said}."


def _told(line: HeldLine) -> str:
    """Say what becomes of a line over which the event's time ends, or that plays after it."""
    if line.fits is LengthFate.CUT:
        return f"“{line.title}” is cut short by {length(line.lost_s)}"
    if line.fits is LengthFate.OVER:
        return f"“{line.title}” plays to its end, {length(line.over_s)} past it"
    return ""


def holds(programme: Programme, event: TimedEvent) -> EventContents:
    """Return what an event puts on air, against its length."""
    items: list[Item] = []
    about = False
    for index, step in enumerate(event.steps):
        if isinstance(step, PLAYS):
            more, guessed = _items(programme, event, index, step)
            items += more
            about = about or guessed
    running = running_time(items, programme.segues, programme.settings.rate)
    limit = event.options.length_s
    lines = []
    ends = [*running.starts_s[1:], running.next_s] if items else []
    for item, start, end in zip(items, running.starts_s, ends, strict=True):
        over = end - limit if limit and end > limit else 0.0
        fits = _fate(event.options.at_end, airs=start < limit) if over else LengthFate.WHOLE
        lost = over if fits is LengthFate.CUT else 0.0
        past = over if fits is LengthFate.OVER else 0.0
        lines.append(HeldLine(item.title, start, end - start, fits, lost, past))
    room = limit - running.next_s if limit and items else None
    return EventContents(tuple(lines), running.next_s, room, about)


def _fate(at_end: BlockEnd, *, airs: bool) -> LengthFate:
    """Return what becomes of a line that would end after the event's time.

    `airs` says that it begins within it.
    """
    if at_end is BlockEnd.RUNS_ON:
        return LengthFate.OVER
    if not airs:
        return LengthFate.NOT
    if at_end is BlockEnd.CUT:
        return LengthFate.CUT
    return LengthFate.OVER


def _items(
    programme: Programme, event: TimedEvent, index: int, step: PlayStep
) -> tuple[list[Item], bool]:
    """Return the items of a step, and whether they stand for a choice still to be made."""
    if isinstance(step, PlayStream):
        item = programme.item(stream_cart(event.id, index))
        return ([item] if item else []), False
    if isinstance(step, PlayBreak):
        pattern = programme.spots.named(step.name)
        item = None if pattern is None else programme.item(pattern.cart)
        return ([item] if item else []), True
    carts = programme.event_sources.carts(step) or ()
    playable = [cart for cart in carts if not programme.why_unplayable(cart)]
    items = [item for cart in playable if (item := programme.item(cart)) is not None]
    if isinstance(step, PlayCategory):
        return _typical(programme, items, step.count), True
    if isinstance(step, PlayList | PlayFolder) and step.pick in {Pick.NEXT, Pick.RANDOM}:
        return _typical(programme, items, 1), len(items) > 1
    return items, False


def _typical(programme: Programme, items: list[Item], count: int) -> list[Item]:
    """Return so many items of middling length."""
    if not items:
        return []
    rate = programme.settings.rate
    ranked = sorted(items, key=lambda item: span(item, rate).segue - span(item, rate).cue_in)
    middle = len(ranked) // 2
    return [ranked[(middle + at) % len(ranked)] for at in range(count)]

"""What one hour needs: its clock's strip as segments that each end at a stated instant.

A segment runs up to the next mark, or to the end of the hour. What its slots do not fix is filled
with music by weights. Instants are seconds since 1970, lengths seconds.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.log_periods import Slot
from nightly_spindle.core.music.format_clocks import HOUR_S, FormatClock, SlotKind
from nightly_spindle.core.music.weight_shares import shares_text

if TYPE_CHECKING:
    from collections.abc import Mapping

    from nightly_spindle.core.music.format_clocks import ClockSlot

ABOUT_S = 30.0  # an hour that need not end to the second lands within this
FIXED_S = 2.0  # one that does, within this
FILLS = -1  # in place of a slot's number: what fills the hour by weights
OPENS, CLOSES, LINKS, SHOWS = -2, -3, -4, -5
EVENTS = -7  # what timed events and breaks put in by themselves


@dataclass(frozen=True, slots=True)
class Need:
    """One line that an hour needs.

    `slot` is the place of its slot in the strip, or one of the numbers above. Music is one of a
    `category` (folded); a fixed item has its `cart`; else `name` is that of a list, pool or break.
    """

    slot: int
    kind: SlotKind
    words: str
    category: str = ""
    cart: int = 0
    name: str = ""
    mark: str = ""

    @property
    def music(self) -> bool:
        """Whether rotation chooses it."""
        return self.kind is SlotKind.CATEGORY


@dataclass(frozen=True, slots=True)
class Segment:
    """Needs in order that end at an instant, within a tolerance.

    `fills` are the places among the needs at which music by weights goes in. `fixed`: its end is
    met to the second. `mark` is the timed mark that it begins with.
    """

    needs: tuple[Need, ...]
    until_s: float
    fixed: bool
    fills: tuple[int, ...] = ()
    mark: str = ""

    @property
    def tolerance_s(self) -> float:
        """How far from its end it may land."""
        return FIXED_S if self.fixed else ABOUT_S


@dataclass(frozen=True, slots=True)
class ShowTime:
    """A show as it falls on a day: its item and when it is on air."""

    begin_s: float
    end_s: float
    cart: int


@dataclass(frozen=True, slots=True)
class TakenTime:
    """Time that a timed event or a break takes by itself, from an instant on, after the item."""

    at_s: float
    lasts_s: float
    name: str


@dataclass(frozen=True, slots=True)
class HourTask:
    """One hour to be made. `comes_from` says why it has this clock.

    `taken` is what others put in during the hour, by time.
    """

    slot: Slot
    clock: FormatClock
    comes_from: str
    shows: tuple[ShowTime, ...] = ()
    taken: tuple[TakenTime, ...] = ()

    @property
    def begin_s(self) -> float:
        """When the hour begins."""
        return self.slot.start_us / US

    @property
    def end_s(self) -> float:
        """When the hour ends."""
        return self.slot.end_us / US

    @property
    def opens_s(self) -> float:
        """When its first own line begins: after a show that runs into it."""
        running = [show.end_s for show in self.shows if show.begin_s < self.begin_s]
        return min(max([self.begin_s, *running]), self.end_s)

    @property
    def covered(self) -> bool:
        """Whether a show that began before leaves nothing of it."""
        return self.opens_s >= self.end_s - 1

    def segments(self) -> list[Segment]:
        """Return the segments of the hour, in order."""
        if self.covered:
            return []
        if any(show.end_s > self.begin_s and show.begin_s < self.end_s for show in self.shows):
            return _around_shows(self)
        return _of_strip(self)


def mark_label(slot: ClockSlot) -> str:
    """Return what a timed mark is called: its name, else where it is."""
    return slot.name or slot.text


@dataclass(slots=True)
class _Strip:
    """A strip as it is being cut into segments."""

    begin_s: float
    found: list[Segment] = field(default_factory=list)
    needs: list[Need] = field(default_factory=list)
    fills: list[int] = field(default_factory=list)
    mark: str = ""

    def add(self, need: Need) -> None:
        """Put a need at the end."""
        self.needs.append(need)

    def cut(self, at_s: float, *, fixed: bool, mark: str = "") -> None:
        """End the segment at a place of the hour."""
        fills = self.fills or [len(self.needs)]
        self.found.append(
            Segment(tuple(self.needs), self.begin_s + at_s, fixed, tuple(fills), self.mark)
        )
        self.needs, self.fills, self.mark = [], [], mark


def _of_strip(task: HourTask) -> list[Segment]:
    clock, options = task.clock, task.clock.options
    strip = _Strip(task.begin_s)
    if options.opens:
        strip.add(Need(OPENS, SlotKind.ITEM, "opens the hour", cart=int(options.opens)))
    for place, slot in enumerate(clock.slots):
        if slot.kind is SlotKind.MARK:
            strip.cut(slot.at_s, fixed=slot.fixed, mark=mark_label(slot))
        elif slot.kind is SlotKind.MUSIC:
            strip.fills.append(len(strip.needs))
            after = clock.slots[place + 1 : place + 2]
            marked = any(one.kind is SlotKind.MARK and one.at_s == slot.at_s for one in after)
            if slot.at_s and slot.at_s < HOUR_S and not marked:
                strip.cut(slot.at_s, fixed=False)
        else:
            strip.add(_need(place, slot))
    closes = len(strip.needs)
    if options.closes:
        strip.add(Need(CLOSES, SlotKind.ITEM, "closes the hour", cart=int(options.closes)))
    if not strip.fills:
        strip.fills.append(closes)  # what closes the hour stays last
    strip.cut(task.end_s - task.begin_s, fixed=options.fixed_end)
    return strip.found


def _need(place: int, slot: ClockSlot) -> Need:
    if slot.kind is SlotKind.CATEGORY:
        return Need(place, slot.kind, slot.words, slot.name.strip().casefold())
    return Need(place, slot.kind, slot.words, cart=slot.cart, name=slot.name)


def _around_shows(task: HourTask) -> list[Segment]:
    """Return the segments of an hour that shows take a part of: music fills what is left."""
    found = []
    needs: tuple[Need, ...] = ()
    for show in sorted(task.shows, key=lambda one: one.begin_s):
        if task.begin_s <= show.begin_s < task.end_s:
            found.append(Segment(needs, show.begin_s, fixed=True, fills=(len(needs),)))
            needs = (Need(SHOWS, SlotKind.ITEM, "a show of the day plan", cart=show.cart),)
    last = max(show.end_s for show in task.shows)
    until = max(task.end_s, last) if needs else task.end_s
    fixed = task.clock.options.fixed_end
    found.append(Segment(needs, until, fixed=fixed, fills=(len(needs),)))
    return found


@dataclass(frozen=True, slots=True)
class HourLength:
    """How long a clock's hour is at the least, by expectation, at the most (s).

    `filled` says that music by weights takes what is left, so that it can come out on time;
    `shares` what the weights come to, of plays and of time.
    """

    shortest_s: float
    expected_s: float
    longest_s: float
    filled: bool
    shares: str = ""

    def sentence(self) -> str:
        """How that fits an hour of 60:00."""
        expected = _text(self.expected_s)
        if self.shortest_s > HOUR_S:
            over = _text(self.shortest_s - HOUR_S)
            return f"Even at its shortest the strip is {over} longer than the hour."
        if self.filled and self.expected_s <= HOUR_S:
            left = _text(HOUR_S - self.expected_s)
            said = f"The strip runs {expected}; music by weights fills the other {left}"
            return f"{said}, {self.shares}." if self.shares else f"{said}."
        way = "over" if self.expected_s > HOUR_S else "short"
        off = _text(abs(self.expected_s - HOUR_S))
        return f"The strip runs {expected}, {off} {way}."


def _text(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02}"


Spread = tuple[float, float, float]  # shortest, mean, longest (s)


def hour_length(
    clock: FormatClock,
    spread: Mapping[str, Spread],
    fixed: Mapping[tuple[str, str], float],
    weights: Mapping[str, float] | None = None,
) -> HourLength:
    """Return how long a clock's strip is by the real items of its categories.

    `spread` is by folded category, `fixed` the lengths of items, lists, breaks and links by
    (kind, folded name or cart), `weights` (by category) what fills the rest. Songs between which
    links go are those of the strip.
    """
    sums = [0.0, 0.0, 0.0]
    songs = 0
    for slot in clock.slots:
        if slot.kind is SlotKind.CATEGORY:
            songs += 1
            many = spread.get(slot.name.strip().casefold(), (0.0, 0.0, 0.0))
        else:
            key = str(slot.cart) if slot.cart else slot.name.strip().casefold()
            many = (fixed.get((slot.kind, key), 0.0),) * 3
        sums = [total + one for total, one in zip(sums, many, strict=True)]
    more = sum(
        fixed.get((SlotKind.ITEM, str(int(cart))), 0.0)
        for cart in (clock.options.opens, clock.options.closes)
        if cart
    )
    pool = clock.options.link_pool.strip().casefold()
    if pool:
        more += songs // int(clock.options.link_songs) * fixed.get((SlotKind.LINK, pool), 0.0)
    shortest, expected, longest = (total + more for total in sums)
    song_s = {
        name: spread[name.casefold()][1] for name in weights or {} if name.casefold() in spread
    }
    shares = shares_text(weights or {}, song_s, clock.options.shares)
    return HourLength(shortest, expected, longest, filled=True, shares=shares)

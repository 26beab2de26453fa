"""Pools of overlays: sweepers for segues, voiceovers for intros, links between items.

A pool has members that take turns, the stretch of time that it is open in, and how it is used.
Pools are asked in their order: the first that is open, fits and is due gives the overlay.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta
from enum import StrEnum
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import (
    date_of,
    group_of,
    unreadable,
    unusual,
    weekdays_of,
    words_of,
)
from nightly_spindle.core.base.timebase import local_from, parse_time_of_day
from nightly_spindle.core.base.wording import counted, days_text, listed, span_text, time_text
from nightly_spindle.core.calendar.dayparts import Repeat
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.steps import PlayPool
from nightly_spindle.core.events.timed_events import AfterSongs, Entry, TimedEvent
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.segues.segue_rules import ANY

if TYPE_CHECKING:
    from collections.abc import Mapping
    from zoneinfo import ZoneInfo

_OWN = -10_000_000  # the numbers of links' own events begin here, below those of log drops
_OWN_EACH = 10  # numbers for the events of one pool
BREAK_EVENTS = -20_000_000  # those of breaks begin here (core.breaks)
HOUR_END_S = 240  # a link at the end of an hour follows the item on air so long before it
_MOST_MEMBERS = 500
MINUTE_US = 60_000_000
_SPAN = re.compile(r"(\d{1,2}:\d{2})\s*-\s*(\d{1,2}:\d{2})")
_START = datetime(2020, 1, 1)  # noqa: DTZ001 - local time, as all of a rule


class PoolUse(StrEnum):
    """What a pool is for."""

    SWEEPERS = "sweepers"
    VOICEOVERS = "voiceovers"
    LINKS = "links"


class TurnOrder(StrEnum):
    """In which order a pool's members come round."""

    TURN = "in turn"
    SHUFFLED = "shuffled"
    WEIGHTED = "weighted"


class Lies(StrEnum):
    """How a sweeper lies on a segue."""

    ENDS = "ends at the start"
    STARTS = "starts at the start"
    CENTRED = "centred on the start"


class VoiceoverFit(StrEnum):
    """Which of the voiceovers that fit an intro is taken."""

    TURN = "whose turn it is"
    LONGEST = "the longest that fits"


class Edge(StrEnum):
    """At which edges of an hour a link plays."""

    NONE = "none"
    START = "start"
    END = "end"
    BOTH = "both"


# What members of a pool may be.
KINDS: dict[PoolUse, frozenset[Kind]] = {
    PoolUse.SWEEPERS: frozenset({Kind.SWEEPER, Kind.JINGLE, Kind.ID, Kind.VOICEOVER}),
    PoolUse.VOICEOVERS: frozenset({Kind.VOICEOVER, Kind.SWEEPER}),
    PoolUse.LINKS: frozenset({Kind.JINGLE, Kind.ID, Kind.SWEEPER}),
}


@dataclass(frozen=True, slots=True)
class PoolOptions:
    """What can be set for a pool. `FOR` says which of it matters to which use."""

    enabled: bool = flag(True, "The pool is used.")
    order: TurnOrder = choice(TurnOrder.TURN, "In which order its members take turns.")
    least_s: float = number(
        0.0, "s", 0.0, 604_800.0, "The same one does not come again sooner than this."
    )
    days: str = text("", "On these days: fri, mon-thu; empty is every day.")
    hours: str = text("", "In these stretches: 22:00-06:00, 12:00-14:00; empty is always.")
    first: str = text("", "From this day on: 2026-12-01.")
    last: str = text("", "Up to this day, inclusive.")
    alone: bool = flag(False, "While it is open, the pools after it of its use rest.")
    fallback: float = number(
        0.0, "", 0.0, 1e9, "Cart number of what plays when no member can; 0 is nothing."
    )
    every: float = number(1.0, "", 1.0, 100.0, "Every N segues, or songs.")
    apart_s: float = number(0.0, "s", 0.0, 86_400.0, "The least time between two of the pool.")
    pairs: str = text("song>song", "From which kind into which: song>song, jingle>song, any>song.")
    beside: str = text("spot, id, jingle, news", "Never next to an item of these kinds.")
    lies: Lies = choice(Lies.ENDS, "Where it is placed at the start of the next item.")
    offset_s: float = number(
        0.0, "s", -20.0, 20.0, "Later than that by this much; negative: sooner."
    )
    points: bool = flag(True, "It serves the sweeper points inside songs as well.")
    fits: VoiceoverFit = choice(VoiceoverFit.TURN, "Which of those that fit is taken.")
    categories: str = text("", "Only on songs of these categories; empty is all.")
    tags: str = text("", "Only on lines that carry one of these tags; empty is all.")
    at_post: bool = flag(True, "It ends at the post, else it starts a set time after the song.")
    after_s: float = number(1.0, "s", 0.0, 60.0, "So long after the song's start, where it is set.")
    songs: float = number(0.0, "", 0.0, 500.0, "After every N songs; 0 is not by songs.")
    minutes: float = number(0.0, "min", 0.0, 1440.0, "Every N minutes; 0 is not by minutes.")
    edge: Edge = choice(Edge.NONE, "At the start, at the end of every hour, or at both.")


_SHARED = ("enabled", "order", "least_s", "days", "hours", "first", "last", "fallback")
_LAID = (*_SHARED, "alone", "every", "apart_s")
FOR: dict[PoolUse, tuple[str, ...]] = {
    PoolUse.SWEEPERS: (*_LAID, "pairs", "beside", "lies", "offset_s", "points"),
    PoolUse.VOICEOVERS: (*_LAID, "fits", "categories", "tags", "at_post", "after_s"),
    PoolUse.LINKS: (*_SHARED, "songs", "minutes", "edge"),
}


@dataclass(frozen=True, slots=True)
class Member:
    """One overlay of a pool; the weight counts where the order is weighted."""

    cart: int
    weight: float = 1.0


@dataclass(frozen=True, slots=True)
class Pool:
    """A named pool. `place` is where it stands among the others; `carts` are its members'."""

    id: int
    name: str
    use: PoolUse
    members: tuple[Member, ...] = ()
    options: PoolOptions = PoolOptions()
    place: int = 0
    carts: tuple[int, ...] = field(init=False, default=(), compare=False)

    def __post_init__(self) -> None:
        # asked for at every segue, so it is not worked out each time
        object.__setattr__(self, "carts", tuple(member.cart for member in self.members))

    @property
    def order(self) -> TurnOrder:
        """In which order its members take turns."""
        return self.options.order

    @property
    def fallback(self) -> int:
        """The cart number of what plays when no member can, 0 for nothing."""
        return int(self.options.fallback)

    @property
    def categories(self) -> tuple[str, ...]:
        """The categories that it keeps to, folded."""
        return words_of(self.options.categories)

    @property
    def tags(self) -> tuple[str, ...]:
        """The tags that it keeps to, folded."""
        return words_of(self.options.tags)

    def open_at(self, us: int, tz: ZoneInfo) -> bool:
        """Whether it is switched on and its days, hours and dates hold at an instant."""
        options = self.options
        if not (options.days or options.hours or options.first or options.last):
            return options.enabled
        return options.enabled and _open_in(options, us // MINUTE_US, tz)

    def pairs_with(self, out: Item, into: Item) -> bool:
        """Whether a sweeper of it may lie on the segue between two items."""
        beside = words_of(self.options.beside)
        if out.kind in beside or into.kind in beside:
            return False
        return any(
            a in {ANY, str(out.kind)} and b in {ANY, str(into.kind)}
            for a, b in _pairs(self.options.pairs)
        )

    def events(self) -> list[TimedEvent]:
        """Return the timed events that a pool of links stands for, numbered below zero."""
        options = self.options
        if self.use is not PoolUse.LINKS or not options.enabled:
            return []
        rules: list[Any] = []
        if options.songs:
            rules.append(AfterSongs(int(options.songs)))
        if options.minutes:
            every = round(options.minutes * 60)
            rules.append(TimeRule(_START, "FREQ=DAILY", repeat=Repeat(every, time())))
        if options.edge in {Edge.START, Edge.BOTH}:
            rules.append(TimeRule(_START, "FREQ=DAILY", repeat=Repeat(3600, time())))
        if options.edge in {Edge.END, Edge.BOTH}:
            begin = _START + timedelta(seconds=3600 - HOUR_END_S)
            rules.append(TimeRule(begin, "FREQ=DAILY", repeat=Repeat(3600, begin.time())))
        return [
            TimedEvent(
                _OWN - _OWN_EACH * self.id - n,
                f"Links “{self.name}”",
                rule,
                Entry.NEXT,
                (PlayPool(self.name),),
                grace_s=0.0,
            )
            for n, rule in enumerate(rules)
        ]

    def sentence(self) -> str:
        """The pool as plain sentences."""
        rest = ""
        if self.options.alone and "alone" in FOR[self.use]:
            rest = f" While it is open, the pools of {self.use} after it rest."
        return f"{_use_sentence(self)} {_turn_sentence(self)}{_when_sentence(self.options)}{rest}"


def pool_of_event(number: int) -> int:
    """Return the pool of links that an event of that number belongs to, 0 for none."""
    return (_OWN - number) // _OWN_EACH if BREAK_EVENTS < number <= _OWN else 0


# -- reading texts ---------------------------------------------------------------------------------


@lru_cache(maxsize=256)
def _pairs(listing: str) -> tuple[tuple[str, str], ...]:
    found = []
    for word in words_of(listing):
        out, arrow, into = (part.strip() for part in word.partition(">"))
        kinds = {ANY, *map(str, Kind)}
        if not arrow or out not in kinds or into not in kinds:
            raise SettingRefused(
                f"'{word}' is not a valid pair of kinds; write it like song>song or any>song"
            )
        found.append((out, into))
    return tuple(found)


@lru_cache(maxsize=256)
def _spans(listing: str) -> tuple[tuple[time, time], ...]:
    found = []
    for word in words_of(listing):
        match = _SPAN.fullmatch(word)
        if match is None:
            raise SettingRefused(
                f"'{word}' is not a valid stretch of the day; write it like 22:00-06:00 "
                "(24-hour clock)"
            )
        begin, end = (
            time() if part == "24:00" else parse_time_of_day(part.rjust(5, "0"))
            for part in match.groups()
        )
        found.append((begin, end))
    return tuple(found)


@lru_cache(maxsize=2048)
def _open_in(options: PoolOptions, minute: int, tz: ZoneInfo) -> bool:
    """Whether days, hours and dates hold in a minute since 1970: none begins within one."""
    local = local_from(minute * MINUTE_US, tz)
    # a stretch past midnight belongs to the day on which it begins
    return any(_ondate_of(options, day) for day in _begun(options.hours, local))


def _begun(hours: str, local: datetime) -> list[date]:
    """Return the days on which the stretches began that a local time lies in."""
    today, now = local.date(), local.time()
    spans = _spans(hours)
    if not spans:
        return [today]
    found = []
    for begin, end in spans:
        if begin < end:
            if begin <= now < end:
                found.append(today)
        elif now >= begin:
            found.append(today)
        elif now < end:
            found.append(today - timedelta(days=1))
    return found


def _ondate_of(options: PoolOptions, day: date) -> bool:
    if day.weekday() not in weekdays_of(options.days):
        return False
    first, last = date_of(options.first), date_of(options.last)
    return (first is None or day >= first) and (last is None or day <= last)


# -- sentences -------------------------------------------------------------------------------------


def _use_sentence(pool: Pool) -> str:
    options = pool.options
    often = "every" if options.every == 1 else f"every {_ordinal(int(options.every))}"
    apart = f", {span_text(options.apart_s)} apart at least" if options.apart_s else ""
    if pool.use is PoolUse.SWEEPERS:
        pairs = listed([f"{a} into {b}" for a, b in _pairs(options.pairs)], "or")
        off = f" {abs(options.offset_s):g} s {'later' if options.offset_s > 0 else 'sooner'}"
        lies = {
            Lies.ENDS: "ending at the start of the next item",
            Lies.STARTS: "starting with the next item",
            Lies.CENTRED: "centred on the start of the next item",
        }[options.lies]
        beside = words_of(options.beside)
        never = f", never next to {listed(beside, 'or')}" if beside else ""
        return (
            f"A sweeper over {often} segue of {pairs}{apart}, {lies}"
            f"{off if options.offset_s else ''}{never}."
        )
    if pool.use is PoolUse.VOICEOVERS:
        where = f" of {listed(pool.categories, 'or')}" if pool.categories else ""
        tagged = f" on a line tagged {listed(pool.tags, 'or')}" if pool.tags else ""
        begins = (
            "ending at the post"
            if options.at_post
            else f"{options.after_s:g} s after the song's start"
        )
        fits = "" if options.fits is VoiceoverFit.TURN else ", the longest that fits"
        return f"A voiceover over the intro of {often} song{where}{tagged}{apart}, {begins}{fits}."
    parts = []
    if options.songs:
        parts.append(f"after every {counted(int(options.songs), 'song')}")
    if options.minutes:
        parts.append(f"every {options.minutes:g} min")
    if options.edge is not Edge.NONE:
        words = {Edge.START: "the start", Edge.END: "the end", Edge.BOTH: "the start and the end"}
        parts.append(f"at {words[options.edge]} of every hour")
    return f"A link of its own {listed(parts)}." if parts else "A link, but it is not said when."


def _ordinal(number: int) -> str:
    return {2: "second", 3: "third", 4: "fourth"}.get(number, f"{number}th")


def _turn_sentence(pool: Pool) -> str:
    many = counted(len(pool.members), "member")
    how = {
        TurnOrder.TURN: "take turns",
        TurnOrder.SHUFFLED: "come shuffled, none again before all have",
        TurnOrder.WEIGHTED: "come by weight",
    }[pool.options.order]
    if len(pool.members) == 1:
        how = "comes each time"
    again = pool.options.least_s
    least = f", the same one not within {span_text(again)}" if again else ""
    return f"Its {many} {how}{least}." if pool.members else "It has no members yet."


def _when_sentence(options: PoolOptions) -> str:
    parts = []
    if options.hours:
        spans = [f"{time_text(a)} to {time_text(b)}" for a, b in _spans(options.hours)]
        parts.append(f"from {listed(spans)}")
    if options.days:
        parts.append(days_text(sorted(weekdays_of(options.days))))
    if options.first:
        parts.append(f"from {options.first} on")
    if options.last:
        parts.append(f"up to {options.last}")
    if not options.enabled:
        return " Switched off."
    return f" Open {', '.join(parts)}." if parts else ""


# -- checking, plain values ------------------------------------------------------------------------


def check_pool(pool: Pool) -> None:
    """SettingRefused says all that is wrong with a pool."""
    wrong = []
    if not pool.name.strip():
        wrong.append("a pool needs a name")
    if len(pool.members) > _MOST_MEMBERS:
        wrong.append(f"a pool has up to {_MOST_MEMBERS} members")
    if len(set(pool.carts)) < len(pool.carts):
        wrong.append("a member stands in it twice; give it more weight instead")
    wrong += [
        f"the weight of item {member.cart} is {member.weight:g}; it must be between 0.1 and 100"
        for member in pool.members
        if not 0.1 <= member.weight <= 100
    ]
    options = pool.options
    wrong += unreadable(
        (weekdays_of, options.days),
        (_spans, options.hours),
        (date_of, options.first),
        (date_of, options.last),
        (_pairs, options.pairs),
    )
    kinds = set(map(str, Kind))
    wrong += [f"'{word}' is not a kind" for word in words_of(options.beside) if word not in kinds]
    if not wrong and options.first and options.last and options.first > options.last:
        wrong.append(f"it ends on {options.last}, before it begins on {options.first}")
    if pool.use is PoolUse.LINKS and options.minutes and options.minutes < 1:
        wrong.append("links come once a minute at the most; give 1 min or more, or 0")
    if wrong:
        raise SettingRefused(f"pool “{pool.name}”: {'; '.join(wrong)}")


def pool_values(pool: Pool) -> dict[str, Any]:
    """Return a pool as plain values; options that are as usual are left out."""
    return {
        "id": pool.id,
        "name": pool.name,
        "use": str(pool.use),
        "place": pool.place,
        "members": [{"cart": one.cart, "weight": one.weight} for one in pool.members],
        "options": unusual(pool.options),
    }


def pool_from(values: Mapping[str, Any]) -> Pool:
    """Return the pool that `pool_values` wrote; SettingRefused says what cannot be."""
    name = str(values.get("name", ""))
    wrong: list[str] = []
    if values.get("use") not in set(map(str, PoolUse)):
        raise SettingRefused(
            f"pool “{name}”: it is for '{values.get('use')}'; that is one of {', '.join(PoolUse)}"
        )
    options = group_of(PoolOptions, values.get("options", {}), wrong)
    members = []
    for one in values.get("members", ()):
        try:
            members.append(Member(int(one["cart"]), float(one.get("weight", 1.0))))
        except (KeyError, TypeError, ValueError, AttributeError):
            wrong.append(f"'{one}' is not a valid member; it has a cart number and a weight")
    if wrong:
        raise SettingRefused(f"pool “{name}”: {'; '.join(wrong)}")
    pool = Pool(
        int(values.get("id", 0)),
        name,
        PoolUse(values["use"]),
        tuple(members),
        options,
        int(values.get("place", 0)),
    )
    check_pool(pool)
    return pool


def with_members(pool: Pool, carts: tuple[int, ...]) -> Pool:
    """Return a pool with these members, in this order; who was in it keeps its weight."""
    known = {member.cart: member for member in pool.members}
    return replace(pool, members=tuple(known.get(cart, Member(cart)) for cart in carts))

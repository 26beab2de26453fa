"""Breaks: the places where spots air, how each is opened, filled and closed.

A break pattern says when its breaks come: at set minutes, every so many minutes or songs, where a
log has a line for it, or where a timed event plays one. The first three stand for timed events of
their own, as links do, so that the sequencer knows one kind of firing only. A break in the running
order is a line that opens one (`BreakRef`); it is filled when it comes next (`break_fill`).
"""

from __future__ import annotations

from dataclasses import dataclass, replace
from datetime import timedelta
from enum import StrEnum
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import group_of, unreadable, unusual, words_of
from nightly_spindle.core.base.timebase import EPOCH, US, us_from
from nightly_spindle.core.base.wording import counted, listed, span_text
from nightly_spindle.core.calendar.week_grid import WeekGrid, grid_from, hour_of_week
from nightly_spindle.core.events.steps import PlayBreak
from nightly_spindle.core.events.timed_events import AfterSongs, Entry, EventOptions, TimedEvent
from nightly_spindle.core.library.items import Ending, Item, Kind, Measure
from nightly_spindle.core.overlays.overlay_pools import BREAK_EVENTS

if TYPE_CHECKING:
    from collections.abc import Iterator, Mapping
    from datetime import datetime
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.events.timed_events import FiringRule

ANY_SEAT = "-"  # a place of a break that any category may take
_CARTS = -1_000_000_000  # the numbers that stand for breaks still to be filled begin here
_SPOT_S = 30.0  # what a spot is taken to last where nothing says it (common practice, no source)
_SONG_MIN = 3.5  # what a song is taken to last where breaks are counted by songs
_HOUR = timedelta(hours=1)


class Starts(StrEnum):
    """What brings the breaks of a pattern about."""

    CLOCK = "at set minutes"
    MINUTES = "every so many minutes"
    SONGS = "every so many songs"
    LINES = "where logs say so"
    EVENTS = "where events say so"


class IfLate(StrEnum):
    """What becomes of a break that comes late."""

    AIRS = "airs all the same"
    PAID = "fixed prices only"
    LEFT = "left out"


class Flow(StrEnum):
    """How the spots of a break follow each other."""

    RULES = "by the segue rules"
    WHOLE = "each plays to its end"


@dataclass(frozen=True, slots=True)
class BreakOptions:
    """What can be set for a break pattern."""

    enabled: bool = flag(True, "Its breaks come.")
    starts: Starts = choice(Starts.CLOCK, "What brings its breaks about.")
    minutes: str = text(
        "20, 50", "At these minutes of an hour; where logs say so: about when they come."
    )
    every: float = number(20.0, "", 1.0, 1440.0, "Every N minutes, or songs.")
    hours: str = text("", "In these hours: mon-fri 06-10, 16-19; sat 09-12; empty is always.")
    spots: float = number(4.0, "", 0.0, 20.0, "Room for up to N spots; 0 is by length alone.")
    length_s: float = number(
        0.0, "s", 0.0, 1800.0, "Room for up to this long; 0 is by number alone."
    )
    categories: str = text("", "Spots of these categories are preferred, the first most.")
    seats: str = text(
        "", "A category for each of its places, in order: food, public service; - is any."
    )
    opens: float = number(0.0, "", 0.0, 1e9, "Cart number of what opens it; 0 is nothing.")
    closes: float = number(0.0, "", 0.0, 1e9, "Cart number of what closes it; 0 is nothing.")
    flow: Flow = choice(Flow.RULES, "How its spots follow each other.")
    empty: str = text("", "With no spot due: an item of this category; empty is nothing.")
    wait_s: float = number(
        0.0, "s", 0.0, 1800.0, "Waits this long for the item on air, then cuts in; 0 never cuts."
    )
    late_s: float = number(900.0, "s", 60.0, 7200.0, "It is late from this long after its time.")
    late: IfLate = choice(IfLate.AIRS, "What becomes of it when it is late.")


@dataclass(frozen=True, slots=True)
class WallMinutes:
    """The rule "at these minutes of the day, in these hours of the week".

    The clock on the wall counts: an hour that comes twice has its breaks twice, one that is left
    out has none. `of_hour` are the minutes of each of the 24 hours.
    """

    of_hour: tuple[tuple[int, ...], ...]
    grid: WeekGrid

    def firings(self, tz: ZoneInfo, after_us: int, until_us: int) -> list[int]:
        """Return the instants (µs) with `after_us < instant <= until_us`, ascending."""
        found = []
        hour = EPOCH + timedelta(hours=max(0, after_us // (3600 * US) - 1))
        while (begin := us_from(hour)) <= until_us:
            found += [at for at in self._in(hour, begin, tz) if after_us < at <= until_us]
            hour += _HOUR
        return sorted(found)

    def _in(self, hour: datetime, begin: int, tz: ZoneInfo) -> Iterator[int]:
        """Return the instants in one hour of world time: one or two hours on the wall."""
        turn = (60 - hour.astimezone(tz).minute) % 60
        for minute, end in ((0, turn), (turn, 60)) if turn else ((0, 60),):
            wall = (hour + timedelta(minutes=minute)).astimezone(tz)
            if hour_of_week(wall.weekday(), wall.hour) in self.grid:
                shift = minute - wall.minute
                for m in self.of_hour[wall.hour]:
                    if minute <= m + shift < end:
                        yield begin + (m + shift) * 60 * US

    def sentence(self) -> str:
        """The rule as a plain phrase."""
        hours = self.of_hour
        if all(minutes == hours[0] for minutes in hours):
            said = f"At {listed([f':{minute:02}' for minute in hours[0]])} of every hour"
        else:
            said = f"{sum(map(len, hours))} times a day"
        return said if len(self.grid) == 168 else f"{said}, {self.grid.words()}"


@dataclass(frozen=True, slots=True)
class BreakPattern:
    """A named kind of break. `place` is where it stands among the others."""

    id: int
    name: str
    options: BreakOptions = BreakOptions()
    place: int = 0

    @property
    def cart(self) -> int:
        """The number that stands for its breaks still to be filled: far below 0."""
        return _CARTS - self.id

    @property
    def categories(self) -> tuple[str, ...]:
        """The categories that it prefers, folded, the first most."""
        return words_of(self.options.categories)

    @property
    def seats(self) -> tuple[str, ...]:
        """The category of each of its places, folded, empty for any; none said: no places."""
        return tuple("" if word == ANY_SEAT else word for word in words_of(self.options.seats))

    @property
    def carts(self) -> tuple[int, ...]:
        """The items that open and close it."""
        return tuple(int(c) for c in (self.options.opens, self.options.closes) if c)

    @property
    def expected_s(self) -> float:
        """How long it is taken to last."""
        return self.options.length_s or self.options.spots * _SPOT_S

    def stand_in(self, rate: int) -> Item:
        """Return an item that stands for a break still to be filled: it never sounds."""
        lasts = max(1.0, self.expected_s)
        measure = Measure(
            lasts,
            rate,
            2,
            None,
            cue_out_s=lasts,
            segue_s=lasts,
            fade_start_s=lasts,
            ending=Ending.COLD,
        )
        return Item(self.cart, Kind.SPOT, f"Break: {self.name}", "", "", measure)

    def rule(self) -> WallMinutes:
        """Return when its breaks come; for those by songs or in logs: about when."""
        return _wall_minutes(self.options)

    def events(self) -> list[TimedEvent]:
        """Return the timed events that it stands for, numbered below zero."""
        options = self.options
        if not options.enabled or options.starts in {Starts.LINES, Starts.EVENTS}:
            return []
        rule: FiringRule = self.rule()
        if options.starts is Starts.SONGS:
            rule = AfterSongs(int(options.every))
        waits = options.wait_s and options.starts is not Starts.SONGS
        entry = Entry.WAIT if waits else Entry.NEXT
        own = EventOptions(wait_s=max(1.0, options.wait_s))
        name = f"Break “{self.name}”"
        steps = (PlayBreak(self.name),)
        number = BREAK_EVENTS - self.id
        return [TimedEvent(number, name, rule, entry, steps, grace_s=options.late_s, options=own)]

    def sentence(self) -> str:
        """The pattern as plain sentences."""
        options = self.options
        room = [counted(int(options.spots), "spot")] if options.spots else []
        room += [span_text(options.length_s)] if options.length_s else []
        likes = f", {listed(self.categories)} first" if self.categories else ""
        said = f"{self._when()}: a break with room for {listed(room)}{likes}."
        if self.seats:
            names = [word or "any" for word in self.seats]
            said += f" Place by place: {', '.join(names)}; without a spot of that, what is due."
        if options.flow is Flow.WHOLE:
            said += " Each spot plays to its end."
        edges = [
            f"item {int(cart)} {how}"
            for cart, how in ((options.opens, "opens"), (options.closes, "closes"))
            if cart
        ]
        said += f" {listed(edges).capitalize()} it." if edges else ""
        filled = f"an item of “{options.empty}” airs" if options.empty else "nothing airs"
        said += f" With no spot due {filled}."
        if options.late is not IfLate.AIRS:
            said += f" From {span_text(options.late_s)} after its time on: {options.late}."
        return said if options.enabled else f"{said} Switched off."

    def _when(self) -> str:
        options = self.options
        if options.starts is Starts.EVENTS:
            return "Where a timed event plays it"
        if options.starts is Starts.SONGS:
            return f"After every {counted(int(options.every), 'song')}"
        phrase = self.rule().sentence()
        if options.starts is Starts.LINES:
            return f"Where a log has a line for it, about {phrase[0].lower()}{phrase[1:]}"
        if options.starts is Starts.MINUTES:
            tail = "" if len(grid_from(options.hours)) == 168 else f", {phrase.split(', ', 1)[1]}"
            return f"Every {options.every:g} min{tail}"
        return phrase


@lru_cache(maxsize=256)
def _wall_minutes(options: BreakOptions) -> WallMinutes:
    grid = grid_from(options.hours)
    if options.starts in {Starts.MINUTES, Starts.SONGS}:
        by = options.every * (_SONG_MIN if options.starts is Starts.SONGS else 1.0)
        of_hour: list[list[int]] = [[] for _ in range(24)]
        at = 0.0
        while at < 1440:
            of_hour[int(at) // 60].append(int(at) % 60)
            at += max(1.0, by)
        return WallMinutes(tuple(map(tuple, of_hour)), grid)
    return WallMinutes((minutes_of(options.minutes),) * 24, grid)


@lru_cache(maxsize=256)
def minutes_of(written: str) -> tuple[int, ...]:
    """Read minutes of an hour: "20, 50"; SettingRefused when one is none."""
    found = set()
    for word in words_of(written):
        digits = word.removeprefix(":")
        if not (digits.isdecimal() and len(digits) < 3 and int(digits) < 60):
            raise SettingRefused(
                f"'{word}' is not a valid minute of an hour; write minutes like 20, 50"
            )
        found.add(int(digits))
    return tuple(sorted(found))


def is_break(number: int) -> bool:
    """Whether an event of that number is a pattern's own."""
    return number <= BREAK_EVENTS


def check_break(pattern: BreakPattern) -> None:
    """SettingRefused says all that is wrong with a break pattern."""
    options = pattern.options
    wrong = [] if pattern.name.strip() else ["a break pattern needs a name"]
    if "," in pattern.name:
        wrong.append("its name has a comma, which parts names in lists")
    wrong += unreadable((minutes_of, options.minutes), (grid_from, options.hours))
    if not options.spots and not options.length_s:
        wrong.append("it has no room; give a number of spots, a length, or both")
    by_minutes = options.starts in {Starts.CLOCK, Starts.LINES}
    seats, room = len(words_of(options.seats)), int(options.spots)
    if room and seats > room:
        named = counted(seats, "place")
        wrong.append(f"it has categories for {named} and room for {counted(room, 'spot')}")
    if not wrong and by_minutes and not minutes_of(options.minutes):
        wrong.append("it is not said at which minutes its breaks come")
    if options.starts is Starts.SONGS and options.every > 500:
        wrong.append(f"{options.every:g} songs cannot be counted; give 1 to 500")
    if wrong:
        raise SettingRefused(f"break pattern “{pattern.name}”: {'; '.join(wrong)}")


def break_values(pattern: BreakPattern) -> dict[str, Any]:
    """Return a pattern as plain values; options that are as usual are left out."""
    plain = {"id": pattern.id, "name": pattern.name, "place": pattern.place}
    return {**plain, "options": unusual(pattern.options)}


def break_from(values: Mapping[str, Any]) -> BreakPattern:
    """Return the pattern that `break_values` wrote; SettingRefused says what cannot be."""
    name, wrong = str(values.get("name", "")), list[str]()
    options = group_of(BreakOptions, values.get("options", {}), wrong)
    if wrong:
        raise SettingRefused(f"break pattern “{name}”: {'; '.join(wrong)}")
    pattern = BreakPattern(int(values.get("id", 0)), name, options, int(values.get("place", 0)))
    check_break(pattern)
    return pattern


def renamed(pattern: BreakPattern, name: str) -> BreakPattern:
    """Return a pattern with another name, its spaces in order."""
    return replace(pattern, name=" ".join(name.split()))

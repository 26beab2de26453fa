"""Log drops: where an outside music scheduler leaves its logs, and how they are to be loaded."""

from __future__ import annotations

from dataclasses import dataclass, field
from datetime import time, timedelta
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import parse_time_of_day
from nightly_spindle.core.calendar.dated_names import WEEKDAYS, check_pattern, written
from nightly_spindle.core.calendar.log_periods import (
    Period,
    Slot,
    SlotRule,
    hours_from,
    hours_text,
    slot_at,
    slots,
)
from nightly_spindle.core.calendar.near_names import ANOTHER_TIME, NearName
from nightly_spindle.core.calendar.recurrence import every_day_at
from nightly_spindle.core.events.steps import ExpectLog, LoadLog, Placement
from nightly_spindle.core.events.timed_events import Entry, TimedEvent
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.logs.log_matching import ITEM_LINES, Match, MatchStatus
from nightly_spindle.core.logs.log_meanings import Meaning, checked_meaning
from nightly_spindle.core.logs.log_reading import LogFormat
from nightly_spindle.core.logs.log_tables import check_template
from nightly_spindle.core.logs.log_text import CHARSETS

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo


_OWN = -1_000_000  # the numbers of drops' own events begin here


class Loads(StrEnum):
    """What makes a log load."""

    AT_TIME = "at its time"
    LINES_LEFT = "when few lines are left"
    OTHERWISE = "by an event or by hand"


class HourDate(StrEnum):
    """Which date the name of an hour's log carries."""

    CALENDAR = "calendar day"
    BROADCAST = "broadcast day"


class Rest(StrEnum):
    """What becomes of the lines that were there when a log is put in front of them."""

    GOES_ON = "goes on afterwards"
    DROPPED = "is dropped"


class Long(StrEnum):
    """What happens to a log that is not through when the next one of its drop loads."""

    CUT = "cut at the next log"
    RUN = "let run to its end"


class WhenShort(StrEnum):
    """What follows when a log is through before the next one loads."""

    NET = "as the safety net says"
    AGAIN = "starts again"
    ROTATION = "rotation"


class Late(StrEnum):
    """What happens to a log that comes after its time."""

    JOIN = "where it should be by then"
    WHOLE = "from its first line"
    NEVER = "not loaded"


@dataclass(frozen=True, slots=True)
class DropOptions:
    """How the logs of a drop are named, read and loaded."""

    enabled: bool = flag(True, "The drop is in use.")
    period: Period = choice(Period.DAY, "How much one log holds.")
    weekdays: str = text("", "Seven names for Monday to Sunday in file names, commas between.")
    hours: str = text("", "The hours that have a log, such as 22-5; empty: all 24.")
    dated: HourDate = choice(HourDate.CALENDAR, "Which date an hour's log carries after midnight.")
    format: LogFormat = choice(LogFormat.AUTO, "How the logs are written.")
    template: str = text("", "What the columns of a table are; empty: worked out.")
    charset: str = text("auto", "The character set; auto: worked out.")
    loads: Loads = choice(Loads.OTHERWISE, "What makes a log load.")
    lines_left: float = number(10, "lines", 0, 1000, "Load the next log when so few are left.")
    entry: Entry = choice(Entry.CUT_IN, "How a log takes the air at its time.")
    placement: Placement = choice(Placement.REPLACE, "Where its lines are put.")
    rest: Rest = choice(Rest.GOES_ON, "What was lined up before.")
    long: Long = choice(Long.CUT, "A log that is not through in time.")
    short: WhenShort = choice(WhenShort.NET, "After a log that is through too early.")
    early_s: float = number(
        0.0, "s", 0.0, 600.0, "When nothing is left so shortly before its time, it loads at once."
    )
    late: Late = choice(Late.JOIN, "A log that comes late is loaded.")
    old_told: bool = flag(
        True, "A weekday's log that was not written since that weekday last aired is told."
    )
    take_in: bool = flag(False, "Import audio that a log names and that is in a root.")
    take_in_kind: Kind = choice(Kind.SONG, "The kind of what is imported.")
    expected: str = text("18:00", "By when tomorrow's logs should be there; empty: no alarm.")

    @property
    def expected_at(self) -> time | None:
        """The time of day by which the next day's logs should be there."""
        return parse_time_of_day(self.expected) if self.expected.strip() else None

    @property
    def weekday_names(self) -> tuple[str, ...]:
        """The names of the weekdays in file names, Monday first."""
        names = tuple(name.strip() for name in self.weekdays.split(",") if name.strip())
        return names or WEEKDAYS


@dataclass(frozen=True, slots=True)
class LogDrop:
    """A folder (absolute), a file-name pattern (`name_pattern`), and how to load.

    `paths` are (as logs write it, absolute folder here), `meanings` what lines mean that name
    no item. `made_us` is when it was made, 0 where nobody knows.
    """

    id: int
    name: str
    folder: str
    pattern: str
    options: DropOptions = field(default_factory=DropOptions)
    paths: tuple[tuple[str, str], ...] = ()
    meanings: tuple[Meaning, ...] = ()
    made_us: int = 0

    def file_name(self, slot: Slot) -> str:
        """Return the name of that slot's log."""
        local = slot.local
        if slot.hourly and self.options.dated is HourDate.BROADCAST:
            local = local.replace(year=slot.day.year, month=slot.day.month, day=slot.day.day)
        return written(self.pattern, local, self.options.weekday_names)

    def slots(self, tz: ZoneInfo, day_start: time, after_us: int, until_us: int) -> list[Slot]:
        """Return the slots of its logs with after < start <= until."""
        hours = hours_from(self.options.hours)
        found = slots(self.options.period, tz, day_start, after_us, until_us)
        return [slot for slot in found if slot.among(hours)]

    def slot_at(self, tz: ZoneInfo, day_start: time, at_us: int) -> Slot:
        """Return the slot that an instant lies in."""
        return slot_at(self.options.period, tz, day_start, at_us)

    def events(self, day_start: time) -> list[TimedEvent]:
        """Return the timed events that the drop itself stands for: loading, and looking ahead.

        Their numbers are below zero, so that they never meet those of the station's own. At the
        same instant an hour's log goes before a day's: it is the one that is meant for now.
        """
        options = self.options
        found = []
        if options.enabled and options.loads is Loads.AT_TIME:
            rule = SlotRule(options.period, day_start, hours_from(options.hours))
            steps = (LoadLog(self.id, options.placement),)
            first = int(options.period is Period.HOUR)
            load = TimedEvent(_OWN + 2 * self.id, self.name, rule, options.entry, steps, first)
            found.append(load)
        if options.enabled and options.expected_at is not None:
            when = every_day_at(options.expected_at)
            name, look = f"Look for {self.name}", (ExpectLog(self.id),)
            found.append(TimedEvent(_OWN + 2 * self.id + 1, name, when, Entry.NEXT, look))
        return found

    def sentence(self) -> str:
        """The drop as one plain sentence or two."""
        options = self.options
        many = {
            Period.DAY: "One log a day",
            Period.HOUR: "One log an hour",
            Period.WEEKDAY: "One log for each weekday",
        }[options.period]
        if options.period is Period.HOUR and options.hours.strip():
            many += f" ({hours_text(hours_from(options.hours))})"
        if not options.enabled:
            return f"{many} in {self.folder}. Switched off."
        if options.loads is Loads.OTHERWISE:
            return f"{many} in {self.folder}, loaded by a timed event or by hand."
        where = {
            Placement.REPLACE: "in place of all that is lined up",
            Placement.FRONT: "at the front",
            Placement.END: "at the end",
        }[options.placement]
        if options.loads is Loads.LINES_LEFT:
            when = f"when {options.lines_left:.0f} lines are left, at the end"
        else:
            entry = {
                Entry.CUT_IN: "cutting in",
                Entry.NEXT: "after the item on air",
                Entry.WAIT: "waiting at most 2 min, then cutting in",
                Entry.LAND: "landing on time",
            }[options.entry]
            when = f"at its time, {entry}, {where}"
            if options.placement is Placement.FRONT:
                when += f"; what was there {options.rest}"
        short = {
            WhenShort.NET: "the safety net follows",
            WhenShort.AGAIN: "it starts again",
            WhenShort.ROTATION: "rotation follows",
        }[options.short]
        ends = f"Too short: {short}; too long: {options.long}."
        return f"{many} in {self.folder}, loaded {when}. {ends}"


def check_drop(drop: LogDrop) -> None:
    """SettingRefused with all that is wrong with a drop."""
    options = drop.options
    wrong = []
    if not drop.name.strip():
        wrong.append("it needs a name")
    if not drop.folder.strip():
        wrong.append("it needs a folder")
    try:
        check_pattern(drop.pattern, options.period, options.weekday_names)
    except SettingRefused as error:
        wrong.append(str(error))
    if options.charset not in CHARSETS:
        wrong.append(f"'{options.charset}' is none of the character sets {', '.join(CHARSETS)}")
    try:
        check_template(options.template, columns=options.format is LogFormat.COLUMNS)
        _ = options.expected_at, hours_from(options.hours)
        for row in drop.meanings:
            checked_meaning(row)
    except SettingRefused as error:
        wrong.append(str(error))
    wrong += [
        f"the path translation “{a}” to “{b}” lacks a side"
        for a, b in drop.paths
        if not (a.strip() and b.strip())
    ]
    if wrong:
        raise SettingRefused(f"log drop “{drop.name}”: {'; '.join(wrong)}")


class ReadingState(StrEnum):
    """What is known of a log file."""

    READ = "read"
    MISSING = "missing"
    UNREADABLE = "unreadable"
    GROWING = "still being written"
    EMPTY = "empty"


@dataclass(frozen=True, slots=True)
class LogChange:
    """How a log differs from what it was when it was last read: lines that came and went."""

    at_us: int
    came: tuple[str, ...]
    went: tuple[str, ...]

    def sentence(self) -> str:
        """The difference in words, with the first line of each side."""
        said = []
        for lines, word in ((self.came, "new"), (self.went, "gone")):
            if lines:
                more = f" and {len(lines) - 1} more" if len(lines) > 1 else ""
                said.append(f"{word}: {lines[0]}{more}")
        return "; ".join(said) or "the same lines in another order"


@dataclass(frozen=True, slots=True)
class LogReading:
    """One log as it was found: its lines matched, or why there are none.

    `file` is the name it was found under, else the one looked for. `nearest` are names in the
    folder that come close. `written_us` is when the file was last changed, `unapplied` what was
    edited of lines that are gone, `edited` how many edits hold.
    """

    drop: int
    slot: Slot
    file: str
    state: ReadingState
    matches: tuple[Match, ...] = ()
    problem: str = ""
    nearest: tuple[NearName, ...] = ()
    written_us: int = 0
    charset: str = ""
    change: LogChange | None = None
    edited: int = 0
    unapplied: tuple[str, ...] = ()
    others: tuple[str, ...] = ()

    @property
    def carts(self) -> list[int]:
        """The cart numbers of the lines that were found, in order."""
        return [m.cart for m in self.matches if m.cart is not None]

    @property
    def lost(self) -> list[Match]:
        """The lines that should name an item but do not."""
        return [
            m
            for m in self.matches
            if m.status in ITEM_LINES and m.status is not MatchStatus.MATCHED
        ]

    @property
    def close(self) -> NearName | None:
        """The name that is most likely a slip of the one looked for."""
        return next(iter(self.slips), None)

    @property
    def slips(self) -> list[NearName]:
        """The names that are close to the one looked for; not the logs of other times."""
        return [near for near in self.nearest if near.differs != ANOTHER_TIME]

    @property
    def usable(self) -> bool:
        """Whether there is anything to load."""
        return self.state is ReadingState.READ and bool(self.carts)

    def why_not(self, folder: str) -> str:
        """Return why it cannot be loaded, empty when it can."""
        reasons = {
            ReadingState.MISSING: f"{self.file} is not in {folder}",
            ReadingState.EMPTY: f"{self.file} names no item",
            ReadingState.GROWING: f"{self.file} is still being written",
            ReadingState.UNREADABLE: self.problem,
            ReadingState.READ: f"no line of {self.file} is in the library",
        }
        return "" if self.usable else reasons[self.state]


# how far from its time a log that loads by lines left may begin
EARLIEST = timedelta(hours=2)

"""The running order's lines, plays, and the state that the sequencer works on."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from nightly_spindle.core.library.items import Item
from nightly_spindle.core.segues.segue_rules import JoinEdit
from nightly_spindle.core.traffic.spot_state import Booked, BreakRef


class LineSource(StrEnum):
    """Where a line comes from."""

    LOG = "log"
    EVENT = "timed event"
    CAMPAIGN = "campaign"
    BREAK = "break"
    HAND = "by hand"
    DAY_LOG_AGAIN = "safety net: the day's log again"
    ROTATION = "safety net: rotation"
    TONE = "safety net: station tone"


# what only fills where nothing else is to be had
NET = frozenset({LineSource.DAY_LOG_AGAIN, LineSource.ROTATION, LineSource.TONE})


@dataclass(frozen=True, slots=True)
class Origin:
    """Where a line comes from and the rule that placed it.

    `drop` is the log drop's number, `event` the timed event's, and `file` its name for lines
    that an event put in.
    """

    source: LineSource
    file: str = ""
    line: int = 0
    why: str = ""
    drop: int = 0
    event: int = 0

    @property
    def text(self) -> str:
        """The origin in a few words."""
        if self.file and self.source is LineSource.LOG:
            return f"{self.file} line {self.line}"
        if self.source in {LineSource.EVENT, LineSource.CAMPAIGN, LineSource.BREAK}:
            what = "event" if self.source is LineSource.EVENT else str(self.source)
            return f"{what} “{self.file}”"
        if self.file:
            return f"{self.source} ({self.file} line {self.line})"
        return str(self.source)

    @property
    def brief(self) -> str:
        """The origin in two words, for a narrow column."""
        if self.source is LineSource.LOG:
            return f"log line {self.line}"
        return {
            LineSource.EVENT: self.file,
            LineSource.CAMPAIGN: "spot",
            LineSource.BREAK: "break",
            LineSource.HAND: "by hand",
            LineSource.DAY_LOG_AGAIN: f"log again {self.line}",
            LineSource.ROTATION: "rotation",
            LineSource.TONE: "safety net",
        }[self.source]


class Wish(StrEnum):
    """What is wanted over one line of the running order instead of what the pools say."""

    NONE = "none"
    THIS = "this one"
    POOL = "the next of a pool"


@dataclass(frozen=True, slots=True)
class OverlayWish:
    """What was set by hand to lie over the start of a line.

    `cart` is the overlay of "this one", `pool` the number of a pool (0: whichever serves).
    `at_s` is where it begins, seconds from the start of the line's item, negative for before;
    None lets the rules place it. What is placed by hand lies there, whatever is under it.
    """

    wish: Wish
    cart: int = 0
    pool: int = 0
    at_s: float | None = None


@dataclass(frozen=True, slots=True)
class Line:
    """One line of the running order. `join` is what was set by hand of how it starts.

    `begin` is the position (frames) that it starts from, 0 its cue in. `shows` stands as now
    playing instead of its own title. `overlay` is what was set by hand to lie over it, `tag` a
    word that pools of overlays can go by. A line that `opens` a break is filled when it comes next;
    `spot` says of a campaign's spot whose it is, `mark` which timed mark of its hour it begins.
    """

    id: int
    cart: int
    origin: Origin
    join: JoinEdit | None = None
    begin: int = 0
    shows: str = ""
    overlay: OverlayWish | None = None
    tag: str = ""
    opens: BreakRef | None = None
    spot: Booked | None = None
    mark: str = ""


@dataclass(frozen=True, slots=True)
class Play:
    """One sounding of an item.

    `start` is the station frame at which it sounds first, `begin` the position in the
    item (frames at the mix rate) that it starts from; later than its cue in when it was
    joined in progress. The item is carried along as it was when it went on air; `whole` is how many
    frames it should have sounded for where its file turned out to be shorter, else 0.
    """

    id: int
    line: Line
    item: Item
    start: int
    begin: int
    joined: bool = False
    whole: int = 0


class OverlayPlace(StrEnum):
    """What an overlay lies on."""

    SEGUE = "segue"
    INTRO = "intro"
    POINT = "sweeper point"


@dataclass(frozen=True, slots=True)
class Overlay:
    """One sounding of an overlay, from station frame `start` up to `end`.

    `begin` is the position in the item that it starts from. `line_id` is the line that it belongs
    to: on a segue the incoming one. `over` says in words what it lies on, `origin` where it comes
    from (its pool, the song's own, by hand), `why` how it was chosen and placed. `pool` is 0 where
    it came from none. `by_hand`: it lies where it was put. `over_bed_lu` is by how
    much it is louder than the lowered programme (LU), None where that is not known.
    """

    id: int
    item: Item
    start: int
    begin: int
    end: int
    line_id: int
    where: OverlayPlace
    over: str
    origin: str
    why: str
    pool: int = 0
    by_hand: bool = False
    over_bed_lu: float | None = None


class Outcome(StrEnum):
    """What became of a line, or of a log."""

    LOADED = "loaded"
    AIRED = "aired"
    ON_AIR = "on air"
    CUT = "cut"
    SKIPPED = "skipped"
    REPLACED = "replaced"
    REMOVED = "removed"
    MISSING = "missing"
    UNPLAYABLE = "unplayable"
    MISSED = "missed"
    FIRED = "fired"
    FILLED = "filled"
    INTERRUPTED = "interrupted"
    BROKE_OFF = "broke off"


@dataclass(frozen=True, slots=True)
class HeardPlay:
    """What rotation must know of a past play: `at` is a station frame."""

    cart: int
    artist: str
    title: str
    at: int


@dataclass(frozen=True, slots=True)
class Loaded:
    """A log that was loaded: its drop, its slot, its file."""

    drop: int
    start_us: int
    end_us: int
    file: str


@dataclass(frozen=True, slots=True)
class Awaited:
    """A log that was due and not there. It may still be loaded until its slot is over."""

    drop: int
    start_us: int
    end_us: int
    due_us: int


@dataclass(frozen=True, slots=True)
class LoadOrder:
    """A log that is to be loaded at an instant, by hand. `file`: one that lies anywhere."""

    id: int
    at_us: int
    drop: int
    slot_us: int
    file: str
    entry: str
    placement: str


@dataclass(frozen=True, slots=True)
class Deadline:
    """An event's lines are next, and cut in at this instant if they are not on air by then.

    `back` means that what they cut off goes on after them.
    """

    at_us: int
    event: str
    line_ids: tuple[int, ...]
    fade_s: float
    note: str
    back: bool = False


@dataclass(frozen=True, slots=True)
class EventHold:
    """An event that holds the air until an instant. `at_end` is a `timed_events.BlockEnd`."""

    event_id: int
    event: str
    until_us: int
    at_end: str
    fade_s: float = 0.0
    line_ids: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True)
class LandingTries:
    """How often it was tried in vain to land the firing of an instant, and whether it was told."""

    at_us: int = 0
    tries: int = 0
    told: bool = False


@dataclass(frozen=True, slots=True)
class Hold:
    """The time (station frames) that a line whose folder is away keeps in its log.

    `line_id` 0: the log's own time goes on with the next line from `until`.
    """

    line_id: int
    begun: int
    until: int

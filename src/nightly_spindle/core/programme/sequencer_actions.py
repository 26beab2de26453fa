"""What the sequencer says: orders to the mixer, and records of what became of lines."""

from __future__ import annotations

from dataclasses import dataclass

from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.programme.running_order import Line, Outcome, Overlay, Play
from nightly_spindle.core.segues.ducking import DuckFrames
from nightly_spindle.core.segues.joins import Join


@dataclass(frozen=True, slots=True)
class StartVoice:
    """From frame `play.start` on, sound the item from `play.begin` up to position `end`.

    `join` is the segue that led here, None after silence or a cut.
    """

    play: Play
    end: int
    gain_db: float
    fade_in: int
    join: Join | None
    in_curve: Curve = Curve.EQUAL_POWER


@dataclass(frozen=True, slots=True)
class StartOverlay:
    """From frame `play.start` on, sound the overlay up to its position `end` over the programme.

    The programme goes down for it as `duck` says, from `duck.ahead` frames before.
    """

    play: Overlay
    end: int
    gain_db: float
    duck: DuckFrames
    fade_in: int = 0
    in_curve: Curve = Curve.EQUAL_POWER


@dataclass(frozen=True, slots=True)
class OverlayEnded:
    """An overlay is over at frame `end`."""

    play: Overlay
    end: int
    outcome: Outcome
    note: str = ""


@dataclass(frozen=True, slots=True)
class FadeVoice:
    """From frame `at` on, fade the voice out over `frames` and end it. Fades multiply."""

    at: int
    play_id: int
    frames: int
    curve: Curve


@dataclass(frozen=True, slots=True)
class Ended:
    """A play is over at frame `end` (its last sounding frame lies before it)."""

    play: Play
    end: int
    outcome: Outcome
    note: str = ""


@dataclass(frozen=True, slots=True)
class Dropped:
    """A line did not air. `title` is for lines whose item is unknown."""

    at: int
    line: Line
    outcome: Outcome
    title: str
    why: str


@dataclass(frozen=True, slots=True)
class Fired:
    """A timed event acted at frame `at`; it was due at instant `due_us`.

    `did` says in words what it did, where that is not lines in the running order.
    """

    at: int
    due_us: int
    event_id: int
    event: str
    entry: str
    line_ids: tuple[int, ...]
    did: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class LogLoaded:
    """A log was put into the running order at frame `at`, or could not be (`lines` 0, `why`).

    `slot_us` is when the log's own time begins, `lost` how many lines were not found, `from_line`
    the first line that was taken when it came late.
    """

    at: int
    drop: int
    name: str
    file: str
    slot_us: int
    lines: int
    lost: int
    why: str
    from_line: int = 0


@dataclass(frozen=True, slots=True)
class BreakFilled:
    """A break came at frame `at`. `key` is its pattern and the instant it was due at."""

    at: int
    key: tuple[int, int]
    name: str
    note: str


Start = StartVoice | StartOverlay
Action = (
    StartVoice
    | StartOverlay
    | FadeVoice
    | Ended
    | OverlayEnded
    | Dropped
    | Finding
    | Fired
    | LogLoaded
    | BreakFilled
)

"""The messages between the engine and whoever asks it: one JSON object a line, each way.

A request is `{"id": 1, "op": "skip", "args": {}}`; the answer carries the same id and either "ok"
or "error" (one sentence). Each operation is a struct here, which knows what answers it. The first
message of a desk is `Watch`, with the version of these messages that it speaks; from then on
`{"sight": ...}` is pushed ten times a second.
"""

from __future__ import annotations

from typing import Any, ClassVar, Generic, TypeVar

import msgspec

from nightly_spindle.core.outputs.output_health import OutputSight
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.programme.running_order import Line, LoadOrder, OverlayWish
from nightly_spindle.core.segues.segue_rules import JoinEdit

VERSION = 2  # counted up when a message changes so that the other side would misread it
Answer = TypeVar("Answer")


class EngineStatus(msgspec.Struct, frozen=True):
    """What the engine looks like from outside, made anew every few blocks."""

    now_us: int
    frame: int
    revision: int
    unattended: bool
    stopped: bool
    peak_db: tuple[float, float]
    late_blocks: int
    underruns: int
    reduced_frames: int
    problem: str
    simulated: bool  # only a stand-in takes the sound: nobody hears it
    whole: bool  # the station was read; else the engine plays from what it kept
    standing: tuple[str, ...]  # threads that do not move
    outputs: tuple[OutputSight, ...] = ()
    shown: str = ""  # what players show now


class Operation(msgspec.Struct, Generic[Answer], frozen=True):
    """What an engine can be asked. `answers` is the type of the answer, None where none is."""

    op: ClassVar[str] = ""
    answers: ClassVar[Any] = None


class Watching(msgspec.Struct, frozen=True):
    """Sights are pushed from now on. `program` is the engine's own version, in words."""

    version: int = 0
    program: str = ""


class Watch(Operation[Watching], frozen=True):
    """The first message of a desk: the version of the messages that it speaks."""

    op: ClassVar[str] = "watch"
    answers: ClassVar[Any] = Watching
    version: int = 0
    program: str = ""


class AwayFolder(msgspec.Struct, frozen=True):
    """A folder that cannot be reached since an instant, and why."""

    folder: str
    since_us: int
    why: str


class EngineState(msgspec.Struct, frozen=True):
    """All that there is to know of an engine; `sight` is None until the pump goes."""

    state: AirState
    pid: int
    sight: EngineStatus | None
    away: list[AwayFolder]
    timezone: str


class State(Operation[EngineState], frozen=True):
    """Say how things stand."""

    op: ClassVar[str] = "state"
    answers: ClassVar[Any] = EngineState


class Skip(Operation[None], frozen=True):
    """Pass into the next line now."""

    op: ClassVar[str] = "skip"


class Stop(Operation[None], frozen=True):
    """Fade out, and wait for the operator."""

    op: ClassVar[str] = "stop"


class Go(Operation[None], frozen=True):
    """Play the next line."""

    op: ClassVar[str] = "go"


class Leave(Operation[None], frozen=True):
    """Go off air for good."""

    op: ClassVar[str] = "leave"


class SetUnattended(Operation[None], frozen=True):
    """Run by itself, or wait for the operator."""

    op: ClassVar[str] = "unattended"
    on: bool


class Inserted(msgspec.Struct, frozen=True):
    """The line as it stands in the running order now."""

    line: Line


class Insert(Operation[Inserted], frozen=True, omit_defaults=True):
    """Put an item in before a line (0: at the end), or a line back that was taken out."""

    op: ClassVar[str] = "insert"
    answers: ClassVar[Any] = Inserted
    before: int
    cart: int = 0
    line_id: int | None = None
    line: Line | None = None


class GoneLine(msgspec.Struct, frozen=True):
    """A line that was taken out, and the line that it stood before."""

    before: int
    line: Line


class Removed(msgspec.Struct, frozen=True):
    """The lines that were taken out."""

    gone: list[GoneLine]


class Remove(Operation[Removed], frozen=True):
    """Take lines out."""

    op: ClassVar[str] = "remove"
    answers: ClassVar[Any] = Removed
    lines: list[int]


class Moved(msgspec.Struct, frozen=True):
    """The line that it stood before until now."""

    before: int


class Move(Operation[Moved], frozen=True):
    """Move a line before another."""

    op: ClassVar[str] = "move"
    answers: ClassVar[Any] = Moved
    line: int
    before: int


class FormerJoin(msgspec.Struct, frozen=True):
    """How the line was to start until now."""

    was: JoinEdit | None


class SetJoin(Operation[FormerJoin], frozen=True):
    """Set how a line starts, this time alone; None is as the rules say."""

    op: ClassVar[str] = "join"
    answers: ClassVar[Any] = FormerJoin
    line: int
    edit: JoinEdit | None = None


class FormerWish(msgspec.Struct, frozen=True):
    """What was to lie over the line until now."""

    was: OverlayWish | None


class SetOverlay(Operation[FormerWish], frozen=True):
    """Set what lies over the start of a line, this time alone; None is as the pools say."""

    op: ClassVar[str] = "overlay"
    answers: ClassVar[Any] = FormerWish
    line: int
    wish: OverlayWish | None = None


class SwitchOverlays(Operation[None], frozen=True):
    """Let overlays sound, or not."""

    op: ClassVar[str] = "overlays"
    on: bool


class FormerTag(msgspec.Struct, frozen=True):
    """The line's word until now."""

    was: str


class SetTag(Operation[FormerTag], frozen=True):
    """Give a line a word that pools can go by."""

    op: ClassVar[str] = "tag"
    answers: ClassVar[Any] = FormerTag
    line: int
    tag: str


class LoadTaken(msgspec.Struct, frozen=True):
    """What is going to be loaded; `why_not` says why it cannot be yet, where it cannot."""

    order: int
    at_us: int
    file: str
    usable: bool
    why_not: str
    matched: int
    lost: int


class Load(Operation[LoadTaken], frozen=True):
    """Load a log now (`at_us` 0) or at an instant: that of a drop's slot, or a file."""

    op: ClassVar[str] = "load"
    answers: ClassVar[Any] = LoadTaken
    drop: int
    file: str
    slot_us: int
    at_us: int
    entry: str
    placement: str


class Forget(Operation[LoadOrder], frozen=True):
    """Do not load what was to be loaded later."""

    op: ClassVar[str] = "forget"
    answers: ClassVar[Any] = LoadOrder
    order: int


class ToldFinding(msgspec.Struct, frozen=True):
    """What was wrong with something that was done."""

    code: str
    severity: str
    text: str


class EventFired(msgspec.Struct, frozen=True):
    """What a timed event did, in words, and the lines that it put in."""

    event: str
    lines: list[int]
    did: list[str]
    findings: list[ToldFinding]


class Fire(Operation[EventFired], frozen=True):
    """Carry a timed event out now, whatever its rule and its switch say."""

    op: ClassVar[str] = "fire"
    answers: ClassVar[Any] = EventFired
    event: int


OPERATIONS: dict[str, type[Operation[Any]]] = {
    one.op: one
    for one in (
        Watch,
        State,
        Skip,
        Stop,
        Go,
        Leave,
        SetUnattended,
        Insert,
        Remove,
        Move,
        SetJoin,
        SetOverlay,
        SwitchOverlays,
        SetTag,
        Load,
        Forget,
        Fire,
    )
}
HANDS: dict[str, Operation[None]] = {one.op: one for one in (Skip(), Stop(), Go(), Leave())}


def request(number: int, asked: Operation[Any]) -> bytes:
    """Return a request as a line."""
    return msgspec.json.encode({"id": number, "op": asked.op, "args": asked}) + b"\n"


def answered(asked: Operation[Answer], plain: Any) -> Answer:
    """Return what answers an operation, from its plain values."""
    found: Answer = msgspec.convert(plain, type(asked).answers, str_keys=True)
    return found


def other_version(of_desk: int, of_engine: int) -> str:
    """Return what is told where desk and engine do not speak the same messages, else nothing."""
    if of_desk == of_engine:
        return ""
    if of_engine < of_desk:
        older, newer = "engine", "desk"
        mend = "have it leave (`nightly-spindle tell DIR leave`) and go on air again"
    else:
        older, newer, mend = "desk", "engine", "close it and open it again"
    return (
        f"The {older} is of an older version than the {newer} (messages {of_engine}, the desk's "
        f"{of_desk}); {mend}."
    )

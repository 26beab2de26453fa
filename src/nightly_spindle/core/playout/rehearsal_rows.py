"""What a rehearsal says: rows with their frames, landings, findings."""

from __future__ import annotations

from dataclasses import dataclass, field

from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.programme.running_order import Line, Outcome, Overlay, Play
from nightly_spindle.core.segues.joins import Join


@dataclass(frozen=True, slots=True)
class RehearsalRow:
    """One line of what will air or did: frames, and what became of it.

    `play` is None for lines that never sound; `title` stands for those.
    """

    start: int
    end: int
    line: Line
    outcome: Outcome
    title: str
    play: Play | None = None
    join: Join | None = None
    note: str = ""


@dataclass(frozen=True, slots=True)
class OverlayRow:
    """One overlay that will sound or did: frames, and what became of it."""

    start: int
    end: int
    overlay: Overlay
    outcome: Outcome
    note: str = ""


@dataclass(frozen=True, slots=True)
class Landing:
    """How a timed event meets its time: `offset_s` is positive when it lands late."""

    event: str
    due_us: int
    entry: str
    offset_s: float
    line_id: int
    text: str


@dataclass(slots=True)
class Rehearsal:
    """What a stretch of time will hold."""

    rows: list[RehearsalRow] = field(default_factory=list)
    findings: list[Finding] = field(default_factory=list)
    landings: list[Landing] = field(default_factory=list)
    overlays: list[OverlayRow] = field(default_factory=list)

    def sounding(self) -> list[RehearsalRow]:
        """The rows that are heard, in order."""
        return [row for row in self.rows if row.play is not None]

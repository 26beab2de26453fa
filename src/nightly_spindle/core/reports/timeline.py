"""The coming hours as an operator sees them: blocks, pins, findings, in instants."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import GRAVEST, Severity
from nightly_spindle.core.base.timebase import US, us_from_frames
from nightly_spindle.core.base.wording import span_text
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.library.markers import Curve
from nightly_spindle.core.overlays.overlay_pools import pool_of_event
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.overlay_choice import ducking_of
from nightly_spindle.core.playout.overlay_position import talk_until
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.running_order import NET, LineSource, Outcome, OverlayWish
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.segues.segue_rules import JoinEdit
from nightly_spindle.core.traffic.break_patterns import is_break

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from nightly_spindle.core.playout.rehearsal_rows import OverlayRow, Rehearsal, RehearsalRow
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.sequencer_actions import Action
    from nightly_spindle.core.station.settings import OverlayRules


CUT_IN = "cut in"  # the join of a block that cuts the one before it short
_CUT_SHORT = frozenset({Outcome.CUT, Outcome.SKIPPED, Outcome.INTERRUPTED, Outcome.BROKE_OFF})


@dataclass(frozen=True, slots=True)
class Block:
    """One sounding item. Instants in µs; `from_s` and `item_s` seconds in its file.

    `join` tells how it starts ("5.1 s", "cold", "cut in"), `how` in sentences. `fade_s` is
    its own fade-out at the end, of shape `out_curve`; 0 where it plays out. `movable` lines can
    be edited. `edit` is what was set by hand of how it starts, this time alone; `wish` what is to
    lie over it, `tag` its word for pools, `intro_us` the instant up to which it may be talked over.
    `pool` is the number of the pool that a link comes from, 0 for all else. `in_break`: it airs in
    a break.
    """

    line_id: int
    cart: int
    kind: str
    title: str
    artist: str
    start_us: int
    end_us: int
    from_s: float
    item_s: float
    fade_s: float
    out_curve: Curve
    join: str
    how: tuple[str, ...]
    origin: str
    brief: str
    why: str
    outcome: str
    net: bool
    movable: bool
    path: str
    edit: JoinEdit | None = None
    wish: OverlayWish | None = None
    tag: str = ""
    intro_us: int | None = None
    pool: int = 0
    in_break: bool = False


@dataclass(frozen=True, slots=True)
class OverlayBlock:
    """One overlay over the programme. Instants in µs; `line_id` is the line that it belongs to.

    `down_us` is when the programme begins to go down for it, `up_us` when it is up again,
    `depth_db` by how much.
    """

    line_id: int
    cart: int
    kind: str
    title: str
    start_us: int
    end_us: int
    down_us: int
    up_us: int
    depth_db: float
    where: str
    over: str
    origin: str
    why: str
    outcome: str
    by_hand: bool
    pool: int
    path: str


@dataclass(frozen=True, slots=True)
class Pin:
    """An event's firing, and by how much it lands late (None: not at all)."""

    at_us: int
    name: str
    sentence: str
    entry: str
    offset_s: float | None

    @property
    def promised(self) -> bool:
        """Whether its time is promised; an event after the item on air comes when that ends."""
        return self.entry != Entry.NEXT


@dataclass(frozen=True, slots=True)
class Mark:
    """A finding at an instant."""

    at_us: int
    severity: str
    text: str
    mend: str
    line_id: int
    code: str = ""


@dataclass(frozen=True, slots=True)
class Night:
    """What a stretch of time will hold."""

    from_us: int
    until_us: int
    blocks: list[Block] = field(default_factory=list)
    pins: list[Pin] = field(default_factory=list)
    marks: list[Mark] = field(default_factory=list)
    overlays: list[OverlayBlock] = field(default_factory=list)

    def over(self, line_id: int) -> list[OverlayBlock]:
        """The overlays that belong to a line."""
        return [one for one in self.overlays if one.line_id == line_id]

    def worst(self) -> Mark | None:
        """The gravest finding, the first of its kind; notes do not count."""
        for mark in self.marks:
            if mark.code in GRAVEST:
                return mark
        for severity in (Severity.ALARM, Severity.WARNING):
            for mark in self.marks:
                if mark.severity == severity:
                    return mark
        return None

    def next_pin(self, now_us: int) -> Pin | None:
        """The first fixed time still to come."""
        return next((pin for pin in self.pins if pin.at_us > now_us), None)

    def counting(self) -> list[Mark]:
        """The findings that ask for something to be done."""
        return [mark for mark in self.marks if mark.severity != Severity.NOTE]


def plan_night(
    programme: Programme, state: AirState | None, now_us: int, hours: float, *, live: bool
) -> Night:
    """Rehearse the coming hours from the engine's state; `live` as `begin_ahead`."""
    sequencer, begun = begin_ahead(programme, state, now_us, live=live)
    return night_of(programme, sequencer, begun, hours)


def begin_ahead(
    programme: Programme, state: AirState | None, now_us: int, *, live: bool
) -> tuple[Sequencer, list[Action]]:
    """Return a sequencer that plays the coming hours ahead, and what put it on air.

    `live`: the engine runs and `state` is its own of just now; otherwise as an engine started now
    would find it. The state is copied.
    """
    if live and state is not None:
        sequencer = Sequencer(programme, state.copy())
        return sequencer, sequencer.present()
    return take_the_air(programme, state, now_us)


def night_of(
    programme: Programme, sequencer: Sequencer, begun: Iterable[Action], hours: float
) -> Night:
    """Rehearse the coming hours with a sequencer that is used up; `begun` put it on air."""
    lined_up = {line.id for line in sequencer.state.order.upcoming}
    from_us = sequencer.state.clock.now_us
    rehearsal = rehearse(programme, sequencer, begun, hours)
    return _night(programme, sequencer.state, rehearsal, from_us, hours, lined_up)


def _night(
    programme: Programme,
    state: AirState,
    rehearsal: Rehearsal,
    from_us: int,
    hours: float,
    lined_up: set[int],
) -> Night:
    def when(frame: int) -> int:
        return state.clock.instant_of(frame)

    until_us = from_us + round(hours * 3600 * US)
    settings = programme.settings
    sounding, rules = rehearsal.sounding(), settings.overlay_by(settings.duck_voiceover)
    after = [*sounding[1:], None]
    before = [None, *sounding[:-1]]
    blocks = [
        _block(
            earlier,
            row,
            follower,
            state.clock.rate,
            when(row.start),
            when(row.end),
            lined_up,
            rules,
        )
        for earlier, row, follower in zip(before, sounding, after, strict=True)
    ]
    landings = {(landing.event, landing.due_us): landing for landing in rehearsal.landings}
    pins = []
    for firing in programme.firings(from_us - 1, until_us):
        if not firing.event.acts or is_break(firing.event.id):
            continue  # it only looks; breaks are no fixed times
        landing = landings.get((firing.event.name, firing.at_us))
        pins.append(
            Pin(
                firing.at_us,
                firing.event.name,
                firing.event.sentence(),
                str(firing.event.entry),
                landing.offset_s if landing else None,
            )
        )
    marks = [
        Mark(when(f.at), str(f.severity), f.text, f.mend, f.line_id, f.code)
        for f in rehearsal.findings
    ]
    overlays = [_over(programme, row, when) for row in rehearsal.overlays]
    return Night(from_us, until_us, blocks, pins, marks, overlays)


def _over(programme: Programme, row: OverlayRow, when: Callable[[int], int]) -> OverlayBlock:
    overlay = row.overlay
    ducking = ducking_of(programme.settings, overlay.item)
    start_us, end_us = when(row.start), when(row.end)
    return OverlayBlock(
        overlay.line_id,
        overlay.item.cart,
        str(overlay.item.kind),
        overlay.item.title,
        start_us,
        end_us,
        start_us - round(ducking.ahead_s * US),
        end_us + round((ducking.hold_s + ducking.release_s) * US),
        ducking.depth_db,
        str(overlay.where),
        overlay.over,
        overlay.origin,
        overlay.why,
        str(row.outcome),
        overlay.by_hand,
        overlay.pool,
        overlay.item.path,
    )


def _block(
    earlier: RehearsalRow | None,
    row: RehearsalRow,
    follower: RehearsalRow | None,
    rate: int,
    start_us: int,
    end_us: int,
    lined_up: set[int],
    rules: OverlayRules,
) -> Block:
    assert row.play is not None
    item = row.play.item
    leaves = follower.join if follower else None
    origin = row.line.origin
    cue = span(item, rate)
    talk = talk_until(item, row.play.begin, rate, rules).until
    return Block(
        row.line.id,
        item.cart,
        str(item.kind),
        item.title,
        item.artist,
        start_us,
        end_us,
        row.play.begin / rate,
        max(item.measure.duration_s, cue.cue_out / rate),
        leaves.fade_out / rate if leaves else 0.0,
        leaves.out_curve if leaves else Curve.EQUAL_POWER,
        _join_word(earlier, row, rate),
        row.join.why if row.join else (),
        origin.text,
        origin.brief,
        origin.why,
        str(row.outcome),
        origin.source in NET,
        row.line.id in lined_up,
        item.path,
        row.line.join,
        row.line.overlay,
        row.line.tag,
        start_us + us_from_frames(talk - row.play.begin, rate) if talk > row.play.begin else None,
        pool_of_event(origin.event),
        origin.source in {LineSource.CAMPAIGN, LineSource.BREAK},
    )


def _join_word(earlier: RehearsalRow | None, row: RehearsalRow, rate: int) -> str:
    if earlier is not None and earlier.outcome in _CUT_SHORT:
        return CUT_IN
    if row.join is None:
        return "joined" if row.play is not None and row.play.joined else "–"
    overlap = row.join.overlap / rate
    if overlap < -0.005:
        return f"gap {-overlap:.1f} s"
    return "cold" if overlap < 0.05 else f"{overlap:.1f} s"


def cut_short(block: Block) -> bool:
    """Whether the block does not play to its end."""
    return block.outcome in _CUT_SHORT


def lands(pin: Pin) -> str:
    """How a fixed time is met, in a few words; of an event that only follows, when it starts."""
    if pin.offset_s is None:
        return "nothing to load"
    if pin.entry == Entry.CUT_IN or pin.offset_s < 1:
        return "on time"
    late = span_text(round(pin.offset_s))
    return f"about {late} late" if pin.promised else f"starts {late} later"

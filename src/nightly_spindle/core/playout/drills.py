"""Drills: the coming hours rehearsed with one thing broken on purpose.

Each is played by the sequencer that plays the air, as the engine would drive it: what breaks is
broken at its frame, what comes back is back at its own, and a start after a power cut goes the way
of every start. The programme is as it was before when a drill is over.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from enum import StrEnum
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.items import TONE_CART
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.playout.rehearsal_rows import RehearsalRow
from nightly_spindle.core.programme.away_folders import Away
from nightly_spindle.core.programme.running_order import NET, Outcome
from nightly_spindle.core.station.log_sources import ReadingState

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.playout.sequencer import Sequencer
    from nightly_spindle.core.programme.programme import LogSource, Programme
    from nightly_spindle.core.programme.sequencer_actions import Action
    from nightly_spindle.core.station.log_sources import LogDrop, LogReading

_AWAY_US = 30 * 60 * US
_OFF_US = 15 * 60 * US
BREAKS_US = 3600 * US  # without another time, what is broken breaks so long after the beginning
_START_US = 2 * US  # what an engine takes to sound after its machine is up, about (reliability.md)
_LOST = frozenset({Outcome.SKIPPED, Outcome.MISSED, Outcome.UNPLAYABLE})
OFF_S = (_OFF_US + _START_US) / US  # of a power cut: nothing can sound then
_JOIN_S = 0.05  # less than that between two items is a join


class Drill(StrEnum):
    """What is broken."""

    NOTHING = "nothing"
    NO_LOG = "no-log"
    LATE_LOG = "late-log"
    FOLDER = "folder"
    POWER = "power"
    ITEM = "item"

    @property
    def words(self) -> str:
        """What happens, in a few words."""
        return _WORDS[self]


_WORDS = {
    Drill.NOTHING: "nothing is broken",
    Drill.NO_LOG: "no log comes from then on",
    Drill.LATE_LOG: "each log from then on comes 40 minutes late",
    Drill.FOLDER: "the folder with most of the music is away for 30 minutes",
    Drill.POWER: "the power is out for 15 minutes",
    Drill.ITEM: "the next item cannot be read",
}
_LATE_US = 40 * 60 * US


@dataclass(frozen=True, slots=True)
class DrillResult:
    """What would air: seconds without sound (in all, at the longest), of the tone, of the net.

    `lost` counts lines that would not air, `what` names what was broken.
    """

    drill: Drill
    what: str
    at_us: int
    silent_s: float
    longest_s: float
    tone_s: float
    net_s: float
    lost: int
    rows: tuple[RehearsalRow, ...] = ()


class _Logs:
    """The logs of a station, but for those of slots that begin from an instant on."""

    def __init__(self, logs: LogSource, from_us: int, until: Callable[[Slot], bool]) -> None:
        self._logs, self._from_us, self._is_gone = logs, from_us, until

    def reading(self, drop: LogDrop, slot: Slot) -> LogReading:
        """Return what would be known of a log."""
        found = self._logs.reading(drop, slot)
        if slot.start_us < self._from_us or not self._is_gone(slot):
            return found
        return replace(found, state=ReadingState.MISSING, matches=(), problem="")


def run_drill(
    programme: Programme,
    sequencer: Sequencer,
    begun: Sequence[Action],
    hours: float,
    drill: Drill,
    at_us: int,
) -> DrillResult:
    """Play the coming hours with one thing broken at an instant; the sequencer is used up."""
    state = sequencer.state
    rate = state.clock.rate
    until = state.clock.frame + round(hours * 3600 * rate)
    at = max(state.clock.frame_of(at_us), state.clock.frame)
    recorder = Recorder()
    recorder.take(begun)
    kept = programme.logs, dict(programme.away), dict(programme.unplayable)
    what = drill.words
    try:
        if drill is not Drill.NOTHING:
            recorder.take(sequencer.advance(min(at, until)))
            sequencer, what = _break(programme, sequencer, recorder, drill, at_us, until)
        recorder.take(sequencer.advance(until))
    finally:
        programme.logs = kept[0]
        programme.away.clear()
        programme.away.update(kept[1])
        programme.unplayable.clear()
        programme.unplayable.update(kept[2])
    return _result(recorder, drill, what, at_us, rate)


def _break(
    programme: Programme,
    sequencer: Sequencer,
    recorder: Recorder,
    drill: Drill,
    at_us: int,
    until: int,
) -> tuple[Sequencer, str]:
    """Break what is to be broken; returns who plays on, and what was broken."""
    state = sequencer.state
    if drill is Drill.NO_LOG:
        programme.logs = _Logs(programme.logs, at_us, lambda _slot: True)
    elif drill is Drill.LATE_LOG:
        # a slot's log is there once it is so much later than its beginning
        programme.logs = _Logs(
            programme.logs, at_us, lambda slot: state.clock.now_us < slot.start_us + _LATE_US
        )
    elif drill is Drill.FOLDER:
        folder = _most_used(programme, sequencer)
        programme.away[folder] = Away(folder, at_us, "a drill")
        back = state.clock.frame_of(at_us + _AWAY_US)
        recorder.take(sequencer.advance(min(back, until)))
        programme.away.pop(folder, None)
        name = folder.rpartition("/")[2]
        return sequencer, f"the folder “{name}” is away for 30 minutes"
    elif drill is Drill.ITEM:
        cart = next((line.cart for line in state.order.upcoming if line.cart > 0), 0)
        item = programme.item(cart)
        programme.unplayable[cart] = "it cannot be read (a drill)"
        return sequencer, f"“{item.title}” cannot be read" if item else drill.words
    elif drill is Drill.POWER:
        return _power_out(programme, sequencer, recorder, at_us), drill.words
    return sequencer, drill.words


def _power_out(
    programme: Programme, sequencer: Sequencer, recorder: Recorder, at_us: int
) -> Sequencer:
    """Cut what sounds off; start again as every start does, from the state that was kept."""
    frame = sequencer.state.clock.frame
    recorder.rows = [
        replace(row, end=min(row.end, frame), outcome=Outcome.BROKE_OFF)
        if row.outcome is Outcome.ON_AIR or row.end > frame  # on air, or its end fading out
        else row
        for row in recorder.rows
    ]
    again, begun = take_the_air(programme, sequencer.state, at_us + _OFF_US + _START_US)
    recorder.take(begun)
    return again


def _most_used(programme: Programme, sequencer: Sequencer) -> str:
    """Return the folder of audio that most of what is lined up and in rotation lies in."""
    carts = [line.cart for line in sequencer.state.order.upcoming]
    items = [item for cart in carts if (item := programme.items.get(cart)) is not None]
    items += list(programme.pool)
    many = Counter(
        root for item in items for root in programme.roots if item.path.startswith(f"{root}/")
    )
    return many.most_common(1)[0][0] if many else "/nowhere"


def _result(recorder: Recorder, drill: Drill, what: str, at_us: int, rate: int) -> DrillResult:
    rows = [row for row in recorder.rows if row.play is not None]
    rows.sort(key=lambda row: row.start)
    gaps, end = [0.0], rows[0].start if rows else 0
    for row in rows:
        gaps.append((row.start - end) / rate)
        end = max(end, row.end)
    silent = [gap for gap in gaps if gap > _JOIN_S]

    def seconds(of: Callable[[RehearsalRow], bool]) -> float:
        return sum((row.end - row.start) / rate for row in rows if of(row))

    return DrillResult(
        drill,
        what,
        at_us,
        sum(silent),
        max(silent, default=0.0),
        seconds(lambda row: row.line.cart == TONE_CART),
        seconds(lambda row: row.line.origin.source in NET and row.line.cart != TONE_CART),
        sum(row.outcome in _LOST for row in recorder.rows),
        tuple(rows),
    )

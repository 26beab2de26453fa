"""What counts as heard of a spot, on the night and in reports."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.traffic.spot_state import LinedUp

if TYPE_CHECKING:
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.running_order import Play


def whole_frames(play: Play, rate: int) -> int:
    """Return how many frames an item sounds for when nothing is cut off of it."""
    cue = span(play.item, rate)
    return play.whole or max(1, cue.cue_out - cue.cue_in)


def share_heard(play: Play, end: int, outcome: Outcome, rate: int) -> float:
    """Return how much of an item was heard, 0 to 1, by a play that ended at frame `end`.

    What began at its cue in and passed into the next as planned was heard in full, whatever its
    segue takes off its tail.
    """
    if outcome is Outcome.AIRED and not (play.joined or play.whole):
        return 1.0
    return min(1.0, max(0, end - play.start) / whole_frames(play, rate))


def counts(share: float, counts_from: float) -> bool:
    """Whether a spot counts of which that share was heard. `counts_from` is in percent."""
    return share * 100.0 >= counts_from - 1e-6


def note_heard(
    programme: Programme, state: AirState, play: Play, end: int, outcome: Outcome
) -> None:
    """Remember that a spot was heard, if enough of it was; otherwise it will be owed."""
    if play.line.spot is None:
        return
    share = share_heard(play, end, outcome, state.clock.rate)
    if counts(share, programme.settings.spots.counts_from):
        state.spots.lined = [one for one in state.spots.lined if one.line_id != play.line.id]


def note_missed(state: AirState, play: Play) -> None:
    """Take back that a spot was heard: nobody was on air.

    What did not count anyway is lined up still: it must not be owed twice.
    """
    spot, lined = play.line.spot, state.spots.lined
    if spot is not None and spot.pattern and all(one.line_id != play.line.id for one in lined):
        lined.append(LinedUp(spot, play.line.id))

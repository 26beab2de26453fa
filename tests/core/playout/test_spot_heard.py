"""How much of a spot was heard, and what counts, with bounds exactly."""

import pytest
from conftest import RATE, make_item

from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.playout.spot_heard import (
    counts,
    note_heard,
    note_missed,
    share_heard,
    whole_frames,
)
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin, Outcome, Play
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.core.traffic.spot_state import Booked, LinedUp

SPOT = make_item(9, 20.0, Kind.SPOT, cue_in_s=1.0, cue_out_s=19.0, segue_s=18.0)
WHOLE = 18 * RATE


def play(spot=None, **more):
    return Play(1, Line(5, 9, Origin(LineSource.LOG), spot=spot), SPOT, 100, RATE, **more)


def test_a_spot_is_whole_from_cue_in_to_cue_out_or_as_long_as_its_file_was():
    assert whole_frames(play(), RATE) == WHOLE
    assert whole_frames(play(whole=77), RATE) == 77


@pytest.mark.parametrize(
    ("end", "outcome", "more", "share"),
    [
        (100 + WHOLE // 2, Outcome.AIRED, {}, 1.0),  # its segue takes its tail
        (100 + WHOLE // 2, Outcome.CUT, {}, 0.5),
        (100 + WHOLE // 2, Outcome.AIRED, {"joined": True}, 0.5),
        (100 + WHOLE // 2, Outcome.AIRED, {"whole": WHOLE * 2}, 0.25),
        (100 + WHOLE * 2, Outcome.CUT, {}, 1.0),
        (50, Outcome.CUT, {}, 0.0),
    ],
)
def test_the_share_that_was_heard(end, outcome, more, share):
    assert share_heard(play(**more), end, outcome, RATE) == share


def test_a_share_counts_from_exactly_what_is_set():
    assert counts(0.95, 95.0)
    assert counts(0.0, 0.0)
    assert not counts(0.9499, 95.0)


def booked(pattern=3):
    return Booked(2, pattern, 7)


def test_what_was_heard_is_no_longer_lined_up_and_can_be_taken_back():
    programme = Programme(StationSettings("Pier", "UTC"), None, {9: SPOT})
    state, spot = new_state(RATE, 0, 0), booked()
    others = [LinedUp(spot, 4)]
    state.spots.lined = [*others, LinedUp(spot, 5)]
    note_heard(programme, state, play(), 100 + WHOLE, Outcome.AIRED)
    assert len(state.spots.lined) == 2, "a line that is no spot changes nothing"
    note_heard(programme, state, play(spot), 100 + WHOLE // 2, Outcome.CUT)
    assert len(state.spots.lined) == 2, "half of it does not count"
    note_heard(programme, state, play(spot), 100 + WHOLE, Outcome.AIRED)
    assert state.spots.lined == others
    note_missed(state, play(spot))
    note_missed(state, play(spot))
    assert state.spots.lined == [*others, LinedUp(spot, 5)], "owed once, however often told"
    note_missed(state, play())
    assert len(state.spots.lined) == 2

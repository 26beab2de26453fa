"""Filling a break: what is owed airs as far as there is room, and no further."""

from test_campaign_air import aired, at, order, programme, spots_in

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern
from nightly_spindle.core.traffic.spot_state import Booked

RATE = 44_100


def owed(campaign):
    return Booked(campaign, 1, at(7, 15))


def test_two_owed_spots_and_one_seat_leave_one_owed():
    pattern = BreakPattern(1, "Quarters", BreakOptions(minutes="15", spots=1.0))
    made = programme([order(1), order(2, importance=9.0)], [pattern])
    state = new_state(RATE, at(8) * RATE // US, at(8) - 1)
    state.spots.owed = [owed(1), owed(2)]
    recorder, sequencer = aired(made, at(8), at(8, 40), state=state)
    assert [row.line.spot.campaign for row in spots_in(recorder)] == [2]  # the weightier one
    assert [one.campaign for one in sequencer.state.spots.owed] == [1]


def test_room_in_seconds_is_kept_as_well():
    # spots of 13 and 14 s: of 27 s both fit, of 26 s one
    for room, airs in ((27.0, 2), (26.0, 1)):
        pattern = BreakPattern(1, "Quarters", BreakOptions(minutes="15", spots=0.0, length_s=room))
        made = programme([order(1), order(2)], [pattern])
        state = new_state(RATE, at(8) * RATE // US, at(8) - 1)
        state.spots.owed = [owed(1), owed(2)]
        recorder, sequencer = aired(made, at(8), at(8, 40), state=state)
        assert len(spots_in(recorder)) == airs
        assert len(sequencer.state.spots.owed) == 2 - airs

"""Landing on time: when it is looked at, and how it rests after a try in vain."""

import pytest
from test_event_firing import at, event, station
from test_sequencer import state_at

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.events.steps import PlayItem
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.playout import back_timing
from nightly_spindle.core.playout.back_timing import AHEAD_S, Foreseen, look_to_land
from nightly_spindle.core.playout.sequencer import Sequencer


@pytest.fixture
def looking(monkeypatch):
    """Looks at an event that is to land at 10:00; says whether anything was played ahead."""
    programme = station(event(1, "10:00", Entry.LAND, PlayItem(50)))
    state = state_at(at("08:00"), [1, 2, 3])
    Sequencer(programme, state).advance(state.clock.frame + 1)
    looks, off_s = [], [40.0]
    monkeypatch.setattr(
        back_timing, "_play_ahead", lambda *_: looks.append(1) or back_timing.Ahead((), off_s[0])
    )
    monkeypatch.setattr(back_timing, "_changed_to_land", lambda *_: False)

    def look(seconds_before):
        state.clock.frame = state.clock.frame_of(at("10:00") - round(seconds_before * US))
        before = len(looks)
        found = look_to_land(programme, state, lambda _: None, [])
        return len(looks) > before, found

    return look, state, off_s


def test_a_try_in_vain_rests_for_half_of_the_time_that_is_left(looking):
    look, state, _ = looking
    told = [(left, look(left)[0]) for left in (2401, 2400, 2399, 1201, 1200, 1199, 601, 600, 300)]
    assert AHEAD_S == 2400
    assert told == [
        (2401, False),
        (2400, True),
        (2399, False),
        (1201, False),
        (1200, True),
        (1199, False),
        (601, False),
        (600, True),
        (300, True),
    ]
    assert state.events.landing.tries == 4


@pytest.mark.parametrize(("off_s", "lands"), [(2.0, True), (-2.0, True), (2.01, False)])
def test_what_lands_within_its_tolerance_is_foreseen_and_no_try(looking, off_s, lands):
    look, state, off = looking
    off[0] = off_s
    looked, found = look(1000)
    assert looked
    assert isinstance(found, Foreseen) == lands
    assert state.events.landing.tries == (0 if lands else 1)


@pytest.mark.parametrize("change", ["attended", "stopped", "nothing on air"])
def test_nobody_looks_while_a_hand_has_the_air(looking, change):
    look, state, _ = looking
    if change == "attended":
        state.order.unattended = False
    elif change == "stopped":
        state.order.stopped = True
    else:
        state.order.playing = None
    assert not look(1000)[0]

"""Going on by the station once it is read: whoever looks must see that all is another."""

from concurrent.futures import Future
from types import SimpleNamespace

import pytest
from test_sequencer import MIDNIGHT, SONGS, programme, state_at

from nightly_spindle.air.hand_over import HandOver, _Ready
from nightly_spindle.core.playout.sequencer import Sequencer


def engine_of(former):
    """As much of an engine as a hand-over touches."""
    made = SimpleNamespace(
        sequencer=former,
        programme=former.programme,
        told=[],
        keep=lambda _actions: None,
        folders_changed=lambda _gone, _back: None,
        writer=SimpleNamespace(new_session=lambda _at: None, keep_state=lambda: None),
    )
    made.station_changed = lambda: made.told.append("changed")
    made.player = SimpleNamespace(
        mixed=0, take_over=lambda sequencer, _begun: setattr(made, "sequencer", sequencer)
    )
    return made


def ready(station, frame):
    snapshot = SimpleNamespace(programme=station, logs=station.logs)
    there = Sequencer(station, state_at(MIDNIGHT, [1, 2, 3]))
    return _Ready(frame, MIDNIGHT, there, [], [], snapshot, Future())


@pytest.mark.parametrize(("here", "there"), [(5, 5), (5, 4), (4, 5), (0, 0)])
def test_the_order_that_is_gone_by_then_has_a_number_of_its_own(here, there):
    engine = engine_of(Sequencer(programme(SONGS), state_at(MIDNIGHT)))
    over, other = HandOver(engine), ready(programme(SONGS), frame=0)
    engine.sequencer.state.revision, other.sequencer.state.revision = here, there
    over._ready = other
    over.at_block()
    assert engine.sequencer is other.sequencer
    assert engine.sequencer.state.revision > max(here, there), "a desk that knew 5 asks again"
    assert (engine.told, other.done.result(0)) == (["changed"], True)


def test_it_waits_for_its_frame_and_gives_up_when_that_is_over():
    engine = engine_of(Sequencer(programme(SONGS), state_at(MIDNIGHT)))
    former, over = engine.sequencer, HandOver(engine)
    other = over._ready = ready(programme(SONGS), frame=100)
    engine.player.mixed = 99
    over.at_block()
    assert not other.done.done()
    engine.player.mixed = 101
    over.at_block()
    assert other.done.result(0) is False
    assert engine.sequencer is former

"""Edits by hand: of one line alone, each counted so that whoever looks is told of it."""

import pytest
from test_sequencer import MIDNIGHT, SONGS, programme, state_at

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.running_order import OverlayWish, Wish
from nightly_spindle.core.segues.segue_rules import JoinEdit


@pytest.fixture
def sequencer():
    return Sequencer(programme(SONGS), state_at(MIDNIGHT, [1, 2, 3, 4]))


def order(sequencer):
    return [line.cart for line in sequencer.state.order.upcoming]


WISH = OverlayWish(Wish.NONE)
JOIN = JoinEdit(1, segue_s=100.0)


@pytest.mark.parametrize(
    ("field", "value", "unset"),
    [("join", JOIN, None), ("overlay", WISH, None), ("tag", "warm", "")],
)
def test_what_is_set_is_set_of_one_line_and_gives_back_what_was(sequencer, field, value, unset):
    edits, state = sequencer.edits, sequencer.state
    change = {"join": edits.set_join, "overlay": edits.set_overlay, "tag": edits.set_tag}[field]
    line = state.order.upcoming[2].id
    before = state.revision
    assert change(line, value) == unset
    assert [getattr(one, field) for one in state.order.upcoming] == [unset, unset, value, unset]
    assert state.revision == before + 1
    assert change(line, unset) == value
    assert [getattr(one, field) for one in state.order.upcoming] == [unset] * 4
    with pytest.raises(InputFault):
        change(999, value)


def test_lines_move_before_others_and_to_the_end_and_back(sequencer):
    edits, state = sequencer.edits, sequencer.state
    ids = [line.id for line in state.order.upcoming]
    for moved, before, then in (
        (3, 0, [4, 1, 2, 3]),
        (0, 2, [2, 1, 3, 4]),
        (1, 1, [1, 2, 3, 4]),
    ):
        revision = state.revision
        back = edits.move(ids[moved], ids[before])
        assert order(sequencer) == then
        assert state.revision == revision + (moved != before)
        edits.move(ids[moved], back)
        assert order(sequencer) == [1, 2, 3, 4]
    edits.move(ids[0], 0)
    assert order(sequencer) == [2, 3, 4, 1]


def test_lines_that_are_taken_out_come_back_where_they_were(sequencer):
    edits, state = sequencer.edits, sequencer.state
    ids = [line.id for line in state.order.upcoming]
    revision = state.revision
    gone = edits.remove([ids[0], ids[2]])
    assert order(sequencer) == [2, 4]
    assert state.revision > revision
    for before, line in gone:
        edits.bring_back(before, line)
    assert order(sequencer) == [1, 2, 3, 4]
    assert [line.id for line in state.order.upcoming] == ids


def test_overlays_are_switched_off_and_on_for_all(sequencer):
    for on in (False, True):
        revision = sequencer.state.revision
        sequencer.edits.set_overlays(on=on)
        assert sequencer.state.overlays.on is on
        assert sequencer.state.revision == revision + 1

"""What is put at the end of the running order: told where it airs much later, and only there."""

from test_event_firing import event, station
from test_sequencer import state_at

from nightly_spindle.core.events.steps import Placement, PlayItem
from nightly_spindle.core.events.timed_events import Entry
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.playout.sequencer import Sequencer


def told(carts, *steps, hours=1.0):
    from test_event_firing import at

    programme = station(event(1, "10:00", Entry.NEXT, *steps))
    sequencer = Sequencer(programme, state_at(at("09:55"), carts))
    night = rehearse(programme, sequencer, [], hours)
    return [finding.text for finding in night.findings if finding.code == "at-the-end"]


def test_behind_a_full_order_it_is_told_with_how_much_later_it_airs():
    end = PlayItem(50, Placement.END)
    (text,) = told([1, 2, 3, 4, 5, 6, 7, 8], end)
    assert "“Event 1” at 10:00:00 goes to the end of a full running order and airs " in text
    (text,) = told(list(range(1, 12)) * 4, end)
    assert "does not air in this stretch" in text


def test_at_the_front_or_into_an_order_that_is_nearly_over_it_is_not_told():
    assert told([1, 2, 3, 4, 5, 6, 7, 8], PlayItem(50, Placement.FRONT)) == []
    assert told([], PlayItem(50, Placement.END)) == []
    # one step at the front is enough: the event starts when it is meant to
    both = (PlayItem(60, Placement.FRONT), PlayItem(50, Placement.END))
    assert told([1, 2, 3, 4, 5, 6, 7, 8], *both) == []

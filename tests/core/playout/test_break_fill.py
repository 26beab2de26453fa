"""Filling a break: what is placed there, what is owed as far as there is room, and no further."""

from dataclasses import replace
from datetime import timedelta

import pytest
from conftest import RATE
from test_campaign_air import DAY, at, order, programme

from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.playout.break_fill import fill_break
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin
from nightly_spindle.core.programme.sequencer_actions import BreakFilled, Dropped
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern, IfLate
from nightly_spindle.core.traffic.campaigns import Terms
from nightly_spindle.core.traffic.spot_plan import Booking
from nightly_spindle.core.traffic.spot_state import Booked, BreakRef

DUE = at(8, 15)
PATTERN = BreakPattern(1, "Quarters", BreakOptions(minutes="15", spots=3.0))


EARLIER = at(7, 15)


def owed(campaign, at_us=EARLIER):
    return Booked(campaign, 1, at_us)


class Filled:
    """A break of 08:15 that comes so many seconds late, filled; what airs, is owed, was told."""

    def __init__(self, campaigns, placed=(), debts=(), after_s=0.0, last=(), coming=(), **options):
        pattern = replace(PATTERN, options=replace(PATTERN.options, **options))
        bookings = [Booking(DUE, 1, seat, number) for seat, number in enumerate(placed)]
        bookings += [Booking(us, 1, 0, number) for number, us in coming]
        self.made = programme(campaigns, [pattern], bookings)
        frame = round((DUE + after_s * US) * RATE / US)
        self.state = state = new_state(RATE, frame, DUE - 1)
        state.spots.owed = list(debts)
        state.spots.swept_us = DUE
        state.spots.last = {number: frame - round(ago * RATE) for number, ago in last}
        origin = Origin(LineSource.BREAK, "Quarters")
        state.order.upcoming = [Line(state.take_id(), -1, origin, opens=BreakRef(1, DUE))]
        self.actions = []
        fill_break(self.made, state, frame, self.actions)

    @property
    def airs(self):
        """Campaigns in the order in which they air; those made good below zero."""
        spots = [line.spot for line in self.state.order.upcoming if line.spot]
        return [-one.campaign if one.good else one.campaign for one in spots]

    @property
    def owes(self):
        return [one.campaign for one in self.state.spots.owed]

    def told(self, kind):
        return [one for one in self.actions if isinstance(one, kind)]


def test_owed_spots_fill_what_seats_are_left_the_weightiest_first():
    campaigns = [order(1), order(2, importance=9.0), order(3)]
    for seats, airs in ((1.0, [-2]), (2.0, [-2, -1]), (3.0, [-2, -1, -3])):
        made = Filled(campaigns, debts=[owed(1), owed(3), owed(2)], spots=seats)
        assert sorted(made.airs) == sorted(airs), seats
        assert sorted(made.owes) == sorted({1, 2, 3} - {-one for one in airs}), seats
    made = Filled(campaigns, placed=[1], debts=[owed(3), owed(2)], spots=2.0)
    assert (sorted(made.airs), made.owes) == ([-2, 1], [3])


def test_of_two_as_weighty_the_one_owed_longer_comes_first():
    made = Filled([order(1), order(2)], debts=[owed(1), owed(2, at(6, 15))], spots=1.0)
    assert (made.airs, made.owes) == ([-2], [1])


def test_room_in_seconds_is_kept_to_half_a_second():
    # spots of 13 and 14 s
    for room, airs in ((27.0, 2), (26.5, 2), (26.4, 1), (12.5, 1), (12.4, 0)):
        made = Filled([order(1), order(2)], debts=[owed(1), owed(2)], spots=0.0, length_s=room)
        assert (len(made.airs), len(made.owes)) == (airs, 2 - airs), room


def test_a_full_break_owes_what_is_placed_in_it_and_says_so():
    made = Filled([order(1), order(2), order(3)], placed=[1, 2, 3], spots=2.0)
    assert (sorted(made.airs), made.owes) == ([1, 2], [3])
    assert [one.why for one in made.told(Dropped)] == ["its break was full"]


def test_a_campaign_makes_good_once_in_a_break_and_not_beside_its_own_spot():
    made = Filled([order(1)], debts=[owed(1), owed(1, at(6, 15))])
    assert (made.airs, made.owes) == ([-1], [1])
    made = Filled([order(1)], placed=[1], debts=[owed(1)])
    assert (made.airs, made.owes) == ([1], [1])
    # what this very break owes waits for another
    made = Filled([order(1)], debts=[owed(1, DUE)])
    assert (made.airs, made.owes) == ([], [1])


@pytest.mark.parametrize(
    ("late", "after_s", "airs"),
    [
        (IfLate.PAID, 601.0, [-3, 1]),
        (IfLate.PAID, 600.0, [-4, -3, 1, 2]),  # just in time
        (IfLate.AIRS, 601.0, [-4, -3, 1, 2]),
        (IfLate.LEFT, 601.0, []),
        (IfLate.LEFT, 599.0, [-4, -3, 1, 2]),
    ],
)
def test_a_late_break_airs_what_is_set_bonus_or_not_owed_or_not(late, after_s, airs):
    campaigns = [order(1), order(2, terms=Terms.BONUS), order(3), order(4, terms=Terms.BONUS)]
    options = {"spots": 9.0, "late": late, "late_s": 600.0}
    made = Filled(campaigns, [1, 2], [owed(3), owed(4)], after_s, **options)
    assert sorted(made.airs) == airs
    assert sorted(made.owes) == sorted({1, 2, 3, 4} - {abs(one) for one in airs})
    assert [f.code for f in made.told(Finding)] == ["break-late"] * (after_s > 600)


def test_what_is_told_of_a_break_counts_its_spots_and_those_that_make_good():
    def note(*args, **options):
        (told,) = Filled(*args, **options).told(BreakFilled)
        return told.note

    campaigns = [order(1), order(2), order(3)]
    assert note(campaigns, [1]) == "1 spot"
    assert note(campaigns, [1, 2]) == "2 spots"
    assert note(campaigns, [1], [owed(2)]) == "2 spots, 1 of them makes good"
    assert note(campaigns, [], [owed(2), owed(3)]) == "2 spots, 2 of them make good"
    made = Filled(campaigns)
    assert not made.told(BreakFilled), "nothing was due and nothing aired: no word of it"
    full = Filled([order(1)], [1], length_s=1.0)
    assert [one.note for one in full.told(BreakFilled)] == ["no spot"]
    assert note(campaigns, [1], after_s=90.0, late_s=60.0).startswith("1 spot; 1:30 late: ")


def test_why_a_spot_airs_says_when_it_was_due_and_from_a_minute_on_how_late():
    def why(after_s):
        return Filled([order(1)], [1], after_s=after_s).state.order.upcoming[0].origin.why

    assert why(59.9) == "Placed in the break “Quarters” of 08:15:00."
    assert why(60.0) == "Placed in the break “Quarters” of 08:15:00, 1:00 late."


def test_an_order_makes_good_in_its_own_hours_breaks_and_days_only():
    for options, airs in (
        ({"hours": "8-9"}, True),
        ({"hours": "9-10"}, False),
        ({"breaks": "quarters"}, True),
        ({"breaks": "halves"}, False),
    ):
        assert bool(Filled([order(1, **options)], debts=[owed(1)]).airs) is airs, options
    flown = order(1, last=f"{DAY - timedelta(days=1)}")
    made = Filled([flown], debts=[owed(1)])
    assert (made.airs, made.owes) == ([], []), "what flew yesterday is owed no more"
    to_come = order(1, first=f"{DAY + timedelta(days=1)}")
    assert (Filled([to_come], debts=[owed(1)]).airs) == []
    assert Filled([order(1, first=f"{DAY}", last=f"{DAY}")], debts=[owed(1)]).airs == [-1]


def test_an_order_makes_good_as_far_from_its_own_spots_as_it_wants():
    apart = [order(1, apart_s=1800.0)]
    for ago, airs in ((1799.0, False), (1800.0, True)):
        made = Filled(apart, debts=[owed(1)], last=[(1, ago)])
        assert bool(made.airs) is airs, ago
    # and from those that are placed after it
    for ahead, airs in ((1799, False), (1801, True)):
        made = Filled(apart, debts=[owed(1)], coming=[(1, DUE + ahead * US)])
        assert bool(made.airs) is airs, ahead


def test_an_order_makes_good_as_far_from_its_rivals_as_either_wants():
    def rivals(one_s, other_s):
        return [
            order(number, rivals_s=apart_s, group="banks")
            for number, apart_s in ((1, one_s), (2, other_s))
        ]

    assert sorted(Filled(rivals(0.0, 0.0), [2], [owed(1)]).airs) == [2], "never in one break"
    for one_s, other_s in ((900.0, 0.0), (0.0, 900.0)):
        for ago, airs in ((899.0, False), (900.0, True)):
            made = Filled(rivals(one_s, other_s), debts=[owed(1)], last=[(2, ago)])
            assert bool(made.airs) is airs, (one_s, ago)
        for ahead, airs in ((899, False), (901, True)):
            made = Filled(rivals(one_s, other_s), debts=[owed(1)], coming=[(2, DUE + ahead * US)])
            assert bool(made.airs) is airs, (one_s, ahead)
    # with nothing set, and with others of no group, only the break itself counts
    assert Filled(rivals(0.0, 0.0), debts=[owed(1)], last=[(2, 1.0)]).airs == [-1]
    strangers = [order(1, rivals_s=900.0), order(2, rivals_s=900.0)]
    assert sorted(Filled(strangers, [2], [owed(1)]).airs) == [-1, 2]

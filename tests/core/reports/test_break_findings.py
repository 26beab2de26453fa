"""Breaks that hold too much are told at the bound and not before it."""

from dataclasses import replace

import pytest
from test_campaign_air import QUARTERS, at, order, programme

from nightly_spindle.core.reports.spot_findings import break_findings
from nightly_spindle.core.traffic.spot_plan import Booking

# spots 101 and 102 last 13 and 14 s
ORDERS = [order(1), order(2)]
TWO = [Booking(at(8, 15), 1, 0, 1), Booking(at(8, 15), 1, 1, 2)]


def told(bookings=TWO, orders=ORDERS, **options):
    pattern = replace(QUARTERS, options=replace(QUARTERS.options, **options))
    return break_findings(programme(orders, [pattern], bookings), bookings)


@pytest.mark.parametrize(("room_s", "full"), [(27.0, False), (26.5, False), (26.4, True)])
def test_half_a_second_over_is_no_matter(room_s, full):
    found = [one for one in told(length_s=room_s, spots=5.0) if one.code == "break-overfull"]
    assert bool(found) == full
    if full:
        assert found[0].text.endswith("holds too much: 27 s of spots in 26 s.")
        assert (found[0].pattern, found[0].at_us) == (1, at(8, 15))


@pytest.mark.parametrize(("seats", "full"), [(3.0, False), (2.0, False), (1.0, True)])
def test_more_spots_than_seats(seats, full):
    found = [one for one in told(spots=seats, length_s=600.0) if one.code == "break-overfull"]
    assert [one.text.rpartition(": ")[2] for one in found] == ["2 spots in 1 seat."] * full


def test_a_pattern_that_is_gone_and_an_order_that_is_gone():
    other = [replace(one, pattern=9) for one in TWO]
    (found,) = told(other)
    assert (found.code, found.pattern) == ("no-break", 9)
    assert told([replace(TWO[0], campaign=77)]) == [], "what is gone takes no room"

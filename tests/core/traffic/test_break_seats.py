"""Breaks that name a category for each place; orders by hours where clocks change."""

from collections import Counter
from datetime import date
from itertools import permutations

import pytest
from hypothesis import given
from hypothesis import strategies as st
from placing_cases import campaign, placed, station

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.reports.spot_findings import campaign_findings, pattern_findings
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern, check_break
from nightly_spindle.core.traffic.campaigns import Per
from nightly_spindle.core.traffic.spot_order import in_seats

CATEGORIES = st.sampled_from(["food", "public service", "cars", ""])


@given(st.lists(CATEGORIES, max_size=6), st.lists(CATEGORIES, max_size=6))
def test_each_seat_has_its_category_wherever_one_is_there(named, wanted):
    ranked = [campaign(n, category=name) for n, name in enumerate(named)]
    order = in_seats(ranked, wanted)
    assert sorted(order) == list(range(len(ranked)))
    shared = Counter(filter(None, named)) & Counter(filter(None, wanted))
    standing = [named[at] for at in order]
    if len(named) == len(wanted):
        hits = sum(a == b != "" for a, b in zip(standing, wanted, strict=True))
        best = max(
            (
                sum(a == b != "" for a, b in zip(one, wanted, strict=True))
                for one in permutations(named)
            ),
            default=0,
        )
        assert hits == best == shared.total()
    # those without a seat of their own keep their order
    rest = [at for at in order if named[at] not in wanted or not named[at]]
    assert rest == sorted(rest)


def test_each_break_gets_the_categories_of_its_places_and_what_is_due_all_the_same():
    options = BreakOptions(minutes="20", spots=2.0, hours="mon 08-12", seats="food, public service")
    pattern = BreakPattern(1, "Pairs", options)
    orders = [
        campaign(1, 2, days=1, category="food"),
        campaign(2, 2, days=1, category="food"),
        campaign(3, 2, days=1, category="public service"),
        campaign(4, 2, days=1, category="public service"),
    ]
    _, _, made = placed(station(orders, pattern), 1)
    by_break = {}
    for booking in sorted(made.bookings):
        by_break.setdefault(booking.at_us, []).append(booking.campaign)
    assert len(by_break) == 4
    assert all(first in {1, 2} and second in {3, 4} for first, second in by_break.values())
    # without any public service the places are taken by food
    _, _, food = placed(
        station([campaign(n, 4, days=1, category="food") for n in (1, 2)], pattern), 1
    )
    assert len(food.bookings) == 8
    assert not food.short


def test_places_are_read_back_and_refused_where_there_are_too_many():
    options = BreakOptions(minutes="20", spots=2.0, seats="Food, -")
    pattern = BreakPattern(1, "Pairs", options)
    assert "Place by place: food, any; without a spot of that, what is due." in pattern.sentence()
    check_break(pattern)
    many = BreakOptions(minutes="20", spots=2.0, seats="food, -, cars")
    with pytest.raises(SettingRefused, match="categories for 3 places and room for 2 spots"):
        check_break(BreakPattern(1, "Pairs", many))
    by_length = BreakOptions(minutes="20", spots=0.0, length_s=90.0, seats="food, -, cars")
    check_break(BreakPattern(1, "Pairs", by_length))
    told = pattern_findings(station([], BreakPattern(1, "Pairs", BreakOptions(seats="kites"))))
    assert [one.code for one in told] == ["unknown-category"]
    assert "The break “Pairs” asks for “kites”" in told[0].text


@pytest.mark.parametrize(
    ("today", "hours", "told"),
    [
        # the clocks of Lisbon: back on 25 October 2026, forward on 29 March 2026 (IANA database)
        (
            date(2026, 10, 20),
            "",
            "the hour from 01:00 comes twice: “Order 1” counts it as one, and",
        ),
        (date(2026, 10, 18), "00-02", "the hour from 01:00 comes twice"),
        (date(2026, 10, 17), "", None),
        (date(2026, 10, 20), "02-24", None),
        (date(2026, 10, 26), "", None),
        (date(2026, 3, 25), "", "the hour from 01:00 does not come: “Order 1” gets 2 less."),
    ],
)
def test_an_order_by_hours_says_what_a_clock_change_does_to_it(today, hours, told):
    order = campaign(1, 2, per=Per.HOUR, first="2026-01-01", hours=hours, days=999)
    programme = station([order])
    found = campaign_findings(programme, order, today, 0, None)
    texts = [one.text for one in found if one.code == "hour-changes"]
    assert len(texts) == (told is not None)
    assert told is None or told in texts[0]
    by_day = campaign(1, 2, first="2026-01-01", days=999)
    assert "hour-changes" not in {
        one.code for one in campaign_findings(programme, by_day, today, 0, None)
    }

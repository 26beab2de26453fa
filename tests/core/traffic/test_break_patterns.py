"""Break patterns as they are written, and the order in which the spots of one break stand."""

import pytest
from test_campaign_air import order

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.traffic.break_patterns import (
    BreakOptions,
    BreakPattern,
    Starts,
    check_break,
    minutes_of,
)
from nightly_spindle.core.traffic.spot_order import seat_order


def test_minutes_are_read_whole_and_within_their_hour():
    assert minutes_of("50, :20, 05, 20") == (5, 20, 50)
    assert minutes_of("0, 59") == (0, 59)
    assert minutes_of("") == ()
    for wrong in ("60", "007", "-5", "5.5", "ten"):
        with pytest.raises(SettingRefused, match="not a valid minute"):
            minutes_of(wrong)


@pytest.mark.parametrize(
    ("name", "options", "said"),
    [
        (" ", {}, "needs a name"),
        ("News, late", {}, "its name has a comma"),
        ("News", {"minutes": "70"}, "'70' is not a valid minute"),
        ("News", {"hours": "someday"}, "not a valid day of the week"),
        ("News", {"spots": 0.0, "length_s": 0.0}, "it has no room"),
        ("News", {"minutes": ""}, "it is not said at which minutes"),
        ("News", {"starts": Starts.SONGS, "every": 501.0}, "501 songs cannot be counted"),
    ],
)
def test_a_pattern_that_cannot_be_is_refused_and_why(name, options, said):
    with pytest.raises(SettingRefused, match=said):
        check_break(BreakPattern(1, name, BreakOptions(**{"minutes": "20"} | options)))


def test_patterns_at_their_bounds_can_be():
    for options in (
        {"spots": 0.0, "length_s": 1.0},
        {"spots": 1.0, "length_s": 0.0},
        {"starts": Starts.SONGS, "every": 500.0, "minutes": ""},
    ):
        check_break(BreakPattern(1, "News", BreakOptions(**{"minutes": "20"} | options)))


def test_spots_stand_by_their_wish_the_weightiest_at_the_very_end():
    wishes = [
        order(1, position="last", importance=9.0),
        order(2, position="last", importance=2.0),
        order(3),
        order(4, position="first", importance=2.0),
        order(5, position="first", importance=9.0),
    ]
    stand = sorted(wishes, key=lambda one: seat_order(one, 8 * 3_600_000_000))
    assert [one.id for one in stand] == [5, 4, 3, 2, 1]
    # those that do not mind take turns from break to break
    either = [order(1), order(2)]
    first = {
        min(either, key=lambda one, at=at: seat_order(one, at * 60_000_000)).id
        for at in range(1009)
    }
    assert first == {1, 2}

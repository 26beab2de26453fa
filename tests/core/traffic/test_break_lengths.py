"""How long a break will last, and in which order its spots stand."""

from dataclasses import replace
from types import SimpleNamespace

import pytest
from test_campaign_air import QUARTERS, TZ, at, order, programme

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.reports.break_lengths import break_s
from nightly_spindle.core.traffic.break_patterns import Flow, IfLate, Starts, check_break
from nightly_spindle.core.traffic.campaigns import Position
from nightly_spindle.core.traffic.spot_order import seat_order, seated
from nightly_spindle.core.traffic.spot_plan import Booking

# the spots last 12 s and one more each, the jingle and the announcement as they say
ORDERS = [order(1), order(2)]


def length(made, item):
    return made.item(item).measure.cue_out_s - made.item(item).measure.cue_in_s


def lasts(bookings=(), when=None, **options):
    pattern = replace(QUARTERS, options=replace(QUARTERS.options, **options))
    made = programme(ORDERS, [pattern], bookings)
    return break_s(made, pattern, at(8, 15) if when is None else when), made


def test_a_placed_break_lasts_as_long_as_its_spots_between_what_opens_and_closes_it():
    placed = [Booking(at(8, 15), 1, 0, 1), Booking(at(8, 15), 1, 1, 2)]
    seconds, made = lasts(placed)
    assert seconds == pytest.approx(length(made, 101) + length(made, 102))
    framed, made = lasts(placed, opens=50.0, closes=50.0)
    assert framed == pytest.approx(seconds + 2 * length(made, 50))
    assert lasts(placed, empty="PSAs")[0] == pytest.approx(seconds), "nothing fills it besides"
    other = [replace(one, at_us=at(8, 45)) for one in placed]
    assert lasts(other, opens=50.0)[0] == 0.0, "none is placed in this one: nothing opens it"


def test_a_break_without_spots_holds_one_item_of_what_fills_it():
    seconds, made = lasts(empty=" PSAs ")
    assert seconds == pytest.approx(length(made, 60))
    assert lasts(empty="nothing like it")[0] == 0.0
    assert lasts()[0] == 0.0


def test_beyond_what_is_placed_a_break_is_taken_to_last_what_it_has_room_for():
    assert lasts(when=at(96))[0] == QUARTERS.expected_s
    assert lasts(when=at(96) - 1)[0] == 0.0
    assert lasts(when=at(0) - 1)[0] == QUARTERS.expected_s
    assert lasts(when=at(0))[0] == 0.0
    assert lasts(when=at(96), length_s=75.0)[0] == 75.0


def named(number, **options):
    return SimpleNamespace(
        fixed=False,
        seeker=SimpleNamespace(
            id=number,
            campaign=replace(
                order(number % 8), id=number, options=replace(order(1).options, **options)
            ),
        ),
    )


def test_first_and_last_stand_there_the_weightiest_outermost():
    place = SimpleNamespace(at_us=at(8, 15), pattern=1, seats=())
    units = [
        named(1, position=Position.LAST, importance=9.0),
        named(2, position=Position.FIRST, importance=1.0),
        named(3),
        named(4, position=Position.LAST, importance=1.0),
        named(5, position=Position.FIRST, importance=9.0),
    ]
    booked = seated(place, units)
    assert [one.campaign for one in booked] == [5, 2, 3, 4, 1]
    assert [one.seat for one in booked] == [0, 1, 2, 3, 4]
    assert {(one.at_us, one.pattern) for one in booked} == {(at(8, 15), 1)}


def test_the_others_take_turns_from_break_to_break():
    campaigns = [named(n).seeker.campaign for n in range(1, 5)]
    firsts = {
        min(campaigns, key=lambda one, minute=minute: seat_order(one, at(8, minute))).id
        for minute in range(60)
    } | {
        min(campaigns, key=lambda one, hour=hour: seat_order(one, at(hour))).id
        for hour in range(24)
    }
    assert firsts == {1, 2, 3, 4}


def test_breaks_by_songs_are_counted_up_to_five_hundred():
    def checked(**options):
        check_break(replace(QUARTERS, options=replace(QUARTERS.options, **options)))

    checked(starts=Starts.SONGS, every=500.0)
    with pytest.raises(SettingRefused, match="501 songs cannot be counted; give 1 to 500"):
        checked(starts=Starts.SONGS, every=501.0)
    checked(starts=Starts.MINUTES, every=501.0)
    checked(starts=Starts.SONGS, every=5.0, minutes="")
    with pytest.raises(SettingRefused, match="it is not said at which minutes"):
        checked(minutes="")


@pytest.mark.parametrize(("every", "a_day"), [(20.0, 72), (45.0, 32), (1.0, 1440)])
def test_breaks_by_minutes_come_that_often(every, a_day):
    options = replace(QUARTERS.options, starts=Starts.MINUTES, every=every)
    rule = replace(QUARTERS, options=options).rule()
    assert len(rule.firings(TZ, at(0) - 1, at(24) - 1)) == a_day


@pytest.mark.parametrize(
    ("options", "said"),
    [
        ({}, "a break with room for 3 spots. With no spot due nothing airs."),
        ({"spots": 1.0, "length_s": 60.0}, "a break with room for 1 spot and 1 min. With no"),
        ({"spots": 0.0, "length_s": 90.0}, "a break with room for 1 min 30 s. With no spot"),
        ({"categories": "food, cars"}, "room for 3 spots, food and cars first. With"),
        ({"flow": Flow.WHOLE}, "room for 3 spots. Each spot plays to its end. With no spot due"),
        ({"opens": 50.0}, "3 spots. Item 50 opens it. With no spot due nothing airs."),
        ({"closes": 51.0}, "3 spots. Item 51 closes it. With no spot due nothing airs."),
        ({"opens": 50.0, "closes": 51.0}, "3 spots. Item 50 opens and item 51 closes it. With"),
        ({"empty": "psas"}, "With no spot due an item of “psas” airs."),
        ({"late": IfLate.LEFT, "late_s": 120.0}, "nothing airs. From 2 min after its time on: "),
        ({"enabled": False}, "nothing airs. Switched off."),
    ],
)
def test_a_pattern_reads_as_it_would_be_said(options, said):
    sentence = replace(QUARTERS, options=replace(QUARTERS.options, **options)).sentence()
    assert sentence.startswith("At :15 and :45 of every hour: a break with room for ")
    assert said in sentence
    assert sentence.count("Switched off") == (options.get("enabled", True) is False)

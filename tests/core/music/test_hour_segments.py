"""A clock's strip as segments, and what a strip amounts to."""

from datetime import UTC, datetime

import pytest

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.log_periods import Slot
from nightly_spindle.core.music.format_clocks import (
    ClockOptions,
    FormatClock,
    SlotKind,
    check_clock,
    clock_from,
    clock_values,
    minute_from,
    minute_text,
    slot_from,
    strip_from,
    strip_text,
    weights_from,
)
from nightly_spindle.core.music.hour_segments import (
    CLOSES,
    OPENS,
    SHOWS,
    HourTask,
    ShowTime,
    hour_length,
)

BEGIN = datetime(2026, 11, 24, 20, tzinfo=UTC)
BEGIN_S = BEGIN.timestamp()


def task(strip="", shows=(), **options):
    begin = round(BEGIN_S * US)
    slot = Slot(begin, begin + 3600 * US, BEGIN.replace(tzinfo=None), BEGIN.date(), hourly=True)
    clock = FormatClock(1, "Evening", strip_from(strip), options=ClockOptions(**options))
    at = tuple(ShowTime(BEGIN_S + begin, BEGIN_S + end, cart) for begin, end, cart in shows)
    return HourTask(slot, clock, "painted", at)


def told(made):
    """Each segment: what it needs, where music goes in, its end in the hour, fixed or not."""
    return [
        (
            [need.category or need.cart or need.name for need in one.needs],
            one.fills,
            one.until_s - BEGIN_S,
            one.fixed,
            one.mark,
        )
        for one in made.segments()
    ]


@pytest.mark.parametrize(
    ("strip", "options", "segments"),
    [
        ("", {}, [([], (0,), 3600, False, "")]),
        ("", {"fixed_end": True}, [([], (0,), 3600, True, "")]),
        ("category New; item 7", {}, [(["new", 7], (2,), 3600, False, "")]),
        # where the strip says where music goes, it goes there and nowhere else
        ("category New; music; item 7", {}, [(["new", 7], (1,), 3600, False, "")]),
        ("music; category New; music", {}, [(["new"], (0, 1), 3600, False, "")]),
        # music up to a place ends a segment there, but at the hour's end no second one
        (
            "category New; music until 20:00; item 7",
            {},
            [(["new"], (1,), 1200, False, ""), ([7], (1,), 3600, False, "")],
        ),
        ("music until 60:00", {}, [([], (0,), 3600, False, "")]),
        # a mark ends one, and gives the next its name; music up to that mark is the same place
        (
            "category New; fixed mark 30:00 Half past; item 7",
            {},
            [(["new"], (1,), 1800, True, ""), ([7], (1,), 3600, False, "Half past")],
        ),
        (
            "music until 30:00; mark 30:00; item 7",
            {},
            [([], (0,), 1800, False, ""), ([7], (1,), 3600, False, "mark 30:00")],
        ),
        (
            "music until 29:00; mark 30:00",
            {},
            [
                ([], (0,), 1740, False, ""),
                ([], (0,), 1800, False, ""),
                ([], (0,), 3600, False, "mark 30:00"),
            ],
        ),
        # what opens comes first; what closes stays last, behind the music
        ("item 7", {"opens": 5.0, "closes": 6.0}, [([5, 7, 6], (2,), 3600, False, "")]),
        (
            "list Gold; break News; link Quay",
            {},
            [(["Gold", "News", "Quay"], (3,), 3600, False, "")],
        ),
    ],
)
def test_a_strip_becomes_segments(strip, options, segments):
    assert told(task(strip, **options)) == segments


def test_what_opens_and_closes_an_hour_is_told_from_its_slots():
    (segment,) = task("item 7", opens=5.0, closes=6.0).segments()
    assert [need.slot for need in segment.needs] == [OPENS, 0, CLOSES]
    assert [need.words for need in segment.needs] == ["opens the hour", "item 7", "closes the hour"]
    fixed, loose = task(fixed_end=True).segments()[0], task().segments()[0]
    assert (fixed.tolerance_s, loose.tolerance_s) == (2.0, 30.0)  # docs/formats.md


def test_shows_take_their_part_of_an_hour_and_music_fills_the_rest():
    # from 20:15 to 20:30: music before, to the second; after it up to the hour's end
    assert told(task("item 7", [(900, 1800, 50)])) == [
        ([], (0,), 900, True, ""),
        ([50], (1,), 3600, False, ""),
    ]
    # one that runs over the hour's end ends where it ends
    assert told(task(shows=[(1800, 5400, 50)], fixed_end=True))[-1] == ([50], (1,), 5400, True, "")
    # one that began before: the hour begins when it is over
    running = task("item 7", [(-900, 600, 50)])
    assert running.opens_s == BEGIN_S + 600
    assert told(running) == [([], (0,), 3600, False, "")]
    assert [need.slot for need in task(shows=[(900, 1800, 50)]).segments()[1].needs] == [SHOWS]


@pytest.mark.parametrize(
    ("until", "covered"), [(3598.5, False), (3599, True), (3600, True), (9000, True)]
)
def test_an_hour_of_which_a_show_leaves_nothing_is_covered(until, covered):
    made = task(shows=[(-10, until, 50)])
    assert made.covered is covered
    assert bool(made.segments()) is not covered


def test_a_show_that_is_over_or_still_to_come_changes_nothing():
    for show in ((-3600, 0, 50), (3600, 7200, 50)):
        assert told(task("item 7", [show])) == told(task("item 7"))


# -- how long a strip is -----


def length(strip, **options):
    clock = FormatClock(1, "Evening", strip_from(strip), options=ClockOptions(**options))
    spread = {"new": (100.0, 200.0, 300.0)}
    fixed = {
        (SlotKind.ITEM, "7"): 60.0,
        (SlotKind.ITEM, "5"): 10.0,
        (SlotKind.ITEM, "6"): 20.0,
        (SlotKind.BREAK, "news"): 120.0,
        (SlotKind.LINK, "quay"): 5.0,
    }
    return hour_length(clock, spread, fixed)


def test_a_strip_is_as_long_as_what_it_names():
    found = length("category New; Category NEW; item 7; break News; mark 30:00; music")
    assert (found.shortest_s, found.expected_s, found.longest_s) == (380, 580, 780)
    ends = length("item 7", opens=5.0, closes=6.0)
    assert ends.expected_s == 90
    # a link after every two songs: two of four or five songs, none of one
    for songs, links in ((1, 0), (2, 1), (3, 1), (5, 2)):
        found = length("; ".join(["category New"] * songs), link_pool="Quay", link_songs=2.0)
        assert found.expected_s == songs * 200 + links * 5
    assert length("category Unknown; item 99").longest_s == 0


def test_how_a_strip_fits_its_hour_is_said():
    def said(songs):
        return length("; ".join(["category New"] * songs)).sentence()

    assert said(1) == "The strip runs 3:20; music by weights fills the other 56:40."
    assert said(18) == "The strip runs 60:00; music by weights fills the other 0:00."
    assert said(19) == "The strip runs 63:20, 3:20 over."
    assert said(36) == "The strip runs 120:00, 60:00 over."
    assert said(37) == "Even at its shortest the strip is 1:40 longer than the hour."


# -- slots as they are written -----


def test_places_in_an_hour_are_read_up_to_its_end():
    for written, seconds in (("00:00", 0), ("7:05", 425), ("59:59", 3599), ("60:00", 3600)):
        assert minute_from(written) == seconds
        assert minute_from(minute_text(seconds)) == seconds
    for wrong in ("60:01", "61:00", "07:60", "7", "seven", "-1:00", ""):
        with pytest.raises(SettingRefused, match="place in an hour"):
            minute_from(wrong)


def test_slots_read_back_whatever_case_and_room_they_are_written_with():
    strip = (
        "category New; item 7; list Gold; break News; link Quay; mark 10:00; "
        "fixed mark 30:00 Half past; music until 45:00; music"
    )
    slots = strip_from(strip)
    assert strip_text(slots) == strip
    assert strip_from(strip.upper().replace("; ", " ;\n")) == strip_from(strip.upper())
    assert [slot.fixed for slot in slots if slot.kind is SlotKind.MARK] == [False, True]
    for wrong, said in (
        ("song New", "is not a valid slot"),
        ("item New", "named by its cart number"),
        ("category", "the name of the category is missing"),
        ("mark soon", "place in an hour"),
    ):
        with pytest.raises(SettingRefused, match=said):
            slot_from(wrong)
    with pytest.raises(SettingRefused, match=r"valid slot.*; .*cart number"):
        strip_from("song New; category New; item New")


def test_a_clock_that_cannot_be_is_refused_with_all_that_is_wrong():
    def refused(**parts):
        with pytest.raises(SettingRefused) as told:
            check_clock(FormatClock(1, parts.pop("name", "Evening"), **parts))
        return str(told.value)

    assert "needs a name" in refused(name=" ")
    assert "all zero" in refused(weights=(("New", 0.0), ("Old", 0.0)))
    below = refused(weights=(("New", -1.0), ("Old", 0.0)))
    assert "weight of “New” is below zero" in below
    assert "Old" not in below
    late = refused(slots=strip_from("mark 30:00; music until 20:00"))
    assert late.endswith("“music until 20:00” comes after 30:00; put it in front or make it later")
    check_clock(FormatClock(1, "E", strip_from("mark 30:00; music; mark 30:00")))
    check_clock(FormatClock(1, "E", weights=(("New", 0.0), ("Old", 1.0))))


def test_a_clock_goes_round_as_values_and_names_what_it_uses():
    made = FormatClock(
        4,
        "Evening",
        strip_from("category New; item 7; item 8"),
        (("Standards", 50.0), ("New", 30.5)),
        (),
        ClockOptions(opens=5.0, fixed_end=True, link_pool="Quay", link_songs=3.0),
    )
    assert clock_from(clock_values(made)) == made
    assert made.categories == {"new", "standards"}
    assert made.carts == {5, 7, 8}
    assert made.sentence() == (
        "One of “New”, item 7 and item 8; the rest by weights (Standards 50, New 30.5); "
        "a link from “Quay” after every 3 songs; the hour ends to the second."
    )
    plain = FormatClock(4, "E", strip_from("; ".join(f"item {n}" for n in range(1, 9))))
    assert plain.sentence() == (
        "Item 1, item 2, item 3, item 4, item 5 and 3 more; "
        "the rest by the weights of the categories; the hour ends roughly on time."
    )
    six = FormatClock(4, "E", strip_from("; ".join(f"item {n}" for n in range(1, 7))))
    assert "item 5 and item 6;" in six.sentence()


def test_weights_are_read_as_they_are_written():
    assert weights_from("Standards 50, New songs 30; Old 0.5\n") == (
        ("Standards", 50.0),
        ("New songs", 30.0),
        ("Old", 0.5),
    )
    assert weights_from("") == ()
    for wrong in ("Standards", "50", "Standards much"):
        with pytest.raises(SettingRefused, match="not a valid weight"):
            weights_from(wrong)

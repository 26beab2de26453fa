"""Days, times, numbers and settings in words, and read back: every bound exactly."""

from dataclasses import dataclass
from datetime import date, time
from enum import StrEnum

import pytest

from nightly_spindle.core.base import declared
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import (
    date_of,
    group_of,
    unreadable,
    unusual,
    weekdays_of,
    words_of,
)
from nightly_spindle.core.base.wording import (
    counted,
    date_text,
    days_text,
    listed,
    part_of_day,
    span_text,
    time_text,
)


@pytest.mark.parametrize(
    ("days", "said"),
    [
        ((), "every day"),
        (range(7), "every day"),
        (range(5), "every weekday"),
        ((5, 6), "every Saturday and Sunday"),
        ((6, 0), "every Monday and Sunday"),
        ((3,), "every Thursday"),
        ((4, 3), "every Thursday and Friday"),
        ((0, 1, 2), "every Monday to Wednesday"),
        ((0, 1, 2, 3, 4, 5), "every Monday to Saturday"),
        ((1, 2, 3, 4, 5, 6), "every Tuesday to Sunday"),
        ((0, 1, 3), "every Monday, Tuesday and Thursday"),
        ((0, 0, 2), "every Monday and Wednesday"),
    ],
)
def test_weekdays_in_words(days, said):
    assert days_text(tuple(days)) == said


@pytest.mark.parametrize(
    ("seconds", "said"),
    [
        (0, "0 s"),
        (0.6, "1 s"),
        (59, "59 s"),
        (60, "1 min"),
        (96, "1 min 36 s"),
        (3599, "59 min 59 s"),
        (3600, "1 h"),
        (3601, "1 h 1 s"),
        (5400, "1 h 30 min"),
        (90_061, "25 h 1 min 1 s"),
    ],
)
def test_a_duration_in_words(seconds, said):
    assert span_text(seconds) == said


def test_lists_dates_and_numbers_in_words():
    assert [listed(words) for words in ([], ["a"], ["a", "b"], ["a", "b", "c"])] == [
        "",
        "a",
        "a and b",
        "a, b and c",
    ]
    assert listed(["a", "b"], "or") == "a or b"
    assert [counted(n, "line") for n in (0, 1, 2)] == ["0 lines", "1 line", "2 lines"]
    assert (time_text(time(7, 5)), time_text(time(7, 5, 1))) == ("07:05", "07:05:01")
    assert date_text(date(2026, 3, 1)) == "1 Mar 2026"


def test_the_part_of_the_day_is_said_where_people_mistake_it():
    said = {hour: part_of_day(hour) for hour in range(24)}
    assert {hour for hour, part in said.items() if part == "night"} == {1, 2, 3}
    assert {hour for hour, part in said.items() if part == "morning"} == set(range(4, 12))
    assert {hour for hour, part in said.items() if part == "evening"} == set(range(18, 24))
    assert {hour for hour, part in said.items() if not part} == {0, *range(12, 18)}


def test_weekdays_and_dates_are_read():
    assert weekdays_of("fri") == {4}
    assert weekdays_of("Mon-Thu, sun") == {0, 1, 2, 3, 6}
    assert weekdays_of("sat-mon") == {5, 6, 0}, "over the end of the week"
    assert weekdays_of(" , ") == set(range(7))
    assert weekdays_of("tue-tue") == {1}
    for wrong in ("noday", "mon-xx", "xx-mon", "-"):
        with pytest.raises(SettingRefused, match="is not a valid day of the week"):
            weekdays_of(wrong)
    assert date_of(" 2028-02-29 ") == date(2028, 2, 29)
    assert date_of("  ") is None
    with pytest.raises(SettingRefused, match="'2027-02-29' is not a valid date"):
        date_of("2027-02-29")
    assert words_of(" A, ,b c ,") == ("a", "b c")
    assert unreadable((date_of, "x"), (weekdays_of, "mon"), (weekdays_of, "y")) == [
        "'x' is not a valid date; write it like 2026-12-01",
        "'y' is not a valid day of the week; write it like fri or mon-thu",
    ]


class Way(StrEnum):
    LEFT = "left"
    RIGHT = "right"


@dataclass(frozen=True, slots=True)
class Sample:
    """A group of settings of every kind."""

    count: float = declared.number(3.0, "dB", -2.0, 5.0, "How much.")
    way: Way = declared.choice(Way.LEFT, "Which way.")
    name: str = declared.text("", "What it is called.")
    on: bool = declared.flag(True, "Whether.")


@pytest.mark.parametrize(("text", "value"), [("-2", -2.0), ("5", 5.0), ("4.5", 4.5)])
def test_a_number_is_read_up_to_its_bounds(text, value):
    wrong = []
    assert declared.group_from(Sample, {"x.count": text}, "x", wrong).count == value
    assert not wrong


@pytest.mark.parametrize("text", ["-2.0001", "5.0001", "nan", "inf", "-inf", "many", ""])
def test_a_number_beyond_its_bounds_is_told_with_them(text):
    wrong = []
    assert declared.group_from(Sample, {"x.count": text}, "x", wrong).count == -2.0
    assert wrong == [f"setting x.count is '{text}'; it must be within -2 and 5 dB"]


def test_values_of_every_kind_are_read_and_written_back():
    read = {"x.count": "4", "x.way": "right", "x.name": "Fog", "x.on": "No", "y.on": "x"}
    wrong = []
    made = declared.group_from(Sample, read, "x", wrong)
    assert (made, wrong) == (Sample(4.0, Way.RIGHT, "Fog", on=False), [])
    assert declared.group_from(Sample, declared.texts_of(made, "z"), "z", wrong) == made
    assert [
        declared.group_from(Sample, {"x.on": text}, "x", wrong).on
        for text in ("yes", "TRUE", "1", "false", "no", "0")
    ] == [True] * 3 + [False] * 3
    assert not wrong
    made = declared.group_from(Sample, {"x.on": "perhaps", "x.way": "up"}, "x", wrong)
    assert made == Sample()
    assert wrong == [
        "setting x.way is 'up'; it is one of left, right",
        "setting x.on is 'perhaps'; it is yes or no",
    ]


def test_changes_are_named_and_all_that_is_wrong_is_told():
    assert declared.changed_group(Sample(), "x", ["way=right", "name=a=b"]) == Sample(
        way=Way.RIGHT, name="a=b"
    )
    for change in ("way", "nothing=1"):
        with pytest.raises(SettingRefused, match=r"is not like NAME=VALUE; the names are count, w"):
            declared.changed_group(Sample(), "x", [change])
    with pytest.raises(SettingRefused, match=r"x\.count is '9'.*; setting x\.on is 'q'"):
        declared.changed_group(Sample(), "x", ["count=9", "on=q"])


def test_only_what_is_unusual_is_kept():
    assert unusual(Sample()) == {}
    kept = unusual(Sample(way=Way.RIGHT, on=False))
    assert kept == {"on": "False", "way": "right"}
    wrong = []
    assert group_of(Sample, kept, wrong) == Sample(way=Way.RIGHT, on=False)
    assert not wrong
    group_of(Sample, {"b": 1, "a": 2, "count": 99}, wrong)
    assert wrong == [
        "there is no option 'a'",
        "there is no option 'b'",
        "option count is '99'; it must be within -2 and 5 dB",
    ]

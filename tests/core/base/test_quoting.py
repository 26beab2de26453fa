"""Names and texts among commas and semicolons."""

import csv
import io

import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.quoting import parted, quoted, unquoted
from nightly_spindle.core.events.step_text import step_from_text
from nightly_spindle.core.music.format_clocks import (
    ClockSlot,
    SlotKind,
    strip_from,
    strip_text,
    weights_from,
    weights_text,
)

texts = st.text('ab ,;"=', min_size=1, max_size=8).map(lambda t: " ".join(t.split())).filter(bool)


@examples(200)
@given(st.lists(texts, max_size=4))
def test_whatever_is_written_is_read_back(names):
    assert [unquoted(one) for one in parted("; ".join(map(quoted, names)))] == names
    weights = tuple((name, at + 0.5) for at, name in enumerate(names))
    assert weights_from(weights_text(weights)) == weights
    slots = tuple(ClockSlot(SlotKind.CATEGORY, name) for name in names)
    assert strip_from(strip_text(slots)) == slots


@examples(100)
@given(st.lists(texts, min_size=1, max_size=4))
def test_quotes_are_those_of_csv(names):
    line = ",".join(quoted(name, ",") for name in names)
    assert next(csv.reader(io.StringIO(line))) == names


def test_steps_take_texts_with_semicolons():
    plain = step_from_text("show text Rain, wind later")
    assert plain.text == "Rain, wind later"
    assert step_from_text('show text "Rain; wind later"').text == "Rain; wind later"
    stream = step_from_text('play stream https://a.example/x; title="Wind; rain"; length_s=60')
    assert (stream.title, stream.length_s) == ("Wind; rain", 60)
    assert step_from_text('show text He said "no"').text == 'He said "no"'


@pytest.mark.parametrize(
    ("written", "parts"),
    [
        ("", []),
        (" ; ;", []),
        ("a;b ; c", ["a", "b", "c"]),
        ('a "x;y";b', ['a "x;y"', "b"]),
        ('12" mix;b', ['12" mix', "b"]),  # a quote that is never closed
    ],
)
def test_parts(written, parts):
    assert parted(written) == parts

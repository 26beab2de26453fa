"""What a column of a log seems to hold, at the bounds of what counts as a type."""

import pytest

from nightly_spindle.core.logs.log_tables import _look


@pytest.mark.parametrize(
    ("cells", "look"),
    [
        (["MUSICBED"] * 5, "type"),
        (["MUSICBEDS"] * 5, "words"),  # nine characters
        (["MUSIC"] * 4, "type"),
        (["MUSIC"] * 3, "words"),  # too few lines to tell
        (["A B"] * 5, "words"),
        (["MUSIC"] * 8 + ["a longer text"] * 2, "type"),
        (["MUSIC"] * 7 + ["a longer text"] * 3, "words"),
        ([f"K{n % 8}" for n in range(40)], "type"),
        ([f"K{n % 9}" for n in range(40)], "words"),  # nine of forty are no types
        ([f"K{n % 10}" for n in range(100)], "type"),  # ten of a hundred are
        ([f"K{n % 11}" for n in range(100)], "words"),
        (["", ""], "-"),
    ],
)
def test_short_words_that_come_again_are_a_type(cells, look):
    assert _look(cells) == look

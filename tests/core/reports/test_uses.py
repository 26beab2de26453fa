"""The as-run log looked through and added up, against counting by hand."""

import csv
import io

import pytest

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.reports.as_run import AsRun
from nightly_spindle.core.reports.uses import About, Use, found_in, use_table, uses


def run(cart, seconds, outcome=Outcome.AIRED, kind="song", title="", start=0.0):
    begin = round(start * US)
    return AsRun(
        key=f"{cart}/{start}/{outcome}",
        start_us=begin,
        end_us=begin + round(seconds * US),
        cart=cart,
        kind=kind,
        title=title or f"Title {cart}",
        artist=f"Artist {cart}",
        origin="log “Day”",
        why="The day's log.",
        outcome=str(outcome),
        note="",
        file=f"/music/{cart}.flac",
    )


def test_what_was_heard_counts_with_its_seconds_and_nothing_else():
    lines = [
        run(1, 200.25),
        run(1, 100.5, Outcome.CUT),
        run(1, 30.0, Outcome.SKIPPED),  # passed over while it sounded
        run(1, 0.0, Outcome.SKIPPED),  # passed over before
        run(1, 50.0, Outcome.ON_AIR),  # not over yet
        run(1, 180.0, Outcome.UNPLAYABLE),
        run(1, 180.0, Outcome.MISSED),
        run(2, 240.0, Outcome.BROKE_OFF),
        run(3, 10.0, kind="jingle"),
        run(4, 199.0, title="Gone, from the library"),
    ]
    about = {
        1: About("Tides", {"isrc": "pt-abc-26-00001", "organization": "Quay", "label": "Other"}),
        2: About("", {"label": "Shed"}),
    }
    assert uses(lines, about) == [
        Use("Title 1", "Artist 1", "Tides", "Quay", "PTABC2600001", 3, 330.75),
        Use("Title 2", "Artist 2", "", "Shed", "", 1, 240.0),
        Use("Gone, from the library", "Artist 4", "", "", "", 1, 199.0),
    ]
    assert [one.title for one in uses(lines, about, "jingle")] == ["Title 3"]
    table = list(csv.reader(io.StringIO(use_table(uses(lines, about)), newline="")))
    assert table[0] == ["title", "artist", "album", "label", "isrc", "plays", "seconds"]
    assert table[3][0] == "Gone, from the library"
    assert table[1][5:] == ["3", "330.750"]


@pytest.mark.parametrize(
    ("words", "found"),
    [
        ("", True),
        ("  title  7 ", True),
        ("ARTIST day", True),
        ("artist night", False),
        ("aired", True),
        ("jingle", False),
        ("7.flac", True),
        ("8", False),
    ],
)
def test_a_line_is_found_by_all_of_its_words(words, found):
    assert found_in(run(7, 60.0), words) is found

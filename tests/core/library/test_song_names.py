"""Names of artists and titles as they are compared, against names written out by hand."""

import pytest

from nightly_spindle.core.library.song_names import (
    artists_of,
    exact_key,
    lead_of,
    song_key,
    title_of,
)


@pytest.mark.parametrize(
    ("artist", "title", "each"),
    [
        ("Tam Reddick", "Copper Bottom", ["tam reddick"]),
        ("Pell & Daughters", "", ["pell and daughters", "pell", "daughters"]),
        (
            "Ines Calloway, Marisol Venn",
            "",
            ["ines calloway marisol venn", "ines calloway", "marisol venn"],
        ),
        ("Low Grain feat. Tam Reddick", "", ["low grain", "tam reddick"]),
        ("Low Grain", "Wet Rope (feat. Tam Reddick)", ["low grain", "tam reddick"]),
        (
            "Low Grain ft Tam Reddick & Marisol Venn",
            "",
            ["low grain", "tam reddick", "marisol venn"],
        ),
        ("Low Grain x Harrow Point", "", ["low grain x harrow point", "low grain", "harrow point"]),
        (
            "Low Grain vs. Harrow Point",
            "",
            ["low grain vs harrow point", "low grain", "harrow point"],
        ),
        (
            "Low Grain; Harrow Point / Tam",
            "",
            ["low grain harrow point tam", "low grain", "harrow point", "tam"],
        ),
        ("The Breakwater Choir", "", ["breakwater choir"]),
        ("THE BREAKWATER CHOIR", "", ["breakwater choir"]),
        ("Björk Åsdóttir", "", ["bjork asdottir"]),
        ("Xavier Axe", "", ["xavier axe"]),  # an x within a word parts nothing
        ("Anders Andersson", "", ["anders andersson"]),  # nor does an "and"
        ("O'Dowd", "", ["odowd"]),
        ("(Quiet)", "", ["quiet"]),
        ("  ", "Anything feat. Somebody", []),
    ],
)
def test_every_artist_of_a_song(artist, title, each):
    found = artists_of(artist, title)
    assert set(found) == set(each)
    assert len(found) == len(set(found))


@pytest.mark.parametrize(
    ("artist", "lead"),
    [
        ("Pell", "pell"),
        ("Pell & Daughters", "pell"),
        ("Pell, Daughters", "pell"),
        ("Pell feat. Tam Reddick", "pell"),
        ("The Pell vs. Tam", "pell"),
        ("(Pell) x Tam", "pell"),
        ("& Tam", "tam"),
        ("", ""),
        ("!!!", ""),
    ],
)
def test_an_album_is_that_of_whoever_is_credited_first(artist, lead):
    assert lead_of(artist) == lead


@pytest.mark.parametrize(
    ("one", "other", "same"),
    [
        ("Wet Rope, Dry Land", "wet rope dry land", True),
        ("Wet Rope (Live)", "Wet Rope", True),
        ("Wet Rope feat. Tam", "Wet Rope", True),
        ("The Slipway", "Slipway", True),
        ("Salt & Iron", "Salt and Iron", True),
        ("Café", "Cafe", True),
        ("Wet Rope", "Wet Ropes", False),
        ("Wet Rope 2", "Wet Rope", False),
        ("Theatre", "atre", False),  # "the" is cut off as a word alone
    ],
)
def test_titles_that_are_the_same_song(one, other, same):
    assert (title_of(one) == title_of(other)) == same
    assert (song_key("A", one) == song_key("A", other)) == same


def test_versions_are_told_apart_where_that_is_asked_for():
    assert exact_key("A", "Wet Rope (Live)") != exact_key("A", "Wet Rope")
    assert exact_key("The A", "Wet Rope (Live)") == exact_key("a", "wet rope - live")
    assert song_key("A", "") == ""
    assert song_key("A", "B") != song_key("B", "A")

"""What names of folders say of the kind in them."""

import pytest

from nightly_spindle.core.library.folder_kinds import kind_of_folder
from nightly_spindle.core.library.items import Kind


@pytest.mark.parametrize(
    ("name", "kind"),
    [
        ("Jingles", Kind.JINGLE),
        ("01_jingles_2026", Kind.JINGLE),
        ("Station IDs", Kind.ID),
        ("StationIDs", Kind.ID),
        ("Sweepers and IDs", Kind.SWEEPER),
        ("Voice Tracks", Kind.VOICE_TRACK),
        ("Voiceovers", Kind.VOICEOVER),
        ("ADS", Kind.SPOT),
        ("PSAs", Kind.PSA),
        ("News at eight", Kind.NEWS),
        ("Beds", Kind.BED),
        ("Bedtime stories", Kind.SONG),
        ("Adele-like ballads", Kind.SONG),
        ("Gold", Kind.SONG),
        ("", Kind.SONG),
        ("音楽", Kind.SONG),
    ],
)
def test_a_folder_is_told_by_whole_words(name, kind):
    assert kind_of_folder(name) is kind

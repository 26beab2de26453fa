"""What players show: songs themselves, what is between as the station likes, never two lines."""

from dataclasses import replace

import pytest
from conftest import examples, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.library.items import STATION_TONE, Kind
from nightly_spindle.core.outputs.now_playing import (
    LONGEST,
    Between,
    NowPlaying,
    TitleRules,
    check_pattern,
    in_one_line,
    pattern_text,
)

SONG = make_item(1, kind=Kind.SONG, artist="Wren")
ID = make_item(2, kind=Kind.ID, artist="")


def texts(between, *items):
    told = NowPlaying(TitleRules(between=between), "Pier")
    return [shown.text for n, item in enumerate(items) if (shown := told.started(item, n))]


def test_what_is_between_songs_is_shown_as_the_station_likes():
    after = make_item(3, kind=Kind.SONG, artist="Ada")
    one, other = "Wren - Title 1", "Ada - Title 3"
    assert texts(Between.STATION, SONG, ID, after) == [one, "Pier", other]
    assert texts(Between.BEFORE, SONG, ID, after) == [one, other]
    assert texts(Between.ITSELF, SONG, ID, after) == [one, "Title 2", other]
    assert texts(Between.BEFORE, ID) == ["Pier"], "nothing was on before"
    assert texts(Between.ITSELF, STATION_TONE) == ["Pier"]
    assert texts(Between.STATION, SONG, SONG) == [one], "the same is not told twice"


def test_an_event_can_put_its_own_name_in_place_of_titles():
    told = NowPlaying(TitleRules(), "Pier")
    assert told.started(SONG, 1, "Morning\nshow").text == "Morning show"
    assert told.started(ID, 2, "Morning\nshow") is None
    assert told.started(SONG, 3).text == "Wren - Title 1"


def test_what_a_pattern_names_and_an_item_lacks_leaves_the_title_alone():
    nameless = replace(SONG, artist=" ")
    assert pattern_text("{artist} - {title}", SONG, "Pier") == "Wren - Title 1"
    assert pattern_text("{artist} - {title}", nameless, "Pier") == "Title 1"
    assert pattern_text("{title} on {station}", nameless, "Pier") == "Title 1 on Pier"
    tricky = replace(SONG, title="{artist} \\1")
    assert pattern_text("{title}", tricky, "Pier") == "{artist} \\1"


@pytest.mark.parametrize("pattern", ["", "fixed", "{year}", "{artist", "artist}", "{title} }"])
def test_a_pattern_that_cannot_be_is_refused(pattern):
    with pytest.raises(SettingRefused, match="the pattern of titles"):
        check_pattern(pattern)


@examples(300)
@given(st.text(max_size=400))
def test_any_text_becomes_one_printable_line(text):
    line = in_one_line(text)
    assert line.isprintable()
    assert line == line.strip()
    assert len(line) <= LONGEST
    short = "".join(c for c in text if c.isprintable() and not c.isspace())
    if len(short) < LONGEST // 2 and len(text) < LONGEST:
        assert line.replace(" ", "") == short

"""Reading logs and matching their lines."""

import codecs

import pytest
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.core.errors import LogUnreadable
from nightly_spindle.core.logs import LogLine, parse_m3u, path_of, read_log, write_m3u
from nightly_spindle.core.matching import Candidate, Status, key, match_line, name_key

ROOT = "/srv/music"
NAMES = {
    1: f"{ROOT}/Choir/Saltgrass.flac",
    2: f"{ROOT}/Reddick/Ballast.flac",
    3: f"{ROOT}/Choir/Ballast.flac",
    4: f"{ROOT}/logs-beside/Ebbe \u00e4ndert.mp3",
}
CANDIDATES = {}
for number, place in NAMES.items():
    CANDIDATES.setdefault(name_key(place), []).append(Candidate(number, place))


def match(raw):
    return match_line(LogLine(1, raw), f"{ROOT}/logs-beside", [ROOT], CANDIDATES)


@pytest.mark.parametrize(
    ("raw", "cart", "how"),
    [
        ("/srv/music/Choir/Saltgrass.flac", 1, "path"),
        ("/SRV/Music/CHOIR/saltgrass.FLAC", 1, "path"),
        ("../Reddick/Ballast.flac", 2, "path"),
        ("..\\Choir\\Ballast.flac", 3, "path"),
        ("M:\\Radio\\Choir\\Ballast.flac", 3, "path from another machine"),
        ("\\\\studio\\share\\Reddick\\Ballast.flac", 2, "path from another machine"),
        ("/mnt/other/Choir/Saltgrass.flac", 1, "end of path"),
        ("Saltgrass.flac", 1, "file name"),
        ("D:\\Saltgrass.flac", 1, "file name"),
        # a decomposed a-umlaut, as some systems write it
        ("Ebbe a\u0308ndert.mp3", 4, "file name in the log's folder"),
        # RFC 8089 appendix B and E.2: a local file URI, and one with a drive letter
        ("file:///srv/music/Choir/Saltgrass.flac", 1, "path"),
        ("file:///c:/Radio/Reddick/Ballast.flac", 2, "path from another machine"),
        ("file://localhost/srv/music/logs-beside/Ebbe%20%C3%A4ndert.mp3", 4, "path"),
    ],
)
def test_spellings_that_find_their_item(raw, cart, how):
    found = match(raw)
    assert (found.status, found.cart, found.how) == (Status.MATCHED, cart, how)


@pytest.mark.parametrize(
    ("raw", "status", "why"),
    [
        ("Ballast.flac", Status.AMBIGUOUS, "2 items have this file name: carts 2, 3"),
        ("Kelp.flac", Status.MISSING, "no item"),
        ("/etc/passwd", Status.REFUSED, "/etc/passwd lies outside the station's audio folders"),
        ("../../../etc/shadow", Status.REFUSED, "outside"),
        ("http://radio.example/stream", Status.REFUSED, "web streams"),
    ],
)
def test_lines_that_find_nothing_say_why(raw, status, why):
    found = match(raw)
    assert found.status is status
    assert why in found.how
    assert found.cart is None


@given(st.binary(max_size=600))
def test_any_bytes_are_a_log_or_refused_in_one_sentence(data):
    try:
        log = parse_m3u(data, "x.m3u")
    except LogUnreadable as error:
        assert str(error).startswith("x.m3u")
        assert "\n" not in str(error)
    else:
        for line in log.lines:
            match_line(line, "/logs", [ROOT], CANDIDATES)


TEXT = st.text(
    st.characters(exclude_categories=["C", "Z"], exclude_characters="#"), min_size=1, max_size=40
)


@given(st.lists(st.tuples(TEXT, TEXT, st.floats(0, 9999)), max_size=20))
def test_what_is_written_is_read_back(entries):
    log = parse_m3u(write_m3u(entries).encode(), "x.m3u8")
    assert [(line.raw, line.label) for line in log.lines] == [(p, t) for p, t, _ in entries]


@pytest.mark.parametrize("charset", ["utf-8-sig", "utf-16", "cp1252", "utf-8"])
def test_character_sets(charset):
    log = parse_m3u("#EXTM3U\r\nGr\u00fcne \u00c5.flac\r\n".encode(charset), "x.m3u")
    assert [line.raw for line in log.lines] == ["Gr\u00fcne \u00c5.flac"]


def test_hostile_files(tmp_path):
    endless = parse_m3u(b"a" * 100_000 + b"\nok.flac\n", "x.m3u")
    assert "100,000 characters" in endless.lines[0].fault
    assert endless.lines[1].fault == ""
    with pytest.raises(LogUnreadable, match="line 2: holds the control byte 0x00"):
        parse_m3u(b"ok.flac\n\x00\x01\x02", "x.m3u")
    with pytest.raises(LogUnreadable, match="breaks off"):
        parse_m3u(codecs.BOM_UTF16_LE + b"a\x00b", "x.m3u")
    (tmp_path / "2026-11-24.m3u").mkdir()
    with pytest.raises(LogUnreadable, match="is a folder"):
        read_log(tmp_path / "2026-11-24.m3u")
    with pytest.raises(LogUnreadable, match="No such file"):
        read_log(tmp_path / "none.m3u")


def test_keys_fold_capitals_and_composition():
    assert key("A\u0308.FLAC") == key("\u00e4.flac")
    assert path_of("FILE:///a%20b") == "/a b"

"""Reading logs in every format, matching their lines, what lines mean, edits of a log."""

import codecs
import csv
import io
import string
from pathlib import PureWindowsPath

import pytest
from hypothesis import assume, given
from hypothesis import strategies as st

from nightly_spindle.core.base.errors import LogUnreadable, SettingRefused
from nightly_spindle.core.library.song_names import Likeness, song_key
from nightly_spindle.core.logs.log_edits import LogEdit, Op, applied, edit_from_values, next_key
from nightly_spindle.core.logs.log_line import LogLine, path_of
from nightly_spindle.core.logs.log_matching import (
    LibraryNames,
    LogPlace,
    Match,
    MatchCandidate,
    MatchStatus,
    key,
    match_line,
    name_key,
    translate,
)
from nightly_spindle.core.logs.log_meanings import Meaning, Means, meaning_from, meant, tag_of
from nightly_spindle.core.logs.log_reading import LogFormat, parse_log, read_log
from nightly_spindle.core.logs.log_tables import parse_columns, propose_columns, propose_csv
from nightly_spindle.core.logs.log_text import lines_of
from nightly_spindle.core.logs.log_writers import COLUMNS, LogEntry, write_log

ROOT = "/srv/music"
NAMES = {
    1: f"{ROOT}/Choir/Saltgrass.flac",
    2: f"{ROOT}/Reddick/Ballast.flac",
    3: f"{ROOT}/Choir/Ballast.flac",
    4: f"{ROOT}/logs-beside/Ebbe \u00e4ndert.mp3",
}
CANDIDATES = {}
for number, place in NAMES.items():
    CANDIDATES.setdefault(name_key(place), []).append(MatchCandidate(number, place))
SONGS = {
    song_key("Tam Reddick", "Slack Water"): [(2, "Tam Reddick", "Slack Water")],
    song_key("Choir", "Tide"): [(1, "Choir", "Tide"), (3, "Choir", "Tide (harbour mix)")],
}
KNOWN = LibraryNames(CANDIDATES, frozenset(NAMES), SONGS, {"@@ news": 4})
WHERE = LogPlace(f"{ROOT}/logs-beside", [ROOT], [("X:\\Audio", ROOT), ("\\\\nas\\songs", ROOT)])


def match(raw, **more):
    return match_line(LogLine(1, raw, path=more.pop("path", raw), **more), WHERE, KNOWN)


def lines(text, name="x.m3u", **more):
    data = text if isinstance(text, bytes) else text.encode()
    return parse_log(data, name, **more).lines


# -- matching --------------------------------------------------------------------------------------


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
        ("3.wav", 3, "cart number as file name"),
        ("x:/audio/Reddick/Ballast.flac", 2, "path, x: translated"),
        ("\\\\NAS\\songs\\Choir\\Ballast.flac", 3, "path, \\\\ translated"),
        ("@@ NEWS", 4, "settled by hand before"),
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
    assert (found.status, found.cart, found.how) == (MatchStatus.MATCHED, cart, how)


@pytest.mark.parametrize(
    ("raw", "status", "why"),
    [
        ("Ballast.flac", MatchStatus.AMBIGUOUS, "2 items have this file name: carts 2, 3"),
        ("Kelp.flac", MatchStatus.MISSING, "no item"),
        (
            "/etc/passwd",
            MatchStatus.REFUSED,
            "/etc/passwd is outside the station's audio folders",
        ),
        ("../../../etc/shadow", MatchStatus.REFUSED, "outside"),
        ("X:\\Audio\\..\\..\\..\\etc\\shadow", MatchStatus.REFUSED, "outside"),
        ("http://radio.example/stream", MatchStatus.REFUSED, "web streams"),
        ("../lists/self.m3u", MatchStatus.REFUSED, "names another list"),
    ],
)
def test_lines_that_find_nothing_say_why(raw, status, why):
    found = match(raw)
    assert found.status is status
    assert why in found.how
    assert found.cart is None


@pytest.mark.parametrize(
    ("artist", "title", "cart"),
    [
        ("TAM  REDDICK", "slack water", 2),
        ("Tam Reddick feat. Odile", "Slack Water!", 2),
        ("Tam Réddick", "Slack Water [live]", 2),
        ("The Choir", "Tide (Harbour Mix)", 3),
        ("Choir", "Tide", 1),
        ("Choir", "Tide (radio edit)", None),  # two versions, neither is this one
    ],
)
def test_artist_and_title_find_what_is_spelled_another_way(artist, title, cart):
    found = match("lost.flac", artist=artist, title=title)
    assert found.cart == cart
    assert found.status is (MatchStatus.MATCHED if cart else MatchStatus.AMBIGUOUS)


def test_closest_names_come_first_and_strangers_not_at_all():
    names = [(n, song_key("Tam Reddick", f"Song {n}")) for n in range(50)]
    names += [(100, song_key("Odile Faraday", "Bell Buoy")), (101, song_key("Wren", "Saltgrass"))]
    near = Likeness(names)
    best = near.closest(song_key("Odille Faraday", "Bel Buoy"))
    assert best[0].cart == 100
    assert 90 < best[0].score < 100
    assert near.closest(song_key("Rren", "Saltgras"))[0].cart == 101
    assert near.closest(song_key("Quite", "Another Thing")) == []


@pytest.mark.parametrize(
    ("path", "here"),
    [
        ("m:\\a\\b.flac", "/one/a/b.flac"),
        ("M:/Deep/b.flac", "/two/b.flac"),
        ("MM:\\a.flac", None),
        ("/mnt/m/a", None),
    ],
)
def test_the_longest_translation_wins(path, here):
    assert translate(path, [("M:", "/one"), ("M:\\deep", "/two/")]) == here


# -- formats, against what is published ------------------------------------------------------------

# the short example of the XSPF version 1 specification (Xiph), "a very simple document", and its
# elements in the second; both from memory, as are the examples of the RFCs below
XSPF_MUSIC = """<?xml version="1.0" encoding="UTF-8"?>
<playlist version="1" xmlns="http://xspf.org/ns/0/">
    <trackList>
        <track><location>file:///mp3s/song_1.mp3</location></track>
        <track><location>file:///mp3s/song_2.mp3</location></track>
        <track><location>file:///mp3s/song_3.mp3</location></track>
    </trackList>
</playlist>"""
XSPF_TRACK = """<?xml version="1.0" encoding="UTF-8"?>
<playlist version="1" xmlns="http://xspf.org/ns/0/" xml:base="file:///srv/music/">
  <trackList>
    <track>
      <location>Choir/Saltgrass%20one.flac</location>
      <creator>The Choir</creator><title>Saltgrass</title>
      <annotation>for the night</annotation><duration>271066</duration>
    </track>
    <track><creator>Wren</creator><title>Only a name</title></track>
    <track/>
  </trackList>
</playlist>"""


def test_xspf_as_its_specification_has_it():
    found = lines(XSPF_MUSIC, "x.xspf")
    assert [path_of(line.path) for line in found] == [f"/mp3s/song_{n}.mp3" for n in (1, 2, 3)]
    # the specification: the duration is the time to render a resource, in milliseconds
    first, name_only, nothing = lines(XSPF_TRACK, "x.xspf")
    assert path_of(first.path) == "/srv/music/Choir/Saltgrass one.flac"
    assert (first.artist, first.title, first.length_s) == ("The Choir", "Saltgrass", 271.066)
    assert first.comment == "for the night"
    assert (name_only.path, name_only.label) == ("", "Wren - Only a name")
    assert nothing.fault == "the track names nothing"


BOMB = (
    '<?xml version="1.0"?><!DOCTYPE l [<!ENTITY a "aaaaaaaaaa">'
    + "".join(
        f'<!ENTITY {b} "{f"&{a};" * 10}">' for a, b in zip("abcdefgh", "bcdefghi", strict=True)
    )
    + ']><playlist version="1" xmlns="http://xspf.org/ns/0/"><title>&i;</title></playlist>'
)
OUTSIDE = (
    '<!DOCTYPE p [<!ENTITY x SYSTEM "file:///etc/passwd">]>'
    '<playlist xmlns="http://xspf.org/ns/0/"><title>&x;</title></playlist>'
)


@pytest.mark.parametrize("bad", [BOMB, OUTSIDE, "<playlist", "<other/>", "", "\0<playlist/>"])
def test_xspf_that_is_none_or_a_trap_is_refused(bad):
    with pytest.raises(LogUnreadable, match=r"x\.xspf is not an XSPF playlist"):
        lines(bad, "x.xspf")


def test_extinf_as_rfc_8216_has_it():
    # RFC 8216 section 4.3.2.1: "#EXTINF:<duration>,[<title>]", integer or decimal-floating-point
    text = (
        "#EXTM3U\n#EXTINF:9.009,\na.flac\n#EXTINF:9,First, and second\nb.flac\n#EXTINF:-1,Live\nc\n"
    )
    found = [(line.raw, line.label, line.length_s) for line in lines(text)]
    assert found == [
        ("a.flac", "", 9.009),
        ("b.flac", "First, and second", 9.0),
        ("c", "Live", None),
    ]


def test_csv_as_rfc_4180_has_it():
    # RFC 4180 section 2, rules 1, 2, 5, 6, 7: quotes, commas, line breaks and "" inside fields
    text = 'cart,title,artist\r\n7,"b ""bb","ccc, d"\r\n8,"b\r\nbb",ccc'
    found = lines(text, "x.csv")
    assert [(line.cart, line.title, line.artist) for line in found] == [
        (7, 'b "bb', "ccc, d"),
        (8, "b\r\nbb", "ccc"),
    ]


# RFC 8089 sections 2, appendix B, E.2, E.3; RFC 3986 section 2.1 (percent-encoding)
@pytest.mark.parametrize(
    ("uri", "path"),
    [
        ("file:///path/to/file", "/path/to/file"),
        ("file:/path/to/file", "/path/to/file"),
        ("file://localhost/path/to/file", "/path/to/file"),
        ("file:///c:/path/to/file", "c:/path/to/file"),
        ("file:c:/path/to/file", "c:/path/to/file"),
        ("file:///c|/path/to/file", "c:/path/to/file"),
        (
            "file://host.example.com/Share/path/to/file.txt",
            "//host.example.com/Share/path/to/file.txt",
        ),
        ("file:////host.example.com/path/to/file", "//host.example.com/path/to/file"),
        ("file://///host.example.com/path/to/file", "//host.example.com/path/to/file"),
        ("FILE:///a%20b%C3%A9%2Fc", "/a b\u00e9/c"),
        ("file://[", "file://["),
    ],
)
def test_file_uris(uri, path):
    assert path_of(uri) == path


@given(
    st.text(st.characters(exclude_categories=["C"], exclude_characters='\\/:*?"<>|'), min_size=1)
)
def test_windows_paths_become_uris_and_back(name):
    assume(name.strip(" .") == name)
    path = PureWindowsPath("C:\\Music") / name
    assert path_of(path.as_uri()) == path.as_posix()


WORD = st.text(st.characters(exclude_categories=["C", "Z"]), min_size=1, max_size=12).filter(
    lambda word: word.strip("-") and "\ufeff" not in word and "@" not in word
)
PHRASE = st.lists(WORD, min_size=1, max_size=3).map(" ".join)
SAFE = PHRASE.filter(lambda text: " - " not in f" {text} " and not text.startswith(("#", ";")))
ENTRIES = st.lists(
    st.builds(
        LogEntry,
        st.builds("/srv/{}.flac".format, SAFE),
        SAFE,
        SAFE,
        st.integers(1, 10**7),
        st.integers(1, 9999).map(float),
        st.integers(0, 86_399).map(float),
        st.sampled_from(["song", "spot", "id"]),
        SAFE,
    ),
    min_size=1,
    max_size=8,
)


@given(
    ENTRIES, st.sampled_from([f for f in LogFormat if f not in {LogFormat.AUTO, LogFormat.COLUMNS}])
)
def test_what_is_written_is_read_back_the_same(entries, form):
    found = parse_log(write_log(entries, form, "t").encode(), "x", form).lines
    assert [(path_of(x.path), x.artist, x.title, x.length_s) for x in found] == [
        (e.path, e.artist, e.title, e.length_s) for e in entries
    ]
    if form is LogFormat.CSV:
        assert [(x.cart, x.at_s, x.type, x.comment) for x in found] == [
            (e.cart, e.at_s, e.type, e.comment) for e in entries
        ]


PLAIN = st.text(string.ascii_letters + string.digits, min_size=1, max_size=20)


@given(st.lists(st.tuples(PLAIN, PLAIN, st.integers(1, 10**7), st.integers(0, 86_399)), min_size=1))
def test_fixed_columns_are_read_back_by_their_template(rows):
    entries = [LogEntry("", a, t, c, 60.0, float(at), "song", "x") for a, t, c, at in rows]
    text = write_log(entries, LogFormat.COLUMNS)
    found = parse_log(text.encode(), "x", LogFormat.COLUMNS, template=COLUMNS).lines
    assert [(x.artist, x.title, x.cart, int(x.at_s)) for x in found] == rows


SAMPLE = """\
06:00:00  SONG    001024  Tam Reddick           Slack Water           03:31
06:03:31  SONG    001107  The Breakwater Choir  Saltgrass             04:02
06:07:33  ID      000012  Station               Harbour bells         00:06
06:07:39  BREAK           2 spots                                     01:00
06:08:39  SONG    001033  Odile Faraday         Bell Buoy             02:58
"""


def test_a_template_is_worked_out_of_a_sample_of_columns():
    template = propose_columns([text for _, text in lines_of(SAMPLE, "x")])
    found = parse_columns(lines_of(SAMPLE, "x"), template)
    assert [(x.at_s, x.type, x.cart, x.artist, x.title, x.length_s) for x in found[:2]] == [
        (21600.0, "SONG", 1024, "Tam Reddick", "Slack Water", 211.0),
        (21811.0, "SONG", 1107, "The Breakwater Choir", "Saltgrass", 242.0),
    ]
    assert meant(found[3], ()).status is MatchStatus.BREAK
    assert meant(found[3], ()).value == 2


def test_a_template_is_worked_out_of_a_table_without_a_header():
    out = io.StringIO()
    writer = csv.writer(out, delimiter=";")
    for n in range(12):
        at = f"{6 + n // 6:02}:{n % 6 * 10:02}:00"
        writer.writerow([at, "SONG", 1000 + n, f"Band {n}", f"Name {n}", f"3:0{n % 10}"])
    assert propose_csv(out.getvalue(), "x") == "time,type,cart,artist,title,length"
    found = lines(out.getvalue(), "x.csv")
    assert (found[3].cart, found[3].artist, found[3].length_s) == (1003, "Band 3", 183.0)
    with pytest.raises(SettingRefused, match="'tune' is not a valid field"):
        lines("1,2\n", "x.csv", template="cart,tune")
    with pytest.raises(SettingRefused, match="not like “title 23-60”"):
        lines("a  b\nc  d\n", "x.txt", format_=LogFormat.COLUMNS, template="title 60-23")


# -- character sets, bad input ---------------------------------------------------------------------


@pytest.mark.parametrize(
    "charset", ["utf-8-sig", "utf-16", "utf-16-le", "utf-16-be", "cp1252", "utf-8", "cp850"]
)
def test_character_sets_are_worked_out(charset):
    text = "#EXTM3U\r\nGr\u00fcne W\u00e4lder.flac\rCaf\u00e9 pr\u00e8s.flac\n"
    assert [line.raw for line in lines(text.encode(charset))] == [
        "Gr\u00fcne W\u00e4lder.flac",
        "Caf\u00e9 pr\u00e8s.flac",
    ]


def test_a_chosen_character_set_is_kept_to():
    assert (
        lines("\u017dlut\u00fd.flac".encode("cp1250"), charset="cp1250")[0].raw
        == "\u017dlut\u00fd.flac"
    )
    with pytest.raises(LogUnreadable, match="is not utf-8 text"):
        lines(b"\xff\xfa.flac", charset="utf-8")


@given(st.binary(max_size=600), st.sampled_from(["x.m3u", "x.xspf", "x.pls", "x.csv", "x.txt"]))
def test_any_bytes_are_a_log_or_refused_in_one_sentence(data, name):
    try:
        log = parse_log(data, name)
    except (LogUnreadable, SettingRefused) as error:
        assert "\n" not in str(error).strip()
    else:
        for line in log.lines:
            if meant(line, ()) is None:
                match_line(line, WHERE, KNOWN)


def test_hostile_files(tmp_path):
    endless = lines(b"a" * 100_000 + b"\nok.flac\n")
    assert "100,000 characters" in endless[0].fault
    assert endless[1].fault == ""
    with pytest.raises(LogUnreadable, match="line 2: holds the control byte 0x00"):
        lines(b"ok.flac\n\x00\x01\x02")
    with pytest.raises(LogUnreadable, match="breaks off"):
        lines(codecs.BOM_UTF16_LE + b"a\x00b")
    (tmp_path / "2026-11-24.m3u").mkdir()
    with pytest.raises(LogUnreadable, match="is a folder"):
        read_log(tmp_path / "2026-11-24.m3u")
    with pytest.raises(LogUnreadable, match="No such file"):
        read_log(tmp_path / "none.m3u")
    with (tmp_path / "huge.m3u").open("wb") as file:
        file.truncate(100 * 2**20)
    with pytest.raises(LogUnreadable, match="104,857,600 bytes; a log has at most"):
        read_log(tmp_path / "huge.m3u")
    with pytest.raises(LogUnreadable, match="more than 100,000 lines"):
        lines("a\n" * 100_002)
    with pytest.raises(LogUnreadable, match="does not begin with"):
        lines("File1=a.flac\n", "x.pls")
    assert lines("[playlist]\nFile1=a.flac\nLength1=-5\n", "x.pls")[0].length_s is None
    assert lines("") == ()
    assert [line.remark for line in lines("# only\n#comments\n")] == [True, True]


def test_keys_fold_capitals_and_composition():
    assert key("A\u0308.FLAC") == key("\u00e4.flac")


# -- meanings and edits ----------------------------------------------------------------------------

TABLE = (
    Meaning("SPOTS 2*", Means.BREAK, 2),
    Meaning("*TOP OF HOUR*", Means.MARK),
    Meaning("END", Means.IGNORE),
    Meaning("NEWS", Means.ITEM, 1024),
)


@pytest.mark.parametrize(
    ("raw", "status", "value"),
    [
        ("spots 2 (morning)", MatchStatus.BREAK, 2),
        ("** Top of hour 14:00:00", MatchStatus.MARK, 50_400),
        ("** top of hour", MatchStatus.COMMENT, 0),
        ("end", MatchStatus.IGNORED, 0),
        ("News", MatchStatus.MATCHED, 0),
    ],
)
def test_lines_mean_what_the_table_says(raw, status, value):
    found = meant(LogLine(1, raw, path=raw), TABLE)
    assert (found.status, found.value) == (status, value)


def test_meanings_read_from_words():
    assert meaning_from("A=B*=break 2") == Meaning("A=B*", Means.BREAK, 2)
    assert meaning_from("NEWS=cart 7").sentence() == "“NEWS” is cart 7"
    tag = meaning_from("*Request*=tag")
    assert (tag.tag, tag.sentence()) == ("request", "“*Request*” tags its line “request”")
    line = LogLine(1, "a.flac", label="Lamp (REQUEST)", path="a.flac")
    assert (tag_of(line, [*TABLE, tag]), tag_of(line, TABLE)) == ("request", "")
    assert meant(line, [tag]) is None  # it is matched as any other
    for bad in ("x", "x=tune", "=break", "**=ignore", "x=cart", "x=break 99", "x=break two"):
        with pytest.raises(SettingRefused):
            meaning_from(bad)


@given(st.data())
def test_edits_hold_when_the_file_is_written_anew(data):
    raws = data.draw(st.lists(st.sampled_from("abcde"), min_size=1, max_size=8))
    was = [Match(line, MatchStatus.MISSING, "") for line in lines("\n".join(raws))]
    edits = []
    for _ in range(data.draw(st.integers(0, 6))):
        keys = [m.key for m in applied(was, edits)[0]]
        op = data.draw(st.sampled_from(list(Op)))
        line = next_key(edits) if op is Op.INSERT else data.draw(st.sampled_from(keys))
        before = data.draw(st.sampled_from([*keys, ""]))
        edits.append(LogEdit(op, line, 7, before))
    now, lost = applied(was, edits)
    assert lost == ()
    assert edits == [edit_from_values(edit.values()) for edit in edits]
    assert len(now) == len(was) + sum(edit.op is Op.INSERT for edit in edits)
    # lines are put in front: the edits still find those that they meant
    grown = [Match(line, MatchStatus.MISSING, "") for line in lines("\n".join(["z", *raws]))]
    again, lost = applied(grown, edits)
    assert lost == ()
    touched = {edit.line for edit in edits}
    assert [m.cart for m in again if m.key in touched] == [m.cart for m in now if m.key in touched]
    # one of them goes: its edits are told, nothing else is lost
    fewer = [m for m in was if not edits or m.key != edits[0].line]
    applied(fewer, edits)


def test_breaks_and_marks_are_written_as_comments_and_songs_behind_them_too():
    entries = [
        LogEntry("a.flac", "Wren", "Ebb", length_s=200.4),
        LogEntry(type="break", title="News", at_s=72_000.0),
        LogEntry(type="mark", comment="half past"),
        LogEntry("b.flac", title="Bell"),
    ]
    assert write_log(entries, LogFormat.M3U).splitlines() == [
        "#EXTM3U",
        "#EXTINF:200,Wren - Ebb",
        "a.flac",
        "# BREAK News 20:00:00",
        "# MARK half past",
        "#EXTINF:-1,Bell",
        "b.flac",
    ]

"""The library: finding, editing and undoing, lists, exchange, sound that is the same again."""

import csv
import io
import json
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path, PurePosixPath

import pytest
from conftest import RATE, ZONE, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault, LogUnreadable
from nightly_spindle.core.base.timebase import zone
from nightly_spindle.core.logs.log_matching import search_words
from nightly_spindle.core.logs.log_xspf import XSPF
from nightly_spindle.core.logs.playlists import PlaylistTrack, m3u, playlist_files, xspf
from nightly_spindle.core.segues.list_length import running_time
from nightly_spindle.core.segues.segue_rules import Segues
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import categories, exchange, items, lists
from nightly_spindle.store.library.catalogue import SORTS, Catalogue, Query
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.item_uses import uses_of


def found(folder, words="", **narrowed):
    catalogue = Catalogue(folder)
    try:
        return catalogue.find(Query(words, **narrowed)).carts.tolist()
    finally:
        catalogue.close()


def everything(folder):
    """All that an edit may touch, for comparing before and after."""
    connection = connect(folder)
    tables = (
        "item",
        "item_sound",
        "category",
        "item_category",
        "list",
        "list_line",
        "former_place",
    )
    rows = {
        t: [tuple(r) for r in connection.execute(f"SELECT * FROM {t} ORDER BY 1, 2")]
        for t in tables
    }
    names = [d[1] for d in connection.execute("PRAGMA table_info(item)")]
    at = names.index("version")
    rows["item"] = [row[:at] + row[at + 1 :] for row in rows["item"]]
    connection.close()
    return rows


def seen(catalogue):
    """All that a catalogue answers from its arrays."""
    every = [catalogue.find(Query(words, sort="title")) for words in ("", "lamp", "night", "100")]
    return [(f.carts.tolist(), f.kinds, f.categories, f.loose, f.total_s) for f in every]


# -- finding ---------------------------------------------------------------------------------------


def test_filter_facets_and_sorting(station):
    with LibraryTransaction(station) as library:
        items.edit(library, [1001], {"artist": "Šárka Ångström", "album": "Lögn", "year": "1999"})
        cat = categories.make(library, "Night drive")
        categories.add(library, cat, [1001, 1004])
    for words, carts in (
        ("sarka", [1001]),
        ("ANGSTROM lo", [1001]),
        ("night", [1004, 1001]),
        ("100", None),
        ("1004", [1004]),
        ('"; DROP - *', []),
        ("lamp drive", [1004, 1001]),
        ("-- --", None),
        ("lamp zzz", []),
    ):
        got = found(station, words)
        assert got == (found(station) if carts is None else carts), words
    assert found(station, kinds=("id",)) == [1009]
    assert found(station, category=cat) == [1004, 1001]
    assert len(found(station, category=0)) == 7
    catalogue = Catalogue(station)
    one = catalogue.find(Query("keeper", kinds=("song",)))
    assert {g.name: g.count for g in one.kinds}["song"] == 7, "1001 is no Keeper any more"
    rows = {row["cart"]: dict(row) for row in connect(station).execute("SELECT * FROM item")}
    for sort in SORTS:
        for down in (False, True):
            got = found(station, sort=sort, descending=down)
            assert sorted(got) == sorted(rows)
    lengths = [rows[cart]["duration_s"] for cart in found(station, sort="length", descending=True)]
    assert lengths == sorted(lengths, reverse=True)
    assert [g.name for g in catalogue.albums("šárka ångström")] == ["Lögn"]
    assert [r.cart for r in catalogue.rows([1004, 99, 1001])] == [1004, 1001]
    with pytest.raises(InputFault, match="sorted by 'colour'"):
        found(station, sort="colour")


@given(words=st.text(max_size=30) | st.sampled_from(["keeper", "LAMP 3", "kee la", "bell x"]))
def test_a_filter_finds_what_reading_every_item_finds(built, words):
    catalogue = Catalogue(built)
    texts = catalogue._connection.execute("SELECT cart, words FROM item").fetchall()
    catalogue.close()
    wanted = search_words(words).split()
    by_hand = {row["cart"] for row in texts if all(f" {w}" in row["words"] for w in wanted)}
    assert set(found(built, words)) == by_hand


# -- editing ---------------------------------------------------------------------------------------


def test_every_edit_can_be_taken_back_whole(station):
    with LibraryTransaction(station) as library:
        night = categories.make(library, "Night", 2.0)
        day = categories.make(library, "Day")
        categories.add(library, night, [1001, 1002])
        categories.add(library, day, [1002])
        mine = lists.make_list(library, "Mine", [1001, 1003, 1001])
    before = everything(station)
    kept = Catalogue(station)  # follows edit by edit what a new one reads at once
    edits = [
        (lambda b: items.edit(b, [1001, 1002], {"artist": "X", "kind": "promo"}), items.set_back),
        (lambda b: items.remove(b, [1001, 1003]), items.put_back),
        (lambda b: categories.rename_or_merge(b, day, "Late"), categories.undo_rename),
        (lambda b: categories.rename_or_merge(b, night, "Day"), categories.undo_rename),
        (lambda b: categories.remove(b, night), categories.put_category_back),
        (lambda b: categories.add(b, day, [1001, 1002]), categories.take_out),
        (lambda b: lists.append(b, mine, [1004]), lists.set_back),
        (lambda b: lists.remove_list(b, mine), lists.put_list_back),
        (lambda b: items.take_over(b, 1005, 1001), items.undo_take_over),
    ]
    for do, undo in edits:
        count = change_count(connect(station))
        with LibraryTransaction(station) as library:
            memory = do(library)
        assert everything(station) != before
        assert seen(kept) == seen(Catalogue(station))
        assert change_count(connect(station)) == count + 1, "readers see that something changed"
        with LibraryTransaction(station) as library:
            undo(library, memory)
        assert everything(station) == before
        assert seen(kept) == seen(Catalogue(station))


def test_bad_edits_change_nothing_and_say_why(station):
    before = everything(station)
    for values, why in (
        ({"title": " "}, "title must not be empty"),
        ({"kind": "tune"}, "'tune'"),
        ({"path": "x"}, "cannot be set"),
    ):
        with pytest.raises(InputFault, match=why), LibraryTransaction(station) as library:
            items.edit(library, [1001], values)
    with pytest.raises(InputFault, match="already"), LibraryTransaction(station) as library:
        one = categories.make(library, "One")
        categories.make(library, "Two")
        categories.rename(library, one, "Two")
    with pytest.raises(InputFault, match="weight"), LibraryTransaction(station) as library:
        categories.set_weight(library, 1, 0)
    assert everything(station) == before


def test_replaced_audio_is_found_by_the_logs_that_name_the_old(station, tmp_path):
    from nightly_spindle.core.logs.log_reading import parse_log

    with LibraryTransaction(station) as library:
        items.take_over(library, 1005, 1001)
    snapshot = open_station(station)
    log = parse_log(b"../audio/song/Keeper 0 - Lamp 0.flac\nKeeper 4 - Lamp 4.wav\n", "x.m3u")
    matches = snapshot.logs.match(log, str(station / "logs"))
    assert [m.cart for m in matches] == [1001, 1001]
    assert snapshot.programme.items[1001].path.endswith("Keeper 4 - Lamp 4.wav")


# -- lists -----------------------------------------------------------------------------------------


def test_a_list_runs_as_long_as_the_sequencer_airs_it(station):
    # the independent reading: what the rehearsal of the same items as a log says
    from datetime import date

    from conftest import song_names, write_log

    names = [n for n in song_names(station) if n.startswith("song")]
    write_log(station, date(2026, 11, 24), names)
    from nightly_spindle.cli.base.begun_sequencer import begin
    from nightly_spindle.core.playout.rehearsal import rehearse

    snapshot, sequencer, begun = begin(str(station), "2026-11-24T00:00", 0.2)
    night = rehearse(snapshot.programme, sequencer, begun, 0.2).sounding()[: len(names)]
    carts = [row.line.cart for row in night]
    segues = snapshot.programme.segues
    running = running_time([snapshot.programme.items[c] for c in carts], segues, RATE)
    starts = [(row.start - night[0].start) / RATE for row in night]
    assert running.starts_s == pytest.approx(starts, abs=1e-9)
    plain = sum(
        i.measure.cue_out_s - i.measure.cue_in_s
        for i in (snapshot.programme.items[c] for c in carts)
    )
    assert running.plain_s == pytest.approx(plain, abs=1e-3)
    assert running.aired_s < running.plain_s


def test_an_empty_list_and_one_item_have_a_length():
    assert running_time([], Segues(), RATE).aired_s == 0
    assert running_time([make_item(1, 60)], Segues(), RATE).aired_s == 60
    assert running_time([make_item(1, 60)], Segues(), RATE).short_by_s(90) == 30


# -- open formats ----------------------------------------------------------------------------------


def test_the_table_goes_out_and_comes_back(station, tmp_path, capsys):
    path = tmp_path / "out.csv"
    assert main(["library", "export", str(station), str(path)]) == 0
    rows = list(csv.DictReader(io.StringIO(path.read_text(encoding="utf-8"))))
    assert tuple(rows[0]) == exchange.COLUMNS
    assert len(rows) == 9
    assert main(["library", "read", str(station), str(path)]) == 0
    assert "0 of 9 items are changed" in capsys.readouterr().out
    rows[0]["artist"], rows[1]["categories"] = 'Wren; "Dunlin", and\nKnot', "Tides; Low"
    del rows[2:]
    with path.open("w", encoding="utf-8-sig", newline="") as file:
        writer = csv.DictWriter(
            file, ["cart", "artist", "categories"], delimiter=";", extrasaction="ignore"
        )
        writer.writeheader()
        writer.writerows([*rows, {"cart": "77", "artist": "nobody"}])
    assert main(["library", "read", str(station), str(path), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    assert (told["rows"], len(told["changed"])) == (3, 2)
    assert "line 4 names 77, which is not in the library" in told["problems"][0]
    row = Catalogue(station).rows([int(rows[0]["cart"])])[0]
    assert row.artist == 'Wren; "Dunlin", and Knot'
    assert Catalogue(station).rows([int(rows[1]["cart"])])[0].categories == "Low, Tides"
    changes = exchange.changes_from(Catalogue(station), exchange.read_table(path))
    assert not [c for c in changes if not c.problem]
    # and all of it can be taken back, but for the categories that were made
    with LibraryTransaction(station) as library:
        memory = exchange.apply_changes(library, [exchange.TableChange(2, 1003, {"album": "Low"})])
    with LibraryTransaction(station) as library:
        exchange.undo_changes(library, memory)
    assert Catalogue(station).rows([1003])[0].album == ""


@pytest.mark.parametrize(
    ("body", "why"),
    [
        (b"a,b\n1,2\n", "neither a column cart nor a column path"),
        (b"\xff\xfe\x00", "not UTF-8"),
        (b"", "neither a column"),
    ],
)
def test_tables_that_are_none_say_why(station, tmp_path, capsys, body, why):
    (tmp_path / "t.csv").write_bytes(body)
    assert main(["library", "read", str(station), str(tmp_path / "t.csv")]) == 2
    told = capsys.readouterr().err
    assert why in told
    assert told.count("\n") == 1


TRACKS = st.lists(
    st.builds(
        PlaylistTrack,
        st.text(st.characters(exclude_characters="\0\r\n", exclude_categories=["Cs"]), min_size=1)
        .map(lambda t: "/" + t.strip().strip("/").replace("#", "n"))
        .filter(lambda p: len(p) > 1 and p.strip() == p and ".." not in p),
        st.text(),
        st.text(),
    ),
    max_size=5,
)


@given(tracks=TRACKS)
def test_xspf_is_what_the_standard_says_and_names_every_file(tmp_path_factory, tracks):
    # XSPF version 1 (Xiph): namespace, trackList, location as a URI; read by another parser
    tracks = [replace(t, path=str(PurePosixPath(t.path))) for t in tracks]
    path = tmp_path_factory.mktemp("x") / "list.xspf"
    path.write_text(xspf(tracks, "T\x01 & <t>"), encoding="utf-8")
    root = ET.parse(path).getroot()
    assert root.tag == f"{{{XSPF}}}playlist"
    assert root.get("version") == "1"
    assert len(root.findall(f"{{{XSPF}}}trackList/{{{XSPF}}}track")) == len(tracks)
    assert playlist_files(path) == [t.path for t in tracks]


def test_playlists_go_in_and_hostile_ones_are_refused(station, tmp_path, capsys):
    audio = station / "audio/song"
    path = tmp_path / "ours.m3u"
    catalogue = Catalogue(station)
    carts = catalogue.find(Query(kinds=("song",))).carts.tolist()
    exchange.write(path, catalogue, carts, zone(ZONE), "x")
    assert len(playlist_files(path)) == 8
    assert all(Path(p).parent == audio for p in playlist_files(path))
    assert m3u([PlaylistTrack("/a", "t\nu", "x", "", 61.6)]) == "#EXTM3U\n#EXTINF:62,x - t u\n/a\n"
    # a playlist brings in what it names
    (tmp_path / "l.m3u").write_text(f"{audio}/Keeper 0 - Lamp 0.flac\ngone.flac\n")
    assert main(["import", str(station), str(tmp_path / "l.m3u"), "--kind", "song"]) == 0
    told = capsys.readouterr()
    assert "1 of 2 files" in told.out
    assert "gone.flac, which cannot be read" in told.err
    bomb = '<!DOCTYPE x [<!ENTITY a "aa"><!ENTITY b "&a;&a;">]><playlist>&b;</playlist>'
    for body in (bomb, "<playlist", ""):
        (tmp_path / "x.xspf").write_text(body)
        with pytest.raises(LogUnreadable, match="not an XSPF"):
            playlist_files(tmp_path / "x.xspf")


# -- the command line --------------------------------------------------------------------------


def test_the_library_by_command(station, capsys):
    def out(*arguments):
        status = main([*map(str, arguments)])
        told = capsys.readouterr()
        return status, told.out, told.err

    one, two = "1001", "1002"
    assert out("library", "set", station, one, two, "--artist", "Wren", "--into", "Tides")[0] == 0
    listed = json.loads(out("library", "list", station, "wren", "--json")[1])
    assert [(row["cart"], row["categories"]) for row in listed] == [
        (1001, ["Tides"]),
        (1002, ["Tides"]),
    ]
    assert out("library", "set", station, one, "--out-of", "tides")[0] == 0
    assert found(station, "tides") == [1002]
    assert out("library", "list", station, "--category", "Moon")[0] == 2
    assert (
        "there is no category “Moon”; there are: Tides"
        in out("library", "list", station, "--category", "Moon")[2]
    )
    table = list(csv.DictReader(io.StringIO(out("library", "list", station, "--csv")[1])))
    assert len(table) == 9
    with LibraryTransaction(station) as library:
        lists.make_list(library, "Mine", [1001, 1001])
    assert [u.text for u in uses_of(station, [1001])] == ["list “Mine”, 2 times"]
    shown = json.loads(out("library", "show", station, 1001, "--json")[1])
    assert shown["uses"] == [{"where": "list", "text": "list “Mine”, 2 times"}]
    status, _, why = out("library", "remove", station, one)
    assert (status, "in use (list “Mine”, 2 times)" in why) == (2, True)
    path = Path(shown["path"])
    assert out("library", "remove", station, one, "--even-if-used")[0] == 0
    assert path.exists(), "audio is never deleted unless told to"
    gone = json.loads(out("library", "show", station, two, "--json")[1])["path"]
    assert out("library", "remove", station, two, "--delete-files")[0] == 0
    assert not Path(gone).exists()
    assert out("library", "set", station, 4711, "--artist", "x")[0] == 2

"""The library: finding, editing and undoing, lists, exchange, sound that is the same again."""

import csv
import io
import json
import xml.etree.ElementTree as ET
from dataclasses import replace
from pathlib import Path, PurePosixPath

import numpy as np
import pytest
import soundfile
import soxr
from conftest import RATE, ZONE, beep, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.audio.fingerprint import same_sound
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.audio.tags import LONGEST, clean, read_tags
from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault, LogUnreadable, SettingRefused
from nightly_spindle.core.base.timebase import zone
from nightly_spindle.core.library.intake import (
    IntakeOptions,
    Numbering,
    State,
    Tags,
    Twin,
    Waits,
    fields_in_name,
    judge,
    number_in_name,
    options_from,
    options_values,
    tags_for,
)
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.library.markers import Marks
from nightly_spindle.core.logs.log_xspf import XSPF
from nightly_spindle.core.logs.playlists import PlaylistTrack, m3u, playlist_files, xspf
from nightly_spindle.core.segues.effective_markers import kept_marks
from nightly_spindle.core.segues.list_length import running_time
from nightly_spindle.core.segues.segue_rules import Segues
from nightly_spindle.simulators import synth
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
    tables = ("item", "item_sound", "category", "item_category", "list", "list_line",
              "former_place")  # fmt: skip
    rows = {t: [tuple(r) for r in connection.execute(f"SELECT * FROM {t} ORDER BY 1, 2")]
            for t in tables}  # fmt: skip
    names = [d[1] for d in connection.execute("PRAGMA table_info(item)")]
    at = names.index("version")
    rows["item"] = [row[:at] + row[at + 1 :] for row in rows["item"]]
    connection.close()
    return rows


def seen(catalogue):
    """All that a catalogue answers from its arrays."""
    every = [catalogue.find(Query(words, sort="title")) for words in ("", "lamp", "night", "100")]
    return [(f.carts.tolist(), f.kinds, f.categories, f.loose, f.total_s) for f in every]


# -- rules of the intake ------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("template", "stem", "says"),
    [
        ("{artist} - {title}", "Wren - Ebb - Live", {"artist": "Wren", "title": "Ebb - Live"}),
        ("{number} {title}", "1042 News at ten", {"number": "1042", "title": "News at ten"}),
        ("{year}_{artist}_{title}", "1987_Wren_Ebb", {"year": "1987", "artist": "Wren",
                                                      "title": "Ebb"}),
        ("{artist} - {title}", "just a name", {}),
        ("[{artist}] ({title})", "[a.b] (c+d)", {"artist": "a.b", "title": "c+d"}),
    ],
)  # fmt: skip
def test_file_names_say_what_a_template_asks_of_them(template, stem, says):
    assert fields_in_name(template, stem) == says


@given(
    artist=st.text(st.characters(categories=["L", "N"]), min_size=1),
    title=st.text(st.characters(categories=["L", "N"]), min_size=1),
    number=st.integers(1, 999_999_999),
)
def test_a_name_made_by_a_template_is_read_back(artist, title, number):
    stem = f"{number:06}~{artist}~{title}"
    says = fields_in_name("{number}~{artist}~{title}", stem)
    assert (says["artist"], says["title"]) == (artist, title)
    assert number_in_name("{number}~{artist}~{title}", stem) == number


@pytest.mark.parametrize("stem", ["news", "0", "0000", "1000000000", "9" * 400])
def test_names_without_a_cart_number_have_none(stem):
    assert number_in_name("", stem) is None


def test_options_tell_all_that_is_wrong_together():
    with pytest.raises(SettingRefused) as told:
        options_from({"kind": "tune", "first": 9, "last": 3, "template": "{artist}{artist}",
                      "source": "burn", "colour": 1})  # fmt: skip
    for part in ("colour", "kind 'tune'", "source 'burn'", "9 to 3", "{artist}"):
        assert part in str(told.value)
    full = IntakeOptions(Kind.NEWS, ("A", "B"), Numbering.NAME, 5, 90, "{number} {title}")
    assert options_from(options_values(full)) == full


def test_what_becomes_of_a_file():
    song, news = IntakeOptions(), IntakeOptions(Kind.NEWS, numbering=Numbering.NAME)
    whole = Tags("Ebb", "Wren")
    twin = Twin(7, "“Wren – Ebb”", by_sound=True)
    assert judge(song, "x", whole, [], 1005, None).state is State.TAKEN
    lacking = judge(song, "x", Tags("Ebb"), [], 1005, twin)
    assert (lacking.state, lacking.waits, lacking.why) == (State.WAITING, Waits.TAGS,
                                                           "it has no artist")  # fmt: skip
    again = judge(song, "x", whole, [], 1005, twin)
    assert (again.waits, again.twin) == (Waits.DUPLICATE, 7)
    assert "sounds the same as cart 7, “Wren – Ebb”" in again.why
    assert "no number is free from 1001" in judge(song, "x", whole, [], None, None)
    # an item that has the number gets the audio, whatever the tags say
    assert judge(news, "500", Tags("500"), [500], None, None).replaces
    assert judge(news, "501", Tags("501"), [], None, None).cart == 501
    assert "holds no cart number" in judge(news, "news", Tags("news"), [], None, None)


def test_own_tags_win_and_the_name_fills_the_gaps():
    path = PurePosixPath("/x/Wren - Ebb.flac")
    assert tags_for(Tags(artist="Dunlin"), "{artist} - {title}", path) == Tags("Ebb", "Dunlin")
    assert tags_for(Tags(), "", path).title == "Wren - Ebb"


def test_marks_set_by_hand_stay_inside_the_new_audio():
    marks = Marks(cue_in_s=2.0, sweepers_s=(9.0, 100.0), segue_s=170.0)
    old = replace(make_item(1, 180), marks=marks)
    kept = kept_marks(old, make_item(1, 60).measure)
    assert kept == Marks(cue_in_s=2.0, sweepers_s=(9.0,))
    nothing = "nothing of the old fits into a second and a half"
    assert kept_marks(old, make_item(1, 1.5).measure) == Marks(), nothing


# -- tags, against mutagen's own writing -----------------------------------------------------------


@pytest.mark.parametrize(
    ("written", "read"),
    [
        ("Größe 🎹 海", "Größe 🎹 海"),
        ("שלום עולם", "שלום עולם"),
        ("a\x00b\nc\u202etxt", "a b ctxt"),
        ("GrÃ¶Ã\x9fe", "Größe"),  # UTF-8 once read as Latin-1
        ("x" * 10_000_000, "x" * LONGEST),
    ],
)
def test_absurd_tags_are_made_readable(tmp_path, written, read):
    from mutagen.flac import FLAC

    assert clean(written) == read
    path = tmp_path / "x.flac"
    soundfile.write(path, beep(1, 440), RATE)
    flac = FLAC(path)
    flac["title"], flac["comment"] = written[:2000], written
    flac.save()
    tags, said = read_tags(path)
    assert (tags.title, said["comment"]) == (read, read)


def test_every_format_says_its_tags(tmp_path):
    import mutagen

    for suffix in ("flac", "ogg", "mp3", "opus"):
        path = tmp_path / f"x.{suffix}"
        how = {"format": "OGG", "subtype": "OPUS"} if suffix == "opus" else {}
        soundfile.write(path, beep(1, 440, 48_000), 48_000, **how)
        file = mutagen.File(path, easy=True)
        if file.tags is None:
            file.add_tags()
        for name, value in (("title", "Ebb"), ("artist", "Wren"), ("album", "Low"),
                            ("date", "1987-05-01"), ("genre", "Tide")):  # fmt: skip
            file[name] = value
        file.save()
        assert read_tags(path)[0] == Tags("Ebb", "Wren", "Low", "1987", "Tide"), suffix


# -- the same sound again --------------------------------------------------------------------------


@pytest.fixture(scope="module")
def tunes(tmp_path_factory):
    """Three songs of 20 s, each coded anew in five ways: {song: {way: fingerprint}}."""
    folder = tmp_path_factory.mktemp("tunes")
    prints = {}
    for song in range(3):
        tune = synth.Tune(song, 50 + song, bool(song % 2), 80.0 + 9 * song, 2)
        wave = synth.song(tune, RATE, 20)[: 20 * RATE]
        late = np.concatenate([np.zeros((7001, 2), np.float32), wave * np.float32(0.4)])
        ways = {
            "flac": (wave, RATE, {}), "mp3": (wave, RATE, {"compression_level": 0.9}),
            "ogg": (wave, RATE, {"compression_level": 0.9}),
            "wav": (soxr.resample(wave, RATE, 22_050), 22_050, {}),
            "aiff": (soxr.resample(late, RATE, 48_000), 48_000, {}),
        }  # fmt: skip
        prints[song] = {}
        for suffix, (sound, rate, how) in ways.items():
            path = folder / f"{song}.{suffix}"
            with soundfile.SoundFile(path, "w", rate, 2, **how) as file:
                for at in range(0, len(sound), 8192):
                    file.write(sound[at : at + 8192])
            prints[song][suffix] = measure_file(str(path)).fingerprint
    return prints


def test_the_same_sound_is_known_however_it_is_coded(tunes):
    for song, ways in tunes.items():
        for way, one in ways.items():
            assert min(same_sound(one, list(ways.values()))) > 0.85, (song, way)
            others = [fp for other in tunes if other != song for fp in tunes[other].values()]
            assert not any(same_sound(one, others)), (song, way)


def test_steady_tones_and_silence_are_not_taken_for_each_other(tmp_path):
    prints = []
    for hz in (300, 330, 900, 1500):
        soundfile.write(tmp_path / f"{hz}.wav", beep(5, hz), RATE)
        prints.append(measure_file(str(tmp_path / f"{hz}.wav")).fingerprint)
    for at, one in enumerate(prints):
        assert [bool(s) for s in same_sound(one, prints)] == [n == at for n in range(4)]
    soundfile.write(tmp_path / "none.wav", np.zeros((RATE * 5, 2)), RATE)
    silent = measure_file(str(tmp_path / "none.wav")).fingerprint
    assert same_sound(silent, [silent, *prints]) == [0.0] * 5


# -- finding ---------------------------------------------------------------------------------------


def test_filter_facets_and_sorting(station):
    with LibraryTransaction(station) as library:
        items.edit(library, [1001], {"artist": "Šárka Ångström", "album": "Lögn", "year": "1999"})
        cat = categories.make(library, "Night drive")
        categories.add(library, cat, [1001, 1004])
    for words, carts in (
        ("sarka", [1001]), ("ANGSTROM lo", [1001]), ("night", [1004, 1001]), ("100", None),
        ("1004", [1004]), ('"; DROP - *', []), ("lamp drive", [1004, 1001]), ("-- --", None),
        ("lamp zzz", []),
    ):  # fmt: skip
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


@given(words=st.text(max_size=30))
def test_no_filter_can_break_the_search(built, words):
    found(built, words)


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
    for values, why in (({"title": " "}, "title must not be empty"), ({"kind": "tune"}, "'tune'"),
                        ({"path": "x"}, "cannot be set")):  # fmt: skip
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
    plain = sum(i.measure.cue_out_s - i.measure.cue_in_s
                for i in (snapshot.programme.items[c] for c in carts))  # fmt: skip
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
        writer = csv.DictWriter(file, ["cart", "artist", "categories"], delimiter=";",
                                extrasaction="ignore")  # fmt: skip
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
    assert [(row["cart"], row["categories"]) for row in listed] == [(1001, ["Tides"]),
                                                                   (1002, ["Tides"])]  # fmt: skip
    assert out("library", "set", station, one, "--out-of", "tides")[0] == 0
    assert found(station, "tides") == [1002]
    assert out("library", "list", station, "--category", "Moon")[0] == 2
    assert "there is no category “Moon”; there are: Tides" in out(
        "library", "list", station, "--category", "Moon")[2]  # fmt: skip
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

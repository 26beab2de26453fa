"""What the intake makes of a file: its name, its tags, the same sound again."""

from dataclasses import replace
from pathlib import PurePosixPath

import numpy as np
import pytest
import soundfile
import soxr
from conftest import RATE, beep, make_item
from hypothesis import given
from hypothesis import strategies as st

from nightly_spindle.audio.fingerprint import same_sound
from nightly_spindle.audio.measure import measure_file
from nightly_spindle.audio.tags import LONGEST, clean, read_tags
from nightly_spindle.core.base.errors import SettingRefused
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
from nightly_spindle.core.segues.effective_markers import kept_marks
from nightly_spindle.simulators import songwriting

# -- rules of the intake ------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("template", "stem", "says"),
    [
        ("{artist} - {title}", "Wren - Ebb - Live", {"artist": "Wren", "title": "Ebb - Live"}),
        ("{number} {title}", "1042 News at ten", {"number": "1042", "title": "News at ten"}),
        (
            "{year}_{artist}_{title}",
            "1987_Wren_Ebb",
            {"year": "1987", "artist": "Wren", "title": "Ebb"},
        ),
        ("{artist} - {title}", "just a name", {}),
        ("[{artist}] ({title})", "[a.b] (c+d)", {"artist": "a.b", "title": "c+d"}),
    ],
)
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
        options_from(
            {
                "kind": "tune",
                "first": 9,
                "last": 3,
                "template": "{artist}{artist}",
                "source": "burn",
                "colour": 1,
            }
        )
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
    assert (lacking.state, lacking.waits, lacking.why) == (
        State.WAITING,
        Waits.TAGS,
        "it has no artist",
    )
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
        for name, value in (
            ("title", "Ebb"),
            ("artist", "Wren"),
            ("album", "Low"),
            ("date", "1987-05-01"),
            ("genre", "Tide"),
        ):
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
        tune = songwriting.Tune(song, 50 + song, bool(song % 2), 80.0 + 9 * song, 2)
        wave = songwriting.section(tune, RATE, 10, "pkbdv", 2)[: 20 * RATE]
        late = np.concatenate([np.zeros((7001, 2), np.float32), wave * np.float32(0.4)])
        ways = {
            "flac": (wave, RATE, {}),
            "mp3": (wave, RATE, {"compression_level": 0.9}),
            "ogg": (wave, RATE, {"compression_level": 0.9}),
            "wav": (soxr.resample(wave, RATE, 22_050), 22_050, {}),
            "aiff": (soxr.resample(late, RATE, 48_000), 48_000, {}),
        }
        prints[song] = {}
        for suffix, (sound, rate, how) in ways.items():
            path = folder / f"{song}.{suffix}"
            with soundfile.SoundFile(path, "w", rate, 2, **how) as file:
                for at in range(0, len(sound), 8192):
                    file.write(sound[at : at + 8192])
            prints[song][suffix] = measure_file(str(path)).fingerprint
    return prints


@pytest.mark.slow
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

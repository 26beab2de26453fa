"""Where the audio lies, and what is found when a folder has moved."""

import shutil

import pytest

from nightly_spindle.cli.main import main
from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library.audio_folders import audio_folders, move_folder, prove_move
from nightly_spindle.store.programme.snapshot import items_since, open_station


def songs_of(station):
    return next(one for one in audio_folders(station) if one.songs)


def test_a_folder_that_moved_is_found_with_a_proof(station, tmp_path):
    was = songs_of(station)
    assert (was.items, was.why) == (8, "")
    drive = tmp_path / "drive"
    shutil.move(was.path, drive)
    assert songs_of(station).why == "not there"
    proof = prove_move(station, was.id, drive)
    assert proof.whole
    assert "All 8 files are there" in proof.sentence()
    before = open_station(station)
    with LibraryTransaction(station) as library:
        assert move_folder(library, was.id, drive) == was.path
    assert songs_of(station).path == str(drive)
    items = list(items_since(before.connection, station, before.count))
    assert {item.path.startswith(str(drive)) for item in items} == {True}
    assert len(items) == 8, "an engine that runs reads them anew"


def test_what_is_not_the_same_is_counted(station, tmp_path):
    was = songs_of(station)
    drive = tmp_path / "drive"
    shutil.copytree(was.path, drive)
    files = sorted(drive.iterdir())
    files[0].unlink()
    files[1].write_bytes(b"shorter")
    proof = prove_move(station, was.id, drive)
    assert (proof.same, proof.missing, proof.other, proof.whole) == (6, 1, 1, False)
    assert files[0].name in proof.sentence()
    nothing = prove_move(station, was.id, tmp_path / "nowhere")
    assert (nothing.same, nothing.missing) == (0, 8)
    with pytest.raises(InputFault, match="look again"):
        prove_move(station, 999, drive)


def test_a_folder_in_use_is_not_taken_twice(station):
    folders = audio_folders(station)
    assert len(folders) > 1
    with pytest.raises(InputFault, match="in use already"), LibraryTransaction(station) as library:
        move_folder(library, folders[0].id, type(station)(folders[1].path))


def test_the_command_asks_for_the_same_files(station, tmp_path, capsys):
    was = songs_of(station)
    drive = tmp_path / "drive"
    shutil.copytree(was.path, drive)
    next(drive.iterdir()).unlink()
    move = ["station", "folders", str(station), "--move", was.path, str(drive)]
    assert main(move) == 2
    assert "--even-so" in capsys.readouterr().err
    assert main([*move, "--even-so"]) == 0
    assert f"{drive}: 8 items" in capsys.readouterr().out
    assert main(move) == 2
    assert "no audio is played from" in capsys.readouterr().err

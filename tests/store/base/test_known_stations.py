"""The list of this machine's stations: a convenience that nothing depends on."""

import os
from pathlib import Path

import pytest

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.store.base.known_stations import (
    forget_station,
    known_stations,
    remember_station,
    set_step,
)


def named():
    return [one.name for one in known_stations()]


def test_the_last_one_opened_comes_first_once(tmp_path):
    assert known_stations() == []
    remember_station(tmp_path / "a", "Alder", 1)
    remember_station(tmp_path / "b", "Bight", 2)
    set_step(tmp_path / "b", "music")
    remember_station(tmp_path / "a", "Alder FM", 3)
    assert named() == ["Alder FM", "Bight"]
    assert known_stations()[1].step == "music"
    remember_station(tmp_path / "b", "Bight", 4)
    assert known_stations()[0].step == "music", "opening alone does not finish the set-up"
    set_step(tmp_path / "b", "")
    assert [one.step for one in known_stations()] == ["", ""]
    forget_station(str(tmp_path / "b"))
    assert named() == ["Alder FM"]
    for n in range(80):
        remember_station(tmp_path / f"n{n}", f"N{n}", n)
    assert len(known_stations()) == 50
    assert named()[0] == "N79"


@pytest.mark.parametrize("body", ["", "{", "[1, 2]", '[{"folder": 3}]', "null", "\udcff", "[[]]"])
def test_a_damaged_list_is_begun_anew(tmp_path, body):
    remember_station(tmp_path / "a", "Alder", 1)
    file = Path(os.environ["XDG_STATE_HOME"]) / "nightly-spindle" / "stations.json"
    file.write_text(body, encoding="utf-8", errors="surrogateescape")
    assert known_stations() == []
    remember_station(tmp_path / "b", "Bight", 2)
    assert named() == ["Bight"]


def test_a_list_that_cannot_be_written_is_told(tmp_path):
    folder = Path(os.environ["XDG_STATE_HOME"]) / "nightly-spindle"
    folder.mkdir(parents=True)
    (folder / "stations.json").mkdir()
    with pytest.raises(StorageFault, match="cannot be written"):
        remember_station(tmp_path / "a", "Alder", 1)
    assert known_stations() == []

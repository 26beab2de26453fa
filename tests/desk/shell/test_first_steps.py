"""A station that lacks something says so in place of an empty table, and where it is done."""

import time
from datetime import date

import pytest
import soundfile
from conftest import LONG, NOT_HEARD, ZONE, beep, song_names, write_log

pytest.importorskip("PySide6")

from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.reports.timeline import plan_night
from nightly_spindle.desk.shell.app import application, open_window
from nightly_spindle.store.base.station_folder import new_station
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.first_steps import Step, first_steps


@pytest.fixture
def bare(tmp_path):
    folder = tmp_path / "bare"
    new_station(folder, {"name": "Bare", "timezone": ZONE}, NOT_HEARD)
    return folder


@pytest.fixture
def window(qtbot, bare, tmp_path):
    application()
    made = open_window(bare, QSettings(str(tmp_path / "desk.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(made)
    made.show()
    yield made
    made.close()


def test_what_is_missing_stands_there_with_a_button_each(
    qtbot, window, bare, tmp_path, monkeypatch
):
    view = window.air.first
    qtbot.waitUntil(lambda: window.air.stage.currentWidget() is view, timeout=LONG)
    assert "There are no songs yet" in view._said[Step.MUSIC].text()
    music = tmp_path / "Gold"
    music.mkdir()
    soundfile.write(music / "Tern - Slip.wav", beep(4, 300), 8000)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(music))
    QTest.mouseClick(view.buttons[Step.MUSIC], Qt.MouseButton.LeftButton)
    bar = window.library.items.bar
    assert bar.isVisible()
    assert bar.kind.currentText() == "song"
    QTest.mouseClick(bar.bring, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: first_steps(bare, time.time_ns() // 1000)[0].done, timeout=LONG)
    window.go_to("Air")
    qtbot.waitUntil(lambda: "1 song in" in view._said[Step.MUSIC].text(), timeout=LONG)
    assert window.air.stage.currentWidget() is view, "there is no log yet"
    QTest.mouseClick(view.buttons[Step.LOG], Qt.MouseButton.LeftButton)
    assert window.stage.currentWidget() is window.logs
    QTest.mouseClick(window.places["Air"], Qt.MouseButton.LeftButton)
    QTest.mouseClick(view.buttons[Step.NET], Qt.MouseButton.LeftButton)
    assert window.stage.currentWidget() is window.station
    window.go_to("Air")
    QTest.mouseClick(view.on, Qt.MouseButton.LeftButton)
    assert window.air.stage.currentIndex() == 0


def test_files_are_added_by_a_button(qtbot, window, bare, tmp_path, monkeypatch):
    folder = tmp_path / "Station IDs"
    folder.mkdir()
    soundfile.write(folder / "bell.wav", beep(2, 900), 8000)
    window.go_to("Library")
    adding = window.library.items.adding
    monkeypatch.setattr(
        QFileDialog, "getOpenFileNames", lambda *_: ([str(folder / "bell.wav")], "")
    )
    QTest.mouseClick(adding.files, Qt.MouseButton.LeftButton)
    bar = window.library.items.bar
    assert bar.kind.currentText() == "id", "its folder says so"
    QTest.mouseClick(bar.bring, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(window.library.measuring.isVisible, timeout=LONG)
    qtbot.waitUntil(lambda: not window.library.measuring.isVisible(), timeout=LONG)
    rows = open_station(bare).connection.execute("SELECT kind, title FROM item").fetchall()
    assert [tuple(row) for row in rows] == [("id", "bell")]


def test_a_night_of_tone_is_the_gravest_finding(bare):
    snapshot = open_station(bare)
    now = time.time_ns() // 1000
    snapshot.prepare(now, now + 12 * 3600 * 1_000_000)
    night = plan_night(snapshot.programme, None, now, 12.0, live=False)
    worst = night.worst()
    assert worst.code == "only-tone"
    assert "the station tone and nothing else" in worst.text
    sequencer, begun = take_the_air(snapshot.programme, None, now)
    found = rehearse(snapshot.programme, sequencer, begun, 12.0).findings
    assert [one.code for one in found].count("only-tone") == 1
    assert found[0].code in {"only-tone", "not-heard"}


def test_a_station_with_all_four_lacks_nothing(station):
    for away in (-1, 0, 1):
        day = date.fromordinal(date.today().toordinal() + away)
        write_log(station, day, song_names(station))
    steps = first_steps(station, time.time_ns() // 1000)
    assert [one.done for one in steps] == [True] * 4

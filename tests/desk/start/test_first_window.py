"""The first window and the guided run, by clicks and by keys, up to a station that airs."""

import os
import shutil
import subprocess
import sys
import time
from datetime import date
from pathlib import Path

import pytest
import soundfile
from conftest import LONG, beep, write_log

pytest.importorskip("PySide6")

from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from nightly_spindle.core.outputs.outputs import SimulatedOptions, StreamOptions
from nightly_spindle.desk.shell.app import Opening, application
from nightly_spindle.desk.start import name_step
from nightly_spindle.desk.start.music_step import folders_within
from nightly_spindle.simulators.streaming_server import StreamingServer
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.known_stations import known_stations, remember_station
from nightly_spindle.store.outputs.outputs import read_outputs
from nightly_spindle.store.outputs.passwords import password_of
from nightly_spindle.store.programme.snapshot import open_station
from nightly_spindle.store.reports.net_levels import net_is_thin, net_levels
from nightly_spindle.store.station.backups import back_up_by_itself


@pytest.fixture
def home(tmp_path, monkeypatch):
    """A home folder with music in it."""
    monkeypatch.setattr(name_step, "home_of_stations", lambda: tmp_path / "Radio")
    music = tmp_path / "Music"
    for kind, count, seconds in (("Gold", 5, 4), ("Jingles", 2, 2)):
        (music / kind).mkdir(parents=True)
        for n in range(count):
            wave = beep(seconds + n, 300 + 90 * n, 8000, channels=1)
            soundfile.write(music / kind / f"Tern {n} - Slip {n}.wav", wave, 8000)
    (music / "Gold" / "cover.jpg").write_bytes(b"no audio")
    return tmp_path


@pytest.fixture
def opening(qtbot, home):
    application()
    made = Opening(QSettings(str(home / "desk.ini"), QSettings.Format.IniFormat))
    yield made
    made.close()


def first(opening, qtbot):
    opening.ask()
    qtbot.waitExposed(opening.first)
    return opening.first


def press(run):
    assert run.next.isEnabled(), run.next.toolTip()
    QTest.mouseClick(run.next, Qt.MouseButton.LeftButton)


def at(qtbot, run, name):
    qtbot.waitUntil(lambda: run.step is run.steps[name], timeout=LONG)
    return run.steps[name]


def named(qtbot, window, title="Tern Bank"):
    """Begin a new station and give it its name."""
    QTest.mouseClick(window.new, Qt.MouseButton.LeftButton)
    run = window.run
    assert not run.next.isEnabled()
    QTest.keyClicks(run.steps["name"].title, title)
    run.steps["name"].zone.setCurrentText("Europe/Lisbon")
    press(run)
    at(qtbot, run, "music")
    return run


def with_music(qtbot, run, home):
    step = run.steps["music"]
    step.look_at(home / "Music")
    qtbot.waitUntil(lambda: len(step.kinds) == 2, timeout=LONG)
    press(run)
    at(qtbot, run, "logs")


def test_from_nothing_to_a_station_on_air(qtbot, opening, home, monkeypatch):
    window = first(opening, qtbot)
    assert window.nothing.isVisible()
    run = named(qtbot, window)
    folder = home / "Radio" / "Tern Bank"
    assert open_station(folder).programme.settings.name == "Tern Bank"
    with_music(qtbot, run, home)
    assert [kind.currentText() for kind in run.steps["music"].kinds] == ["song", "jingle"]
    # it gives way to whatever else the machine does
    qtbot.waitUntil(lambda: "songs are in" in run.told.text(), timeout=3 * LONG)
    press(run)  # the station makes its own hours
    sound = at(qtbot, run, "sound")
    assert "needs the password" in run.next.toolTip() or "address" in run.next.toolTip()
    server = StreamingServer().start()
    QTest.keyClicks(sound.form.fields["address"], f"http://127.0.0.1:{server.port}/tern")
    QTest.keyClicks(sound.password, "lantern")
    QTest.mouseClick(sound.attempt, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: sound.result.text().startswith("It works"), timeout=LONG)
    press(run)
    net = at(qtbot, run, "net")
    qtbot.waitUntil(lambda: net.view.verdict.text().startswith("As it stands"), timeout=LONG)
    press(run)
    tonight = at(qtbot, run, "tonight")
    qtbot.waitUntil(lambda: tonight.verdict.text().startswith("Tonight"), timeout=LONG)
    assert tonight.lines.count() > 10
    assert run.next.text() == "Go on air"
    asked = []
    window.chosen.disconnect()
    window.chosen.connect(lambda *what: asked.append(what))
    press(run)
    assert asked == [(folder, True)]
    server.stop()
    snapshot = open_station(folder)
    assert set(snapshot.programme.formats.plans.week) == {1}
    assert not any(drop.options.enabled for drop in snapshot.programme.drops.values())
    made = snapshot.connection.execute("SELECT count(*) FROM made_hour").fetchone()[0]
    assert made >= 23
    (output,) = read_outputs(snapshot.connection)
    assert isinstance(output.options, StreamOptions)
    assert password_of(folder, output.id) == "lantern"
    assert "lantern" not in str(known_stations())
    assert [(one.name, one.step) for one in known_stations()] == [("Tern Bank", "")]


def test_it_is_left_and_taken_up_where_it_was(qtbot, opening, home):
    window = first(opening, qtbot)
    run = named(qtbot, window)
    with_music(qtbot, run, home)
    QTest.mouseClick(run.later, Qt.MouseButton.LeftButton)
    assert window.stage.currentIndex() == 0
    assert window.open.text() == "Go on setting it up"
    QTest.keyClick(window.list, Qt.Key.Key_Return)
    again = window.run
    assert again is not run
    logs = at(qtbot, again, "logs")
    assert again.marks["music"].text().endswith("✓")
    # a folder with nothing, one with a name that has no date, then a real one
    drop = home / "drop"
    drop.mkdir()
    logs.outside.click()
    assert not again.next.isEnabled()
    for body, said in ((None, "no log in"), ("tonight.m3u", "no date is to be found"), ("2", "")):
        if said == "":
            station = again.station.folder
            (drop / "tonight.m3u").unlink()
            name = f"TB {date.today():%y%m%d}.m3u"
            shutil.copy(write_log(station, date.today(), ["x.wav"]), drop / name)
            os.utime(drop / name, (10**9, 10**9))
            (station / "logs" / f"{date.today():%Y-%m-%d}.m3u").unlink()
        elif body:
            (drop / body).write_text("x.wav\n", encoding="utf-8")
        logs.folder.setText(str(drop))
        QTest.keyClick(logs.folder, Qt.Key.Key_Return)
        wanted = said or "one log a day"
        qtbot.waitUntil(lambda wanted=wanted: wanted in logs.read.text().lower(), timeout=LONG)
    assert f"TB {date.today():%y%m%d}.m3u   ✓ found, 0 lines" in logs.names.item(0).text()
    press(again)
    sound = at(qtbot, again, "sound")
    sound.nobody.click()
    press(again)
    at(qtbot, again, "net")
    (programmed,) = open_station(again.station.folder).programme.drops.values()
    assert programmed.pattern == "TB %y%m%d.m3u"
    assert programmed.folder == str(drop)
    (output,) = read_outputs(connect(again.station.folder))
    assert isinstance(output.options, SimulatedOptions)


def test_all_of_it_can_be_skipped(qtbot, opening, home):
    window = first(opening, qtbot)
    run = named(qtbot, window)
    for name in ("music", "logs", "sound"):
        at(qtbot, run, name)
        QTest.mouseClick(run.skip, Qt.MouseButton.LeftButton)
    at(qtbot, run, "net")
    press(run)
    tonight = at(qtbot, run, "tonight")
    qtbot.waitUntil(lambda: tonight.verdict.text().startswith("Tonight needs you"), timeout=LONG)
    QTest.mouseClick(run.skip, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: opening.window is not None, timeout=LONG)
    assert opening.window.isVisible()
    assert opening.first is None


def test_a_folder_that_is_taken_is_told_and_nothing_is_lost(qtbot, opening, station, home):
    window = first(opening, qtbot)
    QTest.mouseClick(window.new, Qt.MouseButton.LeftButton)
    run = window.run
    QTest.keyClicks(run.steps["name"].title, "Pier/../two")
    assert ".." not in Path(run.steps["name"].folder.text()).parts
    run.steps["name"].folder.setText(str(station))
    run.steps["name"].folder.textEdited.emit(str(station))
    press(run)
    qtbot.waitUntil(lambda: "holds a station already" in run.trouble.text(), timeout=LONG)
    assert run.next.isEnabled()
    run.steps["name"].begins.setText("25:00")
    run.steps["name"].begins.textEdited.emit("25:00")
    assert not run.next.isEnabled()
    assert "25:00" in run.steps["name"].sentence.text()


def test_stations_say_how_they_are_found(qtbot, opening, station, home):
    remember_station(home / "gone", "Drowned", 1)
    (home / "bad").mkdir()
    (home / "bad" / "station.db").write_bytes(b"no database")
    remember_station(home / "bad", "Rotten", 2)
    remember_station(station, "Pier", 3)
    window = first(opening, qtbot)

    def texts():
        return [window.list.item(row).text().split("\n")[0] for row in range(window.list.count())]

    qtbot.waitUntil(
        lambda: (
            texts()
            == ["Pier   ·   off the air", "Rotten   ·   cannot be read", "Drowned   ·   not there"]
        ),
        timeout=LONG,
    )
    window.list.setCurrentRow(2)
    assert not window.open.isEnabled()
    QTest.keyClick(window.list, Qt.Key.Key_Return)
    assert "is its drive connected" in window.told.text()
    QTest.mouseClick(window.forget, Qt.MouseButton.LeftButton)
    assert window.list.count() == 2
    assert "Drowned" in window.told.text()
    window.list.setCurrentRow(0)
    QTest.keyClick(window.list, Qt.Key.Key_Return)
    qtbot.waitUntil(lambda: opening.window is not None, timeout=LONG)


def test_a_folder_and_a_backup_are_opened(qtbot, opening, station, home, monkeypatch):
    window = first(opening, qtbot)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(home / "Music"))
    QTest.mouseClick(window.folder, Qt.MouseButton.LeftButton)
    assert "holds no station" in window.told.text()
    made = back_up_by_itself(station)
    target = home / "restored"
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: (str(made.path), ""))
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(target))
    QTest.mouseClick(window.backup, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: opening.window is not None, timeout=LONG)
    assert (target / "station.db").exists()
    assert known_stations()[0].folder == str(target)


def test_a_station_that_is_gone_brings_the_first_window_and_says_so(qtbot, opening, home):
    opening.open(home / "nowhere")
    assert opening.window is None
    assert "nowhere" in opening.first.told.text()


def test_a_second_desk_on_a_station_brings_the_first_to_the_front(qtbot, opening, station):
    opening.open(station)
    opening.window.showMinimized()
    asked = []
    opening._one.asked.connect(lambda: asked.append(True))
    # a process of its own, as a second start would be
    environment = {**os.environ, "QT_QPA_PLATFORM": "offscreen"}
    second = subprocess.Popen(
        [sys.executable, "-m", "nightly_spindle", f"{station}/"], env=environment
    )
    qtbot.waitUntil(lambda: bool(asked), timeout=LONG)
    end = time.monotonic() + 60
    while second.poll() is None and time.monotonic() < end:
        qtbot.wait(50)
    assert second.poll() == 0
    assert not opening.window.windowState() & Qt.WindowState.WindowMinimized


def test_folders_of_other_kinds_come_by_themselves(home):
    (home / "Music" / "Sweepers").mkdir()
    found = {Path(one.folder).name: (str(one.kind), one.files) for one in
             folders_within(home / "Music")}  # fmt: skip
    assert found == {"Music": ("song", 5), "Jingles": ("jingle", 2)}
    jingles = folders_within(home / "Music" / "Jingles")
    assert [(str(one.kind), one.files) for one in jingles] == [("jingle", 2)]


def test_the_net_says_what_it_has(station):
    now_us = time.time_ns() // 1000
    again, rotation, tone = net_levels(station, now_us)
    assert again.lasts_s == 0.0
    assert "All 8 songs" in rotation.what
    assert tone.lasts_s is None
    assert net_is_thin([again, rotation, tone]), "a minute and a half of songs"
    write_log(station, date.today(), [f"song/Keeper {n} - Lamp {n}.flac" for n in (0, 3)] * 2)
    write_log(
        station, date.fromordinal(date.today().toordinal() - 1), ["song/Keeper 0 - Lamp 0.flac"]
    )
    again = net_levels(station, now_us)[0]
    assert again.lasts_s > 5

"""The parts of the place Station, by hand: kept at once, undone, and nothing left out."""

import os
import shutil
import sys
from pathlib import Path

import pytest
from conftest import LONG, cut_the_power

pytest.importorskip("PySide6")
sys.path.insert(0, str(Path(__file__).parents[1] / "shell"))

import test_desk
from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog
from test_desk_habits import turn

from nightly_spindle.air import autostart
from nightly_spindle.air.unit import unit_name
from nightly_spindle.core.station.settings import texts_from
from nightly_spindle.desk.shell import window as window_module
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.library.audio_folders import audio_folders

window, station = test_desk.window, test_desk.station


@pytest.fixture
def place(qtbot, window):
    window.go_to("Station")
    return window.station


def show(place, name):
    QTest.mouseClick(place.pages.buttons[name], Qt.MouseButton.LeftButton)


def test_every_setting_is_on_a_screen(window, station):
    """But for whose copy a station is, which nobody sets."""
    place = window.station
    shown = {"name", "timezone", "day_start", "rate", *place.general.numbers}
    shown |= {f"titles.{name}" for name in place.general.titles.fields}
    shown |= {*place.levels.fields, "level.kinds"}
    shown |= {"backup_every_days", "backup_keep", "backup_folder"}
    shown |= {f"segue.{name}" for name in window.library.segues.form.fields}
    shown |= set(window.overlays.rules.fields)
    shown |= {f"spots.{name}" for name in window.campaigns.rules.form.fields}
    shown |= {f"formats.{name}" for name in window.formats.rules.ahead.fields}
    assert set(texts_from(read_settings(station))) - shown == {"copy_of"}


def test_what_is_typed_is_kept_at_once_and_undone(qtbot, window, place, station):
    show(place, "General")
    general = place.general
    general.name.selectAll()
    QTest.keyClicks(general.name, "Outer Pier")
    qtbot.waitUntil(lambda: read_settings(station).name == "Outer Pier", timeout=LONG)
    qtbot.waitUntil(lambda: window.status.name.text() == "Outer Pier", timeout=LONG)
    assert window.windowTitle().startswith("Outer Pier")
    general.titles.fields["pattern"].selectAll()
    QTest.keyClicks(general.titles.fields["pattern"], "{title}: {artist}")
    qtbot.waitUntil(
        lambda: read_settings(station).titles.pattern == "{title}: {artist}", timeout=LONG
    )
    # what cannot be is told, and what was stays
    general.begins.selectAll()
    QTest.keyClicks(general.begins, "26:00")
    qtbot.waitUntil(lambda: "26:00" in general.trouble.text(), timeout=LONG)
    general.begins.selectAll()
    QTest.keyClicks(general.begins, "03:00")
    qtbot.waitUntil(lambda: read_settings(station).day_start.hour == 3, timeout=LONG)
    for _ in range(3):
        place.undo.undo()
    qtbot.waitUntil(lambda: read_settings(station).name == "Pier", timeout=LONG)
    qtbot.waitUntil(lambda: general.name.text() == "Pier", timeout=LONG)
    assert read_settings(station).titles.pattern == "{artist} - {title}"


def test_the_wheel_changes_no_zone_and_no_rate(place):
    show(place, "General")
    before = (place.general.zone.currentText(), place.general.rate.currentText())
    turn(place.general.zone, 3)
    turn(place.general.rate, -3)
    assert (place.general.zone.currentText(), place.general.rate.currentText()) == before


def test_a_folder_that_moved_is_pointed_at_anew(qtbot, place, station, tmp_path, monkeypatch):
    songs = next(one for one in audio_folders(station) if one.songs)
    shutil.move(songs.path, tmp_path / "drive")
    show(place, "Folders")
    page = place.folders
    qtbot.waitUntil(lambda: bool(page.table.rows) and page.table.rows[0].why != "", timeout=LONG)
    page.table.selectRow(0)
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "drive"))
    QTest.mouseClick(page.moved, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "All 8 files are there" in page.proof.text(), timeout=LONG)
    QTest.mouseClick(page.take, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.table.rows[0].path == str(tmp_path / "drive"), timeout=LONG)
    place.undo.undo()
    qtbot.waitUntil(lambda: page.table.rows[0].path == songs.path, timeout=LONG)


def test_starting_with_the_computer_is_a_switch(qtbot, place, monkeypatch):
    monkeypatch.setattr(autostart, "has_systemd", lambda: False)
    show(place, "Start")
    page = place.starting
    qtbot.waitUntil(page.switch.isEnabled, timeout=LONG)
    assert "does not start on its own" in page.head.text()
    page.delay.setText("30")
    page.delay.textEdited.emit("30")
    QTest.mouseClick(page.switch, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.switch.text() == "Switch it off", timeout=LONG)
    assert "30 s after every login" in page.head.text()
    QTest.mouseClick(page.switch, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.switch.text() == "Switch it on", timeout=LONG)


def test_the_net_and_the_messages_are_shown(qtbot, place):
    show(place, "Safety net")
    qtbot.waitUntil(lambda: "the log again" in place.net.view.verdict.text(), timeout=LONG)
    show(place, "Messages")
    page = place.messages
    qtbot.waitUntil(lambda: page.list.count() > 0, timeout=LONG)
    page.field.setText("no message has this")
    assert page.list.item(0).text() == "No message has that in it."
    page.copy()
    assert QGuiApplication.clipboard().text() == "No message has that in it."


def test_a_copy_is_opened_beside_and_looks_different(qtbot, place, tmp_path, monkeypatch):
    opened = []
    monkeypatch.setattr(window_module, "open_beside", lambda folder="": opened.append(folder))
    show(place, "Safekeeping")
    target = tmp_path / "copy"
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(target))
    QTest.mouseClick(place.keeping.copy, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(place.keeping.open_made.isVisible, timeout=LONG)
    QTest.mouseClick(place.keeping.open_made, Qt.MouseButton.LeftButton)
    assert opened == [str(target)]
    copy = window_module.DeskWindow(target, read_settings(target), test_desk.QSettings())
    qtbot.addWidget(copy)
    assert copy.status.sign.text() == "A COPY"
    assert copy.centralWidget().property("copy") is True
    copy.close()


def test_an_engine_that_a_unit_starts_is_started_through_it(qtbot, window, tmp_path, monkeypatch):
    """A stand-in for systemctl keeps what it was asked; one that refuses leaves it to the desk."""
    unit = Path(os.environ["XDG_CONFIG_HOME"]) / "systemd/user" / unit_name(window._folder)
    unit.parent.mkdir(parents=True)
    unit.write_text("[Service]\n")
    tool = tmp_path / "bin" / "systemctl"
    tool.parent.mkdir()
    asked = tmp_path / "asked"
    monkeypatch.setenv("PATH", f"{tool.parent}:{os.environ['PATH']}")
    own = []
    monkeypatch.setattr(window.link, "_start_own", lambda pace=None: own.append(pace) or True)
    for status in (0, 1):
        tool.write_text(f'#!/bin/sh\necho "$@" >> "{asked}"\nexit {status}\n')
        tool.chmod(0o755)
        window.air.header.go.click()
        assert window.status.mode.text() == "the engine is starting …"
        qtbot.waitUntil(
            lambda status=status: (
                asked.exists() and len(asked.read_text().splitlines()) == status + 1
            ),
            timeout=LONG,
        )
    assert f"--user --no-block start {unit.name}" in asked.read_text()
    qtbot.waitUntil(lambda: own == [None], timeout=LONG)


def test_a_killed_engine_is_told_as_killed(qtbot, window, station):
    test_desk.on_air(qtbot, window)
    cut_the_power(station)
    qtbot.waitUntil(
        lambda: window.status.mode.text().startswith("the engine was killed at "), timeout=LONG
    )

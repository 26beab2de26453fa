"""The place Tonight, by clicks and keys: the verdict, going where it is mended, leaving it so."""

import re
import shutil
import sqlite3
from contextlib import closing
from datetime import date, datetime, timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pytest
from conftest import LONG, ZONE, song_names, write_log

pytest.importorskip("PySide6")

from PySide6.QtCore import QSettings, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QLabel, QPushButton

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.drills import Drill, run_drill
from nightly_spindle.core.reports.drilled import compared, drilled_of, worst_sentence
from nightly_spindle.core.reports.tonight import Answer
from nightly_spindle.desk.kit.paged_place import PagedPlace
from nightly_spindle.desk.shell.app import application, open_window
from nightly_spindle.desk.station.station_place import StationPlace
from nightly_spindle.desk.tonight.cause_places import AIR, page_of
from nightly_spindle.store.base.station_folder import set_settings
from nightly_spindle.store.programme.snapshot import open_station

LEFT = Qt.MouseButton.LeftButton
DUE = f"{(datetime.now(ZoneInfo(ZONE)).hour + 4) % 24:02}:00"


@pytest.fixture
def station(built_long, tmp_path):
    """A station whose logs of three days name two files that nobody has; one is due in hours."""
    folder = Path(shutil.copytree(built_long, tmp_path / "pier"))
    set_settings(folder, {"day_start": f"{DUE}:00"})
    songs = [name for name in song_names(folder) if name.startswith("song")]
    for away in (-1, 0, 1):
        write_log(folder, date.today() + timedelta(away), songs * 80, missing=2)
    return folder


@pytest.fixture
def window(qtbot, station, tmp_path):
    application()
    memory = QSettings(str(tmp_path / "desk.ini"), QSettings.Format.IniFormat)
    made = open_window(station, memory)
    qtbot.addWidget(made)
    made.resize(1280, 800)
    made.show()
    made.activateWindow()
    qtbot.waitUntil(lambda: made.air.planned is not None, timeout=LONG)
    yield made
    made.close()


@pytest.fixture
def place(window):
    QTest.mouseClick(window.places["Tonight"], LEFT)
    return window.stage.currentWidget()


def codes(place):
    return [one.code for one in place.found.causes]


def chosen(place, code):
    place.show_cause(codes(place).index(code))
    return place.panel


def test_the_verdict_is_the_largest_thing_and_says_what_the_pill_says(window, place):
    assert place.verdict.text().startswith("Tonight")
    sizes = [label.font().pixelSize() for label in place.findChildren(QLabel)]
    assert place.verdict.font().pixelSize() == max(sizes)
    count = int(re.search(r"\d+", place.verdict.text()).group())
    assert window.status.finding.text().startswith(f"{count} ")
    assert re.match(r"Rehearsed at \d\d:\d\d:\d\d, 12 hours ahead", place.under.text())
    assert len(place.hours.cells.rows) in {12, 13}


def test_the_same_lost_files_are_one_row_with_a_way_to_where_they_are_mended(qtbot, window, place):
    assert codes(place).count("log-lines-missing") == 1
    panel = chosen(place, "log-lines-missing")
    assert panel.go.text() == "Go to Logs"
    QTest.mouseClick(panel.go, LEFT)
    assert window.stage.currentWidget() is window.logs
    QTest.mouseClick(window.status.finding, LEFT)  # and back, from any place
    assert window.stage.currentWidget() is place
    first = place.panel.cause
    QTest.keyClick(window, Qt.Key.Key_F4)
    assert len(place.found.counting) == 1 or place.panel.cause is not first


def test_a_finding_is_left_as_it_is_with_a_reason_and_taken_up_again(qtbot, window, place, station):
    before = len(place.found.counting)
    panel = chosen(place, "log-lines-missing")
    assert not panel.leave.isEnabled(), "not without a reason"
    QTest.keyClicks(panel.why, "they are being recorded")
    QTest.mouseClick(panel.leave, LEFT)
    assert not place.verdict.isEnabled(), "what is being worked out anew is grey"
    qtbot.waitUntil(lambda: len(place.found.counting) == before - 1, timeout=LONG)
    qtbot.waitUntil(place.verdict.isEnabled, timeout=LONG)
    assert place.found.causes[-1].left.reason == "they are being recorded"
    assert "One finding is left as it is." in place.under.text()
    QTest.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: len(place.found.counting) == before, timeout=LONG)
    QTest.keyClick(
        window,
        Qt.Key.Key_Z,
        Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.ShiftModifier,
    )
    qtbot.waitUntil(lambda: len(place.found.counting) == before - 1, timeout=LONG)
    chosen(place, "log-lines-missing")
    assert panel.again.isVisible()
    assert not panel.leave.isVisible()
    QTest.mouseClick(panel.again, LEFT)
    qtbot.waitUntil(lambda: len(place.found.counting) == before, timeout=LONG)
    with closing(sqlite3.connect(station / "station.db")) as connection:
        assert connection.execute("SELECT count(*) FROM finding_left").fetchone() == (0,)


def test_what_is_mended_elsewhere_goes_without_a_click(qtbot, window, place, station):
    assert "log-lines-missing" in codes(place)
    songs = [name for name in song_names(station) if name.startswith("song")]
    for away in (-1, 0, 1):
        write_log(station, date.today() + timedelta(away), songs * 80)
    QTest.mouseClick(place.again, LEFT)
    qtbot.waitUntil(lambda: "log-lines-missing" not in codes(place), timeout=LONG)
    # what is left needs another page, and somebody to see to it
    assert [one.code for one in place.found.counting] == ["not-heard"]
    assert place.found.answer is Answer.NEEDS_YOU


def test_it_is_handed_over_when_asked_twice_where_something_needs_the_operator(
    qtbot, place, station
):
    assert place.found.answer is Answer.NEEDS_YOU
    QTest.mouseClick(place.over, LEFT)
    assert place.over.text() == "Hand over all the same"
    assert not (station / "handovers").exists()
    QTest.mouseClick(place.over, LEFT)
    qtbot.waitUntil(lambda: place.under.text().startswith("Handed over"), timeout=LONG)
    (text,) = (station / "handovers").glob("*.txt")
    assert place.found.sentence in text.read_text(encoding="utf-8")
    assert QGuiApplication.clipboard().text() == text.read_text(encoding="utf-8")
    assert place.over.text() == "Hand over"


def test_each_page_that_a_finding_leads_to_is_there(window):
    """Every code of the documents leads to a place of the rail, and to one of its pages."""
    documented = set(re.findall(r"`([a-z-]+)`", Path("docs/troubleshooting.md").read_text()))
    pages = {page_of(code) for code in documented}
    assert len(pages) > 8
    assert AIR in pages
    for page in pages:
        window.go_to(page.place)
        if page.page:
            there = window.stage.currentWidget()
            assert isinstance(there, PagedPlace | StationPlace)
            there.show_page(page.page)
            assert page.page in there.pages.buttons
    buttons = window.rail.findChildren(QPushButton)
    assert set(window.places) >= {page.place for page in pages}, buttons


def test_all_drills_are_run_by_one_button_and_the_worst_stands_at_the_verdict(
    qtbot, window, place, station
):
    QTest.mouseClick(place.pages.buttons["Drills"], LEFT)
    page = place.drills
    assert page.table.isVisible()
    QTest.mouseClick(page.run, LEFT)
    assert page.run.text() == "Stop"
    assert page.said.text().startswith("Drill 1 of 6")
    qtbot.waitUntil(lambda: not page.busy, timeout=LONG)
    assert page.run.text() == "Run the drills"
    rows = [drilled.drill for drilled in compared(page._found)]
    assert rows == [drill for drill in Drill if drill is not Drill.NOTHING]
    worst = worst_sentence(page._found)
    assert worst
    assert page.said.text().endswith("Nothing on the air has changed.")
    assert place.under.text().endswith(worst)
    # each as the command finds it, which reads the station anew for each
    asked = window.planner.asked_last
    for number, drilled in enumerate(page._found):
        snapshot = open_station(station)
        snapshot.prepare(asked.now_us, asked.now_us + 12 * 3600 * US)
        sequencer, begun = take_the_air(snapshot.programme, None, asked.now_us)
        at_us = sequencer.state.clock.now_us + 3600 * US
        alone = run_drill(snapshot.programme, sequencer, begun, 12.0, list(Drill)[number], at_us)
        assert drilled_of(alone) == drilled
        snapshot.connection.close()
    # an edit makes them those of another night
    panel = chosen(place, "log-lines-missing")
    QTest.keyClicks(panel.why, "so be it")
    QTest.mouseClick(panel.leave, LEFT)
    qtbot.waitUntil(lambda: "night has changed" in page.said.text(), timeout=LONG)
    assert worst not in place.under.text()
    # stopped half-way they say so, and can be run again
    QTest.mouseClick(page.run, LEFT)
    QTest.mouseClick(page.run, LEFT)
    assert page.said.text() == "Stopped."
    qtbot.waitUntil(page.run.isEnabled, timeout=LONG)
    QTest.mouseClick(page.run, LEFT)
    qtbot.waitUntil(lambda: not page.busy and bool(page._found), timeout=LONG)
    assert len(page._found) == len(Drill)

"""Station, Outputs: made, tried, switched and removed by hand; the sign says who hears it."""

import csv
import io
import sqlite3
import sys
import time
from contextlib import closing
from pathlib import Path

import pytest
import soundfile
from conftest import LONG

pytest.importorskip("PySide6")
sys.path.insert(0, str(Path(__file__).parents[1] / "shell"))

import test_desk
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QFileDialog

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.outputs.outputs import (
    Output,
    OutputKind,
    RecordingOptions,
    StreamOptions,
)
from nightly_spindle.core.outputs.stream_codecs import Codec
from nightly_spindle.outputs.recordings import recorded_in
from nightly_spindle.simulators.streaming_server import StreamingServer
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.outputs.outputs import read_outputs, save_output
from nightly_spindle.store.outputs.passwords import password_of

window, station = test_desk.window, test_desk.station


@pytest.fixture
def server():
    made = StreamingServer().start()
    yield made
    made.stop()


@pytest.fixture
def page(qtbot, window):
    window.go_to("Station")
    made = window.station.outputs
    qtbot.waitUntil(lambda: made.table.cells.rowCount() == 1, timeout=LONG)
    return made


def kept(station):
    with closing(connect(station)) as connection:
        return read_outputs(connection)


def write(field, text):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)


def make_stream(qtbot, page, station, address, password=""):
    QTest.mouseClick(page.new[OutputKind.STREAM], Qt.MouseButton.LeftButton)
    assert page.keep.isEnabled() is False, "it has no address yet"
    assert "is not like http" in page.trouble.text()
    write(page.editor.name, "Night line")
    write(page.editor.forms[OutputKind.STREAM].fields["address"], address)
    if password:
        write(page.editor.password, password)
    QTest.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: len(kept(station)) == 2, timeout=LONG)
    qtbot.waitUntil(lambda: page.shown is not None and page.shown.id == 2, timeout=LONG)


def test_a_stream_is_made_tried_undone_and_made_again(qtbot, window, page, station, server):
    make_stream(qtbot, page, station, server.url(), "lantern")
    made = kept(station)[1]
    assert (made.name, made.kind) == ("Night line", OutputKind.STREAM)
    assert password_of(station, made.id) == "lantern"
    assert page.editor.password.text() == ""
    assert "kept" in page.editor.password.placeholderText()
    assert page.sentence.text() == (f"Sends “Pier” as MP3 at 128 kbit/s to {server.url()}.")
    QTest.mouseClick(page.attempt, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "It works" in page.result.text(), timeout=LONG)
    window.station.undo.undo()
    qtbot.waitUntil(lambda: len(kept(station)) == 1, timeout=LONG)
    window.station.undo.redo()
    qtbot.waitUntil(lambda: len(kept(station)) == 2, timeout=LONG)
    assert password_of(station, made.id) == "lantern"


def test_what_a_codec_has_no_use_for_is_not_shown(qtbot, page, station, server):
    make_stream(qtbot, page, station, server.url())
    form = page.editor.forms[OutputKind.STREAM]
    box = form.fields["codec"]
    seen = {}
    for codec in Codec:
        box.setCurrentIndex(box.findData(str(codec)))
        box.activated.emit(box.currentIndex())
        seen[codec] = (form.fields["kbps"].isVisible(), form.fields["rate"].isVisible())
    assert seen[Codec.FLAC] == (False, True)
    assert seen[Codec.OPUS] == (True, False)
    assert seen[Codec.MP3] == (True, True)
    box.setCurrentIndex(box.findData("aac"))
    box.activated.emit(box.currentIndex())
    box.setFocus()
    QTest.keyClick(box, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(
        lambda: kept(station)[1].options == StreamOptions(server.url(), codec=Codec.AAC),
        timeout=LONG,
    )


def test_the_sign_says_that_nobody_hears_it_and_why(qtbot, window, page, station, server):
    make_stream(qtbot, page, station, server.url(), "wrong")
    test_desk.on_air(qtbot, window)
    sign = window.status
    qtbot.waitUntil(lambda: "refuses the name or the password" in page.heard.text(), timeout=LONG)
    assert "wrong password" in sign.heard.text(), "more than that a simulated card is on"
    assert sign.sign.property("role") == "simulated"
    row = page.table.cells.index(1, 2).data()
    assert "down since" in row
    page.show_one(page.kept()[1])
    assert "Set the password that the server has." in page.trouble.text()
    write(page.editor.password, "lantern")
    QTest.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "up since" in page.table.cells.index(1, 2).data(), timeout=LONG)
    assert "simulated" in page.table.cells.index(1, 2).data()
    QTest.mouseClick(page.listen, Qt.MouseButton.LeftButton)
    assert page.listen.text() == "Stop listening"
    qtbot.waitUntil(lambda: server.mounts["/live"].listeners == 1, timeout=LONG)
    QTest.mouseClick(page.listen, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: server.mounts["/live"].listeners == 0, timeout=LONG)


def test_switched_off_and_removed_the_station_says_that_nobody_can_hear_it(qtbot, page, station):
    page.editor.on.click()
    QTest.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not kept(station)[0].on, timeout=LONG)
    QTest.keyClick(page.table, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: kept(station) == (), timeout=LONG)
    qtbot.waitUntil(lambda: page.heard.text().startswith("Nobody can hear"), timeout=LONG)


def test_ctrl_n_begins_a_stream(qtbot, window, page):
    window.activateWindow()
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: page.shown is not None and page.shown.id == 0, timeout=LONG)
    assert page.shown.output.kind is OutputKind.STREAM


# -- what aired ------------------------------------------------------------------------------------


def aired(qtbot, window):
    window.go_to("Station")
    window.station.show_page("Aired")
    return window.station.aired


def click(table, key):
    """Click the row of that key, as a hand does."""
    place = table.visualRect(table.cells.index(table.cells.seen_at(key), 1)).center()
    QTest.mouseClick(table.viewport(), Qt.MouseButton.LeftButton, pos=place)


def test_a_line_that_aired_is_listened_to_and_saved_to_the_frame(
    qtbot, window, station, tmp_path, monkeypatch
):
    with LibraryTransaction(station) as library:
        save_output(library, Output(0, "Tape", RecordingOptions(leave_gb=0.0)))
    test_desk.on_air(qtbot, window)
    page = aired(qtbot, window)

    def lines():
        found = [run for run in page._runs.values() if run.kind == "song" and not run.over]
        return found[-1:] if any(recorded_in(station / "recordings")) else []

    qtbot.waitUntil(lambda: bool(lines()), timeout=LONG)
    qtbot.wait(4000)
    (run,) = lines()
    click(page.table, run.key)
    assert run.why in page.why.text()
    heard = []
    page.hear.connect(heard.append)
    page.table.setFocus()
    QTest.keyClick(page.table, Qt.Key.Key_Space)
    qtbot.waitUntil(lambda: bool(heard), timeout=LONG)
    assert soundfile.info(heard[0]).duration == pytest.approx(36, abs=0.01)
    out = tmp_path / "proof.flac"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(out), ""))
    QTest.mouseClick(page.keep, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "is written" in page.result.text(), timeout=LONG)
    whole = (run.end_us - run.start_us) / 1e6
    assert soundfile.info(out).duration == pytest.approx(whole, abs=0.01)


def test_without_a_recording_it_says_how_there_would_be_one(qtbot, window):
    test_desk.on_air(qtbot, window)
    page = aired(qtbot, window)
    qtbot.waitUntil(lambda: page.table.cells.rowCount() > 0, timeout=LONG)
    click(page.table, page.table.cells.key(0))
    QTest.mouseClick(page.play, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "make a recording at Outputs" in page.result.text(), timeout=LONG)
    QTest.mouseClick(page.earlier, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "nothing aired" in page.head.text(), timeout=LONG)
    assert page.later.isEnabled()
    QTest.mouseClick(page.later, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: page.table.cells.rowCount() > 0, timeout=LONG)
    assert not page.later.isEnabled()


def test_what_aired_is_looked_through_saved_and_added_up(
    qtbot, window, station, tmp_path, monkeypatch
):
    at_us = time.time_ns() // 1000 - 3600 * US
    with closing(sqlite3.connect(station / "station.db")) as db, db:
        for number, (title, seconds) in enumerate((("Ebb", 180), ("Flow", 200), ("Ebb", 60))):
            begin = at_us + number * 300 * US
            row = (f"t{number}", begin, begin + seconds * US, 900 + number % 2, title)
            db.execute(
                "INSERT INTO as_run (key, start_us, end_us, cart, kind, title, artist, origin, why,"
                " outcome, note) VALUES (?, ?, ?, ?, 'song', ?, 'Wren', 'log', 'so', 'aired', '')",
                row,
            )
    page = aired(qtbot, window)
    page.refresh()
    qtbot.waitUntil(lambda: page.table.cells.rowCount() == 3, timeout=LONG)
    write(page.words, "wren flow")
    assert page.table.cells.rowCount() == 1
    assert "1 of 3 lines" in page.head.text()
    out = tmp_path / "list.csv"
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: (str(out), ""))
    QTest.mouseClick(page.export, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "list.csv is written" in page.result.text(), timeout=LONG)
    rows = list(csv.DictReader(io.StringIO(out.read_text("utf-8"))))
    assert [(row["title"], row["state"]) for row in rows] == [("Flow", "aired")]
    out = tmp_path / "use.csv"
    QTest.mouseClick(page.report, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: "use.csv is written" in page.result.text(), timeout=LONG)
    rows = list(csv.DictReader(io.StringIO(out.read_text("utf-8"))))
    assert [(row["title"], row["plays"], row["seconds"]) for row in rows] == [
        ("Ebb", "2", "240.000"),
        ("Flow", "1", "200.000"),
    ]
    # nothing is written where that cannot be, and it says so
    out = tmp_path / "no such folder" / "use.csv"
    QTest.mouseClick(page.report, Qt.MouseButton.LeftButton)
    note = window.station.note
    qtbot.waitUntil(lambda: "cannot be written" in note.text(), timeout=LONG)

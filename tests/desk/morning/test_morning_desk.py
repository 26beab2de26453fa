"""The place Morning on the desk: what the as-run log says, by clicks."""

from contextlib import closing

import pytest
from conftest import LONG, ZONE

pytest.importorskip("PySide6")

from zoneinfo import ZoneInfo

from PySide6.QtCore import QSettings, Qt
from PySide6.QtTest import QTest

from nightly_spindle.core.base.timebase import US, local_from
from nightly_spindle.desk.shell.app import application, open_window
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.base.transaction import now_us
from nightly_spindle.store.reports.night_past import since_the_evening

LEFT = Qt.MouseButton.LeftButton
_LINE = (
    "INSERT INTO as_run (key, start_us, end_us, cart, kind, title, artist, origin, why, outcome,"
    " note, over, campaign, break_id, break_us, good, file, whole_us, share)"
    " VALUES (?, ?, ?, 1, ?, ?, '', ?, '', ?, ?, '', 0, 0, 0, 0, '', 0, 1.0)"
)


@pytest.fixture
def evening():
    return since_the_evening(now_us(), ZoneInfo(ZONE))


@pytest.fixture
def aired(station, evening):
    """A night of three items since 18:00 and 19 s off air; a day before it one more gap."""
    rows = [
        ("a", 0, 60, "song", "Slip", "log", "aired", ""),
        ("b", 60, 79, "", "Off air", "engine", "missed", "The engine was off for 19.0 s."),
        ("c", 79, 120, "song", "Slip", "log", "aired", ""),
        ("d", 120, 180, "song", "Slip", "safety net: rotation", "aired", ""),
    ]
    with closing(connect(station)) as connection, connection:
        for key, begin, end, *rest in rows:
            at = (evening + begin * US, evening + end * US)
            connection.execute(_LINE, (key, *at, *rest))
        connection.execute(
            "INSERT INTO alarm (key, at_us, code, severity, text, mend) VALUES"
            " ('x', ?, 'log-missing', 'alarm', 'No log was there.', 'Send it.')",
            (evening + 121 * US,),
        )
    return station


@pytest.fixture
def place(qtbot, aired, tmp_path):
    application()
    memory = QSettings(str(tmp_path / "desk.ini"), QSettings.Format.IniFormat)
    window = open_window(aired, memory)
    qtbot.addWidget(window)
    window.show()
    QTest.mouseClick(window.places["Morning"], LEFT)
    made = window.stage.currentWidget()
    qtbot.waitUntil(lambda: made.found is not None, timeout=LONG)
    yield made
    window.close()


def test_the_night_is_told_with_its_causes_and_where_they_are_mended(place):
    assert place.verdict.text() == "1 min 19 s of the night were not as planned."
    assert [one.what for one in place.table.cells.rows] == [
        "Off air.",
        "The safety net played: 1 item.",
    ]
    assert "3 items aired, off air for 19 s, 19 s at the longest, 1 min of the safety net" in (
        place.under.text()
    )
    assert place.why.text() == "The engine was off for 19.0 s."
    place.table.setFocus()
    QTest.keyClick(place.table, Qt.Key.Key_Down)
    assert (place.why.text(), place.mend.text()) == ("No log was there.", "Send it.")
    assert place.go.text() == "Go to Logs"
    QTest.mouseClick(place.go, LEFT)
    assert place.window().stage.currentWidget() is place.window().logs


def test_another_stretch_is_grey_until_it_is_read(qtbot, place):
    QTest.mouseClick(place.stretch.buttons["Last 24 hours"], LEFT)
    assert not place.verdict.isEnabled()
    qtbot.waitUntil(place.verdict.isEnabled, timeout=LONG)
    assert place.found.until_us - place.found.from_us == 86_400 * US


def test_the_evening_begins_at_six_however_late_it_is(evening):
    zone = ZoneInfo(ZONE)
    assert local_from(evening, zone).hour == 18
    assert 0 <= now_us() - evening < 86_400 * US + 3600 * US
    assert since_the_evening(evening, zone) == evening
    assert since_the_evening(evening - 1, zone) < evening

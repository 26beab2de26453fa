"""The desk, driven as a person does: real windows, real clicks and keys, a real engine."""

import contextlib
import json
import shutil
import socket
import subprocess
import sys
import threading
import time
from datetime import date, datetime
from pathlib import Path
from zoneinfo import ZoneInfo

import msgspec
import pytest
from conftest import LONG, ZONE, ask, make_item, song_names, wait, write_log

pytest.importorskip("PySide6")

from PySide6.QtCore import QPoint, QPointF, QSettings, Qt
from PySide6.QtGui import QGuiApplication, QPainter, QPixmap
from PySide6.QtWidgets import QMessageBox
from test_sequencer import MIDNIGHT, SONGS, Logs, programme, state_at

from nightly_spindle.air.messages import VERSION, EngineStatus
from nightly_spindle.air.places import engine_pid, socket_path
from nightly_spindle.core.base.errors import NotOnAir
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.reports.timeline import lands, plan_night
from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.kit.planning_process import NightPlan
from nightly_spindle.desk.shell.app import application, open_window
from nightly_spindle.desk.timeline.timeline import Timeline
from nightly_spindle.store.base.messages import last_messages
from nightly_spindle.store.base.station_folder import set_settings

LINES = 500  # of a log: more than a day of songs
DUE = f"{(datetime.now(ZoneInfo(ZONE)).hour + 6) % 24:02}:00"


@pytest.fixture
def station(built_long, tmp_path):
    return Path(shutil.copytree(built_long, tmp_path / "pier"))


@pytest.fixture
def window(qtbot, station, tmp_path):
    """The desk of a station whose engine is off; whatever it starts is ended."""
    # whatever the hour of this run: the next log is due in six hours or a little less
    set_settings(station, {"day_start": f"{DUE}:00"})
    today = date.today()
    for away in (-1, 0, 1):
        # nothing shorter among them, or the log would be over before the next
        songs = [name for name in song_names(station) if name.startswith("song")]
        names = (songs * LINES)[:LINES]
        write_log(station, date.fromordinal(today.toordinal() + away), names)
    application()
    memory = QSettings(str(tmp_path / "desk.ini"), QSettings.Format.IniFormat)
    memory.setValue("look", "dark")
    made = open_window(station, memory)
    qtbot.addWidget(made)
    made.show()
    made.resize(1280, 800)
    yield made
    made.close()
    end = time.monotonic() + 15
    while made.property("started") and not engine_pid(station) and time.monotonic() < end:
        time.sleep(0.05)  # it may only just be starting
    if engine_pid(station):
        print(what_is_on_air(station))
        told_to_leave(station)
        end = time.monotonic() + 10
        while engine_pid(station) and time.monotonic() < end:
            time.sleep(0.05)
    print(*last_messages(station, 100), made.air.note.text(), sep="\n")  # shown when the test fails


def on_air(qtbot, window):
    window.air.header.go.click()
    window.setProperty("started", True)
    qtbot.waitUntil(lambda: bool(window.air.planned and window.air.planned.live), timeout=LONG)
    qtbot.waitUntil(lambda: window.air.header.countdown.text() != "", timeout=LONG)
    # a first start may sound before its station is read
    qtbot.waitUntil(lambda: len(order(window)) > 2, timeout=LONG)


def order(window):
    return [block.line_id for block in window.air.table.rows if block.movable]


def what_is_on_air(station):
    """What the engine would say of itself, in a line: shown when a test fails."""
    with contextlib.suppress(NotOnAir):
        answer = ask(station, "state")
        order, logs = answer["state"]["order"], answer["state"]["logs"]
        return f"on air: {order['playing']} and {len(order['upcoming'])} more; {logs}"
    return "no engine answers"


def told_to_leave(station):
    """Tell the engine to leave; whether it heard. One that starts again just then does not."""
    with contextlib.suppress(NotOnAir):
        return ask(station, "leave") or True
    return False


def row_point(window, line_id):
    table = window.air.table
    row = table.cells.seen_at(line_id)
    return QPoint(300, table.rowViewportPosition(row) + 8)


def test_an_evening_at_the_desk(qtbot, window, station):
    # off air: it says so, and plans all the same
    assert window.status.sign.text() == "OFF AIR"
    qtbot.waitUntil(lambda: window.air.planned is not None, timeout=LONG)
    assert len(window.air.table.rows) > 50
    on_air(qtbot, window)
    assert window.status.sign.text() == "ON AIR"
    assert window.status.mode.text() == "unattended"
    playing = ask(station, "state")["state"]["order"]["playing"]
    assert window.air.header.title.text() == playing["item"]["title"]
    assert window.status.fixed.text() == f"{DUE}:00"

    # click a line and ask it why it is there
    second = order(window)[1]
    viewport = window.air.table.viewport()
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=row_point(window, second))
    assert window.air.table.chosen() == [second]
    why = window.air.details.texts["WHY IT IS HERE"].text()
    assert f"Loaded at {DUE}:00 by “Day log”" in why
    assert "(the station's rule)" in window.air.details.texts["HOW IT STARTS"].text()

    # move it up by key, undo by key, move it again
    first = order(window)[0]
    qtbot.keyClick(window.air.table, Qt.Key.Key_Up, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: order(window)[:2] == [second, first], timeout=LONG)
    qtbot.keyClick(window, Qt.Key.Key_Z, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: order(window)[:2] == [first, second], timeout=LONG)
    window.air.tools["redo"].click()
    qtbot.waitUntil(lambda: order(window)[:2] == [second, first], timeout=LONG)

    # dragging: what a drop asks for
    third = order(window)[2]
    y = window.air.table.rowViewportPosition(window.air.table.cells.seen_at(second)) + 2
    window.air.table.drop_lines([third], window.air.table.key_before(y))
    qtbot.waitUntil(lambda: order(window)[0] == third, timeout=LONG)

    # take out and bring back
    qtbot.mouseClick(viewport, Qt.MouseButton.LeftButton, pos=row_point(window, third))
    qtbot.keyClick(window.air.table, Qt.Key.Key_Delete)
    qtbot.waitUntil(lambda: third not in order(window), timeout=LONG)
    window.air.tools["undo"].click()
    qtbot.waitUntil(lambda: order(window)[0] == third, timeout=LONG)

    # skip: the line moved to the front is on air
    qtbot.mouseClick(window.air.header.skip, Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: window.air.table.on_air == third, timeout=LONG)

    # add an item by searching
    qtbot.keyClick(window, Qt.Key.Key_N, Qt.KeyboardModifier.ControlModifier)
    qtbot.keyClicks(window.air.add.field, "bell")
    qtbot.waitUntil(lambda: window.air.add.list.count() == 1, timeout=LONG)
    qtbot.keyClick(window.air.add.field, Qt.Key.Key_Return)
    qtbot.waitUntil(
        lambda: any(b.title == "bell" and b.brief == "by hand" for b in window.air.table.rows),
        timeout=LONG,
    )
    qtbot.keyClick(window.air.add.field, Qt.Key.Key_Escape)

    # attend, stop, start, leave unattended
    qtbot.keyClick(window, Qt.Key.Key_F6)
    qtbot.waitUntil(lambda: window.status.mode.text().startswith("attended"), timeout=LONG)
    qtbot.waitUntil(
        lambda: any("attended" in one.text for one in window.air.planned.night.counting()),
        timeout=LONG,
    )
    told = {}
    for _ in range(2):  # that nobody can hear it, and that
        qtbot.keyClick(window, Qt.Key.Key_F4)
        texts = window.air.details.texts
        told[texts["WHAT IS WRONG"].text()[:12]] = texts["WHAT TO DO"].text()
    assert "Switch to unattended" in told["The station "]
    assert "Make an output" in told["Nobody can h"]
    qtbot.keyClick(window, Qt.Key.Key_F9)
    qtbot.waitUntil(lambda: window.status.sign.text() == "WAITING", timeout=LONG)
    qtbot.keyClick(window, Qt.Key.Key_F6)
    qtbot.waitUntil(lambda: window.status.sign.text() == "ON AIR", timeout=LONG)

    # close the desk: it says once that the station stays on air, and it does
    pid = engine_pid(station)
    window.close()
    assert window.isVisible()
    box = window.findChild(QMessageBox)
    assert "stays on air" in box.text()
    qtbot.mouseClick(box.buttons()[0], Qt.MouseButton.LeftButton)
    qtbot.waitUntil(lambda: not window.isVisible(), timeout=LONG)
    time.sleep(1)
    assert engine_pid(station) == pid
    assert ask(station, "state")["state"]["order"]["playing"]


def test_the_desk_sees_the_engine_go_and_come_back(qtbot, window, station):
    on_air(qtbot, window)
    wait(lambda: told_to_leave(station))
    qtbot.waitUntil(lambda: window.status.sign.text() == "OFF AIR", timeout=LONG)
    qtbot.waitUntil(lambda: not window.air.planned.live, timeout=LONG)
    assert not window.air.header.skip.isEnabled()
    window.air.remove_lines(order(window)[:1])
    assert "Only lines that are lined up" in window.air.note.text()
    qtbot.waitUntil(lambda: engine_pid(station) is None, timeout=LONG)
    on_air(qtbot, window)
    assert window.status.sign.text() == "ON AIR"


def planned(station, state, hours=12):
    night = plan_night(station, state, MIDNIGHT - 1800 * US, hours, live=True)
    return NightPlan(night, station.settings, live=True)


def test_the_night_line_by_keyboard_and_mouse(qtbot):
    application()
    station = programme(SONGS, Logs(d2026_11_24=[5, 0, 6]))
    plan = planned(station, state_at(MIDNIGHT - 1800 * US, [1, 2, 3]))
    line = Timeline(theme.DARK)
    qtbot.addWidget(line)
    line.resize(900, 180)
    line.show()
    line.show_plan(plan)
    line.set_now(MIDNIGHT - 1800 * US, 1)
    picked = []
    line.picked.connect(picked.append)
    line.picked.connect(line.select)
    qtbot.keyClick(line, Qt.Key.Key_Right)
    qtbot.keyClick(line, Qt.Key.Key_Right)
    assert picked == [b.line_id for b in plan.night.blocks[:2]]
    before = line.span_us
    qtbot.keyClick(line, Qt.Key.Key_Plus)
    assert line.span_us == before // 2
    for _ in range(30):
        line.zoom(0.5)
    assert line.span_us == 10 * US, "down to ten seconds"
    for _ in range(30):
        line.zoom(2)
    assert line.span_us == 12 * 3600 * US, "up to twelve hours"
    line.zoom(1 / 12)
    qtbot.keyClick(line, Qt.Key.Key_Home)
    # a click on what is drawn at now is a click on the first block
    qtbot.mouseClick(line, Qt.MouseButton.LeftButton, pos=QPoint(round(900 * 0.12) + 6, 120))
    assert picked[-1] == plan.night.blocks[0].line_id
    colors = {line.grab().toImage().pixelColor(x, 26).name() for x in range(0, 900, 2)}
    assert theme.kind_color("song").name() in colors, "the strip shows the night"


def test_the_plan_tells_pins_marks_and_landings():
    station = programme(SONGS, Logs(d2026_11_24=[5, 0, 6]))
    carts = [*range(1, 13), 1, 2]
    night = planned(station, state_at(MIDNIGHT - 1800 * US, carts)).night
    assert [(pin.at_us, lands(pin)) for pin in night.pins] == [(MIDNIGHT, "on time")]
    assert night.next_pin(MIDNIGHT) is None
    assert night.worst().text.startswith("1 of 3 lines of 2026-11-24.m3u cannot air")
    bare = planned(programme(SONGS), state_at(MIDNIGHT - 1800 * US, [1])).night
    assert lands(bare.pins[0]) == "nothing to load"
    assert bare.worst().severity == "alarm"


def test_painting_does_not_lose_references_to_none(qtbot):
    # PySide6 6.12.0 on Python 3.11 loses one with nearly every call that returns nothing
    application()
    pixmap = QPixmap(20, 20)
    painter = QPainter(pixmap)
    before = sys.getrefcount(None)
    for _ in range(1000):
        painter.drawLine(QPointF(0, 0), QPointF(5, 5))
    after = sys.getrefcount(None)
    painter.end()
    assert abs(after - before) < 100


def test_texts_keep_their_contrast():
    # WCAG 2.1 success criterion 1.4.3: 4.5 to 1 (relative luminance as defined there)
    def luminance(name):
        color = theme.QColor(name)
        parts = [
            c / 12.92 if c <= 0.03928 else ((c + 0.055) / 1.055) ** 2.4
            for c in (color.redF(), color.greenF(), color.blueF())
        ]
        return 0.2126 * parts[0] + 0.7152 * parts[1] + 0.0722 * parts[2]

    def contrast(one, other):
        low, high = sorted((luminance(one), luminance(other)))
        return (high + 0.05) / (low + 0.05)

    for look in (theme.DARK, theme.LIGHT):
        for ground in (look.ground, look.panel, look.raised, look.select):
            assert contrast(look.text, ground) >= 4.5
        for ground in (look.ground, look.panel):
            assert contrast(look.muted, ground) >= 4.5
            assert contrast(look.air, ground) >= 4.5
        assert contrast(look.alarm, look.alarm_ground) >= 4.5
        assert contrast(look.on_air_text, look.air) >= 4.5
    for kind in ("song", "id", "sweeper", "spot", "promo", "news", "filler"):
        assert contrast(theme.ink_on(kind), theme.kind_color(kind)) >= 4.5, kind


def test_rows_are_copied_as_text(qtbot):
    application()
    from nightly_spindle.desk.playout.running_order_table import RunningOrderTable

    plan = planned(programme([make_item(1, 60)]), state_at(MIDNIGHT - 1800 * US, [1]), 1)
    table = RunningOrderTable(theme.DARK)
    qtbot.addWidget(table)
    table.show_blocks(plan.night.blocks, set(), [], plan.settings.tz)
    table.selectRow(0)
    qtbot.keyClick(table, Qt.Key.Key_C, Qt.KeyboardModifier.ControlModifier)
    assert QGuiApplication.clipboard().text().split("\t")[:4] == [
        "23:30:00",
        "0:59",
        "Title 1",
        "Artist 1",
    ]


def test_no_display_is_said_in_one_line(station):
    env = {"PATH": "/usr/bin:/bin", "HOME": str(station)}
    told = subprocess.run(
        [sys.executable, "-m", "nightly_spindle", "desk", str(station)],
        env=env,
        capture_output=True,
        text=True,
        check=False,
    )
    assert told.returncode == 1
    assert "xvfb-run" in told.stderr
    assert told.stderr.count("\n") == 1


@pytest.fixture
def pretended(station, window):
    """A socket where the engine's should be; the desk will find it."""
    with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as server:
        server.bind(str(socket_path(station)))
        server.listen()
        yield server
        window.close()
    socket_path(station).unlink()


@pytest.mark.parametrize(
    "greeting",
    [
        b'{"id": 1, "ok": "watching"}\n',  # so did engines answer before messages had a version
        b'{"id": 1, "ok": {"version": 99, "program": "9.9"}}\n',
        b'{"id": 1, "error": "The desk is of an older version than the engine."}\n',
    ],
)
def test_an_engine_of_another_version_is_told_of_and_asked_nothing(
    pretended, window, qtbot, greeting
):
    heard = []

    def serve():
        one, _ = pretended.accept()
        with one, one.makefile("rb") as lines:
            heard.append(lines.readline())
            one.sendall(greeting + b'{"sight": {"of": "another version"}}\n')
            heard.extend(lines)

    with qtbot.waitSignal(window.link.refused, timeout=LONG) as told:
        threading.Thread(target=serve, daemon=True).start()
    qtbot.wait(300)
    assert "of an older version" in told.args[0]
    assert not window.link.on_air
    assert "another version" in window.status.mode.text()
    window.hand("skip")
    assert window.air.note.text() == told.args[0]
    window.hand("go")
    assert window.air.note.text() == told.args[0]
    assert not window.property("started")
    window.close()
    assert [json.loads(one)["op"] for one in heard] == ["watch"]


def test_every_place_fits_a_small_screen(qtbot, window):
    """A laptop of 1366 by 768 with title bar and panel, or half of a large screen."""
    window.resize(1100, 680)
    for name in window.places:
        qtbot.mouseClick(window.places[name], Qt.MouseButton.LeftButton)
        qtbot.wait(50)
        place = window.stage.currentWidget()
        tabs = getattr(place, "tabs", {})
        for tab_name, tab in [("", None), *tabs.items()]:
            if tab is not None and tab.isVisible():
                qtbot.mouseClick(tab, Qt.MouseButton.LeftButton)
                qtbot.wait(20)
            assert (window.width(), window.height()) == (1100, 680), f"{name}, {tab_name}"


def test_a_state_that_could_not_be_had_is_asked_for_again(pretended, window, qtbot):
    """Else the desk would show the order of an hour ago as that of now."""
    asked = []
    sight = EngineStatus(0, 0, 7, True, False, (0.0, 0.0), 0, 0, 0, "", True, True, ())

    def serve():
        one, _ = pretended.accept()
        with contextlib.suppress(OSError), one, one.makefile("rb") as lines:
            for line in lines:
                request = json.loads(line)
                if request["op"] == "watch":
                    answer = {"id": request["id"], "ok": {"version": VERSION, "program": "x"}}
                else:
                    asked.append(request["op"])
                    answer = {"id": request["id"], "error": "not now"}
                one.sendall(json.dumps(answer).encode() + b"\n")
                one.sendall(msgspec.json.encode({"sight": sight}) + b"\n")

    threading.Thread(target=serve, daemon=True).start()
    qtbot.waitUntil(lambda: asked.count("state") >= 3, timeout=LONG)

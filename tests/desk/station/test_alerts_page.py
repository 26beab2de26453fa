"""Station, Alerts: made, tried against stand-ins, switched and removed by hand."""

import json
import sys
import time
from contextlib import closing
from pathlib import Path

import pytest
from conftest import LONG

pytest.importorskip("PySide6")
sys.path.insert(0, str(Path(__file__).parents[1] / "shell"))

import test_desk
from PySide6.QtCore import QPoint, Qt
from PySide6.QtTest import QTest

from nightly_spindle.core.alerts.alerts import AlertKind
from nightly_spindle.simulators.mail_server import MailManner, MailServer
from nightly_spindle.store.alerts.alerts import read_alerts
from nightly_spindle.store.alerts.alerts_sent import SENT
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.outputs.passwords import password_of

window, station = test_desk.window, test_desk.station
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def post_office():
    server = MailServer(MailManner("keeper", "lantern")).start()
    yield server
    server.stop()


@pytest.fixture
def page(qtbot, window):
    window.go_to("Station")
    qtbot.mouseClick(window.station.pages.buttons["Alerts"], LEFT)
    made = window.station.alerts
    qtbot.waitUntil(lambda: bool(made.told.text()), timeout=LONG)
    return made


def kept(station):
    with closing(connect(station)) as connection:
        return read_alerts(connection)


def write(field, text):
    field.setFocus()
    field.selectAll()
    QTest.keyClicks(field, text)


def test_a_mail_is_made_tried_kept_switched_off_removed_and_brought_back(
    qtbot, page, station, post_office
):
    assert page.told.text().startswith("Nobody is told")
    qtbot.mouseClick(page.new[AlertKind.MAIL], LEFT)
    assert page.trouble.text().startswith("It goes to nobody")
    assert not page.keep.isEnabled()
    form = page.editor.forms[AlertKind.MAIL]
    write(form.fields["to"], "night@pier.example")
    write(form.fields["sender"], "spindle@pier.example")
    write(form.fields["server"], post_office.address)
    form.fields["security"].setCurrentText("none")
    write(form.fields["user"], "keeper")
    assert page.trouble.text() == ""
    assert page.sentence.text().startswith("Mails night@pier.example when ")
    assert page.sentence.text().endswith("Its password is not set yet.")
    # a wrong password is told at the try, and nothing has to be saved for it
    write(page.editor.password, "wrong")
    qtbot.mouseClick(page.attempt, LEFT)
    qtbot.waitUntil(lambda: "refuses the name or the password" in page.result.text(), timeout=LONG)
    write(page.editor.password, "lantern")
    qtbot.mouseClick(page.attempt, LEFT)
    qtbot.waitUntil(lambda: page.result.text() == "Sent. See that it came.", timeout=LONG)
    assert "Nothing is wrong" in post_office.taken[0].mail.get_content()
    assert kept(station) == ()
    write(page.editor.name, "Night mail")
    qtbot.mouseClick(page.editor.when.fields["net"], LEFT)
    page.editor.when.fields["after_s"].setFocus()
    qtbot.mouseClick(page.keep, LEFT)
    qtbot.waitUntil(lambda: len(kept(station)) == 1, timeout=LONG)
    (made,) = kept(station)
    assert (made.name, made.when.net, made.options.user) == ("Night mail", True, "keeper")
    assert password_of(station, "alert 1") == "lantern"
    assert b"lantern" not in (station / "station.db").read_bytes()
    qtbot.waitUntil(lambda: page.told.text() == "Told of troubles: Night mail.", timeout=LONG)
    # what came of it last is told, wherever it was sent from
    said = {"at_us": time.time_ns() // 1000, "subject": "Pier: a tone", "problem": "no answer"}
    (station / SENT).write_text(json.dumps({"1": said}))
    qtbot.waitUntil(lambda: "no answer" in page.trouble.text(), timeout=LONG)
    qtbot.mouseClick(page.editor.on, LEFT, pos=QPoint(8, page.editor.on.height() // 2))
    assert page.keep.isEnabled(), page.trouble.text()
    page.editor.name.setFocus()
    QTest.keyClick(page.editor.name, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: not kept(station)[0].on, timeout=LONG)
    qtbot.waitUntil(lambda: page.told.text().startswith("Nobody is told"), timeout=LONG)
    qtbot.mouseClick(page.remove, LEFT)
    qtbot.waitUntil(lambda: kept(station) == (), timeout=LONG)
    page.window().station.undo.undo()
    qtbot.waitUntil(lambda: len(kept(station)) == 1, timeout=LONG)


def test_a_command_that_cannot_be_is_told_while_it_is_typed(qtbot, page):
    qtbot.mouseClick(page.new[AlertKind.COMMAND], LEFT)
    program = page.editor.forms[AlertKind.COMMAND].fields["program"]
    write(program, "bell 'ring")
    assert "leaves a quote open" in page.trouble.text()
    write(program, f"{sys.executable} -c 'import sys; sys.exit(4)'")
    assert page.trouble.text() == ""
    qtbot.mouseClick(page.attempt, LEFT)
    qtbot.waitUntil(lambda: "ended with status 4" in page.result.text(), timeout=LONG)

"""The desk among the desktop's programs, on a session bus of its own."""

import json
import shutil
import subprocess
import sys
import time

import pytest
from PySide6.QtCore import QPoint, QRect, QSize
from PySide6.QtWidgets import QWidget

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.reports.as_run import Alarm
from nightly_spindle.desk.session import citizen as citizens
from nightly_spindle.desk.session.citizen import Citizen
from nightly_spindle.desk.session.fit_screen import FitsScreen, fitted
from nightly_spindle.desk.session.media_player import MediaPlayer, session_bus
from nightly_spindle.desk.session.notices import Notices
from nightly_spindle.desk.session.tray import Tray

ENTRY = "org.nightlyspindle.Desk"
# Qt connects a process to its session bus once: each trial is a process of its own
PLAYER = """
import json, sys
from PySide6.QtCore import QCoreApplication, QTimer
from nightly_spindle.desk.session.media_player import MediaPlayer
app = QCoreApplication([])
player = MediaPlayer("Pier Nine", "org.nightlyspindle.Desk")
player.skipped.connect(lambda: print("skipped", flush=True))
player.raised.connect(lambda: print("raised", flush=True))
print("begun", player.begin(), flush=True)
def read():
    for line in sys.stdin:
        given = json.loads(line)
        if given is None:
            player.close(); app.quit(); return
        player.show(**given); print("shown", flush=True); return
from PySide6.QtCore import QSocketNotifier
tell = QSocketNotifier(0, QSocketNotifier.Type.Read)
tell.activated.connect(read)
sys.exit(app.exec())
"""
LISTENER = """
import sys
from PySide6.QtCore import ClassInfo, QCoreApplication, QObject, Slot
from PySide6.QtDBus import QDBusAbstractAdaptor, QDBusConnection
@ClassInfo({"D-Bus Interface": "org.freedesktop.Notifications"})
class Shows(QDBusAbstractAdaptor):
    @Slot(str, "uint", str, str, str, "QStringList", "QVariantMap", int, result="uint")
    def Notify(self, *told):
        print(told[0], told[3], told[4], told[6]["urgency"], sep="|", flush=True)
        return 1
app = QCoreApplication([])
here = QObject(); shows = Shows(here)
bus = QDBusConnection.sessionBus()
bus.registerService("org.freedesktop.Notifications")
bus.registerObject("/org/freedesktop/Notifications", here)
print("ready", flush=True)
sys.exit(app.exec())
"""


@pytest.fixture
def bus(monkeypatch):
    """A session bus of its own, for this test and the processes that it starts."""
    program = shutil.which("dbus-daemon")
    if program is None:
        pytest.skip("dbus-daemon (Debian: dbus) is not installed")
    daemon = subprocess.Popen(
        [program, "--session", "--nofork", "--nopidfile", "--print-address"],
        stdout=subprocess.PIPE,
        stderr=subprocess.DEVNULL,
        text=True,
    )
    monkeypatch.setenv("DBUS_SESSION_BUS_ADDRESS", daemon.stdout.readline().strip())
    yield
    daemon.kill()
    daemon.wait()
    daemon.stdout.close()


@pytest.fixture
def beside(request):
    """Start a program on the bus."""
    started = []

    def start(text):
        process = subprocess.Popen(
            [sys.executable, "-c", text],
            stdin=subprocess.PIPE,
            stdout=subprocess.PIPE,
            text=True,
        )
        started.append(process)
        return process

    yield start
    for process in started:
        process.kill()
        process.wait()
        process.stdin.close()
        process.stdout.close()


def ask(service, interface, member, signature="", *given):
    from jeepney import DBusAddress, new_method_call
    from jeepney.io.blocking import open_dbus_connection

    where = DBusAddress("/org/mpris/MediaPlayer2", service, interface)
    with open_dbus_connection(bus="SESSION") as connection:
        message = new_method_call(where, member, signature, given)
        return connection.send_and_get_reply(message, timeout=10).body


def everything(service, interface):
    found = ask(service, "org.freedesktop.DBus.Properties", "GetAll", "s", interface)[0]
    return {name: value for name, (_, value) in found.items()}


@pytest.mark.slow
def test_the_desktop_sees_what_is_on_and_its_key_passes_on(bus, beside):
    player = beside(PLAYER)
    assert player.stdout.readline() == "begun True\n"
    service = f"org.mpris.MediaPlayer2.nightly_spindle.instance{player.pid}"
    root = everything(service, "org.mpris.MediaPlayer2")
    assert (root["Identity"], root["DesktopEntry"]) == ("Pier Nine", ENTRY)
    assert (root["CanQuit"], root["CanRaise"], root["HasTrackList"]) == (False, True, False)
    # MPRIS 2.2: these must be there, whatever plays
    of_player = "org.mpris.MediaPlayer2.Player"
    known = everything(service, of_player)
    assert known["PlaybackStatus"] == "Stopped"
    assert {"Rate", "Volume", "Position", "CanSeek", "CanControl", "Metadata"} <= set(known)
    ask(service, of_player, "Next")  # with nothing on, nothing is passed over
    on = {"on_air": True, "waiting": False, "number": 7, "title": "Lamp", "artist": "Keeper"}
    player.stdin.write(json.dumps(on) + "\n")
    player.stdin.flush()
    assert player.stdout.readline() == "shown\n"
    known = everything(service, of_player)
    assert (known["PlaybackStatus"], known["CanGoNext"]) == ("Playing", True)
    data = known["Metadata"]
    assert data["mpris:trackid"] == ("o", "/org/nightlyspindle/play/7")
    assert data["xesam:title"] == ("s", "Lamp")
    assert data["xesam:artist"] == ("as", ["Keeper"])
    for member in ("Pause", "PlayPause", "Stop", "Play", "Previous"):
        ask(service, of_player, member)
    ask(service, of_player, "Next")
    assert player.stdout.readline() == "skipped\n", "and nothing else was asked of the station"
    ask(service, "org.mpris.MediaPlayer2", "Raise")
    assert player.stdout.readline() == "raised\n"
    ask(service, "org.mpris.MediaPlayer2", "Quit")
    assert player.poll() is None


@pytest.mark.slow
def test_an_alarm_is_shown_by_whoever_shows_notifications(bus, beside):
    notices = Notices("Pier Nine", ENTRY)
    notices.show("Told too early", "nobody listens yet")
    time.sleep(0.5)
    listener = beside(LISTENER)
    assert listener.stdout.readline() == "ready\n"
    notices.show("Silence", "Look at the fader.")
    assert listener.stdout.readline() == "Pier Nine|Silence|Look at the fader.|2\n"
    notices.close()


def test_without_a_bus_nothing_is_said(monkeypatch, tmp_path, qapp):
    monkeypatch.delenv("DBUS_SESSION_BUS_ADDRESS", raising=False)
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    assert not session_bus()
    player = MediaPlayer("Pier", ENTRY)
    assert player.begin() is False
    player.show(on_air=True, waiting=False, number=1, title="Lamp", artist="")
    assert (player.status(), player.can_skip()) == ("Playing", True)
    assert "xesam:artist" not in player.metadata()
    player.show(on_air=True, waiting=True, number=0, title="", artist="")
    assert (player.status(), player.can_skip()) == ("Paused", False)
    player.close()
    notices = Notices("Pier", ENTRY)
    notices.show("Silence", "")
    assert notices._thread is None
    notices.close()


class Shelf:
    """Looks at once."""

    def __init__(self, folder):
        self.folder = folder

    def look(self, what, then, _key):
        then(what(None))


@pytest.fixture
def link(qapp):
    from PySide6.QtCore import QObject, Signal

    class Link(QObject):
        state, went = Signal(object), Signal()

    return Link()


def test_new_alarms_alone_are_told_and_many_as_a_number(monkeypatch, qapp, link, tmp_path):
    told, stored = [], []
    monkeypatch.setattr(Notices, "show", lambda _, summary, body: told.append((summary, body)))
    monkeypatch.setattr(citizens, "connect", lambda _: type("C", (), {"close": lambda _: None})())
    monkeypatch.setattr(
        citizens, "alarms_between", lambda _c, since, until: [a for a in stored if a.at_us >= since]
    )
    here = Citizen("Pier", ENTRY, qapp.windowIcon(), Shelf(tmp_path), link)
    now = here._since_us

    def alarm(number, severity=Severity.ALARM, at=1):
        return Alarm(f"k{number}", now + at, "silence", str(severity), f"Gone {number}.", "Look.")

    stored += [alarm(0, at=-5), alarm(1), alarm(2, Severity.WARNING)]
    here._look_for_alarms()
    here._look_for_alarms()
    assert told == [("Pier: Gone 1.", "Look.")], "once, and neither old ones nor warnings"
    stored += [alarm(number) for number in range(10, 16)]
    here._look_for_alarms()
    assert [summary for summary, _ in told[1:]] == [
        "Pier: Gone 10.",
        "Pier: Gone 11.",
        "Pier: Gone 12.",
        "Pier: 3 more alarms",
    ]
    here.close()


def test_the_tray_says_what_is_on_and_leads_back(qapp):
    tray = Tray("Pier", qapp.windowIcon())
    seen = []
    tray.raised.connect(lambda: seen.append("raised"))
    tray.closed.connect(lambda: seen.append("closed"))
    assert tray.begin() is False, "there is no tray offscreen"
    tray.show("On air: Lamp – Keeper")
    assert tray.sign.text() == "On air: Lamp – Keeper"
    actions = {action.text(): action for action in tray.menu.actions()}
    actions["Show the desk"].trigger()
    actions["Close the desk"].trigger()
    assert seen == ["raised", "closed"]
    tray.close()


@pytest.mark.parametrize(
    ("frame", "inner", "screen", "wanted"),
    [
        # as wide and high as its screen: its title bar takes 24 of that
        ((0, -24, 1280, 824), (0, 0, 1280, 800), (0, 0, 1280, 800), (0, 24, 1280, 776)),
        # with a panel of 40 below
        ((100, 0, 1280, 824), (100, 24, 1280, 800), (0, 0, 1280, 760), (0, 24, 1280, 736)),
        # on the second of two screens, over its edge
        (
            (3000, 10, 1280, 800),
            (3002, 30, 1276, 778),
            (1920, 0, 1920, 1080),
            (2562, 30, 1276, 778),
        ),
        # it fits
        ((50, 50, 900, 700), (50, 70, 900, 680), (0, 0, 1280, 800), (50, 70, 900, 680)),
    ],
)
def test_a_window_lies_on_its_screen_with_its_frame(frame, inner, screen, wanted):
    assert fitted(QRect(*frame), QRect(*inner), QRect(*screen)) == QRect(*wanted)


def test_it_is_brought_there_when_it_is_first_shown(qtbot):
    window = QWidget()
    qtbot.addWidget(window)
    screen = window.screen().availableGeometry()
    window.setGeometry(QRect(screen.topLeft() - QPoint(90, 50), screen.size() + QSize(300, 200)))
    FitsScreen(window)
    window.show()
    qtbot.waitUntil(lambda: screen.contains(window.frameGeometry()), timeout=5000)
    qtbot.wait(400)
    window.move(screen.topLeft() - QPoint(40, 0))
    qtbot.wait(400)
    assert window.x() == pytest.approx(screen.x() - 40, abs=5), (
        "whoever pulls it over the edge means it"
    )

"""Where the desk is put together: which window is open, and on which station."""

from __future__ import annotations

import logging
import signal
import sys
import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QSettings, Qt, QTimer
from PySide6.QtWidgets import QApplication

from nightly_spindle.core.base.errors import NightlySpindleError, StorageFault
from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.session.citizen import Citizen
from nightly_spindle.desk.session.fit_screen import FitsScreen
from nightly_spindle.desk.shell.one_window import OneWindow, bring_to_front
from nightly_spindle.desk.shell.window import DeskWindow
from nightly_spindle.desk.start.first_window import FirstWindow
from nightly_spindle.simulators.demo_folder import demo_folder
from nightly_spindle.simulators.demo_services import serve_demo
from nightly_spindle.store.base.known_stations import remember_station
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    from pathlib import Path

_LOG = logging.getLogger(__name__)
DESKTOP_ENTRY = "org.nightlyspindle.Desk"
_START_MS = 700  # the window is there first, then the engine starts


def application() -> QApplication:
    """Return the one application object, with the shipped fonts loaded."""
    # every call into Qt takes Python's lock anew: a thread that reads must give it up quickly
    sys.setswitchinterval(0.0005)
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("nightly-spindle")
    app.setOrganizationName("nightly-spindle")
    app.setApplicationDisplayName("Nightly Spindle")
    app.setDesktopFileName(DESKTOP_ENTRY)
    app.setWindowIcon(theme.application_icon())
    theme.load_fonts()
    app.setFont(theme.font())
    return app


def open_window(folder: Path, memory: QSettings | None = None) -> DeskWindow:
    """Make the window of a station; StationNotFound when there is none."""
    snapshot = open_station(folder)
    settings = snapshot.programme.settings
    snapshot.connection.close()
    window = DeskWindow(folder, settings, memory or QSettings())
    window.begin()
    return window


class Opening(QObject):
    """Shows the window of a station, or the first window, which asks for one."""

    def __init__(self, memory: QSettings | None = None) -> None:
        super().__init__()
        self._memory = memory or QSettings()
        self.first: FirstWindow | None = None
        self.window: DeskWindow | None = None
        self._one: OneWindow | None = None
        self.citizen: Citizen | None = None

    def ask(self, why: str = "") -> None:
        """Show the first window; `why` says what could not be opened."""
        self.first = FirstWindow(theme.remembered(self._memory), why)
        self.first.chosen.connect(self.open)
        FitsScreen(self.first)
        self.first.show()

    def restore(self, backup: Path) -> None:
        """Show the first window, which asks where a backup is to be put back."""
        self.ask()
        first = self.first
        assert first is not None
        QTimer.singleShot(0, first, lambda: first.offer_backup(backup))

    def open(self, folder: Path, on_air: bool = False) -> bool:
        """Open a station, and put it on air; False when its desk was open already.

        Where it cannot be opened the first window says why.
        """
        try:
            if bring_to_front(folder):
                self._close_first()
                return False
            begin_messages(folder, "desk")
            self.window = open_window(folder, self._memory)
            self._one = OneWindow(folder, self)
        except NightlySpindleError as error:
            said = f"{str(error)[:1].upper()}{str(error)[1:]}."
            if self.first is None:
                self.ask(said)
            else:
                self.first.say(said, wrong=True)
            return True
        self._one.asked.connect(self._to_front)
        self._join_desktop(self.window)
        self._remember(folder)
        if folder.absolute() == demo_folder().absolute():
            serve_demo()
        self.window.show()
        self._close_first()
        if on_air:
            QTimer.singleShot(_START_MS, self._go_on_air)
        return True

    def _join_desktop(self, window: DeskWindow) -> None:
        FitsScreen(window)
        self.citizen = Citizen(
            window.station_name, DESKTOP_ENTRY, theme.application_icon(), window.shelf, window.link
        )
        self.citizen.raised.connect(self._to_front)
        self.citizen.skipped.connect(lambda: window.hand("skip"))
        self.citizen.closed.connect(window.close)
        window.left.connect(self.citizen.close)
        self.citizen.begin()

    def _remember(self, folder: Path) -> None:
        assert self.window is not None
        try:
            remember_station(folder, self.window.station_name, time.time_ns() // 1000)
        except (StorageFault, OSError) as error:
            _LOG.warning("the list of stations cannot be written: %s", error)

    def _go_on_air(self) -> None:
        if self.window is not None and not self.window.link.on_air:
            self.window.hand("go")

    def _to_front(self) -> None:
        if self.window is not None:
            state = self.window.windowState() & ~Qt.WindowState.WindowMinimized
            self.window.setWindowState(state)
            self.window.raise_()
            self.window.activateWindow()

    def _close_first(self) -> None:
        if self.first is not None:
            self.first.close()
            self.first = None

    def close(self) -> None:
        """Close what is open."""
        for window in (self.window, self.first):
            if window is not None:
                window.close()


def run(folder: Path | None, *, start_engine: bool = False) -> int:
    """Open the desk and stay until it is closed; returns the exit status.

    A file in place of a folder is a backup that is to be put back.
    """
    app = application()
    opening = Opening()
    if folder is None:
        opening.ask()
    elif folder.is_file():
        opening.restore(folder)
    elif not opening.open(folder, start_engine):
        return 0
    # Python sees a Ctrl+C in the terminal only when it gets a turn
    signal.signal(signal.SIGINT, lambda *_: opening.close())
    turn = QTimer()
    turn.timeout.connect(lambda: None)
    turn.start(300)
    return app.exec()

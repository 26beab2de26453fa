"""Where the desk is put together."""

from __future__ import annotations

import signal
import sys
from typing import TYPE_CHECKING

from PySide6.QtCore import QSettings, QTimer
from PySide6.QtWidgets import QApplication

from nightly_spindle.desk.kit import theme
from nightly_spindle.desk.shell.window import DeskWindow
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    from pathlib import Path


def application() -> QApplication:
    """Return the one application object, with the shipped fonts loaded."""
    # every call into Qt takes Python's lock anew: a thread that reads must give it up quickly
    sys.setswitchinterval(0.0005)
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    app.setApplicationName("nightly-spindle")
    app.setOrganizationName("nightly-spindle")
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


def run(folder: Path, *, start_engine: bool = False) -> int:
    """Open the desk and stay until it is closed; returns the exit status."""
    begin_messages(folder, "desk")
    app = application()
    window = open_window(folder)
    window.show()
    if start_engine:
        QTimer.singleShot(700, lambda: None if window.link.on_air else window.hand("go"))
    # Python sees a Ctrl+C in the terminal only when it gets a turn
    signal.signal(signal.SIGINT, lambda *_: window.close())
    turn = QTimer()
    turn.timeout.connect(lambda: None)
    turn.start(300)
    return app.exec()

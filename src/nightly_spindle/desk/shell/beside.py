"""Another desk in a process of its own: several stations can be open at once."""

from __future__ import annotations

import sys

from PySide6.QtCore import QProcess


def open_beside(folder: str = "") -> bool:
    """Open the desk of a station beside this one, or the window that asks for one."""
    process = QProcess()
    process.setProgram(sys.executable)
    process.setArguments(["-m", "nightly_spindle", "desk", *([folder] if folder else [])])
    started = process.startDetached()
    return bool(started[0] if isinstance(started, tuple) else started)

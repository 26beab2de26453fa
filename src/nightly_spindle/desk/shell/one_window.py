"""One desk a station: a second one that is started brings the first to the front, and ends."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, Signal
from PySide6.QtNetwork import QLocalServer, QLocalSocket

from nightly_spindle.air.places import socket_path
from nightly_spindle.core.base.errors import EnvironmentFault

if TYPE_CHECKING:
    from pathlib import Path

_PATIENCE_MS = 500


def _name(folder: Path) -> str:
    """Return where a station's desk listens, empty where there is no place for that."""
    try:
        return str(socket_path(folder).with_suffix(".desk"))
    except EnvironmentFault:
        return ""


def bring_to_front(folder: Path) -> bool:
    """Bring the desk that is open on a station to the front; False when there is none."""
    name = _name(folder)
    if not name:
        return False
    socket = QLocalSocket()
    socket.connectToServer(name)
    if not socket.waitForConnected(_PATIENCE_MS):
        return False
    socket.write(b"front\n")
    socket.waitForBytesWritten(_PATIENCE_MS)
    socket.disconnectFromServer()
    return True


class OneWindow(QObject):
    """Listens for desks that are started on the same station. Signal: `asked` for the front."""

    asked = Signal()

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._on_asked)
        name = _name(folder)
        if not name:
            return
        if not self._server.listen(name):
            QLocalServer.removeServer(name)  # left behind by one that was killed
            self._server.listen(name)

    def _on_asked(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            socket.deleteLater()
            self.asked.emit()

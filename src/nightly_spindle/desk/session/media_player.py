"""The station among the desktop's media players: what is on, and the key that passes on.

MPRIS D-Bus interface 2.2 (freedesktop.org), through Qt. Where there is no session bus nothing is
said. `mpris:length`, which may be left out, is: it has to be of 64 bits, which PySide cannot say
within a map.
"""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any, cast

from PySide6.QtCore import ClassInfo, Property, QObject, Signal, Slot
from PySide6.QtDBus import (
    QDBusAbstractAdaptor,
    QDBusConnection,
    QDBusMessage,
    QDBusObjectPath,
)

_NAME = "org.mpris.MediaPlayer2.nightly_spindle"
_PATH = "/org/mpris/MediaPlayer2"
_ROOT = "org.mpris.MediaPlayer2"
_PLAYER = f"{_ROOT}.Player"
_NO_TRACK = f"{_PATH}/TrackList/NoTrack"


_property: Any = Property  # PySide's declarations do not know types by their name


def _interface(name: str) -> Any:
    """Return the decorator of a class that is an interface on the bus."""
    return ClassInfo({"D-Bus Interface": name})  # type: ignore[call-arg]


def session_bus() -> bool:
    """Whether there is a session bus: Qt would start one of its own where there is none."""
    if os.environ.get("DBUS_SESSION_BUS_ADDRESS"):
        return True
    folder = os.environ.get("XDG_RUNTIME_DIR", "")
    return bool(folder) and (Path(folder) / "bus").exists()


class MediaPlayer(QObject):
    """The station as the desktop sees it. Signals: `raised`, `skipped`."""

    raised = Signal()
    skipped = Signal()

    def __init__(self, name: str, desktop_entry: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.name, self.desktop_entry = name, desktop_entry
        self.on_air = self.waiting = False
        self.title = self.artist = ""
        self.number = 0  # of the play, 0 for none
        self._bus: QDBusConnection | None = None
        self._service = f"{_NAME}.instance{os.getpid()}"
        self._parts = (_Root(self), _Player(self))

    def begin(self) -> bool:
        """Appear on the session bus; False where that cannot be."""
        if not session_bus():
            return False
        bus = QDBusConnection.sessionBus()
        if not bus.isConnected() or not bus.registerObject(_PATH, self):
            return False
        if not bus.registerService(self._service):
            bus.unregisterObject(_PATH)
            return False
        self._bus = bus
        return True

    def show(self, *, on_air: bool, waiting: bool, number: int, title: str, artist: str) -> None:
        """Say what is on, where that is something else than before."""
        told = (self.on_air, self.waiting, self.number, self.title, self.artist)
        if (on_air, waiting, number, title, artist) == told:
            return
        self.on_air, self.waiting = on_air, waiting
        self.number, self.title, self.artist = number, title, artist
        if self._bus is None:
            return
        message = QDBusMessage.createSignal(
            _PATH, "org.freedesktop.DBus.Properties", "PropertiesChanged"
        )
        changed = {
            "PlaybackStatus": self.status(),
            "Metadata": self.metadata(),
            "CanGoNext": self.can_skip(),
        }
        message.setArguments([_PLAYER, changed, []])
        self._bus.send(message)

    def status(self) -> str:
        """Return the state in the words of the interface."""
        if not self.on_air:
            return "Stopped"
        return "Paused" if self.waiting else "Playing"

    def can_skip(self) -> bool:
        """Whether something is on that can be passed over."""
        return self.on_air and not self.waiting and self.number > 0

    def metadata(self) -> dict[str, Any]:
        """Return what is on, in the words of the interface."""
        if not self.number:
            return {"mpris:trackid": QDBusObjectPath(_NO_TRACK)}
        known = {
            "mpris:trackid": QDBusObjectPath(f"/org/nightlyspindle/play/{self.number}"),
            "xesam:title": self.title,
            "xesam:album": self.name,
        }
        if self.artist:
            known["xesam:artist"] = [self.artist]
        return known

    def close(self) -> None:
        """Leave the bus."""
        if self._bus is not None:
            self._bus.unregisterObject(_PATH)
            self._bus.unregisterService(self._service)
            self._bus = None


class _Part(QDBusAbstractAdaptor):
    """One interface of a player.

    It keeps no name for its player: in a circle of the two, whichever thread collects it would
    delete Qt's objects.
    """

    @property
    def _of(self) -> MediaPlayer:
        return cast("MediaPlayer", self.parent())


@_interface(_ROOT)
class _Root(_Part):
    # properties and slots have the names of the interface
    CanQuit = Property(bool, lambda _: False)
    CanRaise = Property(bool, lambda _: True)
    HasTrackList = Property(bool, lambda _: False)
    Identity = Property(str, lambda self: self._of.name)
    DesktopEntry = Property(str, lambda self: self._of.desktop_entry)
    SupportedUriSchemes = _property("QStringList", lambda _: [])
    SupportedMimeTypes = _property("QStringList", lambda _: [])

    @Slot()
    def Raise(self) -> None:
        self._of.raised.emit()

    @Slot()
    def Quit(self) -> None:
        """Nothing: nobody takes a station off the air by a media key."""


@_interface(_PLAYER)
class _Player(_Part):
    PlaybackStatus = Property(str, lambda self: self._of.status())
    Metadata = _property("QVariantMap", lambda self: self._of.metadata())
    Rate = Property(float, lambda _: 1.0)
    MinimumRate = Property(float, lambda _: 1.0)
    MaximumRate = Property(float, lambda _: 1.0)
    Volume = Property(float, lambda _: 1.0)
    Position = _property("qlonglong", lambda _: 0)
    CanGoNext = Property(bool, lambda self: self._of.can_skip())
    CanGoPrevious = Property(bool, lambda _: False)
    CanPlay = Property(bool, lambda _: False)
    CanPause = Property(bool, lambda _: False)
    CanSeek = Property(bool, lambda _: False)
    CanControl = Property(bool, lambda _: True)

    @Slot()
    def Next(self) -> None:
        if self._of.can_skip():
            self._of.skipped.emit()

    # a station is not paused, wound or stopped by a key that was meant for a film
    @Slot()
    def Previous(self) -> None: ...

    @Slot()
    def Pause(self) -> None: ...

    @Slot()
    def PlayPause(self) -> None: ...

    @Slot()
    def Stop(self) -> None: ...

    @Slot()
    def Play(self) -> None: ...

    @Slot("qlonglong")
    def Seek(self, _offset_us: int) -> None: ...

    @Slot(QDBusObjectPath, "qlonglong")
    def SetPosition(self, _track: QDBusObjectPath, _at_us: int) -> None: ...

    @Slot(str)
    def OpenUri(self, _address: str) -> None: ...

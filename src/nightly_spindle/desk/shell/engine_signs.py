"""What the desk says of an engine that is off, starting, or was killed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer

from nightly_spindle.air.last_end import LastEnd, last_end

if TYPE_CHECKING:
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.playout.on_air_header import OnAirHeader
    from nightly_spindle.desk.shell.status import StatusBar

_PATIENCE_MS = 60_000  # an engine that has not come by then does not


class EngineSigns(QObject):
    """Keeps the status bar and the header true while no engine answers."""

    def __init__(
        self,
        shelf: LibraryWorker,
        settings: StationSettings,
        status: StatusBar,
        header: OnAirHeader,
    ) -> None:
        super().__init__(status)
        self._shelf, self._settings = shelf, settings
        self._status, self._header = status, header
        self._away = False
        self._waiting = QTimer(self)
        self._waiting.setSingleShot(True)
        self._waiting.setInterval(_PATIENCE_MS)
        self._waiting.timeout.connect(self._on_late)

    def came(self) -> None:
        """An engine answers."""
        self._away = False
        self._waiting.stop()

    def starting(self) -> None:
        """An engine was told to start."""
        self._waiting.start()
        self._status.set_mode("the engine is starting …")
        self._header.show_silence(
            "Starting", "The engine reads the station and takes the air in a moment."
        )

    def went(self) -> None:
        """No engine answers: say that it is off, or that it was killed."""
        self._away = True
        copy = self._settings.copy_of
        self._status.set_on_air(on_air=False, waiting=False, copy=bool(copy))
        self._status.set_mode(f"a copy of {copy}, not for air" if copy else "the engine is off")
        self._header.show_silence(
            "Off air",
            "Nothing goes out. “Go on air” starts the engine; what follows shows where it "
            "would begin.",
        )
        if not copy:
            folder = self._shelf.folder
            self._shelf.look(lambda _: last_end(folder), self._on_end, "last end")

    def _on_end(self, end: LastEnd) -> None:
        if self._away and not self._waiting.isActive():
            self._status.set_mode(end.sentence(self._settings.tz))

    def _on_late(self) -> None:
        self.went()
        self._header.show_silence(
            "Off air", "The engine did not start. Station › Messages says what it said last."
        )

    def close(self) -> None:
        """Wait for nothing more."""
        self._waiting.stop()

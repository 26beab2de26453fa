"""One station's desk among the other programs of the desktop."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.desk.session.media_player import MediaPlayer
from nightly_spindle.desk.session.notices import Notices
from nightly_spindle.desk.session.tray import Tray
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.playout.journal import alarms_between

if TYPE_CHECKING:
    from PySide6.QtGui import QIcon

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.reports.as_run import Alarm
    from nightly_spindle.desk.kit.engine_link import EngineLink
    from nightly_spindle.desk.kit.library_worker import LibraryWorker

_LOOK_MS = 3000
_LATE_US = 3600 * US
_AT_ONCE = 3  # notifications; of more only their number is told


class Citizen(QObject):
    """Tells the desktop what is on and what is wrong. Signals: `raised`, `skipped`, `closed`."""

    raised = Signal()
    skipped = Signal()
    closed = Signal()

    def __init__(
        self, name: str, desktop_entry: str, icon: QIcon, shelf: LibraryWorker, link: EngineLink
    ) -> None:
        super().__init__(link)
        self._shelf, self._name = shelf, name
        self._since_us = time.time_ns() // 1000  # what was told before the desk was opened is old
        self._told: set[str] = set()
        self.player = MediaPlayer(name, desktop_entry, self)
        self.player.raised.connect(self.raised)
        self.player.skipped.connect(self.skipped)
        self.notices = Notices(name, desktop_entry)
        self.tray = Tray(name, icon, self)
        self.tray.raised.connect(self.raised)
        self.tray.closed.connect(self.closed)
        link.state.connect(self.show_state)
        link.went.connect(self.show_off)
        self._look = QTimer(self)
        self._look.setInterval(_LOOK_MS)
        self._look.timeout.connect(self._look_for_alarms)

    def begin(self) -> None:
        """Appear where the desktop has a place for it."""
        self.player.begin()
        self.tray.begin()
        self._look.start()

    def show_state(self, state: AirState) -> None:
        """Say what is on."""
        playing = state.order.playing
        item = None if playing is None else playing.item
        title, artist = ("", "") if item is None else (item.title, item.artist)
        waiting = playing is None and state.order.stopped
        number = 0 if playing is None else playing.id
        self.player.show(on_air=True, waiting=waiting, number=number, title=title, artist=artist)
        on = f"On air: {title}" + (f" – {artist}" if artist else "")
        self.tray.show("On air, waiting for you" if item is None else on)

    def show_off(self) -> None:
        """Say that nothing goes out."""
        self.player.show(on_air=False, waiting=False, number=0, title="", artist="")
        self.tray.show("Off air")

    def _look_for_alarms(self) -> None:
        folder, since = self._shelf.folder, self._since_us

        def read(_catalogue: object) -> list[Alarm]:
            connection = connect(folder)
            try:
                return alarms_between(connection, since, 2**62)
            finally:
                connection.close()

        self._shelf.look(read, self._on_alarms, "alarms for the desktop")

    def _on_alarms(self, alarms: list[Alarm]) -> None:
        new = [
            one
            for one in alarms
            if one.severity == str(Severity.ALARM) and one.key not in self._told
        ]
        self._told |= {one.key for one in new}
        if alarms:  # one that the disk held up may come with an earlier time
            self._since_us = max(self._since_us, alarms[-1].at_us - _LATE_US)
        for one in new[:_AT_ONCE]:
            self.notices.show(f"{self._name}: {one.text}", one.mend)
        if len(new) > _AT_ONCE:
            self.notices.show(f"{self._name}: {len(new) - _AT_ONCE} more alarms", "")

    def close(self) -> None:
        """Leave the desktop."""
        self._look.stop()
        self.player.close()
        self.notices.close()
        self.tray.close()

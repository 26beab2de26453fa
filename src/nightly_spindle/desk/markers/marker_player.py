"""Listening while marking: what plays, where the playhead is just now, loops, grains."""

from __future__ import annotations

import time
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QTimer, Signal

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.desk_ear import DeskEar

_FRAME_MS = 16
_AHEAD_S = 0.3  # the playhead goes on for so long without word from what plays
_GRAIN_S = 0.14  # what is heard of a place while the playhead is dragged


class MarkerPlayer(QObject):
    """Plays one item. The ear tells its place ten times a second; between, the clock does.

    Signals: `moved` (seconds) some sixty times a second while it plays; `started`, `stopped`.
    """

    moved = Signal(float)
    started = Signal()
    stopped = Signal()

    def __init__(self, ear: DeskEar, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._ear = ear
        self._path, self._gain_db, self._length_s = "", 0.0, 0.0
        self._heard = (0.0, 0.0)  # place in the file, and when it was told
        self.playing = False
        self.looping = False
        self._frame = QTimer(self)
        self._frame.setInterval(_FRAME_MS)
        self._frame.timeout.connect(lambda: self.moved.emit(self.here()))
        ear.at.connect(self._on_ear)
        ear.ended.connect(self._on_ended)

    def load(self, path: str, length_s: float) -> None:
        """Take another file up; what plays stops."""
        self.stop()
        self._path, self._length_s = path, length_s

    def play(
        self, from_s: float, gain_db: float, to_s: float | None = None, *, loop: bool = False
    ) -> None:
        """Play from a second on, to another if given, again and again if it is a loop."""
        if to_s is None:
            self._ear.play(self._path, from_s, gain_db)
        else:
            self._ear.play_part(self._path, from_s, to_s, gain_db, loop=loop)
        self._gain_db, self._heard = gain_db, (from_s, time.monotonic())
        self.playing, self.looping = True, loop
        self._frame.start()
        self.started.emit()

    def grain(self, at_s: float, gain_db: float) -> None:
        """Let a moment of a place be heard."""
        self._ear.play_part(self._path, at_s, at_s + _GRAIN_S, gain_db)

    def stop(self) -> None:
        """Be quiet."""
        if self._ear.playing == self._path and self._path:
            self._ear.stop()

    def here(self) -> float:
        """Return where it is just now."""
        at_s, told = self._heard
        return min(at_s + min(_AHEAD_S, time.monotonic() - told), self._length_s)

    def _on_ear(self, path: str, at_s: float) -> None:
        if path == self._path and self.playing:
            self._heard = (at_s, time.monotonic())

    def _on_ended(self) -> None:
        if self.playing:
            self.playing = self.looping = False
            self._frame.stop()
            self.stopped.emit()

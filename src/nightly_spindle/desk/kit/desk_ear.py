"""The desk's ear: plays an item for the operator alone, through a process of its own."""

from __future__ import annotations

import sys

from PySide6.QtCore import QObject, QProcess, Signal

from nightly_spindle.simulators.listening_orders import (
    BeQuiet,
    GetReady,
    ListeningOrder,
    PlayFile,
    PlayJoin,
    PlayStream,
    line_of,
    news_from,
)

JOIN = "the join"


class DeskEar(QObject):
    """Plays one item at a time, apart from what is on air.

    Signals: `at` (path, seconds) while it plays, `ended` when it does no more, `failed` (str). A
    join that plays has the path `JOIN`.
    """

    at = Signal(str, float)
    ended = Signal()
    failed = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._process: QProcess | None = None
        self._held = b""
        self.playing = ""

    def play(self, path: str, from_s: float = 0.0, gain_db: float = 0.0) -> None:
        """Play a file from a second on, in place of whatever plays."""
        self.playing = path
        self._tell(PlayFile(path, from_s, gain_db))

    def play_part(
        self, path: str, from_s: float, to_s: float, gain_db: float, *, loop: bool = False
    ) -> None:
        """Play a part of a file, again and again if it is a loop."""
        self.playing = path
        self._tell(PlayFile(path, from_s, gain_db, to_s, loop))

    def play_join(self, join: PlayJoin) -> None:
        """Play several files on one time line."""
        self.playing = JOIN
        self._tell(join)

    def play_stream(self, url: str, authority: str = "") -> None:
        """Play a stream as its listeners hear it."""
        self.playing = url
        self._tell(PlayStream(url, authority))

    def warm(self) -> None:
        """Start the process now, so that the first sound comes at once."""
        if self._process is None:
            self._tell(GetReady())

    def stop(self) -> None:
        """Be quiet."""
        if self.playing:
            self.playing = ""
            self._tell(BeQuiet())
            self.ended.emit()

    def close(self) -> None:
        """End the process."""
        process, self._process = self._process, None
        if process is not None:
            process.readyReadStandardOutput.disconnect(self._on_ready)
            process.closeWriteChannel()
            if not process.waitForFinished(1000):
                process.kill()
                process.waitForFinished(1000)

    def _tell(self, order: ListeningOrder) -> None:
        if self._process is None or self._process.state() is QProcess.ProcessState.NotRunning:
            self._process = QProcess(self)
            self._process.readyReadStandardOutput.connect(self._on_ready)
            self._process.setProgram(sys.executable)
            self._process.setArguments(["-m", "nightly_spindle.simulators.listen"])
            self._process.setStandardErrorFile(QProcess.nullDevice())
            self._process.start()
        self._process.write(line_of(order))

    def _on_ready(self) -> None:
        assert self._process is not None
        self._held += self._process.readAllStandardOutput().data()
        *lines, self._held = self._held.split(b"\n")
        for line in lines:
            told = news_from(line)
            if told.problem:
                self.failed.emit(told.problem)
            if told.at_s is not None and self.playing:
                self.at.emit(self.playing, told.at_s)
            if told.ended or told.problem:
                self.playing = ""
                self.ended.emit()

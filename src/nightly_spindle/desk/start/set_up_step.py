"""One step of the guided run, as the run knows all of them."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.station.settings import StationSettings

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.desk.start.background_work import BackgroundWork


@dataclass(frozen=True, slots=True)
class SetUp:
    """The station that is being set up."""

    folder: Path
    settings: StationSettings


class SetUpStep(QWidget):
    """A question with its answer. Whatever it changes it changes in `finish`, off this thread.

    Signals: `moved` when whether it can be finished has changed; `wrong` (str) with what went
    wrong.
    """

    name = ""  # as the list of steps has it
    question = ""
    why = ""
    go_on = "Next"
    skip = "Skip this"  # empty: it cannot be skipped
    moved = Signal()
    wrong = Signal(str)

    def __init__(self, work: BackgroundWork) -> None:
        super().__init__()
        self.work = work
        self.station: SetUp | None = None
        self.box = QVBoxLayout(self)
        self.box.setContentsMargins(0, 0, 0, 0)
        self.box.setSpacing(10)
        title = QLabel(self.question)
        title.setProperty("role", "title")
        title.setWordWrap(True)
        said = QLabel(self.why)
        said.setProperty("role", "muted")
        said.setWordWrap(True)
        self.box.addWidget(title)
        self.box.addWidget(said)
        self.box.addSpacing(6)

    def open(self, station: SetUp | None) -> None:
        """Show the step for a station, None while there is none yet."""
        self.station = station

    def lacks(self) -> str:
        """Return what is missing before it can be finished, empty when nothing is."""
        return ""

    def finish(self, then: Callable[[], None]) -> None:
        """Do what was answered, then call `then`; `wrong` is told instead when it cannot be."""
        then()

    def first_field(self) -> QWidget:
        """Return what is typed into first."""
        return self

    def close_down(self) -> None:
        """Finish what is under way."""

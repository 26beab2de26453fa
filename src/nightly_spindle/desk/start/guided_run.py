"""The guided run: a new station step by step, to be left at any step and taken up again."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Qt, QTimer, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.intake_process import IntakeProcess
from nightly_spindle.desk.start.background_work import BackgroundWork
from nightly_spindle.desk.start.logs_step import LogsStep
from nightly_spindle.desk.start.music_step import MusicStep
from nightly_spindle.desk.start.name_step import NameStep
from nightly_spindle.desk.start.net_step import NetStep
from nightly_spindle.desk.start.set_up_step import SetUp, SetUpStep
from nightly_spindle.desk.start.sound_step import SoundStep
from nightly_spindle.desk.start.tonight_step import TonightStep
from nightly_spindle.store.base.known_stations import set_step
from nightly_spindle.store.base.station_folder import read_settings
from nightly_spindle.store.station.set_up import IntakeProgress, intake_progress

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.base.known_stations import KnownStation

_STEPS: dict[str, type[SetUpStep]] = {
    "name": NameStep,
    "music": MusicStep,
    "logs": LogsStep,
    "sound": SoundStep,
    "net": NetStep,
    "tonight": TonightStep,
}
_LOOK_MS = 700


class GuidedRun(QWidget):
    """Signals: `left` when it is left half way, `finished` (folder, whether it goes on air)."""

    left = Signal()
    finished = Signal(Path, bool)

    def __init__(self, palette: Palette, known: KnownStation | None = None) -> None:
        super().__init__()
        self.setObjectName("place")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.palette_, self._known = palette, known
        self.station: SetUp | None = None
        self._work = BackgroundWork(self)
        self._intake: IntakeProcess | None = None
        self._looking = False
        self._look = QTimer(self)
        self._look.setInterval(_LOOK_MS)
        self._look.timeout.connect(self._look_at_intake)
        self.steps = {name: kind(self._work) for name, kind in _STEPS.items()}
        self.marks: dict[str, QPushButton] = {}
        self._done: set[str] = set()
        self._at = "name"
        self._lay_out()
        for step in self.steps.values():
            step.moved.connect(self._on_moved)
            step.wrong.connect(self._on_wrong)
        for button in self.findChildren(QPushButton):
            button.setAutoDefault(True)  # Enter presses the one that has the keyboard
        for keys, act in (("Ctrl+Return", self.next.click), ("Alt+Left", self.back.click)):
            QShortcut(QKeySequence(keys), self).activated.connect(act)

    # -- making ------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        side = QWidget()
        side.setObjectName("details")
        side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        side.setFixedWidth(230)
        column = QVBoxLayout(side)
        column.setContentsMargins(18, 26, 14, 18)
        column.setSpacing(4)
        head = QLabel("New station")
        head.setProperty("role", "name")
        column.addWidget(head)
        column.addSpacing(10)
        for number, (name, step) in enumerate(self.steps.items(), 1):
            mark = QPushButton(f"{number}  {step.name}")
            mark.setCheckable(True)
            mark.setProperty("role", "step")
            mark.clicked.connect(lambda _=False, name=name: self.show_step(name))
            self.marks[name] = mark
            column.addWidget(mark)
        column.addStretch(1)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(6)
        self.progress.hide()
        self.told = QLabel("")
        self.told.setProperty("role", "muted")
        self.told.setWordWrap(True)
        self.told.setAccessibleName("How far the music is")
        column.addWidget(self.progress)
        column.addWidget(self.told)
        self.stage = QStackedWidget()
        for step in self.steps.values():
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setWidget(step)
            self.stage.addWidget(area)
        right = QVBoxLayout()
        right.setContentsMargins(34, 26, 34, 18)
        right.addWidget(self.stage, 1)
        self.trouble = QLabel("")
        self.trouble.setProperty("role", "warn")
        self.trouble.setWordWrap(True)
        self.trouble.hide()
        right.addWidget(self.trouble)
        right.addLayout(self._foot())
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(side)
        row.addLayout(right, 1)

    def _foot(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setContentsMargins(0, 10, 0, 0)
        row.setSpacing(8)
        self.later = push_button(
            "Later", "Leave it here; it is taken up from the list of stations", self.leave
        )
        self.back = push_button("Back", "To the step before (Alt+Left)", self._back)
        self.skip = push_button("Skip this", "Go on without this step", self._skip)
        self.next = push_button("Next", "", self._next)
        self.next.setDefault(True)
        self.next.setProperty("role", "primary")
        for button in (self.later, None, self.back, self.skip, self.next):
            if isinstance(button, QPushButton):
                row.addWidget(button)
            else:
                row.addStretch(1)
        return row

    # -- going through -----------------------------------------------------------------------------

    def begin(self) -> None:
        """Show the first step, or the one at which it was left."""
        if self._known is None:
            self.show_step("name")
            return
        folder, step = Path(self._known.folder), self._known.step
        self._done = set(list(self.steps)[: list(self.steps).index(step)])
        try:
            self._take_up(folder)
        except NightlySpindleError as error:
            self._on_wrong(f"{error}.")
            return
        self.show_step(step)

    def _take_up(self, folder: Path) -> None:
        self.station = SetUp(folder, read_settings(folder))
        self._intake = IntakeProcess(folder, self)
        self._look.start()

    def show_step(self, name: str) -> None:
        """Show one of the steps."""
        self._at = name
        at = list(self.steps).index(name)
        self.trouble.hide()
        self.stage.setCurrentIndex(at)
        self.step.open(self.station)
        self._on_moved()
        QTimer.singleShot(0, self, lambda: self.step.first_field().setFocus())

    @property
    def step(self) -> SetUpStep:
        """The step that is shown."""
        return self.steps[self._at]

    def _on_moved(self) -> None:
        step, names = self.step, list(self.steps)
        for name, mark in self.marks.items():
            mark.setChecked(name == self._at)
            number, sign = names.index(name) + 1, "✓" if name in self._done else ""
            mark.setText(f"{number}  {self.steps[name].name}  {sign}".rstrip())
            mark.setEnabled(self.station is not None or name == "name")
        lacks = step.lacks()
        self.next.setText(step.go_on)
        self.next.setEnabled(not lacks)
        self.next.setToolTip(f"Not yet: {lacks}." if lacks else f"{step.go_on} (Ctrl+Enter)")
        self.skip.setText(step.skip)
        self.skip.setVisible(bool(step.skip))
        self.back.setEnabled(names.index(self._at) > 0)

    def _on_wrong(self, sentence: str) -> None:
        self.trouble.setText(sentence)
        self.trouble.show()
        self._on_moved()

    def _next(self) -> None:
        self.trouble.hide()
        self.next.setEnabled(False)
        name = self._at
        self.steps[name].finish(lambda: self._finished(name))

    def _finished(self, name: str) -> None:
        self._done.add(name)
        if name == "name" and self.station is None:
            made = self.steps["name"]
            assert isinstance(made, NameStep)
            assert made.made is not None
            self._take_up(made.made)
        if name == "music":
            assert self._intake is not None
            self._intake.keep()
        self._forward(on_air=True)

    def _skip(self) -> None:
        self._forward(on_air=False)

    def _forward(self, *, on_air: bool) -> None:
        names = list(self.steps)
        at = names.index(self._at) + 1
        assert self.station is not None
        if at == len(names):
            set_step(self.station.folder, "")
            self.close_down()
            self.finished.emit(self.station.folder, on_air)
            return
        set_step(self.station.folder, names[at])
        self.show_step(names[at])

    def _back(self) -> None:
        names = list(self.steps)
        self.show_step(names[max(0, names.index(self._at) - 1)])

    def leave(self) -> None:
        """Leave it where it is."""
        self.close_down()
        self.left.emit()

    # -- the music, beside -------------------------------------------------------------------------

    def _look_at_intake(self) -> None:
        if self.station is None or self._looking:
            return
        self._looking = True
        folder = self.station.folder

        def failed(sentence: str) -> None:
            self._looking = False
            self.told.setText(sentence)

        self._work.do(lambda: intake_progress(folder), self._show_intake, failed)

    def _show_intake(self, now: IntakeProgress) -> None:
        self._looking = False
        if now.waiting and self._intake is not None:
            self._intake.keep()
        every = now.done + now.waiting
        self.progress.setVisible(bool(now.waiting))
        self.progress.setRange(0, max(1, every))
        self.progress.setValue(now.done)
        refused = f", {now.refused} could not be read" if now.refused else ""
        if now.waiting:
            self.told.setText(f"Measuring: {now.done} of {every} files{refused}")
        elif every:
            held = f"; {now.held} wait for you in the Library" if now.held else ""
            self.told.setText(f"{now.songs} songs are in{refused}{held}")

    def close_down(self) -> None:
        """Finish what is under way."""
        self._look.stop()
        for step in self.steps.values():
            step.close_down()
        if self._intake is not None:
            self._intake.end()  # the desk begins one of its own
            self._intake = None

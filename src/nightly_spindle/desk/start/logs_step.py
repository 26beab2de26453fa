"""The third step: where logs come from, or that the station makes its own."""

from __future__ import annotations

import time
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import (
    QButtonGroup,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QRadioButton,
    QWidget,
)

from nightly_spindle.core.base.errors import InputFault, NightlySpindleError
from nightly_spindle.core.base.short_texts import group_of
from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.dated_names import period_of
from nightly_spindle.core.calendar.log_periods import Period
from nightly_spindle.core.calendar.name_readings import patterns_from, read_name
from nightly_spindle.core.logs.log_sample import worked_out
from nightly_spindle.core.station.log_sources import (
    DropOptions,
    Loads,
    LogDrop,
    LogReading,
    ReadingState,
    check_drop,
)
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.start.set_up_step import SetUpStep
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.reports.log_boards import LogBoard
from nightly_spindle.store.station import editors
from nightly_spindle.store.station.set_up import FIRST_DROP, make_own_hours

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.desk.start.background_work import BackgroundWork
    from nightly_spindle.desk.start.set_up_step import SetUp

_SUFFIXES = frozenset({".m3u", ".m3u8", ".xspf", ".csv", ".tsv", ".txt", ".log", ".lst"})
_MOST_LOOKED_AT = 5000
_MOST_SHOWN = 30
_REST_MS = 3000


@dataclass(frozen=True, slots=True)
class FoundLogs:
    """What a folder's logs are called and how they are written: a drop, and tonight's files."""

    drop: LogDrop
    sample: str
    tonight: tuple[LogReading, ...]


def logs_in(station: SetUp, folder: Path, now_us: int) -> FoundLogs:
    """Work out how the logs in a folder are called and written; InputFault when it cannot be."""
    now = local_from(now_us, station.settings.tz)
    try:
        files = [
            entry
            for entry in sorted(folder.iterdir())[:_MOST_LOOKED_AT]
            if entry.suffix.lower() in _SUFFIXES and not entry.name.startswith(".")
        ]
        files.sort(key=lambda file: file.stat().st_mtime, reverse=True)
    except OSError as error:
        raise InputFault(f"{folder} cannot be looked at: {error.strerror or error}") from error
    if not files:
        raise InputFault(
            f"there is no log in {folder}; leave one there first, or choose the folder your "
            "scheduler writes to"
        )
    for sample in files:
        for pattern in patterns_from(sample.name, now):
            if read_name(pattern, sample.name, now) is None:
                continue
            drop = _drop(folder, pattern, sample, now_us)
            if drop is not None:
                tonight = LogBoard(station.folder).preview(drop, now_us)
                return FoundLogs(drop, sample.name, tuple(tonight))
    raise InputFault(
        f"no date is to be found in “{files[0].name}”; set its pattern at the place Logs › Drops"
    )


def _drop(folder: Path, pattern: str, sample: Path, now_us: int) -> LogDrop | None:
    wrong: list[str] = []
    try:
        texts = {"period": str(period_of(pattern)), "loads": str(Loads.AT_TIME)}
        options = group_of(DropOptions, texts | worked_out(sample), wrong)
        name = "Hour logs" if options.period is Period.HOUR else "Day logs"
        drop = LogDrop(FIRST_DROP, name, str(folder), pattern, options, made_us=now_us)
        check_drop(drop)
    except NightlySpindleError:
        return None
    return None if wrong else drop


class LogsStep(SetUpStep):
    """Keeps a log drop, or a clock for every hour of the week."""

    name = "Logs"
    question = "What says which song comes when?"
    why = (
        "A log is the list of what airs in a day or an hour. Music schedulers write them; without "
        "one the station makes its own."
    )

    def __init__(self, work: BackgroundWork) -> None:
        super().__init__(work)
        self.found: FoundLogs | None = None
        self._again = False
        self._looked_at = ""
        self.choice = QButtonGroup(self)
        self.own = QRadioButton("The station makes its own hours from the music")
        self.outside = QRadioButton("A music scheduler leaves logs in a folder")
        for number, button in enumerate((self.own, self.outside)):
            self.choice.addButton(button, number)
            button.toggled.connect(self._on_choice)
        self.own_said = _note(
            "Every hour: songs by category, as often as each category is large, no artist or title "
            "too soon again; one of the station's IDs or jingles at each quarter. The clock can be "
            "changed at the place Formats."
        )
        self.folder = Field()
        self.folder.setAccessibleName("The folder of the logs")
        self.folder.setPlaceholderText("the folder your scheduler writes to")
        self.folder.returnPressed.connect(self._on_folder)
        self.folder.editingFinished.connect(self._on_left)
        self.browse = push_button("Browse …", "Choose the folder", self._ask)
        self.read = QLabel("")
        self.read.setWordWrap(True)
        self.read.setProperty("role", "sentence")
        self.names = QListWidget()
        self.names.setAccessibleName("Tonight's logs")
        self.place = QWidget()
        row = QHBoxLayout(self.place)
        row.setContentsMargins(22, 0, 0, 0)
        row.addWidget(self.folder, 1)
        row.addWidget(self.browse)
        for widget in (self.own, self.own_said, self.outside, self.place, self.read):
            self.box.addWidget(widget)
        self.box.addWidget(self.names, 1)
        self.box.addStretch(0)
        self.own.setChecked(True)

    def first_field(self) -> QWidget:
        """Return the choice."""
        return self.own if self.own.isChecked() else self.outside

    def lacks(self) -> str:
        """Return what is missing."""
        if self.own.isChecked() or self.found is not None:
            return ""
        return "choose the folder where logs arrive, or skip this"

    def _on_choice(self) -> None:
        outside = self.outside.isChecked()
        self.own_said.setVisible(not outside)
        for widget in (self.place, self.read, self.names):
            widget.setVisible(outside)
        self.read.setVisible(outside and bool(self.read.text()))
        self.names.setVisible(outside and self.names.count() > 0)
        self.moved.emit()

    def _ask(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "The folder of the logs")
        if chosen:
            self._again = False
            self.folder.setText(chosen)
            self._on_folder()

    def _on_left(self) -> None:
        if self.folder.text().strip() != self._looked_at:
            self._on_folder()

    def _on_folder(self) -> None:
        text = self._looked_at = self.folder.text().strip()
        station = self.station
        if not text or station is None:
            return
        folder, now_us = Path(text).expanduser().absolute(), time.time_ns() // 1000
        self.work.do(lambda: logs_in(station, folder, now_us), self._show_found, self._on_wrong)

    def _on_wrong(self, sentence: str) -> None:
        self.found = None
        self.names.clear()
        self.read.setText(sentence)
        self._on_choice()

    def _show_found(self, found: FoundLogs) -> None:
        self.found = found
        self.read.setText(f"From “{found.sample}”: {found.drop.sentence()}")
        self.names.clear()
        for reading in found.tonight[:_MOST_SHOWN]:
            there = (
                f"✓ found, {counted(len(reading.carts), 'line')}"
                if reading.state is ReadingState.READ
                else "○ not there yet"
            )
            self.names.addItem(f"{reading.slot.text}   {reading.file}   {there}")
        self._on_choice()
        if any(one.state is ReadingState.MISSING for one in found.tonight) and not self._again:
            self._again = True  # what was written just now is looked at once it has come to rest
            QTimer.singleShot(_REST_MS, self, self._on_folder)

    def finish(self, then: Callable[[], None]) -> None:
        """Keep what was chosen."""
        assert self.station is not None
        station, found = self.station.folder, self.found
        if self.own.isChecked():
            self.work.do(lambda: make_own_hours(station), lambda _: then(), self.wrong.emit)
            return
        assert found is not None

        def keep() -> None:
            with LibraryTransaction(station) as library:
                editors.log_source_edits.save_drop(library, found.drop)

        self.work.do(keep, lambda _: then(), self.wrong.emit)


def _note(text: str) -> QLabel:
    label = QLabel(text)
    label.setProperty("role", "muted")
    label.setWordWrap(True)
    label.setContentsMargins(22, 0, 0, 6)
    return label

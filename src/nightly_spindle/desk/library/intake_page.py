"""The intake: watched folders, what is being taken in, and what became of what arrived."""

from __future__ import annotations

import time
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QProgressBar,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import length, short_date
from nightly_spindle.core.library.intake import IntakeJob, State
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.desk.kit.theme import Palette
from nightly_spindle.desk.library.intake_job_form import IntakeJobForm
from nightly_spindle.store.library.intake_reading import (
    Arrival,
    read_arrivals,
    read_jobs,
    waiting_in_queue,
)
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.store.library.catalogue import Catalogue

_EVERY_MS = 700
_MOST = 300
_SAID = {
    State.QUEUED: "to be measured",
    State.TAKEN: "imported",
    State.REPLACED: "replaced the audio",
    State.KNOWN: "known already",
    State.WAITING: "in the waiting room",
    State.REFUSED: "refused",
}


@dataclass(frozen=True, slots=True)
class _News:
    jobs: list[IntakeJob]
    there: dict[int, bool]
    arrivals: list[Arrival]
    queued: int
    held_up: str


def _arrivals(tz: ZoneInfo) -> TableLayout[Arrival]:
    columns: tuple[Column[Arrival], ...] = (
        Column("When", 104, lambda a: short_date(a.at_us, tz), sort=lambda a: a.at_us),
        Column(
            "What became of it",
            150,
            lambda a: _SAID[a.state],
            ink=lambda a: "alarm" if a.state is State.REFUSED else "text",
        ),
        Column("Cart", 60, lambda a: str(a.cart or ""), right=True, sort=lambda a: a.cart or 0),
        Column("File", 260, lambda a: Path(a.path).name),
        Column(
            "Why", 200, lambda a: a.why.removeprefix(a.path).lstrip(": "), wide=True, ink="muted"
        ),
    )
    return TableLayout(
        "Arrivals", columns, tip=lambda a: f"{a.path}\n{a.why}".strip(), key=lambda a: a.id
    )


class IntakePage(QWidget):
    """Jobs at the left, the chosen one's form beside them, arrivals below.

    Signal: `said` (str).
    """

    said = Signal(str)

    def __init__(self, shelf: LibraryWorker, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__()
        self._shelf = shelf
        self._jobs: list[IntakeJob] = []
        self._most = 0
        self._since = 0.0
        self._newest: tuple[int, ...] = ()
        self.list = QListWidget()
        self.list.setAccessibleName("Intake jobs")
        self.list.currentRowChanged.connect(self._on_job)
        self.new = QPushButton("New job")
        self.new.setToolTip("Have a folder watched")
        self.new.clicked.connect(self._new)
        self.end = QPushButton("Remove")
        self.end.setToolTip("Watch the folder no more; what it took in stays")
        self.end.clicked.connect(self._end)
        self.form = IntakeJobForm()
        self.form.saved.connect(self._save)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(6)
        self.rate = QLabel("")
        self.rate.setProperty("role", "muted")
        self.cancel = QPushButton("Cancel")
        self.cancel.setToolTip("Import no more of what is queued; the files stay where they are")
        self.cancel.clicked.connect(self._cancel)
        self.table = RowView(_arrivals(tz), palette)
        self._lay_out()
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(self.refresh)

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        caption = QLabel("WATCHED FOLDERS")
        caption.setProperty("role", "caption")
        left.addWidget(caption)
        left.addWidget(self.list, 1)
        row = QHBoxLayout()
        row.addWidget(self.new)
        row.addWidget(self.end)
        left.addLayout(row)
        top = QHBoxLayout()
        top.setSpacing(16)
        top.addLayout(left, 2)
        top.addWidget(self.form, 3)
        bar = QHBoxLayout()
        caption = QLabel("ARRIVALS")
        caption.setProperty("role", "caption")
        bar.addWidget(caption)
        bar.addWidget(self.rate, 1)
        bar.addWidget(self.cancel)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 2, 14, 8)
        box.setSpacing(6)
        box.addLayout(top, 4)
        box.addLayout(bar)
        box.addWidget(self.progress)
        box.addWidget(self.table, 5)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)

    def open(self) -> None:
        """Follow what arrives from now on."""
        self._timer.start()
        self.refresh()

    def close_down(self) -> None:
        """Follow no more."""
        self._timer.stop()

    # -- showing -------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read anew what is going on."""
        self._shelf.look(_news, self._show, "intake", news=True)

    def _show(self, news: _News) -> None:
        self._show_jobs(news)
        self._show_progress(news.queued, news.held_up)
        seen = tuple(hash((a.id, a.state)) for a in news.arrivals)
        if seen != self._newest:
            self._newest = seen
            self.table.show_rows(news.arrivals)

    def _show_jobs(self, news: _News) -> None:
        labels = [_job_label(job, there=news.there[job.id]) for job in news.jobs]
        if labels == [self.list.item(at).text() for at in range(self.list.count())]:
            self._jobs = news.jobs
            return
        chosen = self._chosen()
        self._jobs = news.jobs
        self.list.blockSignals(True)
        self.list.clear()
        for label in labels:
            self.list.addItem(QListWidgetItem(label))
        same = [i for i, j in enumerate(news.jobs) if chosen is not None and j.name == chosen.name]
        self.list.setCurrentRow(same[0] if same else 0)
        self.list.blockSignals(False)
        if not self.form.touched:
            self._on_job(self.list.currentRow())

    def _chosen(self) -> IntakeJob | None:
        at = self.list.currentRow()
        return self._jobs[at] if 0 <= at < len(self._jobs) else None

    def _on_job(self, _at: int) -> None:
        job = self._chosen()
        self.end.setEnabled(job is not None)
        if job is not None:
            self.form.show_job(job)
        elif not self._jobs:
            self.form.show_job(IntakeJob(0, "", ""))

    def _show_progress(self, queued: int, held_up: str) -> None:
        busy = queued > 0
        for widget in (self.progress, self.cancel):
            widget.setVisible(busy)
        if not busy:
            self._most = 0
            self.rate.setText("Nothing is waiting to be measured.")
            return
        if not self._most:
            self._since = time.monotonic()
        self._most = max(self._most, queued)
        done = self._most - queued
        passed = time.monotonic() - self._since
        self.progress.setMaximum(self._most)
        self.progress.setValue(done)
        told = f"{queued:,} still to be measured"
        if done >= 2 and passed > 1:
            rate = done / passed
            told += f", {rate * 60:.0f} a minute, about {length(queued / rate)} left"
        self.rate.setText(f"{told}. {held_up}".strip())

    # -- jobs ----------------------------------------------------------------------------------

    def _new(self) -> None:
        self.list.setCurrentRow(-1)
        self.form.show_job(IntakeJob(0, "", ""))
        self.form.name.setFocus()

    def _save(self, job: IntakeJob) -> None:
        def then(number: int) -> None:
            self.form.show_job(replace(job, id=number))
            self.said.emit(f"“{job.name}” is saved. {job.sentence()}")
            self.refresh()

        self._shelf.edit(lambda library: editors.intake_jobs.save_job(library, job), then)

    def _end(self) -> None:
        job = self._chosen()
        if job is not None:
            self._shelf.edit(
                lambda library: editors.intake_jobs.remove_job(library, job.id),
                lambda _: self.refresh(),
            )

    def _cancel(self) -> None:
        def then(count: int) -> None:
            self.said.emit(f"{count} files are not imported; they are where they were.")
            self.refresh()

        self._shelf.edit(editors.arrivals.cancel, then)


def _news(catalogue: Catalogue) -> Any:
    found = read_jobs(catalogue.folder)
    queued, held_up = waiting_in_queue(catalogue.folder)
    return _News(
        found,
        {job.id: Path(job.folder).is_dir() for job in found},
        read_arrivals(catalogue.folder, _MOST),
        queued,
        held_up,
    )


def _job_label(job: IntakeJob, *, there: bool) -> str:
    state = "watching" if job.enabled else "off"
    state = state if there else "the folder is not there"
    return f"{job.name}\n{state} · {job.options.kind} · {job.folder}"

"""The page of what aired: every line of a day, and the very sound of it where it was recorded."""

from __future__ import annotations

import logging
import tempfile
import threading
from contextlib import closing
from dataclasses import dataclass
from datetime import date, datetime, timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any
from zoneinfo import ZoneInfo

from PySide6.QtCore import QTimer, Signal
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QLabel, QWidget

from nightly_spindle.core.base.errors import InputFault, NightlySpindleError
from nightly_spindle.core.base.plain_files import replace_file
from nightly_spindle.core.base.timebase import US, clock, length, resolve_local
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.local_days import broadcast_day
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.reports.as_run import AsRun, as_run_view
from nightly_spindle.core.reports.spot_reports import month_span
from nightly_spindle.core.reports.uses import as_run_table, found_in, use_table
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.panels import details_panel, lay_beside
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.outputs.recordings import save_stretch
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.outputs.outputs import read_outputs, recording_folders
from nightly_spindle.store.playout.journal import as_run_between
from nightly_spindle.store.reports.uses import read_uses

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette

_LOG = logging.getLogger(__name__)
_LOOK_MS = 3000
_BEFORE_US = 6 * US  # so much before a line begins is heard as well: the join
_AFTER_US = 30 * US
_NOT_AS_PLANNED = frozenset(
    {
        Outcome.CUT,
        Outcome.MISSING,
        Outcome.UNPLAYABLE,
        Outcome.MISSED,
        Outcome.INTERRUPTED,
        Outcome.BROKE_OFF,
    }
)


@dataclass(frozen=True, slots=True)
class _Line:
    """A line of the as-run log, in the station's time."""

    run: AsRun
    tz: ZoneInfo


def _ink(row: _Line) -> Ink:
    return "alarm" if row.run.outcome in _NOT_AS_PLANNED else "text"


def _title(row: _Line) -> str:
    return f"over {row.run.over}: {row.run.title}" if row.run.over else row.run.title


_AIRED: TableLayout[_Line] = TableLayout(
    "What aired",
    (
        Column("Time", 76, lambda r: clock(r.run.start_us, r.tz), sort=lambda r: r.run.start_us),
        Column("Title", 230, _title, wide=True, sign=lambda r: r.run.kind, ink=_ink),
        Column("Artist", 150, lambda r: r.run.artist),
        Column(
            "Length",
            64,
            lambda r: length((r.run.end_us - r.run.start_us) / US),
            right=True,
            sort=lambda r: r.run.end_us - r.run.start_us,
        ),
        Column("From", 150, lambda r: r.run.origin, ink="muted"),
        Column("Outcome", 84, lambda r: r.run.outcome, ink=_ink),
    ),
    tip=lambda r: r.run.note or r.run.why,
    key=lambda r: r.run.key,
)


class AiredPage(QWidget):
    """Lists a day's lines. Signals: `said` (str), `hear` (path) of a piece that was recorded."""

    said = Signal(str)
    hear = Signal(str)
    _made = Signal(object, str, str)

    def __init__(
        self,
        shelf: LibraryWorker,
        settings: StationSettings,
        palette: Palette,
        today: Callable[[], int],
    ) -> None:
        super().__init__()
        self._shelf, self._settings, self._now_us = shelf, settings, today
        self._lines: list[_Line] = []  # of the day
        self._runs: dict[str, AsRun] = {}  # those that are shown
        self._picked = ""  # the key of the line that is chosen
        self._day: date | None = None  # None is today, whatever day that is
        self._pieces = tempfile.TemporaryDirectory(prefix="nightly-spindle")
        self.table = RowView(_AIRED, palette)
        self.table.picked.connect(self._on_picked)
        self.table.heard.connect(lambda _: self.listen())
        self.table.opened.connect(lambda _: self.listen())
        self.head = QLabel("")
        self.head.setProperty("role", "name")
        self.words = Field()
        self.words.setPlaceholderText("title, artist, kind, from, outcome")
        self.words.setAccessibleName("Show only lines that hold these words")
        self.words.setFixedWidth(230)
        self.words.textEdited.connect(lambda _: self._show_rows())
        self.export = push_button("Save list …", "Save the lines shown as CSV", self.save_lines)
        self.report = push_button(
            "Report of use …",
            "How often each song was heard in this month, with label and ISRC, as CSV",
            self.save_report,
        )
        self.earlier = push_button("Day before", "Show the day before", lambda: self.turn(-1))
        self.later = push_button("Day after", "Show the day after", lambda: self.turn(1))
        self.why, self.result = QLabel(""), QLabel("")
        for label in (self.why, self.result):
            label.setWordWrap(True)
        self.play = push_button(
            "Listen", "Listen to what went out, from the join before it on (Space)", self.listen
        )
        self.keep = push_button("Save as …", "Save what went out to a file", self.save)
        self._made.connect(self._on_made)
        self._reading = self._again = self._making = False
        shelf.failed.connect(self._not_read)
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_MS)
        self._timer.timeout.connect(self._look)
        self._timer.start()
        self._lay_out()

    def _lay_out(self) -> None:
        tools = QHBoxLayout()
        tools.addWidget(self.earlier)
        tools.addWidget(self.later)
        tools.addWidget(self.words)
        tools.addSpacing(10)
        tools.addWidget(self.head, 1)
        panel, box = details_panel(300)
        box.addWidget(self.why)
        row = QHBoxLayout()
        row.addWidget(self.play)
        row.addWidget(self.keep)
        box.addLayout(row)
        box.addWidget(self.result)
        box.addStretch(1)
        row = QHBoxLayout()
        row.addWidget(self.export)
        row.addWidget(self.report)
        box.addLayout(row)
        lay_beside(self, tools, panel).addWidget(self.table, 1)
        self._show_chosen()

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)

    def close_down(self) -> None:
        """Remove the pieces that were listened to."""
        self._timer.stop()
        self._pieces.cleanup()

    # -- showing -----------------------------------------------------------------------------------

    def _shown_day(self) -> date:
        tz, start = self._settings.tz, self._settings.day_start
        return self._day or broadcast_day(self._now_us(), tz, start)

    def turn(self, days: int) -> None:
        """Show another day; no later one than today."""
        wanted = self._shown_day() + timedelta(days=days)
        today = broadcast_day(self._now_us(), self._settings.tz, self._settings.day_start)
        self._day = None if wanted >= today else wanted
        self.refresh()

    def refresh(self) -> None:
        """Read the day's lines; one reading at a time, so that each is shown."""
        if self._reading:
            self._again = True
            return
        self._reading, self._again = True, False
        settings, folder, day = self._settings, self._shelf.folder, self._shown_day()
        begin, end = (
            resolve_local(
                datetime.combine(day + timedelta(days=n), settings.day_start), settings.tz
            )
            for n in (0, 1)
        )

        def read(_: object) -> list[_Line]:
            with closing(connect(folder)) as connection:
                return [_Line(run, settings.tz) for run in as_run_between(connection, begin, end)]

        self._shelf.look(read, self._show, "aired")

    def _look(self) -> None:
        """Follow what airs while it is looked at; past days do not change."""
        if self.isVisible() and self._day is None:
            self.refresh()

    def _not_read(self, _why: str) -> None:
        self._reading = False

    def _show(self, lines: list[_Line]) -> None:
        self._reading = False
        if self._again:
            self.refresh()
            return
        self._lines = lines
        self._show_rows()

    def _show_rows(self) -> None:
        """Show the day's lines that hold what is looked for."""
        wanted = self.words.text()
        lines = [line for line in self._lines if found_in(line.run, wanted)]
        self._runs = {line.run.key: line.run for line in lines}
        self.table.show_rows(lines)
        wrong = sum(line.run.outcome in _NOT_AS_PLANNED for line in lines)
        day = f"{self._shown_day():%A, %-d %B}"
        many = counted(len(lines), "line")
        if wanted.strip():
            many = f"{len(lines)} of {counted(len(self._lines), 'line')}"
        told = many + (f", {wrong} not as planned" if wrong else "")
        self.head.setText(f"{day}: {told if self._lines else 'nothing aired'}.")
        self.later.setEnabled(self._day is not None)
        self._show_chosen()

    def chosen(self) -> AsRun | None:
        """Return the line that is chosen."""
        return self._runs.get(self._picked)

    def _on_picked(self, key: str) -> None:
        self._picked = key
        self.result.setText("")
        self._show_chosen()

    def _show_chosen(self) -> None:
        run = self.chosen()
        for button in (self.play, self.keep):
            button.setEnabled(run is not None and not self._making)
        if run is None:
            self.why.setText("Choose a line to see why it aired, and to listen to it.")
            return
        tz = self._settings.tz
        told = [f"{clock(run.start_us, tz)} to {clock(run.end_us, tz)}.", run.why, run.note]
        self.why.setText("\n".join(part for part in told if part))

    # -- lists -------------------------------------------------------------------------------------

    def save_lines(self) -> None:
        """Ask where to, and save the lines that are shown as CSV."""
        tz = self._settings.tz
        runs = [as_run_view(run, tz) for run in self._runs.values()]
        name = self._where(f"aired {self._shown_day().isoformat()}.csv")
        if name:
            self._write(name, lambda _: as_run_table(runs))

    def save_report(self) -> None:
        """Ask where to, and save how often each song was heard in the month that is shown."""
        tz = self._settings.tz
        first, after = month_span(f"{self._shown_day():%Y-%m}")
        begin, end = (
            resolve_local(datetime.combine(day, self._settings.day_start), tz)
            for day in (first, after)
        )
        name = self._where(f"report of use {first:%Y-%m}.csv")
        if name:
            self._write(name, lambda connection: use_table(read_uses(connection, begin, end)))

    def _where(self, name: str) -> str:
        found, _ = QFileDialog.getSaveFileName(self, "Save as", name, "Tables (*.csv)")
        return found

    def _write(self, name: str, text: Callable[[Any], str]) -> None:
        folder = self._shelf.folder

        def work(_: object) -> str:
            with closing(connect(folder)) as connection:
                replace_file(Path(name), text(connection))
            return f"{name} is written."

        self._shelf.look(work, self.result.setText)

    # -- listening, saving -------------------------------------------------------------------------

    def listen(self) -> None:
        """Play what went out there, with the join before it; once more to stop."""
        run = self.chosen()
        if run is not None:
            piece = Path(self._pieces.name) / f"{run.start_us}.wav"
            self._make(run.start_us - _BEFORE_US, run.start_us + _AFTER_US, piece, "hear")

    def save(self) -> None:
        """Ask where to, and save what went out while the line sounded."""
        run = self.chosen()
        if run is None:
            return
        name, _ = QFileDialog.getSaveFileName(
            self, "What went out", f"{run.title}.flac", "Sound (*.flac *.wav *.ogg)"
        )
        if name:
            self._make(run.start_us, run.end_us, Path(name), "save")

    def _make(self, begin_us: int, end_us: int, out: Path, then: str) -> None:
        folder = self._shelf.folder
        if self._making:
            return
        self._making = True
        self.result.setText("Reading the recording …")
        self._show_chosen()

        def work() -> None:
            try:
                self._made.emit(None, cut_out(folder, begin_us, end_us, out), then)
            except NightlySpindleError as error:
                self._made.emit(error, "", then)
            except Exception as error:  # noqa: BLE001 - the edge of the thread: told
                _LOG.exception("the recording could not be read")
                self._made.emit(error, "", then)

        threading.Thread(target=work, name="recorded", daemon=True).start()

    def _on_made(self, error: Exception | None, made: str, then: str) -> None:
        self._making = False
        self._show_chosen()
        if error is not None:
            said = str(error)
            self.result.setText(f"{said[:1].upper()}{said[1:]}.")
        elif then == "hear":
            self.result.setText("From the join before it on.")
            self.hear.emit(made)
        else:
            self.result.setText(f"{made} is written.")


def cut_out(folder: Path, begin_us: int, end_us: int, out: Path) -> str:
    """Write what went out in a stretch to a file; returns its path. InputFault where it is none."""
    with closing(connect(folder)) as connection:
        places = recording_folders(folder, read_outputs(connection))
    problem = InputFault(
        "this station records nothing; make a recording at Outputs, and all that airs can be heard"
    )
    for place in places:
        try:
            save_stretch(place, begin_us, end_us, out)
        except InputFault as error:
            problem = error
        else:
            return str(out)
    raise problem

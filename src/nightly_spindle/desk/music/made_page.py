"""The page of made logs: a day line by line, what would fit in a line, making more."""

from __future__ import annotations

from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QProgressBar,
    QWidget,
)

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.plain_files import replace_file
from nightly_spindle.core.base.timebase import US, moment_from
from nightly_spindle.core.logs.log_reading import LogFormat
from nightly_spindle.core.logs.log_writers import write_log
from nightly_spindle.core.music.made_logs import Mode
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.labels import NoteLabel
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.panels import details_panel, lay_beside
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.wrap_row import WrapRow
from nightly_spindle.desk.music.candidate_rows import CANDIDATES
from nightly_spindle.desk.music.log_maker import LogMaker
from nightly_spindle.desk.music.made_table import MadeRow, MadeTable, rows_of
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.reports.format_board import day_bounds
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.music.made_edits import HourEditor, LineCandidate
    from nightly_spindle.core.music.made_logs import MadeHour
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatBoard, FormatSheet, HourRow

_PANEL_PX = 380
_MODES = {Mode.KEEP: "what is missing", Mode.FILL: "gaps as well", Mode.ANEW: "all again"}
_FORMATS = {
    ".m3u": LogFormat.M3U,
    ".m3u8": LogFormat.M3U,
    ".xspf": LogFormat.XSPF,
    ".csv": LogFormat.CSV,
}
_DAY_US = 86_400 * US


class MakeLogs(LibraryEdit):
    """Keeps what is made of a stretch before more is made, to put it back so."""

    def __init__(
        self, shelf: LibraryWorker, text: str, starts: list[int], make: Callable[[], None]
    ) -> None:
        def keep(library: LibraryTransaction) -> Any:
            return {"made_hour": editors.made_hours.stretch_rows(library, starts)}

        super().__init__(shelf, text, keep, editors.restore_formats)
        self._begin = make

    def redo(self) -> None:
        """Remember what is there; the making follows once that is done."""
        super().redo()
        self._shelf.look(lambda _catalogue: None, lambda _: self._begin())


class MadePage(QWidget):
    """Signals: `said` (str), `hear` (path)."""

    said = Signal(str)
    hear = Signal(str)

    def __init__(
        self,
        shelf: LibraryWorker,
        undo: QUndoStack,
        palette: Palette,
        reading: BoardReading[FormatBoard],
        settings: StationSettings,
    ) -> None:
        super().__init__()
        self._shelf, self._undo, self._reading, self._settings = shelf, undo, reading, settings
        self.sheet: FormatSheet | None = None
        self.first_us, self.until_us = day_bounds(settings, reading.now_us())
        self.table = MadeTable(palette, settings.tz)
        self.maker = LogMaker(shelf.folder, self)
        self.fits = RowView(CANDIDATES, palette)
        self._lay_out()
        self._connect()

    # -- making the page -----

    def _lay_out(self) -> None:
        lay_beside(self, self._days(), self._panel()).addWidget(self.table, 1)

    def _days(self) -> WrapRow:
        row = WrapRow()
        self.earlier = push_button("◂", "The day before (Alt+Left)", lambda: self.go(-1))
        self.later = push_button("▸", "The day after (Alt+Right)", lambda: self.go(1))
        self.day = QLabel("")
        self.day.setProperty("role", "strong")
        self.day.setMinimumWidth(140)
        self.mode = ChoiceBox()
        for mode, text in _MODES.items():
            self.mode.addItem(f"Make {text}", mode)
        self.mode.setAccessibleName("What is made")
        self.hour = push_button(
            "Schedule hour",
            "Make the hour of the chosen line alone, as chosen above the day",
            self.make_hour,
        )
        self.one = push_button("Schedule day", "Make the shown day (Ctrl+Enter)", self.make_day)
        self.month = push_button(
            "Schedule 30 days", "Make 30 days from the shown one on", self.make_month
        )
        self.clear = push_button("Clear day", "Remove the shown day's made hours", self.clear_day)
        self.out = push_button(
            "Export …", "Export the shown day as M3U, XSPF or CSV", self.ask_file
        )
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedWidth(90)
        self.stop = push_button(
            "Stop", "Break the making off; nothing is changed", self.maker.cancel
        )
        for widget in (
            self.earlier,
            self.later,
            self.day,
            self.mode,
            self.one,
            self.month,
            self.clear,
            self.out,
        ):
            row.addWidget(widget)
        row.at_right()
        row.addWidget(self.progress)
        row.addWidget(self.stop)
        self.progress.hide()
        self.stop.hide()
        return row

    def _panel(self) -> QWidget:
        panel, box = details_panel(_PANEL_PX)
        self.title, self.why, self.broken = QLabel(""), QLabel(""), QLabel("")
        for label, role in ((self.title, "name"), (self.why, "muted"), (self.broken, "warn")):
            label.setWordWrap(True)
            label.setProperty("role", role)
            box.addWidget(label)
        box.addLayout(self._acts())
        box.addWidget(self.hour)
        self.cost = NoteLabel()
        box.addWidget(self.cost)
        head = QLabel("What would fit here, best first")
        head.setProperty("role", "strong")
        box.addWidget(head)
        box.addWidget(self.fits, 1)
        row = QHBoxLayout()
        self.use = push_button(
            "Use instead", "Put the chosen item in place of the line (Enter)", self.use_chosen
        )
        self.insert = push_button(
            "Insert before", "Put the item in before the line (Insert)", self.insert_chosen
        )
        for button in (self.use, self.insert):
            row.addWidget(button)
        box.addLayout(row)
        return panel

    def _acts(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(4)
        self.up = push_button("Up", "The line comes earlier (Ctrl+Up)", lambda: self.shift(-1))
        self.down = push_button("Down", "The line comes later (Ctrl+Down)", lambda: self.shift(1))
        self.gone = push_button("Remove", "Remove the line (Delete)", self.remove_line)
        self.listen = push_button("Listen", "Listen to the item, or stop (Space)", self._hear)
        for button in (self.up, self.down, self.gone, self.listen):
            row.addWidget(button)
        return row

    def _connect(self) -> None:
        self.table.picked.connect(lambda _: self._show_line())
        self.table.removed.connect(lambda _: self.remove_line())
        self.table.shifted.connect(lambda _row, by: self.shift(by))
        self.table.heard.connect(lambda _: self._hear())
        self.table.pulled.connect(self._tell_move)
        self.table.dropped.connect(self.move_line)
        self.fits.heard.connect(lambda row: self.hear.emit(self.fits.rows[row].item.path))
        self.fits.opened.connect(lambda _: self.use_chosen())
        self.maker.began.connect(self._on_making)
        self.maker.told.connect(self._on_told)
        self.maker.made.connect(self._on_made)
        self.maker.failed.connect(self._on_made)
        for keys, act in (
            ("Alt+Left", partial(self.go, -1)),
            ("Alt+Right", partial(self.go, 1)),
            ("Ctrl+Return", self.make_day),
        ):
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)
        shortcut = QShortcut(QKeySequence("Insert"), self.fits)
        shortcut.setContext(Qt.ShortcutContext.WidgetShortcut)
        shortcut.activated.connect(self.insert_chosen)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)
        self.fits.set_palette(palette)

    # -- showing -----

    def show_sheet(self, sheet: FormatSheet) -> None:
        """Take what is read anew, and read the shown day."""
        self.sheet = sheet
        self.refresh()

    def go(self, days: int) -> None:
        """Show the day that lies so many days on."""
        at = (self.first_us + self.until_us) // 2 + days * _DAY_US
        self.first_us, self.until_us = day_bounds(self._settings, at)
        self.refresh()

    def refresh(self) -> None:
        """Read the shown day."""
        local = moment_from(self.first_us, self._settings.tz)
        self.day.setText(f"{local:%A} {local.day} {local:%b}")
        first, until = self.first_us, self.until_us
        self._reading.look(lambda board, _now: board.hours(first, until), self._show_day, "day")

    def _show_day(self, hours: list[HourRow]) -> None:
        chosen = self.chosen()
        self.table.show_rows(rows_of(hours, self.sheet))
        if chosen is not None:
            place = next(
                (at for at, row in enumerate(self.table.rows) if self._same(row, chosen)), -1
            )
            if place >= 0:
                self.table.choose(place)
        elif self.table.rows:
            self.table.choose(1 if len(self.table.rows) > 1 else 0)
        self._show_line()

    @staticmethod
    def _same(row: MadeRow, other: MadeRow) -> bool:
        return (row.hour.slot.start_us, row.place) == (other.hour.slot.start_us, other.place)

    def chosen(self) -> MadeRow | None:
        """Return the chosen row, None for none."""
        return self.table.current()

    def _line(self) -> MadeRow | None:
        row = self.chosen()
        return row if row is not None and row.line is not None else None

    def _show_line(self) -> None:
        """Show the chosen line, and ask what would fit there."""
        row, there = self.chosen(), self._line() is not None
        for button in (self.up, self.down, self.gone, self.listen, self.use, self.insert):
            button.setEnabled(there)
        if row is None:
            self.title.setText("Nothing is made for this day")
            self.why.setText("“Schedule day” makes the hours that have a format clock.")
            self.broken.setText("")
        elif row.line is None:
            self._show_hour(row)
        else:
            name = row.item.label if row.item else "Break"
            self.title.setText(name)
            self.why.setText(f"{row.line.why} {row.hour.gets.comes_from.capitalize()}.")
            self.broken.setText("\n".join(row.line.broken))
        self.broken.setVisible(bool(self.broken.text()))
        if row is None or row.line is None:
            self._show_fits([])
            return
        start, place = row.hour.slot.start_us, row.place
        self._reading.look(
            lambda board, now: board.candidates(start, place, now), self._show_fits, "fits"
        )

    def _show_hour(self, row: MadeRow) -> None:
        made = row.hour.made
        self.title.setText(
            f"{row.hour.slot.local:%H:%M}  {row.hour.clock.name}"
            if row.hour.clock
            else f"{row.hour.slot.local:%H:%M}"
        )
        said = row.hour.clock.sentence() if row.hour.clock else ""
        self.why.setText(f"From {row.hour.gets.comes_from}. {said}")
        self.broken.setText(
            "\n".join(note.text for note in made.notes)
            if made
            else "Not made yet: rotation would fill it by its weights."
        )

    def _show_fits(self, found: list[LineCandidate]) -> None:
        self.fits.show_rows(found)
        if found:
            self.fits.choose(0)

    # -- changing lines -----

    def _change(self, text: str, row: MadeRow, change: Callable[[HourEditor], MadeHour]) -> None:
        """Change the hour of a row, undoably."""
        start = row.hour.slot.start_us

        def then(hour: MadeHour) -> None:
            def do(library: LibraryTransaction) -> Any:
                return {"made_hour": editors.made_hours.write_made(library, [hour])}

            self._undo.push(LibraryEdit(self._shelf, text, do, editors.restore_formats))
            self.cost.say(_told(hour))

        self._reading.look(lambda board, now: board.edited(start, now, change), then, "")

    def _chosen_fit(self) -> LineCandidate | None:
        return self.fits.current()

    def use_chosen(self) -> None:
        """Put the chosen candidate in place of the line, undoably."""
        row, fit = self._line(), self._chosen_fit()
        if row is not None and fit is not None:
            self._change(
                f"use “{fit.item.title}”",
                row,
                lambda editor: editor.replaced(row.place, fit.item.cart),
            )

    def insert_chosen(self) -> None:
        """Put the chosen candidate in before the line, undoably."""
        row, fit = self._line(), self._chosen_fit()
        if row is not None and fit is not None:
            self._change(
                f"put in “{fit.item.title}”",
                row,
                lambda editor: editor.inserted(row.place, fit.item.cart),
            )

    def remove_line(self) -> None:
        """Take the line out, undoably."""
        row = self._line()
        if row is not None:
            self._change("remove a line", row, lambda editor: editor.removed(row.place))

    def shift(self, by: int) -> None:
        """Move the line within its hour, undoably."""
        row = self._line()
        if row is not None and row.hour.made and 0 <= row.place + by < len(row.hour.made.lines):
            self.table.choose(self.table.currentIndex().row() + by)
            self._change("move a line", row, lambda editor: editor.moved(row.place, row.place + by))

    def move_line(self, begun: int, to: int) -> None:
        """Move a line to where another stands, undoably."""
        row, there = self.table.rows[begun], self.table.rows[to]
        self._change("move a line", row, lambda editor: editor.moved(row.place, there.place))

    def _tell_move(self, begun: int, to: int) -> None:
        """Say what a line that is being pulled would cost there."""
        row, there = self.table.rows[begun], self.table.rows[to]
        start = row.hour.slot.start_us
        self._reading.look(
            lambda board, now: board.edited(start, now, lambda e: e.moved(row.place, there.place)),
            lambda hour: self.cost.say(f"Here: {_told(hour)}"),
            "pull",
        )

    def _hear(self) -> None:
        row = self._line()
        self.hear.emit(row.item.path if row is not None and row.item else "")

    # -- making logs -----

    def make_hour(self) -> None:
        """Make the hour of the chosen line, undoably."""
        row = self.chosen()
        if row is not None:
            self._make_stretch(row.hour.slot.start_us, row.hour.slot.end_us, "make an hour")

    def make_day(self) -> None:
        """Make the shown day, undoably."""
        self._make(1)

    def make_month(self) -> None:
        """Make 30 days from the shown one on, undoably."""
        self._make(30)

    def _make(self, days: int) -> None:
        first, until = day_bounds(self._settings, (self.first_us + self.until_us) // 2, days)
        self._make_stretch(first, until, "make a day" if days == 1 else f"make {days} days")

    def _make_stretch(self, first: int, until: int, text: str) -> None:
        begin = moment_from(first, self._settings.tz).isoformat()
        hours = str(round((until - first) / US / 3600))
        options = ["--from", begin, "--hours", hours, "--mode", str(self.mode.currentData())]
        starts = list(range(first, until, 1800 * US))
        self._undo.push(MakeLogs(self._shelf, text, starts, lambda: self.maker.start(options)))

    def _on_making(self) -> None:
        self.progress.setRange(0, 0)
        self.progress.show()
        self.stop.show()

    def _on_told(self, done: int, whole: int) -> None:
        self.progress.setRange(0, whole)
        self.progress.setValue(done)

    def _on_made(self, sentence: str) -> None:
        self.progress.hide()
        self.stop.hide()
        self.said.emit(sentence)
        self.refresh()

    def clear_day(self) -> None:
        """Take the shown day's made hours out, undoably; what has begun stays."""
        now = self._reading.now_us()
        heads = [row.hour for row in self.table.rows if row.line is None and row.hour.made]
        starts = [hour.slot.start_us for hour in heads if hour.slot.start_us > now]

        def do(library: LibraryTransaction) -> Any:
            return {"made_hour": editors.made_hours.write_made(library, (), starts)}

        if starts:
            self._undo.push(LibraryEdit(self._shelf, "clear a day", do, editors.restore_formats))

    def ask_file(self) -> None:
        """Ask for a file, and write the shown day into it."""
        name = f"{moment_from(self.first_us, self._settings.tz):%Y-%m-%d}.m3u8"
        kinds = "Playlists (*.m3u8 *.m3u *.xspf *.csv)"
        chosen, _ = QFileDialog.getSaveFileName(self, "Write the day", name, kinds)
        if chosen:
            self.write_file(Path(chosen))

    def write_file(self, path: Path) -> None:
        """Write the shown day as M3U, XSPF or CSV, by the name's ending."""
        form = _FORMATS.get(path.suffix.lower())
        if form is None:
            self.said.emit(f"{path.name}: the name must end in {', '.join(_FORMATS)}.")
            return
        first, until = self.first_us, self.until_us

        def work(board: FormatBoard, _now: int) -> str:
            entries = board.entries(first, until)
            try:
                replace_file(path, write_log(entries, form, "Formats"))
            except NightlySpindleError as error:
                return f"{error}."
            return f"{len(entries)} lines written to {path}."

        self._reading.look(work, self.said.emit, "write")


def _told(hour: MadeHour) -> str:
    """Return what an hour comes to, in words."""
    way = "late" if hour.lands_s > 0 else "early"
    broken = [text for line in hour.lines for text in line.broken]
    kept = "every rule is kept" if not broken else f"broken: {broken[0]}"
    more = f" and {len(broken) - 1} more" if len(broken) > 1 else ""
    return f"the hour lands {abs(hour.lands_s):.0f} s {way}, {kept}{more}"

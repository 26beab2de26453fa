"""The page of format clocks: which there are, one as a strip to scale, the editor beside."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QHBoxLayout, QLabel

from nightly_spindle.core.music.format_clocks import FormatClock
from nightly_spindle.core.reports.made_timeline import line_place, pattern_night
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.planning_process import NightPlan
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.music.clock_form import ClockForm
from nightly_spindle.desk.music.format_rows import CLOCKS, clock_rows
from nightly_spindle.desk.timeline.timeline import Timeline
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.music.hour_segments import HourLength
    from nightly_spindle.core.music.made_logs import MadeHour
    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatBoard, FormatSheet

_PANEL_PX = 330
_REST_MS = 250  # a trial hour is made when nothing was typed for so long


class ClocksPage(KeptPage):
    """Format clocks. The strip below is an hour as the clock that is typed would make it now."""

    noun = "format clock"
    empty = "Choose a format clock, or make one: “New clock”."

    def __init__(
        self,
        shelf: LibraryWorker,
        undo: QUndoStack,
        palette: Palette,
        reading: BoardReading[FormatBoard],
    ) -> None:
        self.clock_form = ClockForm(palette)
        clocks = RowView(CLOCKS, palette)
        super().__init__(shelf, undo, clocks, self.clock_form, _PANEL_PX)
        self.sheet: FormatSheet | None = None
        self._reading = reading
        self._tried: FormatClock | None = None
        self._trial: MadeHour | None = None
        self._wanted: FormatClock | None = None
        self._soon = QTimer(self)
        self._soon.setSingleShot(True)
        self._soon.setInterval(_REST_MS)
        self._soon.timeout.connect(self._ask_trial)
        self.line = Timeline(palette)
        self.line.setAccessibleName("The hour to scale")
        self.line.setMinimumHeight(168)
        self.runs = QLabel("")
        self.runs.setWordWrap(True)
        self.runs.setProperty("role", "muted")
        self.line.picked.connect(self._on_block)
        left = self.frame(self._tools(), 3)
        left.addWidget(self.clock_form.strip, 4)
        left.addWidget(self.runs)
        left.addWidget(self.line)

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.new = push_button("New clock", "Make a format clock (Ctrl+N)", self.make)
        self.copy = push_button("Copy", "Begin a new one as a copy of this one", self.make_copy)
        told = QLabel("The pattern of an hour. What its slots leave is filled by weights.")
        told.setProperty("role", "muted")
        row.addWidget(self.new)
        row.addWidget(self.copy)
        row.addSpacing(8)
        row.addWidget(told, 1)
        return row

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)
        self.clock_form.slots.set_palette(palette)
        self.line.set_palette(palette)

    def show_sheet(self, sheet: FormatSheet) -> None:
        """Show the clocks anew; what is being edited stays."""
        fresh = self.sheet is None or self.sheet.names != sheet.names
        self.sheet = sheet
        self.table.show_rows(clock_rows(self.kept(), sheet))
        if fresh:
            self.clock_form.offer(sheet)
        self._tried = None  # the items may be others
        self.show_things()

    # -- what a kept page says -----

    def kept(self) -> list[FormatClock]:
        """Return the clocks in the order of the table."""
        return list(self.sheet.formats.clocks.values()) if self.sheet else []

    def show_form(self, thing: FormatClock) -> None:
        """Show a clock in the panel."""
        self.clock_form.show_clock(thing)

    def read_form(self) -> FormatClock:
        """Return the clock as it is typed."""
        return self.clock_form.typed()

    def troubles(self, thing: FormatClock) -> list[str]:
        """Return what is wrong with a clock as it is kept."""
        found = self.sheet.findings if self.sheet else ()
        return [f"{one.text} {one.mend}" for one in found if one.clock == thing.id and thing.id]

    def show_one(self, thing: FormatClock | None) -> None:
        """Show a clock, None for none: its slots too."""
        self.clock_form.strip.setVisible(thing is not None)
        super().show_one(thing)

    def renamed(self, thing: FormatClock, name: str) -> FormatClock:
        """Return a clock with another name."""
        return replace(thing, name=name)

    def write(self, thing: FormatClock) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps a clock."""

        def do(library: LibraryTransaction) -> Any:
            return {"format_clock": editors.formats.save_clock(library, thing)[1]}

        return do, editors.restore_formats

    def take_out(
        self, thing: FormatClock
    ) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes a clock; one that is used is refused."""
        assert self.sheet is not None
        formats = self.sheet.formats

        def do(library: LibraryTransaction) -> Any:
            return {"format_clock": editors.formats.remove_clock(library, thing.id, formats)}

        return do, editors.restore_formats

    def make(self) -> None:
        """Begin a new clock; it is made when it is kept."""
        self.begin_new(FormatClock(0, "New clock"))
        self.clock_form.name.setFocus()
        self.clock_form.name.selectAll()

    def make_copy(self) -> None:
        """Begin a new clock as a copy of the shown one."""
        if self.shown is not None and self.free():
            self.begin_new(replace(self.shown, id=0, name=f"{self.shown.name}, copy"))

    # -- the strip -----

    def on_typed(self) -> None:
        """Read back what is typed, and make a trial hour of it."""
        super().on_typed()
        self.copy.setEnabled(self.shown is not None and bool(self.shown.id))
        self._wanted = self.typed() if self.shown is not None else None
        self._soon.start()

    def _ask_trial(self) -> None:
        """Have an hour made of what is typed, once the hand rests."""
        clock = self._wanted
        if clock is None or clock == self._tried:
            return
        self._tried = clock
        self._reading.look(
            lambda board, now: (board.trial(clock, now), board.length(clock), now),
            self._show_trial,
            "trial",
        )

    def _show_trial(self, found: tuple[MadeHour, HourLength, int]) -> None:
        hour, runs, _ = found
        self._trial = hour
        if self.sheet is None:
            return
        self.runs.setText(
            f"{runs.sentence()} At its shortest {_minutes(runs.shortest_s)}, at its longest "
            f"{_minutes(runs.longest_s)}. Below, an hour of it to scale."
        )
        ends = [*(line.at_s for line in hour.lines[1:]), 3600 + hour.lands_s]
        self.clock_form.show_lengths(
            {line.slot: end - line.at_s for line, end in zip(hour.lines, ends, strict=True)}
        )
        night = pattern_night(hour, self.sheet.items)
        self.line.show_plan(NightPlan(night, replace(self.sheet.settings, timezone="UTC"), False))
        self.line.show_whole()

    def _on_block(self, number: int) -> None:
        """Choose a block of the trial, and the slot that it came from."""
        self.line.select(number)
        _, place = line_place(number)
        if self._trial is not None and place < len(self._trial.lines):
            slot = self._trial.lines[place].slot
            if slot >= 0:
                self.clock_form.slots.choose(slot)


def _minutes(seconds: float) -> str:
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes}:{rest:02}"

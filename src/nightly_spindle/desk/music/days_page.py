"""The page of day plans and the calendar that they are pulled onto."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.day_plans import DayOptions, DayPlan, check_day, show_from
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.desk.music.clock_palette import ClockPalette
from nightly_spindle.desk.music.day_hours import DayHours
from nightly_spindle.desk.music.plan_calendar import PlanCalendar
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable
    from datetime import date

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.calendar.day_plans import Plans
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatSheet

_PANEL_PX = 300
_OPTIONS = {"base": "Based on", "days": "On weekdays", "holidays": "On holidays"}


_PLANS: TableLayout[DayPlan] = TableLayout(
    "Day plans",
    (
        Column("Day plan", 170, lambda p: p.name, wide=True, sign=lambda _: "programme"),
        Column("Used", 240, lambda p: p.sentence().removeprefix("Used ").rstrip("."), ink="muted"),
        Column(
            "Shows", 60, lambda p: str(len(p.shows)) if p.shows else "–", right=True, ink="muted"
        ),
    ),
    tip=lambda p: p.sentence(),
)


class DayForm(QWidget):
    """The form of a day plan. Signal: `changed`."""

    changed = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._plan = DayPlan(0, "")
        self.name, self.shows = Field(), Field()
        self.shows.setPlaceholderText("20:00 1204; 21:30 1205")
        self.options = DeclaredForm(
            DayOptions, _OPTIONS, {"days": "by the calendar only"}, picked=("base",)
        )
        self.clocks, self.hours = ClockPalette(palette, base=True), DayHours(palette)
        self.clocks.setMaximumHeight(150)
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        for row, (caption, field, tip) in enumerate(
            (
                ("Name", self.name, "What the plan is called"),
                ("Shows", self.shows, "Fixed items at a time: time, cart; semicolons between"),
            )
        ):
            label = QLabel(caption)
            label.setProperty("role", "muted")
            field.setToolTip(tip)
            field.setAccessibleName(f"{caption}: {tip}")
            grid.addWidget(label, row, 0)
            grid.addWidget(field, row, 1)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addLayout(grid)
        box.addWidget(self.options)
        box.addWidget(self.clocks)
        box.addWidget(self.hours, 1)
        for one in (self.name, self.shows):
            one.textEdited.connect(self.changed)
        self.options.changed.connect(self.changed)
        self.hours.changed.connect(self.changed)
        self.clocks.taken.connect(self._take)

    def _take(self, number: int) -> None:
        self.hours.hand = number

    def show_plan(self, plan: DayPlan, sheet: FormatSheet, palette: Palette) -> None:
        """Show a day plan."""
        self._plan = plan
        self.name.setText(plan.name)
        self.shows.setText("; ".join(show.text for show in plan.shows))
        others = [
            (one.name, number)
            for number, one in sheet.formats.plans.days.items()
            if number != plan.id
        ]
        self.options.offer("base", [("the week plan alone", 0), *others])
        self.options.show_values(plan.options)
        clocks = sheet.formats.clocks
        self.clocks.show_clocks(clocks, palette)
        self.hours.show_hours(plan.hours, clocks, sheet.settings.day_start.hour)

    def typed(self) -> DayPlan:
        """Return the plan as it is typed; SettingRefused says what cannot be."""
        shows = sorted(
            (show_from(one) for one in self.shows.text().split(";") if one.strip()),
            key=lambda show: show.at,
        )
        return replace(
            self._plan,
            name=" ".join(self.name.text().split()),
            hours=self.hours.hours,
            shows=tuple(shows),
            options=typed_group(self._plan.options, self.options.texts()),
        )


class DaysPage(KeptPage):
    """Day plans in a list, the calendar below, the editor beside."""

    noun = "day plan"
    scrolls = True
    empty = "Choose a day plan, or make one: “New day plan”."

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        self.day_form = DayForm(palette)
        self.palette_ = palette
        plans = RowView(_PLANS, palette)
        super().__init__(shelf, undo, plans, self.day_form, _PANEL_PX)
        self.sheet: FormatSheet | None = None
        self.calendar = PlanCalendar(palette)
        self.gets = QLabel("")
        self.gets.setProperty("role", "muted")
        self.gets.setWordWrap(True)
        self.calendar.given.connect(self.give)
        self.calendar.picked.connect(self._show_day)
        left = self.frame(self._tools(), 2)
        left.addWidget(self.calendar, 7)
        left.addWidget(self.gets)

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.new = push_button("New day plan", "Make a day plan (Ctrl+N)", self.make)
        told = QLabel(
            "Calendar before holidays, before weekdays, before the week plan. Pull a "
            "plan onto a day, then that day across others."
        )
        told.setProperty("role", "muted")
        told.setWordWrap(True)
        row.addWidget(self.new)
        row.addSpacing(8)
        row.addWidget(told, 1)
        return row

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.palette_ = palette
        self.table.set_palette(palette)
        for one in (self.calendar, self.day_form.hours):
            one.palette_ = palette
        if self.sheet is not None:
            self.show_sheet(self.sheet)

    def show_sheet(self, sheet: FormatSheet) -> None:
        """Show plans and calendar anew; what is being edited stays."""
        self.sheet = sheet
        self.table.show_rows(self.kept())
        today = local_from(sheet.now_us, sheet.settings.tz).date()
        self.calendar.show_plans(self._plans, sheet.formats.clocks, today)
        self.show_things()
        self._show_day(self.calendar.chosen)

    @property
    def _plans(self) -> Plans:
        assert self.sheet is not None
        return self.sheet.formats.plans

    def _show_day(self, day: date) -> None:
        """Say what a day gets, and why."""
        if self.sheet is None:
            return
        plan, why = self._plans.plan_of(day)
        shows = self._plans.shows(day)
        more = f", with {counted(len(shows), 'show')}" if shows else ""
        self.gets.setText(f"{day:%A} {day.day} {day:%B}: {why}{more}.")
        if plan is not None and not self.dirty() and self.shown is not None:
            self._choose_shown()

    # -- what a kept page says -----

    def kept(self) -> list[DayPlan]:
        """Return the day plans in the order of the table."""
        return list(self.sheet.formats.plans.days.values()) if self.sheet else []

    def show_form(self, thing: DayPlan) -> None:
        """Show a day plan in the panel."""
        if self.sheet is not None:
            self.day_form.show_plan(thing, self.sheet, self.palette_)

    def read_form(self) -> DayPlan:
        """Return the plan as it is typed."""
        plan = self.day_form.typed()
        if self.sheet is not None:
            check_day(plan, self._plans)
        return plan

    def troubles(self, thing: DayPlan) -> list[str]:
        """Return what is wrong with a plan as it is kept."""
        items = self.sheet.items if self.sheet else {}
        return [
            f"No item has the cart number {show.cart}; the show will not air."
            for show in thing.shows
            if show.cart not in items
        ]

    def renamed(self, thing: DayPlan, name: str) -> DayPlan:
        """Return a plan with another name."""
        return replace(thing, name=name)

    def write(self, thing: DayPlan) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps a plan."""
        plans = self._plans

        def do(library: LibraryTransaction) -> Any:
            return {"day_plan": editors.formats.save_day(library, thing, plans)[1]}

        return do, editors.restore_formats

    def take_out(self, thing: DayPlan) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes a plan, from the calendar too."""
        plans = self._plans

        def do(library: LibraryTransaction) -> Any:
            plan, days = editors.formats.remove_day(library, thing.id, plans)
            return {"day_plan": plan, "calendar_day": days}

        return do, editors.restore_formats

    def make(self) -> None:
        """Begin a new day plan; it is made when it is kept."""
        self.begin_new(DayPlan(0, "New day plan"))
        self.day_form.name.setFocus()
        self.day_form.name.selectAll()

    def give(self, days: dict[date, int]) -> None:
        """Give days to plans, undoably."""

        def do(library: LibraryTransaction) -> Any:
            return {"calendar_day": editors.formats.set_calendar(library, days)}

        text = f"plan {counted(len(days), 'day')}"
        self._undo.push(LibraryEdit(self._shelf, text, do, editors.restore_formats))
        self.said.emit(f"{counted(len(days), 'day')} planned; Ctrl+Z takes it back.")

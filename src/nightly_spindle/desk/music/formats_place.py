"""The place Formats: clocks, the week, day plans, made logs, rules, use."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.base.wording import counted
from nightly_spindle.desk.kit.board_reading import BoardReading
from nightly_spindle.desk.kit.paged_place import PagedPlace
from nightly_spindle.desk.music.clocks_page import ClocksPage
from nightly_spindle.desk.music.days_page import DaysPage
from nightly_spindle.desk.music.format_week_page import FormatWeekPage
from nightly_spindle.desk.music.made_page import MadePage
from nightly_spindle.desk.music.rotation_page import RotationPage
from nightly_spindle.desk.music.uses_page import UsesPage
from nightly_spindle.store.reports.format_board import FormatBoard, FormatSheet

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtWidgets import QWidget

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette

_LOOK_MS = 20_000
_WEEK_US = 7 * 86_400 * US
_PAGES = {
    "Clocks": "The patterns of hours",
    "Week": "Which hour of the week has which clock",
    "Days": "Whole-day plans, and the calendar they are dragged onto",
    "Schedule": "Logs made ahead, line by line",
    "Rules": "What keeps its distance, turns",
    "Rotation report": "How often what plays, what never airs and why",
}


class FormatsPlace(PagedPlace):
    """`now_us` gives the station's instant."""

    def __init__(
        self,
        shelf: LibraryWorker,
        settings: StationSettings,
        palette: Palette,
        now_us: Callable[[], int],
    ) -> None:
        super().__init__(shelf, _LOOK_MS)
        self.reading = BoardReading(shelf.folder, self, FormatBoard, now_us)
        self.sheet: FormatSheet | None = None
        self.clocks = ClocksPage(shelf, self.undo, palette, self.reading)
        self.week = FormatWeekPage(shelf, self.undo, palette)
        self.days = DaysPage(shelf, self.undo, palette)
        self.made = MadePage(shelf, self.undo, palette, self.reading, settings)
        self.rules = RotationPage(shelf, self.undo, palette)
        self.uses = UsesPage(shelf, self.undo, palette, self.reading)
        self.frame(_PAGES, (self.clocks, self.week, self.days, self.made, self.rules, self.uses))
        self.reading.shelf.failed.connect(self.say)
        self.show_page("Clocks")

    def close_down(self) -> None:
        """Finish what is under way."""
        super().close_down()
        self.made.cost.stop()
        self.made.maker.close()
        self.reading.close()

    def first_focus(self, name: str) -> QWidget:
        """Return the widget that keys go to when a page is shown."""
        found: dict[str, QWidget] = {
            "Clocks": self.clocks.table,
            "Week": self.week.week,
            "Days": self.days.calendar,
            "Schedule": self.made.table,
            "Rules": self.rules.table,
            "Rotation report": self.uses.items,
        }
        return found[name]

    def show_page(self, name: str) -> None:
        """Show one of the pages; use is counted anew."""
        super().show_page(name)
        if name == "Rotation report":
            self.uses.refresh()

    def begin_new(self) -> None:
        """Begin a new clock, day plan or rule, by the page that is shown."""
        page: Any = self.stage.currentWidget()
        if page not in (self.days, self.rules):
            self.show_page("Clocks")
            page = self.clocks
        page.make()

    def refresh(self) -> None:
        """Read the formats again, where they can be seen."""
        if self.isVisible():
            self.reading.look(
                lambda board, now: board.sheet(now, now, now + _WEEK_US),
                self._show,
                "sheet",
                news=True,
            )

    def _show(self, sheet: FormatSheet) -> None:
        self.sheet = sheet
        for page in self.all_pages():
            page.show_sheet(sheet)
        self._show_worst(sheet)

    def _show_worst(self, sheet: FormatSheet) -> None:
        """Say the gravest thing about formats in one line."""
        found = [one for one in sheet.findings if one.severity is not Severity.NOTE]
        broken = sum(row.made.broken for row in sheet.hours if row.made is not None)
        planned = [row for row in sheet.hours if row.clock is not None]
        made = sum(row.made is not None for row in planned)
        if found:
            more = f"  ({len(found) - 1} more)" if len(found) > 1 else ""
            text = f"{found[0].text} {found[0].mend}{more}"
        elif not sheet.formats.clocks:
            text = "There are no format clocks yet: “New clock”. Then paint the week with them."
        elif not planned:
            text = "No hour of the coming week has a format clock; paint them under Week."
        elif broken:
            rules = counted(broken, "firm rule")
            text = f"{rules} could not be kept in the coming week; see Schedule."
        elif not made:
            text = f"None of the {counted(len(planned), 'hour')} of the coming week is made yet."
        else:
            text = (
                f"{made} of {counted(len(planned), 'hour')} of the coming week "
                f"{'is' if made == 1 else 'are'} made, every firm rule is kept."
            )
        self.worst.setText(text)
        self.worst.setToolTip("\n".join(f"{one.text} {one.mend}" for one in found) or text)

"""The place Campaigns: orders, the week's breaks, break patterns, reports."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtWidgets import QFileDialog, QLabel

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.plain_files import read_plain
from nightly_spindle.core.base.timebase import clock
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.logs.log_text import decode
from nightly_spindle.core.traffic.campaign_csv import orders_from_csv
from nightly_spindle.desk.kit.board_reading import BoardReading
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.paged_place import PagedPlace
from nightly_spindle.desk.traffic.break_week_page import BreakWeekPage
from nightly_spindle.desk.traffic.breaks_page import BreaksPage
from nightly_spindle.desk.traffic.orders_page import OrdersPage
from nightly_spindle.desk.traffic.placement_worker import PlacementWorker
from nightly_spindle.desk.traffic.reports_page import ReportsPage
from nightly_spindle.desk.traffic.spot_rules import SpotRulesPage
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.reports.campaign_board import CampaignBoard, SpotSheet
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtWidgets import QWidget

    from nightly_spindle.core.reports.spot_findings import SpotFinding
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette

_LOOK_MS = 15_000
_PAGES = {
    "Orders": "What advertisers ordered, and how each order stands",
    "Week": "The breaks of the week: how full, with what",
    "Breaks": "When breaks come, and for how many spots",
    "Reports": "What is going to air, and the proof of play",
    "Rules": "What counts, the categories, how far ahead spots are placed",
}


class PlaceAnew(LibraryEdit):
    """Keeps how the spots stand before they are placed anew, to put them back so."""

    def __init__(self, shelf: LibraryWorker, text: str, keep: Any, placer: PlacementWorker) -> None:
        super().__init__(shelf, text, keep, editors.put_placed)
        self._placer = placer

    def redo(self) -> None:
        """Remember how they stand; they are placed once that is done, as after every edit."""
        super().redo()
        self._placer.begin_anew()


class CampaignsPlace(PagedPlace):
    """`now_us` gives the station's instant."""

    def __init__(
        self,
        shelf: LibraryWorker,
        settings: StationSettings,
        palette: Palette,
        now_us: Callable[[], int],
    ) -> None:
        super().__init__(shelf, _LOOK_MS)
        self._tz = settings.tz
        self.reading = BoardReading(shelf.folder, self, CampaignBoard, now_us)
        self.placer = PlacementWorker(shelf.folder, now_us, self)
        self.sheet: SpotSheet | None = None
        self._edited = False
        self._asked_for = -1
        self.orders = OrdersPage(shelf, self.undo, palette)
        self.week = BreakWeekPage(shelf, self.undo, palette)
        self.breaks = BreaksPage(shelf, self.undo, palette)
        self.reports = ReportsPage(self.reading, palette)
        self.rules = SpotRulesPage(shelf, self.undo)
        self.state = QLabel("")
        self.state.setProperty("role", "muted")
        self.anew = push_button(
            "Re-place all",
            "Place all spots of the coming days as if none stood yet; those set by hand stay",
            self.place_anew,
        )
        self.stop = push_button("Stop", "Leave the spots where they are", self.placer.cancel)
        self.stop.hide()
        pages = (self.orders, self.week, self.breaks, self.reports, self.rules)
        self.frame(_PAGES, pages, after=(self.state, self.stop, self.anew))
        self._connect()
        self.show_page("Orders")

    def _connect(self) -> None:
        self.orders.table_in.connect(self._ask_table)
        self.reading.shelf.failed.connect(self.say)
        self.undo.indexChanged.connect(lambda _: self._on_edit())
        self.placer.began.connect(self._on_placing)
        self.placer.placed.connect(self._on_placed)
        self.placer.failed.connect(self._on_placed)

    # -- showing -----------------------------------------------------------------------------------

    def close_down(self) -> None:
        """Finish what is under way."""
        super().close_down()
        self.placer.close()
        self.reading.close()

    def first_focus(self, name: str) -> QWidget:
        """Return the widget that keys go to when a page is shown."""
        found: dict[str, QWidget] = {
            "Orders": self.orders.table,
            "Week": self.week.week,
            "Breaks": self.breaks.table,
            "Reports": self.reports,
            "Rules": self.rules,
        }
        return found[name]

    def show_page(self, name: str) -> None:
        """Show one of the pages; a report is read anew."""
        super().show_page(name)
        if name == "Reports":
            self.reports.refresh()

    def begin_new(self) -> None:
        """Begin a new order, or a break on its page."""
        if self.tabs["Breaks"].isChecked():
            self.breaks.make()
        else:
            self.show_page("Orders")
            self.orders.make()

    def refresh(self) -> None:
        """Read the campaigns again, where they can be seen."""
        if self.isVisible():
            self.reading.look(lambda board, now: board.sheet(now), self._show, "sheet", news=True)

    def _show(self, sheet: SpotSheet) -> None:
        self.sheet = sheet
        for page in self.all_pages():
            page.show_sheet(sheet)
        self._show_worst(sheet)
        if sheet.orders and sheet.patterns and sheet.stale and self._asked_for != sheet.made_us:
            self._asked_for = sheet.made_us  # once: what cannot be placed is said, not tried on
            self.placer.ask()
        if not self.placer.busy:
            when = f"placed at {clock(sheet.made_us, self._tz)[:5]}" if sheet.made_us else ""
            self.state.setText(when)

    def _show_worst(self, sheet: SpotSheet) -> None:
        """Say the gravest thing about campaigns in one line."""
        found: list[SpotFinding] = [*sheet.findings]
        found += [one for order in sheet.orders for one in order.findings]
        found = [one for one in found if one.severity is not Severity.NOTE]
        found.sort(key=lambda one: one.severity is not Severity.ALARM)
        if found:
            more = f"  ({len(found) - 1} more)" if len(found) > 1 else ""
            text = f"{found[0].text} {found[0].mend}{more}"
        elif not sheet.orders:
            text = "There are no campaigns yet: “New order”. Breaks for them are made under Breaks."
        else:
            running = [one for one in sheet.orders if one.state == "running"]
            text = f"{counted(len(running), 'campaign')} running, every order is met."
        self.worst.setText(text)
        self.worst.setToolTip("\n".join(f"{one.text} {one.mend}" for one in found) or text)

    # -- placing -----------------------------------------------------------------------------------

    def _on_edit(self) -> None:
        # the edit is made by a thread: the spots are placed once it is
        self._edited = True

    def on_changed(self) -> None:
        """Have the spots placed after an edit, and read again."""
        if self._edited:
            self._edited = False
            self.placer.ask()
        self.refresh()

    def place_anew(self) -> None:
        """Place all spots as if none stood yet, undoably."""
        self.undo.push(
            PlaceAnew(self._shelf, "re-place", editors.campaigns.placed_rows, self.placer)
        )

    def _on_placing(self) -> None:
        self.state.setText("placing spots …")
        self.stop.show()

    def _on_placed(self, sentence: str) -> None:
        self.stop.hide()
        self.state.setText("")
        self.say(sentence)
        self.refresh()

    # -- other acts --------------------------------------------------------------------------------

    def _ask_table(self) -> None:
        chosen, _ = QFileDialog.getOpenFileName(self, "Orders as a table", "", "*.csv")
        if chosen:
            self.take_table(Path(chosen))

    def take_table(self, path: Path) -> None:
        """Take orders in from a CSV table, all of them or none, undoably."""
        known = [order.campaign for order in self.sheet.orders] if self.sheet else []
        try:
            text, _ = decode(read_plain(path), path.name)
            orders = orders_from_csv(text, known, path.name)
        except OSError as error:
            self.say(f"{path} cannot be read: {error.strerror}.")
            return
        except InputFault as error:
            self.say(f"{error}.")
            return

        def do(library: LibraryTransaction) -> Any:
            return editors.campaigns.save_campaigns(library, orders)[1]

        text = f"import {path.name}"
        self.undo.push(LibraryEdit(self._shelf, text, do, editors.restore_campaigns))
        self.say(f"{counted(len(orders), 'order')} imported; Ctrl+Z undoes it.")

"""The page of reports: what is going to air, and the proof of play of what did."""

from __future__ import annotations

from datetime import datetime, time, timedelta
from pathlib import Path
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.errors import NightlySpindleError, SettingRefused
from nightly_spindle.core.base.short_texts import date_of
from nightly_spindle.core.base.timebase import resolve_local
from nightly_spindle.core.calendar.local_days import day_of, local_day
from nightly_spindle.core.reports.spot_proofs import PlannedSpot
from nightly_spindle.core.reports.spot_reports import (
    PLAN_COLUMNS,
    PROOF_COLUMNS,
    Report,
    month_span,
    month_text,
    plan_cells,
    proof_cells,
    report_text,
    summary,
    table_csv,
)
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.traffic.report_rows import TOTALS, plan_layout, proof_layout

if TYPE_CHECKING:
    from datetime import date
    from zoneinfo import ZoneInfo

    from nightly_spindle.desk.kit.board_reading import BoardReading
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import CampaignBoard, SpotSheet

_AIRED, _PLANNED = "What aired", "What is going to air"
_MONTHS_BACK = 12


class ReportsPage(QWidget):
    """Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, reading: BoardReading[CampaignBoard], palette: Palette) -> None:
        super().__init__()
        self._reading = reading
        self.sheet: SpotSheet | None = None
        self.report: Report | None = None
        self.planned: list[PlannedSpot] = []
        self.proofs = RowView(proof_layout(self._tz), palette)
        self.plans = RowView(plan_layout(self._tz), palette)
        self.totals = RowView(TOTALS, palette)
        self.what, self.month, self.who = ChoiceBox(), ChoiceBox(), ChoiceBox()
        self.from_, self.to = Field(), Field()
        self.summary, self.sums = QLabel(""), QLabel("SUMS")
        self._lay_out()

    def _tz(self) -> ZoneInfo:
        assert self.sheet is not None
        return self.sheet.tz

    def _lay_out(self) -> None:
        self.what.addItems([_AIRED, _PLANNED])
        for box, name in (
            (self.what, "Which report"),
            (self.month, "Month"),
            (self.who, "Advertiser or campaign"),
        ):
            box.setAccessibleName(name)
            box.activated.connect(lambda _: self.refresh())
        self.month.activated.connect(lambda _: self._on_month())
        self.who.setMinimumWidth(190)
        for field, name in ((self.from_, "from"), (self.to, "up to")):
            field.setPlaceholderText("2026-12-01")
            field.setFixedWidth(96)
            field.setAccessibleName(f"Report {name} the day")
            field.editingFinished.connect(self.refresh)
        row = QHBoxLayout()
        row.setSpacing(5)
        asked: tuple[QWidget, ...] = (
            self.what,
            self.who,
            self.month,
            QLabel("from"),
            self.from_,
            QLabel("up to"),
            self.to,
        )
        for widget in asked:
            row.addWidget(widget)
        row.addStretch(1)
        self.copy_ = push_button("Copy as text", "Copy the report, to be pasted", self.copy_text)
        self.csv = push_button("CSV …", "Save the report as a table", lambda: self.save("csv"))
        self.pdf = push_button(
            "PDF …", "Save the proof of play with a line to sign", lambda: self.save("pdf")
        )
        for button in (self.copy_, self.csv, self.pdf):
            row.addWidget(button)
        self.summary.setProperty("role", "strong")
        self.sums.setProperty("role", "caption")
        whole = QVBoxLayout(self)
        whole.setContentsMargins(12, 0, 12, 8)
        whole.setSpacing(6)
        whole.addLayout(row)
        whole.addWidget(self.summary)
        whole.addWidget(self.proofs, 5)
        whole.addWidget(self.plans, 5)
        whole.addWidget(self.sums)
        whole.addWidget(self.totals, 2)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for table in (self.proofs, self.plans, self.totals):
            table.set_palette(palette)

    # -- choosing ----------------------------------------------------------------------------------

    def show_sheet(self, sheet: SpotSheet) -> None:
        """Offer the campaigns and months that there are."""
        first = self.sheet is None
        self.sheet = sheet
        was = self.who.currentData()
        self.who.clear()
        self.who.addItem("all campaigns", ("", 0))
        names = sorted({o.campaign.options.advertiser for o in sheet.orders} - {""})
        for name in names:
            self.who.addItem(f"{name}, all", (name, 0))
        for order in sorted(sheet.orders, key=lambda one: one.campaign.name.casefold()):
            self.who.addItem(order.campaign.name, ("", order.campaign.id))
        self.who.setCurrentIndex(max(0, self.who.findData(was)))
        if first:
            self._offer_months(sheet)
            self._on_month()
        elif self.isVisible():
            self.refresh()

    def _offer_months(self, sheet: SpotSheet) -> None:
        day = day_of(local_day(sheet.now_us, sheet.tz)).replace(day=1)
        day = (day + timedelta(days=40)).replace(day=1)
        for _ in range(_MONTHS_BACK + 1):
            month = f"{day:%Y-%m}"
            self.month.addItem(month_text(month), month)
            day = (day - timedelta(days=1)).replace(day=1)
        self.month.setCurrentIndex(1)

    def _on_month(self) -> None:
        first, after = month_span(self.month.currentData())
        self.from_.setText(str(first))
        self.to.setText(str(after - timedelta(days=1)))
        self.refresh()

    def chosen(self) -> set[int]:
        """Return the numbers of the campaigns that are asked for."""
        name, number = self.who.currentData() or ("", 0)
        orders = self.sheet.orders if self.sheet else ()
        return {
            order.campaign.id
            for order in orders
            if (not number or order.campaign.id == number)
            and (not name or order.campaign.options.advertiser == name)
        }

    def refresh(self) -> None:
        """Make the report anew."""
        if self.sheet is None:
            return
        tz = self.sheet.tz
        try:
            first, last = _days(self.from_.text(), self.to.text())
        except SettingRefused as error:
            text = str(error)
            self.said.emit(f"{text[:1].upper()}{text[1:]}.")
            return
        begin = resolve_local(datetime.combine(first, time()), tz)
        end = resolve_local(datetime.combine(last + timedelta(days=1), time()), tz)
        numbers = self.chosen()
        title = "Proof of play"

        def look(board: CampaignBoard, now: int) -> tuple[Report, list[PlannedSpot]]:
            return board.report(now, begin, end, numbers, title)

        self._reading.look(look, self._show, "report")

    def _show(self, found: tuple[Report, list[PlannedSpot]]) -> None:
        self.report, self.planned = found
        aired = self.what.currentText() == _AIRED
        self.proofs.setVisible(aired)
        self.totals.setVisible(aired)
        self.sums.setVisible(aired)
        self.plans.setVisible(not aired)
        self.pdf.setEnabled(aired)
        self.proofs.show_rows(self.report.proofs)
        self.plans.show_rows(self.planned)
        self.totals.show_rows(self.report.totals)
        if aired:
            self.summary.setText(summary(self.report.totals))
        else:
            self.summary.setText(f"{len(self.planned)} spots are placed in these days.")

    # -- giving out --------------------------------------------------------------------------------

    def as_text(self) -> str:
        """Return the report as text."""
        assert self.sheet is not None
        if self.what.currentText() == _AIRED and self.report is not None:
            return report_text(self.report, self.sheet.tz)
        cells = [plan_cells(row, self.sheet.tz) for row in self.planned]
        return "".join(
            f"{c['weekday']} {c['date']} {c['time']}  {c['campaign']}  {c['break_or_show']}\n"
            for c in cells
        )

    def as_csv(self) -> str:
        """Return the report as CSV."""
        assert self.sheet is not None
        tz = self.sheet.tz
        if self.what.currentText() == _AIRED and self.report is not None:
            return table_csv(PROOF_COLUMNS, [proof_cells(row, tz) for row in self.report.proofs])
        return table_csv(PLAN_COLUMNS, [plan_cells(row, tz) for row in self.planned])

    def copy_text(self) -> None:
        """Copy the report as text."""
        if self.report is not None:
            QGuiApplication.clipboard().setText(self.as_text())
            self.said.emit("The report is copied as text.")

    def save(self, kind: str) -> None:
        """Ask where, and save the report there."""
        if self.report is None:
            return
        name = f"{self.from_.text()} {self.who.currentText()}.{kind}".replace("/", "-")
        chosen, _ = QFileDialog.getSaveFileName(self, "Save the report", name, f"*.{kind}")
        if chosen:
            self.save_to(Path(chosen))

    def save_to(self, path: Path) -> None:
        """Save the report: as PDF or as CSV by the file's ending."""
        assert self.sheet is not None
        assert self.report is not None
        try:
            if path.suffix.lower() == ".pdf":
                from nightly_spindle.desk.traffic.report_print import write_pdf

                write_pdf(self.report, self.sheet.tz, path)
            else:
                path.write_bytes(self.as_csv().encode())
        except (OSError, NightlySpindleError) as error:
            self.said.emit(f"{path} cannot be written: {getattr(error, 'strerror', '') or error}.")
            return
        self.said.emit(f"Saved as {path}.")


def _days(from_: str, to: str) -> tuple[date, date]:
    """Return the days of a report as they are typed; SettingRefused says what is wrong."""
    first, last = date_of(from_), date_of(to)
    if first is None or last is None or last < first:
        raise SettingRefused("the report needs a first day, and a last one not before it")
    return first, last

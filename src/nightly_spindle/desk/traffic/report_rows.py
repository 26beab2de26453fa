"""The tables of the reports: what aired, what is going to, and the sums of each campaign."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.reports.spot_proofs import PlannedSpot, Proof
from nightly_spindle.core.reports.spot_reports import (
    Total,
    plan_cells,
    planned_told,
    proof_cells,
    time_told,
)
from nightly_spindle.desk.kit.table_layout import Column, TableLayout

if TYPE_CHECKING:
    from collections.abc import Callable
    from zoneinfo import ZoneInfo

    from nightly_spindle.desk.kit.table_layout import Ink


def _seconds(value: float) -> str:
    return f"{value:.1f} s" if value else "–"


def _ink(row: Proof) -> Ink:
    return "text" if row.counts else "muted"


def proof_layout(tz: Callable[[], ZoneInfo]) -> TableLayout[Proof]:
    """Return the table of what aired, to the second."""

    def cell(name: str) -> Callable[[Proof], str]:
        return lambda row: str(proof_cells(row, tz())[name])

    columns: tuple[Column[Proof], ...] = (
        Column("Campaign", 160, lambda r: r.campaign.name, ink=_ink, sign=lambda _: "spot"),
        Column("Date", 96, cell("date"), ink=_ink),
        Column("Time", 84, lambda r: time_told(r.at_us, tz()), ink=_ink, sort=lambda r: r.at_us),
        Column("Break or show", 120, lambda r: r.where, ink=_ink),
        Column(
            "Due",
            72,
            lambda r: planned_told(r, tz()),
            ink=_ink,
            sort=lambda r: r.planned_us,
        ),
        Column(
            "Aired",
            62,
            lambda r: _seconds(r.length_s),
            right=True,
            ink=_ink,
            sort=lambda r: r.length_s,
        ),
        Column(
            "Full",
            62,
            lambda r: _seconds(r.whole_s),
            right=True,
            ink=_ink,
            sort=lambda r: r.whole_s,
        ),
        Column("State", 86, lambda r: r.state, ink=lambda r: "text" if r.counts else "alarm"),
        Column("Audio", 190, lambda r: r.title, ink=_ink),
        Column("File", 130, lambda r: r.file.rpartition("/")[2], ink=_ink),
        Column("Note", 130, lambda r: r.note, wide=True, ink=_ink),
    )
    return TableLayout(
        "What aired", columns, tip=lambda r: "\n".join(text for text in (r.note, r.file) if text)
    )


def plan_layout(tz: Callable[[], ZoneInfo]) -> TableLayout[PlannedSpot]:
    """Return the table of what is going to air."""

    def cell(name: str) -> Callable[[PlannedSpot], str]:
        return lambda row: str(plan_cells(row, tz())[name])

    columns: tuple[Column[PlannedSpot], ...] = (
        Column("Campaign", 200, lambda r: r.campaign.name, sign=lambda _: "spot"),
        Column("Day", 50, cell("weekday"), sort=cell("date")),
        Column("Date", 100, cell("date")),
        Column("Time", 86, lambda r: time_told(r.at_us, tz()), sort=lambda r: r.at_us),
        Column("Break or show", 160, lambda r: r.where, wide=True),
        Column("Advertiser", 180, cell("advertiser")),
        Column("Set", 80, cell("fixed")),
    )
    return TableLayout("What is going to air", columns, tip=lambda r: r.campaign.sentence())


def _count(name: str, width: int, of: Callable[[Total], int]) -> Column[Total]:
    return Column(name, width, lambda r: str(of(r)), right=True, sort=of)


TOTALS: TableLayout[Total] = TableLayout(
    "Sums",
    (
        Column("Campaign", 180, lambda r: r.campaign.name, wide=True),
        Column("Advertiser", 170, lambda r: r.campaign.options.advertiser),
        _count("Ordered", 66, lambda r: r.standing.of),
        _count("Aired", 60, lambda r: r.standing.aired),
        _count("Cut", 50, lambda r: r.cut),
        _count("Missed", 60, lambda r: r.missed),
        _count("Made good", 76, lambda r: r.made_good),
        _count("To come", 66, lambda r: r.standing.to_come),
        Column(
            "Owed",
            56,
            lambda r: str(r.standing.owed) if r.standing.owed else "–",
            right=True,
            ink=lambda r: "alarm" if r.standing.owed else "text",
            sort=lambda r: r.standing.owed,
        ),
    ),
)

"""The table of campaigns: pace as a bar, counts, what is wrong; and that of an order's copies."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPen

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.traffic.campaigns import Copy
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.desk.kit.theme import kind_color
from nightly_spindle.store.reports.campaign_board import CampaignSheet

if TYPE_CHECKING:
    from PySide6.QtGui import QPainter

    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette


def _ink(row: CampaignSheet) -> Ink:
    return "text" if row.state == "running" else "muted"


def _state(row: CampaignSheet) -> str:
    short = row.short.missing if row.short else 0
    return f"{short} short" if short and row.state != "over" else row.state


def _state_ink(row: CampaignSheet) -> Ink:
    return "alarm" if row.short is not None and row.state == "running" else _ink(row)


def _finding(row: CampaignSheet) -> str:
    grave = any(one.severity is not Severity.NOTE for one in row.findings)
    return "!" if grave else "·" if row.findings else ""


def _tip(row: CampaignSheet) -> str:
    return "\n".join([*(f"{one.text} {one.mend}" for one in row.findings), row.sentence])


def _paint_pace(painter: QPainter, cell: QRectF, row: CampaignSheet, palette: Palette) -> None:
    """Paint how far an order is: what was heard of it, with a mark where it should be by now."""
    box = cell.adjusted(5, 7, -7, -7)
    whole = max(1, row.standing.of)
    painter.fillRect(box, QColor(palette.raised))
    aired = min(1.0, row.standing.aired / whole)
    done = QRectF(box.left(), box.top(), box.width() * aired, box.height())
    painter.fillRect(done, kind_color("spot"))
    placed = min(1.0, (row.standing.aired + row.standing.to_come) / whole)
    coming = QRectF(done.right(), box.top(), box.width() * (placed - aired), box.height())
    soft = QColor(kind_color("spot"))
    soft.setAlpha(90)
    painter.fillRect(coming, soft)
    x = box.left() + box.width() * min(1.0, row.standing.due / whole)
    painter.setPen(QPen(QColor(palette.text), 2))
    painter.drawLine(round(x), round(box.top() - 3), round(x), round(box.bottom() + 3))


ORDERS: TableLayout[CampaignSheet] = TableLayout(
    "Campaigns",
    (
        Column("Campaign", 176, lambda r: r.campaign.name, ink=_ink, sign=lambda _: "spot"),
        Column("Advertiser", 138, lambda r: r.campaign.options.advertiser, ink=_ink),
        Column(
            "Pace",
            110,
            lambda _: "",
            wide=True,
            paint=_paint_pace,
            sort=lambda r: (r.standing.aired - r.standing.due) / max(1, r.standing.of),
        ),
        Column(
            "Aired",
            46,
            lambda r: str(r.standing.aired),
            right=True,
            ink=_ink,
            sort=lambda r: r.standing.aired,
        ),
        Column(
            "Of",
            42,
            lambda r: str(r.standing.of),
            head="of",
            right=True,
            ink=_ink,
            sort=lambda r: r.standing.of,
        ),
        Column(
            "To come",
            58,
            lambda r: str(r.standing.to_come),
            right=True,
            ink=_ink,
            sort=lambda r: r.standing.to_come,
        ),
        Column(
            "Owed",
            48,
            lambda r: str(r.standing.owed) if r.standing.owed else "–",
            right=True,
            ink=lambda r: "alarm" if r.standing.owed else _ink(r),
            sort=lambda r: r.standing.owed,
        ),
        Column("State", 70, _state, ink=_state_ink),
        Column("Finding", 20, _finding, head="", ink="alarm"),
    ),
    tip=_tip,
)


@dataclass(frozen=True, slots=True)
class CopyRow:
    """A copy of an order, and its item where that is among those that spots can be of."""

    copy: Copy
    item: Item | None


def _when(row: CopyRow) -> str:
    copy = row.copy
    dates = f"{copy.first or '…'} to {copy.last or '…'}" if copy.first or copy.last else ""
    return ", ".join(text for text in (copy.hours, dates) if text) or "always"


def _copy_ink(row: CopyRow) -> Ink:
    return "text" if row.item else "alarm"


_STRANGE = "It is not among the spots, promos and PSAs of the library."

COPIES: TableLayout[CopyRow] = TableLayout(
    "Copies",
    (
        Column(
            "Audio",
            120,
            lambda r: r.item.title if r.item else f"item {r.copy.cart}",
            wide=True,
            ink=_copy_ink,
            sign=lambda r: str(r.item.kind) if r.item else "spot",
        ),
        Column(
            "Cart",
            46,
            lambda r: str(r.copy.cart),
            right=True,
            ink=_copy_ink,
            sort=lambda r: r.copy.cart,
        ),
        Column(
            "Length",
            54,
            right=True,
            ink=_copy_ink,
            text=lambda r: f"{r.item.measure.duration_s:.1f} s" if r.item else "–",
            sort=lambda r: r.item.measure.duration_s if r.item else 0.0,
        ),
        Column(
            "Weight",
            54,
            lambda r: f"{r.copy.weight:g}",
            right=True,
            ink=_copy_ink,
            sort=lambda r: r.copy.weight,
        ),
        Column("When", 58, _when, ink=_copy_ink),
    ),
    tip=lambda r: r.item.path if r.item else _STRANGE,
)

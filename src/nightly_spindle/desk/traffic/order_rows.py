"""The table of campaigns: pace as a bar, counts, what is wrong; and that of an order's copies."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QRectF
from PySide6.QtGui import QColor, QPen
from PySide6.QtWidgets import QStyledItemDelegate

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.desk.kit.row_table import Rows
from nightly_spindle.desk.kit.theme import kind_color

if TYPE_CHECKING:
    from collections.abc import Callable

    from PySide6.QtGui import QPainter
    from PySide6.QtWidgets import QStyleOptionViewItem

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.traffic.campaigns import Copy
    from nightly_spindle.desk.kit.tables import Index
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import CampaignSheet

PACE = 2


class OrderRows(Rows):
    """Campaigns: name, advertiser, pace, counts, state, finding."""

    heads = ("Campaign", "Advertiser", "Pace", "Aired", "of", "To come", "Owed", "State", "")
    right = (3, 4, 5, 6)

    def text(self, row: CampaignSheet, column: int) -> str:
        """Return a cell's text."""
        short = row.short.missing if row.short else 0
        makers: tuple[Callable[[], str], ...] = (
            lambda: row.campaign.name,
            lambda: row.campaign.options.advertiser,
            lambda: "",
            lambda: str(row.aired),
            lambda: str(row.whole),
            lambda: str(row.to_come),
            lambda: str(row.owed) if row.owed else "–",
            lambda: f"{short} short" if short and row.state != "over" else row.state,
            lambda: "!" if self._grave(row) else ("·" if row.findings else ""),
        )
        return makers[column]()

    @staticmethod
    def _grave(row: CampaignSheet) -> bool:
        return any(one.severity is not Severity.NOTE for one in row.findings)

    def tip(self, row: CampaignSheet) -> str:
        """Return the order's sentence and what is wrong with it."""
        return "\n".join([*(f"{one.text} {one.mend}" for one in row.findings), row.sentence])

    def kind(self, row: CampaignSheet) -> str:
        """Return the kind whose shape it has."""
        del row
        return "spot"

    def ink(self, row: CampaignSheet, column: int) -> QColor | None:
        """Return a cell's colour where it is not the usual one."""
        short = column == 7 and row.short is not None and row.state == "running"
        if column == 8 or short or (column == 6 and row.owed):
            return QColor(self.palette_.alarm)
        return None if row.state == "running" else QColor(self.palette_.muted)


class PaceBar(QStyledItemDelegate):
    """Paints how far an order is: what was heard of it, with a mark where it should be by now."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        """Paint the bar in its cell."""
        super().paint(painter, option, index)
        model = index.model()
        assert isinstance(model, OrderRows)
        row: CampaignSheet = model.rows[index.row()]
        box = QRectF(option.rect).adjusted(5, 7, -7, -7)
        whole = max(1, row.whole)
        painter.save()
        painter.fillRect(box, QColor(model.palette_.raised))
        aired = min(1.0, row.aired / whole)
        done = QRectF(box.left(), box.top(), box.width() * aired, box.height())
        painter.fillRect(done, kind_color("spot"))
        placed = min(1.0, (row.aired + row.to_come) / whole)
        coming = QRectF(done.right(), box.top(), box.width() * (placed - aired), box.height())
        soft = QColor(kind_color("spot"))
        soft.setAlpha(90)
        painter.fillRect(coming, soft)
        x = box.left() + box.width() * min(1.0, row.due / whole)
        painter.setPen(QPen(QColor(model.palette_.text), 2))
        painter.drawLine(round(x), round(box.top() - 3), round(x), round(box.bottom() + 3))
        painter.restore()


class CopyRows(Rows):
    """The copies of an order: title, cart, weight, when it airs."""

    heads = ("Audio", "Cart", "Length", "Weight", "When")
    right = (1, 2, 3)

    def __init__(self, palette: Palette) -> None:
        super().__init__(palette)
        self.items: dict[int, Item] = {}

    def text(self, row: Copy, column: int) -> str:
        """Return a cell's text."""
        item = self.items.get(row.cart)
        when = ", ".join(t for t in (row.hours, _dates(row)) if t)
        return (
            item.title if item else f"item {row.cart}",
            str(row.cart),
            f"{item.measure.duration_s:.1f} s" if item else "–",
            f"{row.weight:g}",
            when or "always",
        )[column]

    def tip(self, row: Copy) -> str:
        """Return where its audio lies."""
        item = self.items.get(row.cart)
        return item.path if item else "It is not among the spots, promos and PSAs of the library."

    def kind(self, row: Copy) -> str:
        """Return the item's kind."""
        item = self.items.get(row.cart)
        return str(item.kind) if item else "spot"

    def ink(self, row: Copy, column: int) -> QColor | None:
        """Return a cell's colour where it is not the usual one."""
        del column
        return None if row.cart in self.items else QColor(self.palette_.alarm)


def _dates(row: Copy) -> str:
    return f"{row.first or '…'} to {row.last or '…'}" if row.first or row.last else ""

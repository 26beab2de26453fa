"""The page of orders: which there are and how each stands, the one that is typed beside."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.traffic.campaigns import Campaign
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.traffic.order_panel import OrderPanel
from nightly_spindle.desk.traffic.order_rows import ORDERS
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import CampaignSheet, SpotSheet

_PANEL_PX = 376


class OrdersPage(KeptPage):
    """Signals: `table_in` when orders are to be taken in from a file, `hear` (path)."""

    table_in = Signal()
    hear = Signal(str)
    noun = "campaign"
    empty = "Choose a campaign, or make one: “New order”."

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        table = RowView(ORDERS, palette)
        self.editor = OrderPanel(palette)
        super().__init__(shelf, undo, table, self.editor, _PANEL_PX)
        self.sheet: SpotSheet | None = None
        self.orders: Sequence[CampaignSheet] = ()
        self.filter = Field()
        self.filter.setPlaceholderText("Filter by campaign, advertiser, product, group")
        self.filter.setAccessibleName("Filter of the campaigns")
        self.filter.textEdited.connect(lambda _: self._fill())
        self.count = QLabel("")
        self.count.setProperty("role", "muted")
        self._lay_out()
        self.editor.hear.connect(self.hear)

    def _lay_out(self) -> None:
        tools = QHBoxLayout()
        tools.setSpacing(5)
        self.new = push_button("New order", "Write an order (Ctrl+N)", self.make)
        self.copy_ = push_button("Copy", "Begin a new order as this one is", self.make_copy)
        self.bring = push_button("Import …", "Import orders from a CSV table", self.table_in.emit)
        for widget in (self.new, self.copy_, self.bring):
            tools.addWidget(widget)
        tools.addWidget(self.filter, 1)
        tools.addWidget(self.count)
        self.frame(tools)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)
        self.editor.copies.set_palette(palette)
        self.editor.hours.painter_.palette_ = palette

    # -- showing -----------------------------------------------------------------------------------

    def show_sheet(self, sheet: SpotSheet) -> None:
        """Show the orders anew; what is being edited stays."""
        self.sheet = sheet
        self._fill()
        self.show_things()

    def _fill(self) -> None:
        """Show the orders that the filter lets through, those in trouble first."""
        if self.sheet is None:
            return
        words = self.filter.text().casefold().split()
        orders = [
            order
            for order in self.sheet.orders
            if all(word in _searched(order.campaign) for word in words)
        ]
        orders.sort(key=_rank)
        self.orders = orders
        self.table.show_rows(orders)
        there, whole = len(orders), len(self.sheet.orders)
        self.count.setText(f"{there} of {whole}" if there < whole else f"{whole} orders")
        self._choose_shown()

    def kept(self) -> Sequence[Campaign]:
        """Return the campaigns in the order of the table."""
        return [order.campaign for order in self.orders]

    def show_form(self, thing: Campaign) -> None:
        """Show a campaign in the panel."""
        self.editor.show_campaign(thing, self.sheet)

    def read_form(self) -> Campaign:
        """Return the campaign as it is typed."""
        return self.editor.typed()

    def troubles(self, thing: Campaign) -> list[str]:
        """Return what is wrong with a campaign as it is kept."""
        own = next((one for one in self.orders if one.campaign.id == thing.id), None)
        return [f"{f.text} {f.mend}" for f in own.findings] if own is not None and thing.id else []

    # -- editing -----------------------------------------------------------------------------------

    def make(self) -> None:
        """Begin a new order."""
        self.begin_new(Campaign(0, "New order"))
        self._to_name()

    def make_copy(self) -> None:
        """Begin a new order that is as the shown one."""
        if self.shown is not None and self.free():
            self.begin_new(replace(self.shown, id=0, pins=()))
            self._to_name()

    def _to_name(self) -> None:
        self.editor.show_part("Order")
        self.editor.name.setFocus()
        self.editor.name.selectAll()

    def renamed(self, thing: Campaign, name: str) -> Campaign:
        """Return a campaign with another name."""
        return replace(thing, name=name)

    def write(self, thing: Campaign) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps a campaign."""

        def do(library: LibraryTransaction) -> Any:
            return editors.campaigns.save_campaigns(library, [thing])[1]

        return do, editors.restore_campaigns

    def take_out(self, thing: Campaign) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes a campaign."""

        def do(library: LibraryTransaction) -> Any:
            return editors.campaigns.remove_campaigns(library, [thing.id])

        return do, editors.restore_campaigns


def _searched(campaign: Campaign) -> str:
    options = campaign.options
    texts = (campaign.name, options.advertiser, options.product, options.group, options.category)
    return " ".join(texts).casefold()


def _rank(order: CampaignSheet) -> tuple[int, str, str]:
    states = {"running": 0, "to come": 1, "on hold": 2, "over": 3}
    trouble = any(one.severity is not Severity.NOTE for one in order.findings)
    return (
        -1 if trouble else states[order.state],
        order.campaign.options.advertiser.casefold(),
        order.campaign.name.casefold(),
    )

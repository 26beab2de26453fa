"""The table of a list's lines: their order by dragging, when each starts."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from PySide6.QtCore import Signal

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.desk.kit.line_view import LineView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.desk.kit.theme import Palette

_LINES = "application/x-nightly-spindle-list-lines"


@dataclass(frozen=True, slots=True)
class ListLine:
    """A line of a list: its place, when it starts (s; None where unknown), its item if there."""

    place: int
    cart: int
    starts_s: float | None
    item: Item | None


def _title(line: ListLine) -> str:
    return line.item.title if line.item else f"cart {line.cart} is not in the library any more"


def _lasts(line: ListLine) -> str:
    if line.item is None:
        return ""
    cues = cues_of(line.item)
    return length(cues.cue_out_s - cues.cue_in_s)


_LAYOUT: TableLayout[ListLine] = TableLayout(
    "Lines of the list",
    (
        Column(
            "Starts at",
            80,
            right=True,
            text=lambda line: "" if line.starts_s is None else length(line.starts_s),
        ),
        Column("Title", 300, _title, wide=True, ink=lambda line: "text" if line.item else "alarm"),
        Column("Artist", 220, lambda line: line.item.artist if line.item else ""),
        Column("Length", 70, _lasts, right=True),
        Column("Cart", 70, lambda line: str(line.cart), right=True, ink="muted"),
        Column("Kind", 90, lambda line: str(line.item.kind) if line.item else "", ink="muted"),
    ),
    key=lambda line: line.place,
    sortable=False,
)


class ListTable(LineView[ListLine]):
    """The lines in order, by their places. Signal besides: `order_asked` (carts)."""

    order_asked = Signal(list)

    def __init__(self, palette: Palette) -> None:
        super().__init__(
            _LAYOUT,
            palette,
            _LINES,
            movable=lambda _line: True,
            told=_title,
            cart=lambda line: line.cart,
        )
        self.removed.connect(self._take_out)
        self.shifted.connect(lambda _place, by: self._shift(by))
        self.lines_dropped.connect(lambda places, at: self.move_rows(places, self._before(at)))
        self.items_dropped.connect(self._put_in)

    def carts(self) -> list[int]:
        """Return the items of the list, line by line."""
        return [line.cart for line in self.rows]

    def _before(self, place: int | None) -> int:
        return len(self.rows) if place is None else place

    def _take_out(self, places: Sequence[int]) -> None:
        self.order_asked.emit([c for at, c in enumerate(self.carts()) if at not in set(places)])

    def _put_in(self, new: Sequence[int], before: int | None) -> None:
        carts, at = self.carts(), self._before(before)
        self.order_asked.emit([*carts[:at], *new, *carts[at:]])

    def _shift(self, step: int) -> None:
        rows = self.chosen()
        target = rows[0] - 1 if step < 0 else rows[-1] + 2
        if 0 <= target <= len(self.rows):
            self.move_rows(rows, target)
            self.selectRow(rows[0] + step)

    def move_rows(self, rows: Sequence[int], before: int) -> None:
        """Ask for rows to be moved before another."""
        carts = self.carts()
        moved = [carts[row] for row in rows]
        head = [c for at, c in enumerate(carts[:before]) if at not in set(rows)]
        tail = [c for at, c in enumerate(carts[before:], before) if at not in set(rows)]
        self.order_asked.emit([*head, *moved, *tail])

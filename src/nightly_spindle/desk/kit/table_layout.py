"""What a table of the desk shows: its columns, described once for all that is done with them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, Literal, TypeVar

from PySide6.QtCore import QRectF
from PySide6.QtGui import QPainter

from nightly_spindle.desk.kit.theme import Palette

Row = TypeVar("Row")
Ink = Literal["text", "muted", "alarm", "air"]  # colours of the palette, by name
Mark = Literal["", "full", "ring"]
NEEDS_YOU = "!"  # in place of a kind: a full dot before the text


@dataclass(frozen=True, slots=True)
class Column(Generic[Row]):
    """One column. `name` is said and remembered; `head` is what stands above it, if not the name.

    `width` is in pixels; the column that is `wide` has what room is left. `sort` gives what rows
    are sorted by (its text, where there is none). `sign` names the kind whose shape stands before
    the text, `mark` what stands behind it. `keeps_end` cuts a long text at its beginning, `paint`
    paints into the cell (a rectangle in pixels) besides.
    """

    name: str
    width: int
    text: Callable[[Row], str]
    head: str | None = None
    right: bool = False
    wide: bool = False
    ink: Callable[[Row], Ink] | Ink = "text"
    bold: Callable[[Row], bool] | None = None
    sort: Callable[[Row], Any] | None = None
    sign: Callable[[Row], str] | None = None
    mark: Callable[[Row], Mark] | None = None
    keeps_end: bool = False
    paint: Callable[[QPainter, QRectF, Row, Palette], None] | None = None

    def ink_of(self, row: Row) -> Ink:
        """Return the colour of a row's text."""
        return self.ink if isinstance(self.ink, str) else self.ink(row)

    def sorted_by(self, row: Row) -> Any:
        """Return what a row is sorted by here."""
        return self.text(row).casefold() if self.sort is None else self.sort(row)


@dataclass(frozen=True, slots=True)
class TableLayout(Generic[Row]):
    """A table: `name` is said, and its columns' order and widths are remembered under it.

    `key` names a row in signals and through changes: its place where there is none. A `heading`
    heads the rows below it; its texts run on over empty cells. Rows that have an order of their own
    are not `sortable`; others are at first as they are given, or by the column `sorted_by`.
    """

    name: str
    columns: tuple[Column[Row], ...]
    tip: Callable[[Row], str] | None = None
    key: Callable[[Row], Any] | None = None
    heading: Callable[[Row], bool] | None = None
    sortable: bool = True
    sorted_by: str = ""

    def at(self, name: str) -> int:
        """Return where the column of that name stands; -1 for none."""
        return next((n for n, column in enumerate(self.columns) if column.name == name), -1)

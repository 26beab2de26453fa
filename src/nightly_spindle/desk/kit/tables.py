"""What the desk's tables share: how rows look, are copied, and are found under the mouse."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, Qt
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QAbstractItemView

if TYPE_CHECKING:
    from collections.abc import Callable, Collection, Iterable

    from PySide6.QtWidgets import QTableView

Index = QModelIndex | QPersistentModelIndex
ROW_PX = 22


def sides(columns: int, right: Collection[int]) -> list[int]:
    """Return the alignment of each column; those of `right` are numbers and times."""
    middle, left = Qt.AlignmentFlag.AlignVCenter, Qt.AlignmentFlag.AlignLeft
    return [
        int((Qt.AlignmentFlag.AlignRight if column in right else left) | middle)
        for column in range(columns)
    ]


def dress(table: QTableView, name: str, widths: Iterable[int]) -> None:
    """Give a table the desk's look: whole rows, no grid, 22 pixels a row, columns so wide."""
    table.setAccessibleName(name)
    table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
    table.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
    table.setShowGrid(False)
    table.setWordWrap(False)
    table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    table.verticalHeader().hide()
    table.verticalHeader().setDefaultSectionSize(ROW_PX)
    table.verticalHeader().setMinimumSectionSize(ROW_PX)
    table.horizontalHeader().setHighlightSections(False)
    for column, width in enumerate(widths):
        table.setColumnWidth(column, width)


def chosen_rows(table: QTableView) -> list[int]:
    """Return the chosen rows, in order."""
    return sorted(index.row() for index in table.selectionModel().selectedRows())


def copy_rows(table: QTableView, text: Callable[[int, int], str]) -> None:
    """Copy the chosen rows as text, a tab between the columns; `text` says what a cell holds."""
    columns = range(table.model().columnCount())
    lines = ("\t".join(text(row, column) for column in columns) for row in chosen_rows(table))
    QGuiApplication.clipboard().setText("\n".join(lines))


def row_before(table: QTableView, y: int) -> int:
    """Return the row that something let go at `y` goes before; -1 below the last."""
    row = table.rowAt(y)
    if row >= 0 and y - table.rowViewportPosition(row) > ROW_PX // 2:
        row += 1
    return row

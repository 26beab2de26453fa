"""The table of what would fit in a line: the item, what it would cost there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QColor

from nightly_spindle.desk.kit.row_table import Rows

if TYPE_CHECKING:
    from nightly_spindle.core.music.made_edits import LineCandidate


class CandidateRows(Rows):
    """Candidates: item, cost in words."""

    heads = ("Item", "Lands", "Breaks")
    right = (1,)

    def text(self, row: LineCandidate, column: int) -> str:
        """Return a cell's text."""
        if column == 0:
            return row.item.label
        if column == 1:
            return f"{row.lands_s:+.0f} s"
        return "firm!" if row.firm else f"{len(row.words)} soft" if row.words else "none"

    def tip(self, row: LineCandidate) -> str:
        """Return all that it breaks."""
        return "\n".join(row.words) or "It keeps every rule here."

    def kind(self, row: LineCandidate) -> str:
        """Return the shape of a row."""
        return str(row.item.kind)

    def ink(self, row: LineCandidate, column: int) -> QColor | None:
        """Return the colour of a cell."""
        if row.firm:
            return QColor(self.palette_.alarm if column == 2 else self.palette_.muted)
        return QColor(self.palette_.muted) if column == 1 else None

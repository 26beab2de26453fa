"""The levels of the safety net as they stand now, from the first that would play to the last."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QGridLayout, QLabel, QWidget

from nightly_spindle.core.base.wording import span_text
from nightly_spindle.store.reports.net_levels import net_is_thin

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.store.reports.net_levels import NetLevel


class NetView(QWidget):
    """A row a level: what it is, what it would play, for how long."""

    def __init__(self) -> None:
        super().__init__()
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setHorizontalSpacing(18)
        self.grid.setVerticalSpacing(10)
        self.grid.setColumnStretch(2, 1)
        self.verdict = QLabel("The station is being looked at …")
        self.verdict.setWordWrap(True)
        self.grid.addWidget(self.verdict, 0, 0, 1, 4)
        self._rows: list[QLabel] = []

    def show_levels(self, levels: Sequence[NetLevel]) -> None:
        """Show the levels."""
        for label in self._rows:
            label.deleteLater()
        self._rows = []
        first = next((at for at, one in enumerate(levels) if one.lasts_s != 0), 0)
        for at, one in enumerate(levels):
            there = one.lasts_s != 0
            lasts = "for ever" if one.lasts_s is None else span_text(one.lasts_s) if there else "–"
            self._add(at, 0, str(at + 1), "strong" if there else "muted")
            self._add(at, 1, one.name, "strong" if there else "muted")
            self._add(at, 2, one.what, "" if there else "muted")
            self._add(at, 3, lasts, "strong" if at == first else "muted")
        thin = net_is_thin(list(levels))
        self.verdict.setProperty("role", "warn" if thin else "name")
        self.verdict.style().polish(self.verdict)
        self.verdict.setText(
            "As it stands, listeners would soon hear the same songs again, or the tone: import "
            "more music."
            if thin
            else f"If nothing else is there now, “{levels[first].name.lower()}” plays."
        )

    def _add(self, row: int, column: int, text: str, role: str) -> None:
        label = QLabel(text)
        label.setProperty("role", role)
        label.setWordWrap(column == 2)
        self.grid.addWidget(label, row + 1, column)
        self._rows.append(label)

"""The table of what would fit in a line: the item, what it would cost there."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.music.made_edits import LineCandidate
from nightly_spindle.desk.kit.table_layout import Column, TableLayout

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.table_layout import Ink


def _cost(row: LineCandidate) -> str:
    return "firm" if row.firm else f"{len(row.words)} preferred" if row.words else "none"


def _ink(row: LineCandidate) -> Ink:
    return "muted" if row.firm else "text"


CANDIDATES: TableLayout[LineCandidate] = TableLayout(
    "What would fit here",
    (
        Column(
            "Item",
            190,
            lambda r: r.item.label,
            wide=True,
            ink=_ink,
            sign=lambda r: str(r.item.kind),
        ),
        Column(
            "Lands",
            66,
            lambda r: f"{r.lands_s:+.0f} s",
            right=True,
            ink="muted",
            sort=lambda r: abs(r.lands_s),
        ),
        Column(
            "Against rules",
            92,
            _cost,
            ink=lambda r: "alarm" if r.firm else "text",
            sort=lambda r: (r.firm, len(r.words)),
        ),
    ),
    tip=lambda r: "\n".join(r.words) or "It keeps every rule here.",
)

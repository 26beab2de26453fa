"""The table of what was not as it was meant."""

from __future__ import annotations

from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.base.wording import span_text
from nightly_spindle.core.reports.morning import Difference
from nightly_spindle.core.reports.tonight import Heard
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import NEEDS_YOU, Column, Ink, TableLayout

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.desk.kit.theme import Palette


class DifferenceTable(RowView[Difference]):
    """The differences by time. Rows are known by their places."""

    def __init__(self, palette: Palette) -> None:
        self._tz = ZoneInfo("UTC")
        columns: tuple[Column[Difference], ...] = (
            Column(
                "When",
                130,
                lambda one: f"{local_from(one.from_us, self._tz):%a %H:%M:%S}",
                sign=lambda one: NEEDS_YOU if one.heard <= Heard.TONE else "",
                ink=_ink,
            ),
            Column("Lasted", 96, _lasted, right=True, ink=_ink),
            Column("Listeners heard", 118, lambda one: one.heard.words, ink=_ink),
            Column("What happened", 300, lambda one: one.what, wide=True, ink=_ink),
            Column("Why", 250, lambda one: one.why if one.why != one.what else "", ink="muted"),
        )
        super().__init__(
            TableLayout("What was not as planned", columns, lambda one: one.why, sortable=False),
            palette,
        )

    def show_differences(self, found: Sequence[Difference], tz: ZoneInfo) -> None:
        """Show others."""
        self._tz = tz
        self.show_rows(list(found))


def _lasted(one: Difference) -> str:
    return span_text(round(one.lasts_s)) if one.lasts_s >= 1 else ""


def _ink(one: Difference) -> Ink:
    if one.heard <= Heard.TONE:
        return "alarm"
    return "muted" if one.heard is Heard.NOTHING else "text"

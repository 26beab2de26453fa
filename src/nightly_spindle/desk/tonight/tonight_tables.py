"""The tables of the place Tonight: findings by cause, and the hours."""

from __future__ import annotations

from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.timebase import local_from
from nightly_spindle.core.base.wording import span_text
from nightly_spindle.core.reports.timeline import lands
from nightly_spindle.core.reports.tonight import Cause, HourAhead, counts
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import NEEDS_YOU, Column, Ink, TableLayout

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.desk.kit.theme import Palette

_UTC = ZoneInfo("UTC")
_WORTH_SAYING_S = 1.0


class CauseTable(RowView[Cause]):
    """The findings of the night by cause, in order of time. Rows are known by their places."""

    def __init__(self, palette: Palette) -> None:
        self._tz = _UTC
        columns: tuple[Column[Cause], ...] = (
            Column(
                "When",
                124,
                self._when,
                sort=lambda one: one.first_us,
                sign=lambda one: NEEDS_YOU if one.needs_you else "",
                ink=_ink,
            ),
            Column("Listeners hear", 118, lambda one: one.heard.words, ink=_ink),
            Column("What it is", 400, _text, wide=True, ink=_ink, bold=lambda one: one.needs_you),
            Column("Times", 52, lambda one: str(one.many), right=True, ink="muted"),
        )
        super().__init__(
            TableLayout("Findings of tonight", columns, lambda one: one.text, sortable=False),
            palette,
        )

    def _when(self, one: Cause) -> str:
        first, last = (f"{local_from(us, self._tz):%H:%M}" for us in (one.first_us, one.last_us))
        return first if first == last else f"{first} – {last}"

    def show_causes(self, causes: Sequence[Cause], tz: ZoneInfo) -> None:
        """Show other findings."""
        self._tz = tz
        self.show_rows(list(causes))


def _text(one: Cause) -> str:
    return one.text if one.left is None else f"Left as it is ({one.left.reason}): {one.text}"


def _ink(one: Cause) -> Ink:
    if one.needs_you:
        return "alarm"
    return "text" if counts(one) else "muted"


class HourTable(RowView[HourAhead]):
    """The hours of the night: what fills each, what is fixed in it, and how that lands."""

    def __init__(self, palette: Palette) -> None:
        self._tz = _UTC
        columns: tuple[Column[HourAhead], ...] = (
            Column("Hour", 96, lambda one: f"{local_from(one.start_us, self._tz):%a %H:%M}"),
            Column("What fills it", 250, _fills, wide=True, ink=_hour_ink),
            Column("Items", 50, lambda one: str(one.items), right=True, ink="muted"),
            Column("Spots", 50, lambda one: str(one.spots or ""), right=True, ink="muted"),
            Column("Fixed times", 230, self._pins, ink="muted"),
            Column("Findings", 66, lambda one: str(one.causes or ""), right=True, ink=_hour_ink),
        )
        super().__init__(
            TableLayout("Hours of tonight", columns, self._tip, sortable=False), palette
        )

    def _pins(self, one: HourAhead) -> str:
        late = [pin for pin in one.pins if pin.promised and (pin.offset_s or 0) >= 1]
        said = f"{len(one.pins)}" if one.pins else ""
        return f"{said}, {late[0].name} {lands(late[0])}" if late else said

    def _tip(self, one: HourAhead) -> str:
        return "\n".join(
            f"{local_from(pin.at_us, self._tz):%H:%M:%S}  {pin.name}: {lands(pin)}"
            for pin in one.pins
        )

    def show_hours(self, hours: Sequence[HourAhead], tz: ZoneInfo) -> None:
        """Show other hours."""
        self._tz = tz
        self.show_rows(list(hours))


def _fills(one: HourAhead) -> str:
    return ", ".join(
        f"{what} {span_text(round(seconds))}"
        for what, seconds in one.fills[:4]
        if seconds >= _WORTH_SAYING_S
    )


def _hour_ink(one: HourAhead) -> Ink:
    return "alarm" if any(what == "tone" for what, _ in one.fills) else "text"

"""The list of timed events."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import moment_from
from nightly_spindle.core.base.wording import part_of_day
from nightly_spindle.core.events.timed_events import TimedEvent
from nightly_spindle.core.reports.event_week import does
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.table_layout import Column, TableLayout

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.event_board import EventSheet

_NEVER = 2**62


@dataclass(frozen=True, slots=True)
class EventRow:
    """An event with when it comes next (µs), what it does, and what is wrong with it."""

    event: TimedEvent
    sentence: str
    next_us: int
    does: str
    wrong: str


def _rows_of(sheet: EventSheet) -> list[EventRow]:
    wrong: dict[int, str] = {}
    for finding in sheet.findings:
        wrong.setdefault(finding.event_id, finding.text)
    return [
        EventRow(
            event,
            event.sentence(sheet.titles),
            sheet.next_us.get(event.id, _NEVER) if event.enabled else _NEVER,
            str(does(event, sheet.runs_s.get(event.id, 0.0))),
            wrong.get(event.id, ""),
        )
        for event in sheet.events
    ]


def _ink(row: EventRow) -> Ink:
    return "text" if row.event.enabled else "muted"


def _described(tz: ZoneInfo) -> TableLayout[EventRow]:
    def following(row: EventRow) -> str:
        if row.next_us == _NEVER:
            return "" if row.event.enabled else "switched off"
        moment = moment_from(row.next_us, tz)
        part = part_of_day(moment.hour)
        return f"{moment:%a} {moment.day} {moment:%b %H:%M}{f' {part}' if part else ''}"

    columns: tuple[Column[EventRow], ...] = (
        Column("On", 24, lambda r: "●" if r.event.enabled else "○", head="", ink=_ink),
        Column("Name", 142, lambda r: r.event.name, ink=_ink),
        Column("Next", 194, following, ink=_ink, sort=lambda r: r.next_us),
        Column("When", 180, lambda r: r.event.rule.sentence(), wide=True, ink=_ink),
        Column(
            "Takes the air",
            98,
            lambda r: str(r.event.entry) if r.event.line_steps else "",
            ink=_ink,
        ),
        Column("Does", 60, lambda r: r.does, ink=_ink),
        Column("Finding", 50, lambda r: "!" if r.wrong else "", ink="alarm"),
    )
    return TableLayout(
        "Timed events",
        columns,
        tip=lambda r: f"{r.wrong}\n{r.sentence}" if r.wrong else r.sentence,
        key=lambda r: r.event.id,
        sorted_by="Next",
    )


class EventTable(RowView[EventRow]):
    """Events by their ids: Return edits, Space switches, Delete removes."""

    def __init__(self, palette: Palette, tz: ZoneInfo) -> None:
        super().__init__(_described(tz), palette)

    def show_sheet(self, sheet: EventSheet) -> None:
        """Show other events."""
        self.show_rows(_rows_of(sheet))

    def filter(self, words: str) -> None:
        """Show only events that have all these words anywhere."""
        wanted, columns = words.casefold().split(), self.layout_.columns

        def lets(row: EventRow) -> bool:
            said = " ".join(column.text(row) for column in columns).casefold()
            return all(word in said for word in wanted)

        self.let_through(lets if wanted else None)

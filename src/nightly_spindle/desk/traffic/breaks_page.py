"""The page of break patterns: when breaks come, for how much, what opens and closes them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.traffic.break_patterns import (
    BreakOptions,
    BreakPattern,
    Starts,
    check_break,
)
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.kit.hour_painter import HourChoice
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.scrolled import scrolled
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import SpotSheet

_NAMES = {
    "starts": "Timing",
    "minutes": "Minutes of the hour",
    "every": "Every (min or songs)",
    "spots": "Max spots",
    "length_s": "Max length",
    "categories": "Prefers",
    "seats": "Place by place",
    "opens": "Opened by",
    "closes": "Closed by",
    "flow": "Its spots follow",
    "empty": "If empty",
    "wait_s": "Waits for the item",
    "late_s": "Late from",
    "late": "When late",
    "enabled": "Enabled",
}
_BLANK = {"categories": "no category", "seats": "any", "minutes": "20, 50", "empty": "nothing"}
_BY_MINUTES = frozenset({Starts.CLOCK, Starts.LINES})


@dataclass(frozen=True, slots=True)
class _PatternRow:
    """A break pattern, how many breaks it has in seven days, how many spots are placed there."""

    pattern: BreakPattern
    breaks: int
    placed: int


def _when(row: _PatternRow) -> str:
    options = row.pattern.options
    by_minutes = options.starts in _BY_MINUTES
    minutes = f" (:{options.minutes.replace(', ', ' :')})" if by_minutes else ""
    return f"{options.starts}{minutes}"


def _room(row: _PatternRow) -> str:
    options = row.pattern.options
    return f"{options.spots:g} spots" if options.spots else f"{options.length_s:g} s"


def _ink(row: _PatternRow) -> Ink:
    return "text" if row.pattern.options.enabled else "muted"


_PATTERNS: TableLayout[_PatternRow] = TableLayout(
    "Break patterns",
    (
        Column("Break", 160, lambda r: r.pattern.name, wide=True, ink=_ink, sign=lambda _: "spot"),
        Column("Timing", 230, _when, ink=_ink),
        Column("Room", 80, _room, ink=_ink),
        Column(
            "In 7 days", 80, lambda r: str(r.breaks), right=True, ink=_ink, sort=lambda r: r.breaks
        ),
        Column(
            "Placed", 80, lambda r: str(r.placed), right=True, ink=_ink, sort=lambda r: r.placed
        ),
    ),
    tip=lambda r: r.pattern.sentence(),
)


class _Form(QWidget):
    """One break pattern as it is typed. Signal: `changed`."""

    changed = Signal()

    def __init__(self, palette: Palette) -> None:
        super().__init__()
        self._pattern: BreakPattern | None = None
        self.name = Field()
        self.name.setAccessibleName("Name of the break pattern")
        self.name.textEdited.connect(self.changed)
        self.form = DeclaredForm(BreakOptions, _NAMES, _BLANK, ("opens", "closes"), ("empty",))
        self.form.changed.connect(self._on_changed)
        self.hours = HourChoice(palette)
        self.hours.painted.connect(lambda _: self.changed.emit())
        caption = QLabel("HOURS THAT HAVE THEM")
        caption.setProperty("role", "caption")
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.setSpacing(5)
        box.addWidget(self.name)
        box.addWidget(scrolled(self.form, caption, self.hours), 1)

    def show_pattern(self, pattern: BreakPattern, sheet: SpotSheet | None) -> None:
        """Show a pattern."""
        self._pattern = pattern
        with QSignalBlocker(self):
            if sheet is not None:
                offered = [("nothing", 0)]
                offered += [(f"{i.title} ({i.cart})", i.cart) for i in sheet.edges]
                self.form.offer("opens", offered)
                self.form.offer("closes", offered)
                self.form.offer("empty", [(name, name) for name in ("", *sheet.fillers)])
            self.name.setText(pattern.name)
            self.form.show_values(pattern.options, _here(pattern.options.starts))
            self.hours.show_text(pattern.options.hours)

    def _on_changed(self) -> None:
        starts = Starts(self.form.texts()["starts"])
        here = _here(starts)
        for name, field in self.form.fields.items():
            field.setVisible(name in here)
            if name in self.form.captions:
                self.form.captions[name].setVisible(name in here)
        self.changed.emit()

    def typed(self) -> BreakPattern:
        """Return the pattern as it is typed; SettingRefused says what cannot be."""
        assert self._pattern is not None
        texts = {"hours": self.hours.text()}
        options = typed_group(self._pattern.options, self.form.texts(), texts)
        name = " ".join(self.name.text().split())
        made = replace(self._pattern, name=name, options=options)
        check_break(made)
        return made


def _here(starts: Starts) -> set[str]:
    """Return what matters to breaks that come so."""
    gone = set()
    if starts not in _BY_MINUTES:
        gone.add("minutes")
    if starts not in {Starts.MINUTES, Starts.SONGS}:
        gone.add("every")
    if starts in {Starts.LINES, Starts.EVENTS, Starts.SONGS}:
        gone.add("wait_s")
    return set(_NAMES) - gone


class BreaksPage(KeptPage):
    """Lists and edits break patterns."""

    noun = "break pattern"
    empty = "Choose a break pattern, or make one: “New break”."

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        table = RowView(_PATTERNS, palette)
        self.editor = _Form(palette)
        super().__init__(shelf, undo, table, self.editor, 400)
        self.sheet: SpotSheet | None = None
        self.new = push_button("New break", "Make a break pattern (Ctrl+N)", self.make)
        told = QLabel(
            "A break is filled when it comes: from what is placed, then from what is owed."
        )
        told.setProperty("role", "muted")
        tools = QHBoxLayout()
        tools.addWidget(self.new)
        tools.addSpacing(8)
        tools.addWidget(told, 1)
        self.frame(tools)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)
        self.editor.hours.painter_.palette_ = palette

    def show_sheet(self, sheet: SpotSheet) -> None:
        """Show the patterns anew; what is being edited stays."""
        self.sheet = sheet
        week = sheet.now_us + 7 * 86_400_000_000
        self.table.show_rows(
            [
                _PatternRow(
                    pattern,
                    sum(p.pattern == pattern.id and p.at_us < week for p in sheet.places),
                    sum(b.pattern == pattern.id and b.at_us < week for b in sheet.bookings),
                )
                for pattern in sheet.patterns
            ]
        )
        self.show_things()

    def kept(self) -> Sequence[BreakPattern]:
        """Return the patterns in the order of the table."""
        return self.sheet.patterns if self.sheet else ()

    def show_form(self, thing: BreakPattern) -> None:
        """Show a pattern in the panel."""
        self.editor.show_pattern(thing, self.sheet)

    def read_form(self) -> BreakPattern:
        """Return the pattern as it is typed."""
        return self.editor.typed()

    def troubles(self, thing: BreakPattern) -> list[str]:
        """Return what is wrong with a pattern as it is kept."""
        own = [
            f
            for f in (self.sheet.findings if self.sheet else ())
            if f.pattern == thing.id and not f.at_us
        ]
        return [f"{one.text} {one.mend}" for one in own]

    def make(self) -> None:
        """Begin a new pattern."""
        self.begin_new(BreakPattern(0, "New break"))
        self.editor.name.setFocus()
        self.editor.name.selectAll()

    def renamed(self, thing: BreakPattern, name: str) -> BreakPattern:
        """Return a pattern with another name."""
        return replace(thing, name=name)

    def write(self, thing: BreakPattern) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps a pattern."""

        def do(library: LibraryTransaction) -> Any:
            return editors.campaigns.save_break(library, thing)[1]

        return do, editors.restore_breaks

    def take_out(
        self, thing: BreakPattern
    ) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes a pattern."""

        def do(library: LibraryTransaction) -> Any:
            return editors.campaigns.remove_break(library, thing.id)

        return do, editors.restore_breaks

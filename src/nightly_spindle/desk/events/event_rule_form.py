"""The fields of a time rule: texts of a `RuleDraft`, those that its kind has."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QToolButton, QWidget

from nightly_spindle.core.base.wording import WEEKDAYS
from nightly_spindle.core.events.rule_draft import (
    DraftKind,
    RuleDraft,
    draft_of,
    parse_days,
    rule_of,
    unused_at,
)
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import Field

if TYPE_CHECKING:
    from nightly_spindle.core.events.timed_events import FiringRule
    from nightly_spindle.store.reports.event_board import EventSheet

_LABELS = {
    "at": "At",
    "days": "Days",
    "every_min": "Every … min",
    "until": "until",
    "weeks": "Weeks of month",
    "every": "Every … weeks",
    "months": "Months",
    "month_days": "Days of month",
    "hours": "Hours",
    "minutes": "Minutes",
    "first": "First day",
    "last": "Last day",
    "not_on": "Not on",
    "most": "Stop after (runs)",
    "dates": "Dates",
    "offset_min": "Minutes",
    "songs": "Songs",
    "rrule": "RRULE",
    "other": "Event",
}
_HINTS = {
    "at": "19:00",
    "every_min": "once",
    "until": "22:00",
    "weeks": "first, last",
    "every": "1",
    "months": "jan, jun-aug",
    "month_days": "1, 15, -1",
    "hours": "6-9, 18",
    "minutes": "0, 30",
    "first": "2026-12-01",
    "last": "2026-12-24",
    "not_on": "2026-12-25",
    "most": "never",
    "dates": "2026-12-24, 2026-12-26..2026-12-31",
    "offset_min": "-5 is before",
    "songs": "4",
    "rrule": "FREQ=YEARLY",
}
_SHOWN = {
    DraftKind.DAYS: (
        "at",
        "days",
        "every_min",
        "until",
        "weeks",
        "every",
        "months",
        "month_days",
        "hours",
        "minutes",
        "first",
        "last",
        "not_on",
        "most",
    ),
    DraftKind.DATES: ("at", "dates", "every_min", "until"),
    DraftKind.BESIDE: ("other", "offset_min"),
    DraftKind.SONGS: ("songs", "days", "at", "until"),
    DraftKind.RRULE: ("at", "rrule", "every_min", "until", "first", "not_on", "most"),
}
_WIDE = {"days", "dates", "rrule", "other"}
_PLAIN = {"at", "days", "every_min", "until", "dates", "rrule", "other", "offset_min", "songs"}


class EventRuleForm(QWidget):
    """Shows and changes one rule. Signal: `changed` when anything was edited."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self._showing = False
        self._days = ""
        self.kind, self.other = ChoiceBox(), ChoiceBox()
        for one in DraftKind:
            self.kind.addItem(str(one), str(one))
        for box, name in ((self.kind, "What brings it about"), (self.other, "Event")):
            box.setAccessibleName(name)
            box.setMinimumContentsLength(8)
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            box.currentIndexChanged.connect(self._on_changed)
        self.fields: dict[str, Field] = {}
        self.labels: dict[str, QLabel] = {}
        self.weekdays: list[QToolButton] = []
        self.more = QToolButton()
        self.more.setText("More …")
        self.more.setCheckable(True)
        self.more.setToolTip("Weeks of the month, months, first and last day, exceptions, an end")
        self.more.toggled.connect(lambda _: self._arrange(self._kind()))
        self._week = QWidget()
        self._fires = QLabel("Fires")
        self._lay_out()

    def _lay_out(self) -> None:
        row = QHBoxLayout(self._week)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(3)
        for day in WEEKDAYS:
            button = QToolButton()
            button.setText(day[:2])
            button.setProperty("role", "day")
            button.setCheckable(True)
            button.setToolTip(f"{day}s; none chosen means every day")
            button.setAccessibleName(day)
            button.toggled.connect(self._on_changed)
            self.weekdays.append(button)
            row.addWidget(button)
        row.addStretch(1)
        self._grid = grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        for name, text in _LABELS.items():
            self.labels[name] = QLabel(text)
            if name in {"days", "other"}:
                continue
            field = Field()
            field.setPlaceholderText(_HINTS[name])
            field.setAccessibleName(text)
            field.setMinimumWidth(50)
            field.textChanged.connect(self._on_changed)
            self.fields[name] = field

    def _widget(self, name: str) -> QWidget:
        return {"days": self._week, "other": self.other}.get(name) or self.fields[name]

    def _arrange(self, kind: DraftKind) -> None:
        """Show the fields that a kind has, two in a row."""
        while (taken := self._grid.takeAt(0)) is not None:
            widget = taken.widget()
            if widget is not None and widget not in {self.kind, self._fires}:
                widget.hide()
        self._grid.addWidget(self._fires, 0, 0)
        self._grid.addWidget(self.kind, 0, 1, 1, 2)
        rare = [name for name in _SHOWN[kind] if name not in _PLAIN]
        used = any(self.fields[name].text() not in {"", "1"} for name in rare)
        if rare:
            self._grid.addWidget(self.more, 0, 3)
            self.more.show()
        row, column = 1, 0
        for name in _SHOWN[kind]:
            if name in rare and not (self.more.isChecked() or used):
                continue
            wide = name in _WIDE
            if wide and column:
                row, column = row + 1, 0
            self._grid.addWidget(self.labels[name], row, column)
            self._grid.addWidget(self._widget(name), row, column + 1, 1, 3 if wide else 1)
            self.labels[name].show()
            self._widget(name).show()
            row, column = (row + 1, 0) if wide or column else (row, 2)

    # -- showing and reading -----------------------------------------------------------------------

    def show_rule(self, rule: FiringRule, sheet: EventSheet | None, own_id: int) -> None:
        """Show a rule; another event can be chosen, but not the rule's own."""
        self._showing = True
        draft = draft_of(rule)
        self.other.clear()
        for event in sheet.events if sheet else ():
            if event.id != own_id:
                self.other.addItem(event.name, event.id)
        self.other.setCurrentIndex(max(0, self.other.findData(draft.other)))
        self.kind.setCurrentIndex(self.kind.findData(str(draft.kind)))
        chosen = parse_days(draft.days)
        for number, button in enumerate(self.weekdays):
            button.setChecked(number in chosen)
        for name, field in self.fields.items():
            field.setText(getattr(draft, name))
        self._showing = False
        self._arrange(draft.kind)

    def _kind(self) -> DraftKind:
        return DraftKind(self.kind.currentData())

    def rule(self) -> FiringRule:
        """Return the rule as it is typed; SettingRefused says what cannot be read."""
        return rule_of(self._draft())

    def told(self) -> str:
        """Return what is typed and does not count, in a sentence; empty where all does."""
        return unused_at(self._draft())

    def _draft(self) -> RuleDraft:
        chosen = [WEEKDAYS[n][:3] for n, button in enumerate(self.weekdays) if button.isChecked()]
        texts: dict[str, Any] = {name: field.text() for name, field in self.fields.items()}
        other = self.other.currentData() or 0
        draft = RuleDraft(self._kind(), days=", ".join(chosen), other=other)
        return replace(draft, **texts)

    def _on_changed(self) -> None:
        if self._showing:
            return
        if self.sender() is self.kind:
            self._arrange(self._kind())
        self.changed.emit()

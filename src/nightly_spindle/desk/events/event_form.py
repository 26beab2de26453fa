"""The form of a timed event: when, how it takes the air, what it does, for how long."""

from __future__ import annotations

from dataclasses import replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QMenu,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.declared import group_from, specs, texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.events.steps import STEPS, PlayItem, Step
from nightly_spindle.core.events.timed_events import Entry, EventOptions, TimedEvent
from nightly_spindle.desk.events.event_rule_form import EventRuleForm
from nightly_spindle.desk.events.step_form import WORDS, StepForm, new_step
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import Field

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.store.reports.event_board import EventSheet

_LABELS = {
    "wait_s": "At most (s)",
    "tolerance_s": "Within (s)",
    "fade_s": "Fade (s)",
    "length_s": "Length (min)",
    "at_end": "When its time is up",
    "inside": "During another event",
    "over": "After the last run",
    "whole": "Nothing unless all of it can air",
}
_ENTRIES = {
    Entry.CUT_IN: "cuts in, to the second",
    Entry.NEXT: "after the item on air",
    Entry.WAIT: "waits up to a limit, then cuts in",
    Entry.LAND: "lands on time",
}


class EventForm(QWidget):
    """Shows and changes one event. Signal: `changed` when anything was edited."""

    changed = Signal()

    def __init__(self, shelf: LibraryWorker) -> None:
        super().__init__()
        self._event: TimedEvent | None = None
        self._sheet: EventSheet | None = None
        self._steps: list[Step] = []
        self._showing = False
        self.name, self.grace, self.priority = Field(), Field(), Field()
        self.enabled = QCheckBox("Switched on")
        self.rule = EventRuleForm()
        self.entry = ChoiceBox()
        for one in Entry:
            self.entry.addItem(_ENTRIES[one], str(one))
        self.options: dict[str, Field | QComboBox | QCheckBox] = {
            name: self._option(name, spec) for name, spec in specs(EventOptions).items()
        }
        self.labels: dict[str, QLabel] = {}
        self.steps = QListWidget()
        self.steps.setAccessibleName("Steps")
        self.steps.setFixedHeight(84)
        self.steps.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.step = StepForm(shelf)
        self._lay_out()
        self._connect()

    def _option(self, name: str, spec: Any) -> Field | QComboBox | QCheckBox:
        meta = spec.metadata
        made: Field | QComboBox | QCheckBox
        if "flag" in meta:
            made = QCheckBox(_LABELS[name])
            made.toggled.connect(self._on_changed)
        elif "choices" in meta:
            made = ChoiceBox()
            made.setMinimumContentsLength(8)
            made.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            for one in meta["choices"]:
                made.addItem(str(one), str(one))
            made.currentIndexChanged.connect(self._on_changed)
        else:
            made = Field()
            made.textChanged.connect(self._on_changed)
        made.setToolTip(meta["sentence"])
        made.setAccessibleName(_LABELS[name])
        return made

    # -- making ------------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 8, 0)
        box.setSpacing(6)
        head = QHBoxLayout()
        head.setSpacing(10)
        self.name.setAccessibleName("Name of the event")
        self.name.setPlaceholderText("its name")
        head.addWidget(self.name, 1)
        head.addWidget(self.enabled)
        box.addLayout(head)
        _caption(box, "WHEN")
        box.addWidget(self.rule)
        _caption(box, "HOW IT TAKES THE AIR")
        self._entry_row(box)
        _caption(box, "STEPS")
        self._step_rows(box)
        _caption(box, "FOR HOW LONG, AND BESIDE OTHERS")
        self._rest(box)
        box.addStretch(1)

    def _entry_row(self, box: QVBoxLayout) -> None:
        row = QHBoxLayout()
        row.setSpacing(8)
        self.entry.setAccessibleName("How it takes the air")
        row.addWidget(self.entry, 1)
        for name in ("wait_s", "tolerance_s", "fade_s"):
            self.labels[name] = QLabel(_LABELS[name])
            self.options[name].setFixedWidth(52)
            row.addWidget(self.labels[name])
            row.addWidget(self.options[name])
        box.addLayout(row)

    def _step_rows(self, box: QVBoxLayout) -> None:
        row = QHBoxLayout()
        row.setSpacing(6)
        row.addWidget(self.steps, 1)
        tools = QVBoxLayout()
        tools.setSpacing(3)
        self.add = QToolButton()
        self.add.setText("Add …")
        self.add.setToolTip("Add a step after the chosen one")
        self.add.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        menu = QMenu(self.add)
        for code in STEPS:
            menu.addAction(WORDS[code], partial(self.add_step, code))
        self.add.setMenu(menu)
        tools.addWidget(self.add)
        ways = QHBoxLayout()
        ways.setSpacing(3)
        for text, tip, act in (
            ("↑", "Do this step earlier", lambda: self._shift(-1)),
            ("↓", "Do this step later", lambda: self._shift(1)),
            ("✕", "Remove this step", self._drop),
        ):
            button = QToolButton()
            button.setText(text)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(lambda _=False, act=act: act())
            ways.addWidget(button)
        tools.addLayout(ways)
        tools.addStretch(1)
        row.addLayout(tools)
        box.addLayout(row)
        box.addWidget(self.step)

    def _rest(self, box: QVBoxLayout) -> None:
        grid = QGridLayout()
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(4)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        self.grace.setToolTip("Made good when it is late by no more than this, in minutes")
        self.priority.setToolTip("At the same instant the higher goes first")
        cells: tuple[tuple[str, QWidget], ...] = (
            (_LABELS["length_s"], self.options["length_s"]),
            (_LABELS["at_end"], self.options["at_end"]),
            (_LABELS["inside"], self.options["inside"]),
            (_LABELS["over"], self.options["over"]),
            ("Still run if late by (min)", self.grace),
            ("Priority", self.priority),
        )
        for at, (text, widget) in enumerate(cells):
            row, column = at // 2, at % 2 * 2
            grid.addWidget(QLabel(text), row, column)
            widget.setAccessibleName(text)
            widget.setMinimumWidth(50)
            grid.addWidget(widget, row, column + 1)
        grid.addWidget(self.options["whole"], 3, 0, 1, 4)
        box.addLayout(grid)

    def _connect(self) -> None:
        for field in (self.name, self.grace, self.priority):
            field.textChanged.connect(self._on_changed)
        self.enabled.toggled.connect(self._on_changed)
        self.rule.changed.connect(self._on_changed)
        self.entry.currentIndexChanged.connect(self._on_changed)
        self.steps.currentRowChanged.connect(self._show_step)
        self.step.changed.connect(self._on_step)

    # -- showing and reading -----------------------------------------------------------------------

    def show_event(self, event: TimedEvent, sheet: EventSheet | None) -> None:
        """Show an event."""
        self._event, self._sheet, self._showing = event, sheet, True
        self.name.setText(event.name)
        self.enabled.setChecked(event.enabled)
        self.rule.show_rule(event.rule, sheet, event.id)
        self.entry.setCurrentIndex(self.entry.findData(str(event.entry)))
        for name, text in texts_of(event.options, "event").items():
            self._set(name.removeprefix("event."), text)
        self.grace.setText(f"{event.grace_s / 60:g}")
        self.priority.setText(str(event.priority))
        self._steps = list(event.steps)
        self._list_steps(0)
        self._showing = False
        self._follow()

    def _set(self, name: str, text: str) -> None:
        widget = self.options[name]
        if isinstance(widget, QComboBox):
            widget.setCurrentIndex(max(0, widget.findData(text)))
        elif isinstance(widget, QCheckBox):
            widget.setChecked(text == "True")
        else:
            by = 60 if name == "length_s" else 1
            widget.setText(f"{float(text) / by:g}")

    def _text(self, name: str) -> str:
        widget = self.options[name]
        if isinstance(widget, QComboBox):
            return str(widget.currentData())
        if isinstance(widget, QCheckBox):
            return str(widget.isChecked())
        text = widget.text().strip().replace(",", ".") or "0"
        if name != "length_s":
            return text
        try:
            return str(float(text) * 60)
        except ValueError as error:
            raise SettingRefused(f"'{text}' is not a length in minutes") from error

    def timed_event(self) -> TimedEvent:
        """Return the event as it is typed; SettingRefused says what cannot be read."""
        assert self._event is not None
        wrong: list[str] = []
        texts = {f"event.{name}": self._text(name) for name in self.options}
        options = group_from(EventOptions, texts, "event", wrong)
        if wrong:
            raise SettingRefused("; ".join(wrong))
        row = self.steps.currentRow()
        steps = list(self._steps)
        typed = self.step.step()
        if typed is not None and 0 <= row < len(steps):
            steps[row] = typed
        return replace(
            self._event,
            name=self.name.text().strip(),
            rule=self.rule.rule(),
            entry=Entry(self.entry.currentData()),
            steps=tuple(steps),
            priority=int(_number(self.priority.text(), "priority")),
            enabled=self.enabled.isChecked(),
            grace_s=_number(self.grace.text(), "minutes") * 60,
            options=options,
        )

    def _on_changed(self) -> None:
        if not self._showing and self._event is not None:
            self._follow()
            self.changed.emit()

    def _follow(self) -> None:
        """Show only what says something with the present choices."""
        entry = self.entry.currentData()
        shown = {
            "wait_s": entry == Entry.WAIT,
            "tolerance_s": entry == Entry.LAND,
            "fade_s": entry == Entry.CUT_IN,
        }
        for name, there in shown.items():
            self.options[name].setVisible(there)
            self.labels[name].setVisible(there)

    # -- steps -------------------------------------------------------------------------------------

    def _list_steps(self, row: int) -> None:
        self.steps.blockSignals(True)
        self.steps.clear()
        for step in self._steps:
            self.steps.addItem(self._words(step))
            self.steps.item(self.steps.count() - 1).setToolTip(self._words(step))
        self.steps.setCurrentRow(min(row, len(self._steps) - 1))
        self.steps.blockSignals(False)
        self._show_step(self.steps.currentRow())

    def _words(self, step: Step) -> str:
        titles = self._sheet.titles if self._sheet else {}
        text = step.sentence()
        if isinstance(step, PlayItem) and step.cart in titles:
            text = text.replace(f"item {step.cart}", f"“{titles[step.cart]}”")
        return f"{text[0].upper()}{text[1:]}"

    def _show_step(self, row: int) -> None:
        self.step.show_step(self._steps[row] if 0 <= row < len(self._steps) else None, self._sheet)

    def _on_step(self) -> None:
        row = self.steps.currentRow()
        try:
            step = self.step.step()
        except SettingRefused:
            step = None  # said when the whole event is read
        if step is not None and 0 <= row < len(self._steps):
            self._steps[row] = step
            self.steps.item(row).setText(self._words(step))
        self._on_changed()

    def add_step(self, code: str) -> None:
        """Add a step after the chosen one."""
        row = self.steps.currentRow() + 1
        self._steps.insert(row, new_step(code, self._sheet))
        self._list_steps(row)
        self._on_changed()

    def _shift(self, by: int) -> None:
        row = self.steps.currentRow()
        if 0 <= row < len(self._steps) and 0 <= row + by < len(self._steps):
            self._steps.insert(row + by, self._steps.pop(row))
            self._list_steps(row + by)
            self._on_changed()

    def _drop(self) -> None:
        row = self.steps.currentRow()
        if 0 <= row < len(self._steps):
            del self._steps[row]
            self._list_steps(max(0, row - 1))
            self._on_changed()


def _caption(box: QVBoxLayout, text: str) -> None:
    caption = QLabel(text)
    caption.setProperty("role", "caption")
    box.addWidget(caption)


def _number(text: str, what: str) -> float:
    try:
        return float(text.strip().replace(",", ".") or "0")
    except ValueError as error:
        raise SettingRefused(f"'{text}' is not a number ({what})") from error

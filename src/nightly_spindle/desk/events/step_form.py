"""The fields of one step of a timed event: they grow from what `steps` declares."""

from __future__ import annotations

from dataclasses import MISSING, fields
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QWidget

from nightly_spindle.core.events.steps import (
    STEPS,
    Pick,
    Placement,
    PlayBreak,
    PlayCategory,
    PlayFolder,
    PlayItem,
    PlayList,
    PlayPool,
    Step,
    step_from,
    step_values,
)
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.store.library.catalogue import Query

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.store.reports.event_board import EventSheet

LABELS = {
    "cart": "Item",
    "name": "Named",
    "folder": "Folder",
    "pick": "Take",
    "placement": "Goes",
    "count": "How many",
    "url": "Address",
    "title": "Called",
    "length_s": "For (s)",
    "patience_s": "Waits (s)",
    "drop": "Log drop",
    "unattended": "Mode",
    "on": "Overlays",
    "text": "Text",
}
WORDS = {
    "play item": "Play an item",
    "play list": "Play a list",
    "play folder": "Play from a folder",
    "play category": "Play from a category",
    "play pool": "Play the next of a pool",
    "play break": "Air a break",
    "play stream": "Take over a web stream",
    "load log": "Load a log",
    "clear": "Clear what is lined up",
    "go back": "Go back to what was interrupted",
    "set mode": "Attended or unattended",
    "set overlays": "Overlays on or off",
    "show text": "Show a text as now playing",
    "raise alarm": "Raise an alarm",
}
_SHOWN = {
    str(Placement.REPLACE): "in place of all",
    str(Placement.FRONT): "at the front",
    str(Placement.END): "at the end",
}
_HIDDEN = {"slot_us", "file"}


def new_step(code: str, sheet: EventSheet | None) -> Step:
    """Return a step of a kind, filled with the first thing that the station has for it."""
    known = sheet.known if sheet else None
    firsts: dict[type, dict[str, Any]] = {
        PlayItem: {"cart": 0},
        PlayList: {"name": known.lists[0] if known and known.lists else ""},
        PlayCategory: {"name": known.categories[0] if known and known.categories else ""},
        PlayPool: {"name": known.pools[0] if known and known.pools else ""},
        PlayBreak: {"name": known.breaks[0] if known and known.breaks else ""},
        PlayFolder: {"folder": sheet.folders[0] if sheet and sheet.folders else "audio"},
    }
    usual = {"str": "", "int": 0, "bool": True, "float": 0.0}
    values: dict[str, Any] = {"step": code}
    for spec in fields(STEPS[code]):
        if spec.default is MISSING:
            values[spec.name] = usual.get(str(spec.type), "")
    if code == "play stream":
        values |= {"url": "https://", "length_s": 3600.0}
    if code == "load log":
        values["drop"] = known.drops[0] if known and known.drops else 0
    return step_from(values | firsts.get(STEPS[code], {}))


class StepForm(QWidget):
    """Shows and changes one step. Signal: `changed` when anything was edited."""

    changed = Signal()

    def __init__(self, shelf: LibraryWorker) -> None:
        super().__init__()
        self._shelf = shelf
        self._sheet: EventSheet | None = None
        self._step: Step | None = None
        self._showing = False
        self.fields: dict[str, Field | QComboBox] = {}
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(4)
        self._grid.setColumnStretch(1, 1)
        self._grid.setColumnStretch(3, 1)

    def show_step(self, step: Step | None, sheet: EventSheet | None) -> None:
        """Show a step, or none."""
        self._step, self._sheet, self._showing = step, sheet, True
        while (taken := self._grid.takeAt(0)) is not None:
            widget = taken.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.fields = {}
        specs = [s for s in fields(step) if s.name not in _HIDDEN] if step is not None else []
        for at, spec in enumerate(specs):
            widget = self._make(spec.name, str(spec.type), getattr(step, spec.name))
            widget.setAccessibleName(f"Step: {LABELS[spec.name]}")
            self.fields[spec.name] = widget
            # what is taken has a row of its own, the rest stands two in a row
            place = at if len(specs) == 2 else at + (at > 0)
            wide = at == 0 and len(specs) != 2
            row, column = place // 2, place % 2 * 2
            self._grid.addWidget(QLabel(LABELS[spec.name]), row, column)
            self._grid.addWidget(widget, row, column + 1, 1, 3 if wide else 1)
        self._showing = False

    def _make(self, name: str, kind: str, value: Any) -> Field | QComboBox:
        choices = self._choices(name, kind)
        if choices is not None:
            box = ChoiceBox()
            box.setMinimumContentsLength(6)
            box.setSizeAdjustPolicy(
                QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon
            )
            known = [str(one) for one, _ in choices]
            if str(value) not in known:
                choices = [*choices, (str(value), f"{value or 'none'} (not there)")]
            for one, words in choices:
                box.addItem(words, str(one))
            box.setCurrentIndex(max(0, box.findData(str(value))))
            if name == "folder":
                box.setEditable(True)
                box.editTextChanged.connect(self._on_changed)
            box.currentIndexChanged.connect(self._on_changed)
            return box
        field = Field(f"{value:g}" if isinstance(value, float) else str(value))
        field.setMinimumWidth(60)
        field.setCursorPosition(0)
        if name == "cart":
            field.setPlaceholderText("cart number, or words and Enter")
            title = (self._sheet.titles if self._sheet else {}).get(value, "")
            field.setToolTip(title or "A cart number; words find the first item that has them")
            field.returnPressed.connect(lambda: self._find(field))
        field.textChanged.connect(self._on_changed)
        return field

    def _choices(self, name: str, kind: str) -> Sequence[tuple[Any, str]] | None:
        """Return what a field can be, as (value, words); None when it is typed."""
        sheet = self._sheet
        if kind == "bool":
            words = ("unattended", "attended") if name == "unattended" else ("on", "off")
            return [("True", words[0]), ("False", words[1])]
        found: dict[str, Sequence[tuple[Any, str]]] = {
            "placement": [(str(one), _SHOWN[str(one)]) for one in Placement],
            "pick": [(str(one), str(one)) for one in Pick],
        }
        if sheet is not None:
            known = sheet.known
            named = {PlayList: known.lists, PlayPool: known.pools, PlayBreak: known.breaks}.get(
                type(self._step), known.categories
            )
            found["drop"] = [(str(number), text) for number, text in sheet.drops.items()]
            found["folder"] = [(one, one) for one in sheet.folders]
            found["name"] = [(one, one) for one in named]
        return found.get(name)

    def _find(self, field: Field) -> None:
        """Take the first item that has the words typed."""
        words = field.text().strip()
        if not words or words.isdigit():
            return

        def then(found: Any) -> None:
            if len(found.carts):
                row = found.first[0]
                field.setText(str(row.cart))
                field.setToolTip(f"{row.artist} - {row.title}" if row.artist else row.title)

        self._shelf.look(lambda catalogue: catalogue.find(Query(words), 1), then, "step item")

    def _on_changed(self) -> None:
        if not self._showing:
            self.changed.emit()

    def step(self) -> Step | None:
        """Return the step as it is typed; SettingRefused says what cannot be read."""
        if self._step is None:
            return None
        values = step_values(self._step)
        kinds = {spec.name: str(spec.type) for spec in fields(self._step)}
        for name, widget in self.fields.items():
            if isinstance(widget, QComboBox):
                text = widget.currentText() if widget.isEditable() else str(widget.currentData())
            else:
                text = (
                    widget.text().strip().replace(",", ".")
                    if kinds[name] == "float"
                    else (widget.text().strip())
                )
            values[name] = text == "True" if kinds[name] == "bool" else text
        return step_from(values)

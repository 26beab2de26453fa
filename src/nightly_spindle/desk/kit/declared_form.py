"""A form grown from a declared group of settings: one field for each, with its sentence."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, TypeVar

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QLabel, QWidget

from nightly_spindle.core.base.declared import group_from, specs
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.desk.kit.choice_box import ChoiceBox, EditableChoiceBox
from nightly_spindle.desk.kit.fields import DecimalField, Field

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence
    from dataclasses import Field as Spec

Group = TypeVar("Group")


class DeclaredForm(QWidget):
    """Shows and changes the values of one group. Signal: `changed`.

    `names` are captions by field, in their order; only those are shown. `blank` is what an empty
    text means, `picked` are numbers that are chosen from a list (`offer`).
    """

    changed = Signal()

    def __init__(
        self,
        group: type[Any],
        names: Mapping[str, str],
        blank: Mapping[str, str] | None = None,
        picked: Collection[str] = (),
        suggested: Collection[str] = (),
    ) -> None:
        super().__init__()
        self._names, self._picked, self._suggested = names, picked, suggested
        self.fields: dict[str, QWidget] = {}
        self.captions: dict[str, QLabel] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 4, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(3)
        known = specs(group)
        for row, name in enumerate(names):
            self._add(grid, row, name, known[name], (blank or {}).get(name, ""))
        grid.setColumnStretch(1, 1)

    def _add(self, grid: QGridLayout, row: int, name: str, spec: Spec[Any], blank: str) -> None:
        sentence = spec.metadata["sentence"]
        field = self._field(name, spec, blank)
        field.setToolTip(sentence)
        field.setAccessibleName(f"{self._names[name]}: {sentence}")
        self.fields[name] = field
        if isinstance(field, QCheckBox):
            grid.addWidget(field, row, 0, 1, 2)
            return
        caption = QLabel(self._names[name])
        caption.setProperty("role", "muted")
        caption.setToolTip(sentence)
        self.captions[name] = caption
        grid.addWidget(caption, row, 0)
        grid.addWidget(field, row, 1)

    def _field(self, name: str, spec: Spec[Any], blank: str) -> QWidget:
        meta = spec.metadata
        if "flag" in meta:
            check = QCheckBox(self._names[name])
            check.toggled.connect(self.changed)
            return check
        if "choices" in meta or name in self._picked or name in self._suggested:
            return self._box(name, meta, blank)
        if "text" in meta:
            text = Field()
            text.setPlaceholderText(blank)
            text.textEdited.connect(self.changed)
            return text
        number = DecimalField(meta["low"], meta["high"], meta["unit"])
        number.entered.connect(lambda _: self.changed.emit())
        return number

    def _box(self, name: str, meta: Mapping[str, Any], blank: str) -> QComboBox:
        box = EditableChoiceBox(blank) if name in self._suggested else ChoiceBox()
        for one in meta.get("choices", ()):
            box.addItem(str(one), str(one))
        if isinstance(box, EditableChoiceBox):
            box.line.textEdited.connect(self.changed)
        box.activated.connect(self.changed)
        return box

    def offer(self, name: str, choices: Sequence[tuple[str, Any]]) -> None:
        """Say what can be chosen in a list; what is chosen stays."""
        box = self.fields[name]
        assert isinstance(box, QComboBox)
        text, data = box.currentText(), box.currentData()
        with QSignalBlocker(box):
            box.clear()
            for label, value in choices:
                box.addItem(label, value)
            if name in self._suggested:
                box.setCurrentText(text)
            else:
                box.setCurrentIndex(max(0, box.findData(data)))

    def show_values(self, group: Any, here: Collection[str] | None = None) -> None:
        """Show a group's values; only the fields of `here` are there, all where it is None."""
        with QSignalBlocker(self):
            for name, field in self.fields.items():
                there = here is None or name in here
                field.setVisible(there)
                if name in self.captions:
                    self.captions[name].setVisible(there)
                self._show(name, field, getattr(group, name))

    def _show(self, name: str, field: QWidget, value: Any) -> None:
        if isinstance(field, QCheckBox):
            field.setChecked(value)
        elif isinstance(field, DecimalField):
            field.show_value(value)
        elif isinstance(field, QComboBox) and name in self._suggested:
            field.setCurrentText(value)
        elif isinstance(field, QComboBox) and name in self._picked:
            if value and field.findData(int(value)) < 0:
                field.addItem(f"item {int(value)}", int(value))
            field.setCurrentIndex(max(0, field.findData(int(value))))
        elif isinstance(field, QComboBox):
            field.setCurrentIndex(max(0, field.findData(str(value))))
        elif isinstance(field, Field):
            field.setText(value)

    def texts(self) -> dict[str, str]:
        """Return what is typed, by field."""
        return {name: self._text(name, field) for name, field in self.fields.items()}

    def _text(self, name: str, field: QWidget) -> str:
        if isinstance(field, QCheckBox):
            return str(field.isChecked())
        if isinstance(field, DecimalField):
            return str(field.value())
        if isinstance(field, QComboBox):
            return (
                field.currentText().strip() if name in self._suggested else str(field.currentData())
            )
        assert isinstance(field, Field)
        return field.text().strip()


def typed_group(group: Group, *texts: Mapping[str, str]) -> Group:
    """Return a group with what is typed into forms; SettingRefused says what cannot be."""
    values = {f"x.{name}": str(getattr(group, name)) for name in specs(type(group))}
    for part in texts:
        values |= {f"x.{name}": text for name, text in part.items()}
    wrong: list[str] = []
    made = group_from(type(group), values, "x", wrong)
    if wrong:
        raise SettingRefused("; ".join(text.replace("setting x.", "") for text in wrong))
    return made

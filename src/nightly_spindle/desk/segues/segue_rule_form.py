"""The form of one segue rule: every value of it, grown from its declaration."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QSignalBlocker, Signal
from PySide6.QtWidgets import QComboBox, QGridLayout, QLabel, QWidget

from nightly_spindle.core.base.declared import specs
from nightly_spindle.core.segues.segue_rules import SegueRule
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.fields import DecimalField

if TYPE_CHECKING:
    from collections.abc import Mapping
    from dataclasses import Field

NAMES = {
    "overlap": "The next starts",
    "trigger_db": "Trigger level",
    "patience_s": "Patience",
    "fixed_s": "Time before the end",
    "gap_s": "Gap",
    "fade_out_s": "Fade-out",
    "fade_out_curve": "Fade-out curve",
    "fade_in_s": "Fade-in",
    "fade_in_curve": "Fade-in curve",
    "shortest_s": "Shortest fade",
    "longest_s": "Longest overlap",
    "segue_short": "Short items",
    "short_s": "Short is up to",
}
_WORDS = {
    "markers": "at the segue point",
    "fixed": "a fixed time early",
    "gap": "after a gap",
    "equal-power": "equal power",
    "linear": "linear",
    "straight": "none",
    "True": "are segued",
    "False": "play out first",
}
# values that say something only with one way to start
_ONLY = {"trigger_db": "markers", "patience_s": "markers", "fixed_s": "fixed", "gap_s": "gap"}


class SegueRuleForm(QWidget):
    """Signal: `changed` (value's name, text; None is as inherited)."""

    changed = Signal(str, object)

    def __init__(self) -> None:
        super().__init__()
        self.fields: dict[str, QWidget] = {}
        self._captions: dict[str, QLabel] = {}
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(2)
        for row, (name, spec) in enumerate(specs(SegueRule).items()):
            caption = QLabel(NAMES[name])
            caption.setProperty("role", "muted")
            field = self._field(name, spec)
            field.setToolTip(spec.metadata["sentence"])
            field.setAccessibleName(f"{NAMES[name]}: {spec.metadata['sentence']}")
            caption.setToolTip(spec.metadata["sentence"])
            grid.addWidget(caption, row, 0)
            grid.addWidget(field, row, 1)
            self.fields[name], self._captions[name] = field, caption
        grid.setColumnStretch(1, 1)

    def _field(self, name: str, spec: Field[Any]) -> QWidget:
        meta = spec.metadata
        if "low" in meta:
            field = DecimalField(meta["low"], meta["high"], meta["unit"], " ")
            field.entered.connect(
                lambda v, name=name: self.changed.emit(name, None if v is None else str(v))
            )
            return field
        box = ChoiceBox()
        box.activated.connect(lambda _, b=box, n=name: self.changed.emit(n, b.currentData()))
        return box

    def show_rule(
        self, own: Mapping[str, str], holds: SegueRule, inherited: SegueRule, *, station: bool
    ) -> None:
        """Show the values that are `own`; the others stand pale, as they are inherited."""
        for name, spec in specs(SegueRule).items():
            field, meta = self.fields[name], spec.metadata
            usual = getattr(inherited, name)
            if isinstance(field, DecimalField):
                field.setPlaceholderText(f"{usual:g} {meta['unit']}".strip())
                field.show_value(float(own[name]) if name in own else None)
            elif isinstance(field, QComboBox):
                _offer(field, own.get(name), str(usual), spec, station=station)
            only = _ONLY.get(name)
            here = only is None or only == holds.overlap
            field.setEnabled(here)
            self._captions[name].setEnabled(here)


def _offer(box: QComboBox, own: str | None, usual: str, spec: Field[Any], *, station: bool) -> None:
    choices = spec.metadata.get("choices")
    texts = ["True", "False"] if choices is None else [str(one) for one in choices]
    with QSignalBlocker(box):
        box.clear()
        if not station:
            box.addItem(f"({_WORDS[usual]})", None)
        for text in texts:
            box.addItem(_WORDS[text], text)
        at = box.findData(own) if own is not None else 0
        box.setCurrentIndex(max(0, at))

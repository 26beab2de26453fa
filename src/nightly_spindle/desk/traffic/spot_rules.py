"""The page of rules for all advertising: what counts, categories, how far ahead it is placed."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QFrame, QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.declared import texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.station.settings import SpotRules
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.settings_edit import settings_edit

if TYPE_CHECKING:
    from PySide6.QtGui import QUndoStack

    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.campaign_board import SpotSheet

_NAMES = {
    "counts_from": "A spot counts from",
    "categories": "Categories of spots",
    "days_ahead": "Placed ahead",
    "signature": "At the line to sign",
}
_CARD_PX = 760


class SpotRulesPage(QWidget):
    """Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack) -> None:
        super().__init__()
        self._shelf, self._undo = shelf, undo
        self._kept = SpotRules()
        self.form = DeclaredForm(SpotRules, _NAMES)
        self.form.changed.connect(self._on_typed)
        self.sentence, self.trouble = QLabel(""), QLabel("")
        self.keep = push_button("Save", "Save the changes", self.save)
        self.discard = push_button("Discard", "Discard the changes", self.take_back)
        card = QFrame()
        card.setObjectName("card")
        card.setMaximumWidth(_CARD_PX)
        inside = QVBoxLayout(card)
        inside.setContentsMargins(14, 10, 14, 12)
        inside.setSpacing(8)
        for label, role in ((self.sentence, "sentence"), (self.trouble, "warn")):
            label.setWordWrap(True)
            label.setProperty("role", role)
        row = QHBoxLayout()
        row.addWidget(self.keep)
        row.addWidget(self.discard)
        row.addStretch(1)
        for widget in (self.form, self.sentence, self.trouble):
            inside.addWidget(widget)
        inside.addLayout(row)
        box = QVBoxLayout(self)
        box.setContentsMargins(14, 6, 14, 12)
        box.addWidget(card)
        box.addStretch(1)

    def set_palette(self, palette: Palette) -> None:
        """Nothing here is painted by hand."""

    def show_sheet(self, sheet: SpotSheet) -> None:
        """Show the rules as they are kept; what is being typed stays."""
        if sheet.rules != self._kept or not self.sentence.text():
            typed = self._typed()
            clean = typed is None or typed == self._kept or not self.sentence.text()
            self._kept = sheet.rules
            if clean:
                self.take_back()

    def _typed(self) -> SpotRules | None:
        """Return the rules as they are typed, None (and say why) when they cannot be."""
        try:
            rules = typed_group(self._kept, self.form.texts())
        except SettingRefused as error:
            text = str(error)
            self.trouble.setText(f"{text[:1].upper()}{text[1:]}.")
            return None
        self.trouble.setText("")
        return rules

    def _on_typed(self) -> None:
        rules = self._typed()
        self.trouble.setVisible(rules is None)
        if rules is not None:
            part = "in full" if rules.counts_from >= 100 else f"to {rules.counts_from:g} % or more"
            self.sentence.setText(
                f"A spot counts when it was heard {part}; what was heard less is owed. Spots are "
                f"placed {rules.days_ahead:g} days ahead, once a day and after every edit."
            )
        self.keep.setEnabled(rules is not None and rules != self._kept)
        self.discard.setEnabled(rules != self._kept)

    def take_back(self) -> None:
        """Show the rules as they are kept."""
        self.form.show_values(self._kept)
        self._on_typed()

    def save(self) -> None:
        """Keep the rules as they are typed, undoably."""
        rules = self._typed()
        if rules is None:
            return
        self._kept = rules
        values = texts_of(rules, "spots")
        self._undo.push(settings_edit(self._shelf, "change the rules of advertising", values))
        self._on_typed()

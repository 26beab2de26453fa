"""The page of rules: what keeps its distance, how categories come round, what is made ahead."""

from __future__ import annotations

from dataclasses import dataclass, replace
from functools import partial
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.declared import texts_of
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.music.formats import ALL_SONGS, Turn
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject, check_rule
from nightly_spindle.core.station.settings import FormatRules
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.choice_box import ChoiceBox
from nightly_spindle.desk.kit.declared_form import DeclaredForm, typed_group
from nightly_spindle.desk.kit.kept_page import KeptPage
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.kit.row_view import RowView
from nightly_spindle.desk.kit.settings_edit import settings_edit
from nightly_spindle.desk.music.format_rows import CATEGORIES, RULES
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.music.formats import Rotating
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatSheet

_PANEL_PX = 320
_NAMES = {
    "kind": "Keep apart",
    "amount": "Minutes or count",
    "category": "In category",
    "trait": "Trait",
    "firm": "Firm: must keep (else preferred)",
    "weight": "Weight, if preferred",
}
_AHEAD = {
    "by_itself": "The station makes its own logs automatically",
    "days_ahead": "Days ahead",
    "holidays": "Holidays",
}


@dataclass(frozen=True, slots=True)
class PlacedRule:
    """A rule with its place among the others (from 1 on; 0: it is new)."""

    id: int
    rule: RotationRule
    name: str = ""

    def sentence(self) -> str:
        """The rule as a plain sentence."""
        return self.rule.sentence()


class _Form(QWidget):
    """The form of one rule. Signal: `changed`."""

    changed = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.fields = DeclaredForm(
            RotationRule,
            _NAMES,
            {"category": "the whole station", "trait": "tempo, or tempo=slow"},
            suggested=("category",),
        )
        self.fields.changed.connect(self.changed)
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 0)
        box.addWidget(self.fields)
        box.addStretch(1)


class RotationPage(KeptPage):
    """The station's rules in a list, categories below, the editor of a rule beside."""

    noun = "rule"
    empty = "Choose a rule, or make one: “New rule”."

    def __init__(self, shelf: LibraryWorker, undo: QUndoStack, palette: Palette) -> None:
        self.rule_form = _Form()
        rules = RowView(RULES, palette)
        super().__init__(shelf, undo, rules, self.rule_form, _PANEL_PX)
        self.sheet: FormatSheet | None = None
        self.categories = RowView(CATEGORIES, palette)
        self.turn = ChoiceBox()
        self.ahead = DeclaredForm(FormatRules, _AHEAD, {"holidays": "2026-12-25, 2026-12-26"})
        self.categories.picked.connect(lambda _: self._show_turn())
        self.ahead.changed.connect(self._on_ahead)
        left = self.frame(self._tools(), 5)
        left.addLayout(self._turn_tools())
        left.addWidget(self.categories, 4)
        left.addWidget(self.ahead)
        left.addLayout(self._ahead_tools())

    def _tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(5)
        self.new = push_button("New rule", "Make a rule (Ctrl+N)", self.make)
        self.usual = QLabel("")
        self.usual.setProperty("role", "muted")
        row.addWidget(self.new)
        row.addSpacing(8)
        row.addWidget(self.usual, 1)
        return row

    def _turn_tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        head = QLabel("How categories take turns")
        head.setProperty("role", "strong")
        for turn in Turn:
            self.turn.addItem(str(turn), turn)
        self.turn.setAccessibleName("In which order the category comes round")
        self.turn.activated.connect(lambda _: self._set_turn())
        row.addWidget(head, 1)
        row.addWidget(self.turn)
        return row

    def _ahead_tools(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.keep_ahead = push_button("Save", "Save how logs are made ahead", self.save_ahead)
        row.addWidget(self.keep_ahead)
        row.addStretch(1)
        return row

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.table.set_palette(palette)
        self.categories.set_palette(palette)

    def show_sheet(self, sheet: FormatSheet) -> None:
        """Show rules and categories anew; what is being edited stays."""
        clean = self.sheet is None or self._typed_ahead() == self.sheet.settings.formats
        self.sheet = sheet
        self.table.show_rows([one.rule for one in self.kept()])
        names = sheet.names.categories
        self.rule_form.fields.offer("category", [(name, name) for name in names])
        self.usual.setText(
            "Firm rules hold wherever anything allows it, preferred ones where possible."
            if sheet.own_rules
            else "The usual rules hold, by the station's separation, until you make your own."
        )
        self.categories.show_rows(self._rotating())
        self._show_turn()
        if clean:
            self.ahead.show_values(sheet.settings.formats)
            self._on_ahead()
        self.show_things()

    # -- what a kept page says -----

    def kept(self) -> list[PlacedRule]:
        """Return the rules in their order."""
        rules: Sequence[RotationRule] = self.sheet.formats.rules if self.sheet else ()
        return [PlacedRule(place, rule, f"rule {place}") for place, rule in enumerate(rules, 1)]

    def show_form(self, thing: PlacedRule) -> None:
        """Show a rule in the panel."""
        self.rule_form.fields.show_values(thing.rule)

    def read_form(self) -> PlacedRule:
        """Return the rule as it is typed."""
        rule = typed_group(self.shown.rule, self.rule_form.fields.texts())
        check_rule(rule)
        placed: PlacedRule = replace(self.shown, rule=rule)
        return placed

    def troubles(self, thing: PlacedRule) -> list[str]:
        """Return what is wrong with a rule: a category that is not there."""
        name = thing.rule.category.strip().casefold()
        known = {one.casefold() for one in self.sheet.names.categories} if self.sheet else set()
        return (
            [f"There is no category “{thing.rule.category}”."] if name and name not in known else []
        )

    def renamed(self, thing: PlacedRule, name: str) -> PlacedRule:
        """Return a rule with another name."""
        return replace(thing, name=name)

    def _all(
        self, rules: Sequence[RotationRule]
    ) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        def do(library: LibraryTransaction) -> Any:
            return {"rotation_rule": editors.formats.set_rules(library, rules)}

        return do, editors.restore_formats

    def write(self, thing: PlacedRule) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps a rule."""
        rules = [one.rule if one.id != thing.id else thing.rule for one in self.kept()]
        return self._all(rules if thing.id else [*rules, thing.rule])

    def take_out(self, thing: PlacedRule) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes a rule."""
        return self._all([one.rule for one in self.kept() if one.id != thing.id])

    def make(self) -> None:
        """Begin a new rule; it is made when it is kept."""
        self.begin_new(PlacedRule(0, RotationRule(RuleSubject.ALBUM, 60, firm=False), "new rule"))

    # -- categories, and what is made ahead -----

    def _rotating(self) -> list[Rotating]:
        if self.sheet is None:
            return []
        return [one for name, one in self.sheet.formats.categories.items() if name != ALL_SONGS]

    def _chosen(self) -> Rotating | None:
        row, known = self.categories.currentIndex().row(), self._rotating()
        return known[row] if 0 <= row < len(known) else None

    def _show_turn(self) -> None:
        chosen = self._chosen()
        self.turn.setEnabled(chosen is not None)
        if chosen is not None:
            self.turn.setCurrentIndex(list(Turn).index(chosen.turn))

    def _set_turn(self) -> None:
        chosen, turn = self._chosen(), Turn(self.turn.currentData())
        if chosen is None or chosen.turn == turn:
            return
        do = partial(_write_turn, name=chosen.name, turn=turn)
        undo = partial(_take_turn_back, chosen.name)
        self._undo.push(LibraryEdit(self._shelf, f"turn of “{chosen.name}”", do, undo))

    def _typed_ahead(self) -> FormatRules | None:
        kept = self.sheet.settings.formats if self.sheet else FormatRules()
        try:
            return typed_group(kept, self.ahead.texts())
        except SettingRefused:
            return None

    def _on_ahead(self) -> None:
        typed = self._typed_ahead()
        kept = self.sheet.settings.formats if self.sheet else None
        self.keep_ahead.setEnabled(typed is not None and typed != kept)

    def save_ahead(self) -> None:
        """Keep how logs are made ahead, undoably."""
        typed = self._typed_ahead()
        if typed is None:
            return
        values = texts_of(typed, "formats")
        self._undo.push(settings_edit(self._shelf, "how logs are made ahead", values))
        self.keep_ahead.setEnabled(False)


def _write_turn(library: LibraryTransaction, name: str, turn: Turn) -> Turn:
    """Set the order of a category; returns what it was."""
    number = editors.categories.number_of(library, name)
    was: Turn = editors.formats.set_turn(library, number, turn)
    return was


def _take_turn_back(name: str, library: LibraryTransaction, was: Turn) -> None:
    _write_turn(library, name, was)

"""A list of named things with a panel beside it in which one is typed, kept, discarded, removed."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from PySide6.QtCore import Qt, Signal
from PySide6.QtGui import QKeySequence, QShortcut, QUndoStack
from PySide6.QtWidgets import QHBoxLayout, QLabel, QVBoxLayout, QWidget

from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.desk.kit.panels import details_panel, lay_beside
from nightly_spindle.desk.kit.scrolled import in_sight

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from nightly_spindle.desk.kit.row_view import RowView


class KeptPage(QWidget):
    """What is typed is kept by hand (Ctrl+S), undoably; nothing typed is lost unseen.

    A page says what its things are: `kept` (all of them), `show_form`, `read_form`, `troubles`,
    `write`, `take_out`, and calls `show_things` when they were read. Signal: `said` (str).
    """

    said = Signal(str)
    noun = "thing"
    empty = "Choose one, or make one."
    scrolls = False  # whether the form as a whole does; others scroll in parts

    def __init__(
        self,
        shelf: LibraryWorker,
        undo: QUndoStack,
        table: RowView[Any],
        form: QWidget,
        panel_px: int,
    ) -> None:
        super().__init__()
        self._shelf, self._undo = shelf, undo
        self.table, self.form = table, form
        self.shown: Any = None
        self._make_next = ""
        self.sentence, self.trouble = QLabel(""), QLabel("")
        self.panel = self._panel(panel_px)
        table.picked.connect(self._on_picked)
        table.removed.connect(lambda _rows: self.remove_shown())
        form.changed.connect(self.on_typed)  # type: ignore[attr-defined]  # every form has it
        shortcut = QShortcut(QKeySequence("Ctrl+S"), self)
        shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        shortcut.activated.connect(self.save)

    def _panel(self, width: int) -> QWidget:
        panel, box = details_panel(width)
        box.addWidget(in_sight(self.form) if self.scrolls else self.form, 1)
        for label, role in ((self.sentence, "sentence"), (self.trouble, "warn")):
            label.setWordWrap(True)
            label.setProperty("role", role)
            box.addWidget(label)
        row = QHBoxLayout()
        self.keep = push_button("Save", "Save the changes (Ctrl+S)", self.save)
        self.discard = push_button("Discard", "Discard the changes", self.take_back)
        self.remove = push_button(
            "Remove", f"Remove the {self.noun}; Ctrl+Z brings it back", self.remove_shown
        )
        for button in (self.keep, self.discard, self.remove):
            row.addWidget(button)
        box.addLayout(row)
        return panel

    def frame(self, tools: QHBoxLayout, stretch: int = 1) -> QVBoxLayout:
        """Lay the page out: tools above the list, the panel beside both.

        Returns the column of tools and list, for more below.
        """
        left = lay_beside(self, tools, self.panel)
        left.addWidget(self.table, stretch)
        return left

    # -- what a page says ---

    def kept(self) -> Sequence[Any]:
        """Return all things as they are kept, in the order of the table."""
        raise NotImplementedError

    def show_form(self, thing: Any) -> None:
        """Show a thing in the form."""
        raise NotImplementedError

    def read_form(self) -> Any:
        """Return the thing as it is typed; SettingRefused says what cannot be."""
        raise NotImplementedError

    def troubles(self, thing: Any) -> list[str]:
        """Return what is wrong with a thing that is kept."""
        raise NotImplementedError

    def write(self, thing: Any) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that keeps a thing, and the one that takes it back."""
        raise NotImplementedError

    def take_out(self, thing: Any) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
        """Return the edit that removes a thing, and the one that takes it back."""
        raise NotImplementedError

    # -- showing ---

    def show_things(self) -> None:
        """The things were read anew; what is being edited stays."""
        named = [one for one in self.kept() if one.name == self._make_next]
        if named:
            self._make_next = ""
            self.show_one(named[0])
        elif self.shown is None:
            self.show_one(next(iter(self.kept()), None))
        elif self.shown.id and not self.dirty():
            self.show_one(self._by_number(self.shown.id))
        else:
            self._choose_shown()
            self.on_typed()

    def show_one(self, thing: Any) -> None:
        """Show a thing in the panel, None for none."""
        self.shown = thing
        self.form.setVisible(thing is not None)
        if thing is not None:
            self.show_form(thing)
        self._choose_shown()
        self.on_typed()

    def _by_number(self, number: int) -> Any:
        return next((one for one in self.kept() if one.id == number), None)

    def _on_picked(self, row: int) -> None:
        if not self.free():
            self._choose_shown()
            return
        self.show_one(self.kept()[row])

    def free(self) -> bool:
        """Whether another one may be shown; says so when something typed is not kept."""
        if self.shown is not None and self.dirty():
            self.said.emit(f"“{self.shown.name}” was changed: save or discard that first.")
            return False
        return True

    def _choose_shown(self) -> None:
        rows = [n for n, one in enumerate(self.kept()) if self.shown and one.id == self.shown.id]
        if rows:
            self.table.choose(rows[0])
        else:
            self.table.clearSelection()

    # -- editing ---

    def begin_new(self, thing: Any) -> None:
        """Show a new thing; it is made when it is kept."""
        if not self.free():
            return
        taken, name, number = {one.name for one in self.kept()}, thing.name, 2
        while thing.name in taken:
            thing, number = self.renamed(thing, f"{name} {number}"), number + 1
        self.show_one(thing)

    def renamed(self, thing: Any, name: str) -> Any:
        """Return a thing with another name."""
        raise NotImplementedError

    def typed(self) -> Any:
        """Return what is typed, None (and say why) when it cannot be."""
        if self.shown is None:
            return None
        try:
            thing = self.read_form()
        except NightlySpindleError as error:
            text = str(error).removeprefix(f"{self.noun} ")
            text = text.split("”: ", 1)[-1]
            self.trouble.setText(f"{text[:1].upper()}{text[1:]}.")
            return None
        self.trouble.setText("\n".join(self.troubles(thing)[:3]))
        return thing

    def dirty(self) -> bool:
        """Whether anything was changed that is not kept."""
        try:
            return self.shown is not None and self.read_form() != self.shown
        except NightlySpindleError:
            return True

    def on_typed(self) -> None:
        """Read back what is typed."""
        thing = self.typed()
        new = self.shown is not None and not self.shown.id
        dirty = self.dirty()
        self.keep.setEnabled(thing is not None and (dirty or new))
        self.discard.setEnabled(dirty or new)
        self.remove.setEnabled(self.shown is not None and not new)
        if thing is not None:
            self.sentence.setText(thing.sentence())
        elif self.shown is None:
            self.sentence.setText(self.empty)
            self.trouble.setText("")
        self.trouble.setVisible(bool(self.trouble.text()))

    def save(self) -> None:
        """Have the thing written as it is typed."""
        thing = self.typed()
        if thing is None or not self.keep.isEnabled():
            return
        self.shown = thing if thing.id else None
        self._make_next = "" if thing.id else thing.name
        do, undo = self.write(thing)
        self._undo.push(LibraryEdit(self._shelf, f"change “{thing.name}”", do, undo))
        self.keep.setEnabled(False)

    def take_back(self) -> None:
        """Show the thing as it is kept; a new one goes."""
        self.show_one(self._by_number(self.shown.id) if self.shown is not None else None)

    def remove_shown(self) -> None:
        """Take the shown thing out, undoably."""
        thing = self.shown
        if thing is None or not thing.id:
            return
        self.show_one(None)
        do, undo = self.take_out(thing)
        self._undo.push(LibraryEdit(self._shelf, f"remove “{thing.name}”", do, undo))
        self.said.emit(f"“{thing.name}” is removed; Ctrl+Z brings it back.")

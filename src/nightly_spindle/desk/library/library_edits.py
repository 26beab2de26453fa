"""Edits of the library, each one undoable, and what must be asked before some."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QUndoStack
from PySide6.QtWidgets import QCheckBox, QInputDialog, QMessageBox, QToolButton, QWidget

from nightly_spindle.core.library.intake import Tags, lacks
from nightly_spindle.core.library.items import Kind
from nightly_spindle.desk.kit.library_worker import LibraryEdit
from nightly_spindle.desk.library import groups
from nightly_spindle.store.library import exchange, lists, marker_files
from nightly_spindle.store.reports.item_uses import uses_of
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.library.groups import GroupLine
    from nightly_spindle.store.base.transaction import LibraryTransaction

Edit = Callable[["LibraryTransaction"], Any]


class LibraryEdits(QObject):
    """Carries edits out through the shelf. Signal: `said` (str)."""

    said = Signal(str)

    def __init__(self, shelf: LibraryWorker, parent: QWidget) -> None:
        super().__init__(parent)
        self._shelf = shelf
        self._window = parent
        self.undo = QUndoStack(self)
        self.asking: Any = None  # the dialog that is open

    def wire(self, undo: QToolButton, redo: QToolButton) -> None:
        """Have two buttons undo and redo."""
        undo.clicked.connect(self.undo.undo)
        redo.clicked.connect(self.undo.redo)
        self.undo.canUndoChanged.connect(undo.setEnabled)
        self.undo.canRedoChanged.connect(redo.setEnabled)
        self.undo.undoTextChanged.connect(lambda t: undo.setToolTip(f"Undo {t} (Ctrl+Z)"))
        self.undo.redoTextChanged.connect(lambda t: redo.setToolTip(f"Redo {t} (Ctrl+Shift+Z)"))
        undo.setEnabled(self.undo.canUndo())
        redo.setEnabled(self.undo.canRedo())

    def _push(self, text: str, do: Edit, undo: Callable[[LibraryTransaction, Any], Any]) -> None:
        self.undo.push(LibraryEdit(self._shelf, text, do, undo))

    # -- items ---------------------------------------------------------------------------------

    def set_value(self, carts: Sequence[int], name: str, value: str) -> None:
        """Change a tag or the kind of items."""
        if carts:
            self.set_values(carts, {name: value})

    def set_values(self, carts: Sequence[int], values: dict[str, str]) -> None:
        """Change tags of items."""
        text = f"change {', '.join(values)} of {_items(carts)}"
        self._push(text, lambda lib: editors.items.edit(lib, carts, values), editors.items.set_back)

    def settle(self, cart: int, kind: str, tags: Tags) -> None:
        """Give a waiting item its tags, and let it out of the waiting room if they suffice."""
        values = {name: getattr(tags, name) for name in ("artist", "title", "album", "year")}
        missing = lacks(Kind(kind), tags)

        def do(library: LibraryTransaction) -> Any:
            before = editors.items.edit(library, [cart], values)
            if not missing:
                editors.items.settle_tags(library, cart)
            return before

        self._push(f"settle cart {cart}", do, editors.items.set_back)

    def keep(self, carts: Sequence[int]) -> None:
        """Let items out of the waiting room as they are."""

        def do(library: LibraryTransaction) -> Any:
            before = editors.items.edit(library, carts, {})
            editors.items.settle(library, carts)
            return before

        self._push(f"keep {_items(carts)}", do, editors.items.set_back)

    def take_over(self, waiting: int, cart: int) -> None:
        """Give an item the audio of a waiting one."""
        self._push(
            f"give cart {cart} the audio of cart {waiting}",
            lambda lib: editors.items.take_over(lib, waiting, cart),
            editors.items.undo_take_over,
        )

    def ask_remove(self, carts: Sequence[int]) -> None:
        """Say where items are used, then remove them."""
        if not carts:
            return
        folder = self._shelf.folder
        chosen = list(carts)

        def look(catalogue: Any) -> Any:
            return uses_of(folder, chosen), catalogue.items(chosen)

        self._shelf.look(look, lambda found: self._confirm(chosen, *found))

    def _confirm(self, carts: list[int], uses: Sequence[Any], there: dict[int, Any]) -> None:
        box = QMessageBox(self._window)
        box.setWindowTitle("Remove from the library")
        box.setText(f"Remove {_items(carts)} from the library?")
        told = "\n".join(f"• cart {use.cart}: {use.text}" for use in uses[:8])
        more = f"\n… and {len(uses) - 8} more places" if len(uses) > 8 else ""
        box.setInformativeText(
            f"In use, and will be missing there:\n{told}{more}"
            if uses
            else "Nothing in the coming week uses them. The audio files stay where they are."
        )
        delete = QCheckBox("Delete the audio files too (this cannot be undone)")
        box.setCheckBox(delete)
        yes = box.addButton("Remove", QMessageBox.ButtonRole.AcceptRole)
        box.addButton("Cancel", QMessageBox.ButtonRole.RejectRole)
        self.asking = box

        def done() -> None:
            if box.clickedButton() is not yes:
                return
            paths = [item.path for item in there.values()] if delete.isChecked() else []
            self.remove(carts, paths)

        box.finished.connect(lambda _: done())
        box.open()

    def remove(self, carts: Sequence[int], delete: Sequence[str] = ()) -> None:
        """Remove items; files are deleted only when they are named."""
        if not delete:
            text = f"remove {_items(carts)}"
            self._push(text, lambda lib: editors.items.remove(lib, carts), editors.items.put_back)
            return

        def do(library: LibraryTransaction) -> Any:
            editors.items.remove(library, carts)

        def then(_: Any) -> None:
            self._shelf.look(lambda _: _delete(delete), self.said.emit)

        self._shelf.edit(do, then)

    # -- categories and lists --------------------------------------------------------------------

    def put_into(self, carts: Sequence[int], name: str) -> None:
        """Put items into a category, which is made when there is none."""

        def do(library: LibraryTransaction) -> Any:
            return editors.categories.add(library, editors.categories.make(library, name), carts)

        if carts:
            self._push(f"put {_items(carts)} into “{name}”", do, editors.categories.take_out)

    def take_out(self, carts: Sequence[int], name: str) -> None:
        """Take items out of a category."""

        def do(library: LibraryTransaction) -> Any:
            number = editors.categories.make(library, name)
            return editors.categories.take_out(library, [(cart, number) for cart in carts])

        if carts:
            self._push(f"remove {_items(carts)} from “{name}”", do, editors.categories.put_in)

    def weigh(self, entry: GroupLine, factor: float) -> None:
        """Make a category come round more or less often."""
        if entry.sort != groups.CATEGORY:
            return
        number, before = entry.id, entry.weight
        after = before * factor
        self._push(
            f"weigh “{entry.text}” ×{after:g}",
            lambda lib: editors.categories.set_weight(lib, number, after),
            lambda lib, _: editors.categories.set_weight(lib, number, before),
        )

    def ask_rename(self, entry: GroupLine) -> None:
        """Ask for another name of a category or list; another category's name merges them."""
        merging = " Another category's name merges the two." * (entry.sort == groups.CATEGORY)
        self._ask_name(
            "Rename",
            f"Another name for “{entry.text}”.{merging}",
            entry.text,
            lambda name: self.rename(entry, name),
        )

    def rename(self, entry: GroupLine, name: str) -> None:
        """Rename a category or list."""
        number, before = entry.id, entry.text
        if entry.sort == groups.LIST:
            self._push(
                f"rename “{before}”",
                lambda lib: lists.rename_list(lib, number, name),
                lambda lib, _: lists.rename_list(lib, number, before),
            )
            return
        self._push(
            f"rename “{before}” “{name}”",
            lambda lib: editors.categories.rename_or_merge(lib, number, name),
            editors.categories.undo_rename,
        )

    def ask_remove_group(self, entry: GroupLine) -> None:
        """End a category or list; the items stay, and it can be undone."""
        number = entry.id
        if entry.sort == groups.LIST:
            self._push(
                f"end the list “{entry.text}”",
                lambda lib: lists.remove_list(lib, number),
                lists.put_list_back,
            )
        else:
            self._push(
                f"end the category “{entry.text}”",
                lambda lib: editors.categories.remove(lib, number),
                editors.categories.put_category_back,
            )

    def ask_new_category(self) -> None:
        """Ask for a name, and make a category."""

        def make(name: str) -> None:
            self._push(
                f"make “{name}”",
                lambda lib: editors.categories.make(lib, name),
                editors.categories.remove,
            )

        self._ask_name("A new category", "What is the category called?", "", make)

    def ask_table(self, path: Path) -> None:
        """Say what a CSV table would change, then change it."""

        def look(catalogue: Any) -> Any:
            rows = exchange.read_table(path)
            if marker_files.is_marker_table(rows):
                return marker_files.marks_in_table(catalogue, path)
            return exchange.changes_from(catalogue, rows)

        def ask(changes: list[Any]) -> None:
            good = [change for change in changes if not change.problem]
            bad = [change.problem for change in changes if change.problem]
            box = QMessageBox(self._window)
            box.setWindowTitle("A table of items")
            box.setText(f"{path.name} would change {len(good)} items.")
            box.setInformativeText("\n".join([*bad[:5], "It can be undone."]))
            yes = box.addButton("Change them", QMessageBox.ButtonRole.AcceptRole)
            box.addButton("Leave it", QMessageBox.ButtonRole.RejectRole)
            yes.setEnabled(bool(good))

            def done() -> None:
                if box.clickedButton() is yes:
                    self._push(f"read {path.name}", *_taken(good))

            box.finished.connect(lambda _: done())
            self.asking = box
            box.open()

        self._shelf.look(look, ask)

    def append_to_list(self, list_id: int, name: str, carts: Sequence[int]) -> None:
        """Add items at the end of a list."""
        text = f"add {_items(carts)} to “{name}”"
        self._push(text, lambda lib: lists.append(lib, list_id, carts), lists.set_back)

    def set_list(self, list_id: int, name: str, carts: Sequence[int]) -> None:
        """Write a list's order."""
        text = f"change “{name}”"
        self._push(text, lambda lib: lists.change(lib, list_id, carts), lists.set_back)

    def ask_new_list(self, carts: Sequence[int], then: Callable[[int], None]) -> None:
        """Ask for a name, and make a list of the items."""

        def make(name: str) -> None:
            self._shelf.edit(lambda library: lists.make_list(library, name, carts), then)

        self._ask_name("A new list", "What is the list called?", "", make)

    def _ask_name(self, title: str, text: str, now: str, then: Callable[[str], None]) -> None:
        asking = QInputDialog(self._window)
        asking.setWindowTitle(title)
        asking.setLabelText(text)
        asking.setTextValue(now)
        asking.textValueSelected.connect(lambda name: then(name) if name.strip() else None)
        self.asking = asking
        asking.open()


def _taken(good: list[Any]) -> tuple[Callable[[Any], Any], Callable[[Any, Any], Any]]:
    """Return how the rows of a table are made true, and taken back."""
    if isinstance(good[0], marker_files.RowMarks):
        wanted = marker_files.wanted_of(good)
        return lambda lib: editors.marking.set_by_hand(lib, wanted), editors.put_marks_back
    return lambda lib: exchange.apply_changes(lib, good), exchange.undo_changes


def _items(carts: Sequence[int]) -> str:
    return f"cart {carts[0]}" if len(carts) == 1 else f"{len(carts)} items"


def _delete(paths: Sequence[str]) -> str:
    """Delete files; returns a sentence that says what became of them."""
    kept = []
    for path in paths:
        try:
            Path(path).unlink(missing_ok=True)
        except OSError as error:
            kept.append(f"{path} ({error.strerror})")
    if kept:
        return f"Not deleted: {', '.join(kept)}"
    return f"{len(paths)} audio file{'s are' if len(paths) > 1 else ' is'} deleted."

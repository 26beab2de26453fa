"""Fixed lists: their order by dragging, how long they run, what is still to fill."""

from __future__ import annotations

import re
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import (
    Signal,
)
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.segues.list_length import ListLength, running_time
from nightly_spindle.desk.kit.buttons import push_button
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.library import groups
from nightly_spindle.desk.library.groups import GroupLine, GroupList
from nightly_spindle.desk.library.list_table import ListLine, ListTable
from nightly_spindle.store.library import exchange, lists
from nightly_spindle.store.library.catalogue import Catalogue

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.desk.library.library_edits import LibraryEdits
    from nightly_spindle.store.library.lists import ItemList


class ListsPage(QWidget):
    """Lists at the left, the chosen one beside them.

    Signals: `said` (str); `add_asked` (carts) for the running order, once.
    """

    said = Signal(str)
    add_asked = Signal(list)

    def __init__(
        self,
        shelf: LibraryWorker,
        edits: LibraryEdits,
        palette: Palette,
        settings: StationSettings,
    ) -> None:
        super().__init__()
        self._shelf, self._edits, self._settings = shelf, edits, settings
        self._lists: list[ItemList] = []
        self.names = GroupList(palette, "Lists")
        self.names.picked.connect(lambda _: self._read())
        self.names.rename_asked.connect(edits.ask_rename)
        self.names.remove_asked.connect(edits.ask_remove_group)
        self.names.dropped.connect(lambda e, c: edits.append_to_list(e.id, e.text, c))
        self.new = push_button("New list", "Make an empty list", self._new)
        self.rename = push_button("Rename", "Give the list another name (F2)", self._rename)
        self.end = push_button("Remove", "Remove the list; its items stay (Delete)", self._end)
        self.save = push_button("Save as …", "Save the list as M3U, XSPF or CSV", self._save)
        self.once = push_button(
            "Air next",
            "Put the list into the running order, once: right "
            "after the item on air, or before the line chosen at Air",
            self.air_once,
        )
        self.title = QLabel("")
        self.title.setProperty("role", "title")
        self.aired = QLabel("")
        self.aired.setProperty("role", "figure")
        self.plain = QLabel("")
        self.plain.setProperty("role", "muted")
        self.target = Field()
        self.target.setPlaceholderText("1:00:00")
        self.target.setFixedWidth(90)
        self.target.setAccessibleName("How long the list should run")
        self.target.setToolTip("How long the list should run: hours, minutes, seconds")
        self.target.editingFinished.connect(self._set_target)
        self.fill = QLabel("")
        self.table = ListTable(palette)
        self.table.order_asked.connect(self._reorder)
        self._lay_out()

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.names, 1)
        row = QHBoxLayout()
        for button in (self.new, self.rename, self.end):
            row.addWidget(button)
        left.addLayout(row)
        head = QHBoxLayout()
        head.setSpacing(14)
        head.addWidget(self.title)
        head.addStretch(1)
        head.addWidget(self.aired)
        head.addWidget(self.plain)
        fill = QHBoxLayout()
        fill.addWidget(QLabel("Should run"))
        fill.addWidget(self.target)
        fill.addWidget(self.fill, 1)
        fill.addWidget(self.once)
        fill.addWidget(self.save)
        right = QVBoxLayout()
        right.addLayout(head)
        right.addLayout(fill)
        right.addWidget(self.table, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(14, 4, 14, 8)
        whole.setSpacing(16)
        whole.addLayout(left, 1)
        whole.addLayout(right, 4)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.names.painter_.palette_ = palette
        self.table.set_palette(palette)
        self.update()

    def refresh(self) -> None:
        """Read the lists anew."""
        self._shelf.look(lambda c: lists.item_lists(c.folder), self._show_names, "names")

    def choose(self, list_id: int) -> None:
        """Choose a list once it is there."""

        def then(found: list[ItemList]) -> None:
            self._show_names(found)
            for one in found:
                if one.id == list_id:
                    self.names.choose(groups.LIST, one.name)

        self._shelf.look(lambda c: lists.item_lists(c.folder), then, "names")

    def _show_names(self, found: list[ItemList]) -> None:
        self._lists = found
        self.names.show_entries(
            [GroupLine(groups.LIST, one.name, one.count, one.id) for one in found]
        )
        if found and self._chosen() is None:
            self.names.choose(groups.LIST, found[0].name)
        self._read()

    def _chosen(self) -> ItemList | None:
        entry = self.names.entry()
        return next((one for one in self._lists if entry and one.id == entry.id), None)

    def _read(self) -> None:
        one = self._chosen()
        for widget in (self.rename, self.end, self.save, self.once, self.target):
            widget.setEnabled(one is not None)
        if one is None:
            self.title.setText("No lists yet")
            self.plain.setText("“New list” makes one; or choose items and “To a new list”.")
            self.table.show_rows(())
            self.aired.setText("")
            self.fill.setText("")
            return
        number, settings = one.id, self._settings

        def look(catalogue: Catalogue) -> Any:
            carts = lists.list_carts(catalogue.folder, number)
            items = catalogue.items(carts)
            there = [items[cart] for cart in carts if cart in items]
            return carts, items, running_time(there, catalogue.rules()[1], settings.rate)

        self._shelf.look(look, lambda found: self._show(one, *found), "list")

    def _show(
        self, one: ItemList, carts: list[int], items: dict[int, Item], running: ListLength
    ) -> None:
        starts = iter(running.starts_s)
        self.table.show_rows(
            [
                ListLine(at, cart, next(starts, None) if cart in items else None, items.get(cart))
                for at, cart in enumerate(carts)
            ]
        )
        self.title.setText(one.name)
        self.aired.setText(length(running.aired_s))
        self.plain.setText(f"as it would air, with segues\n{length(running.plain_s)} without")
        if not self.target.hasFocus():
            self.target.setText("" if one.target_s is None else length(one.target_s))
        if one.target_s is None:
            self.fill.setText("")
        else:
            short = running.short_by_s(one.target_s)
            self.fill.setText(
                f"{length(short)} still to fill" if short >= 0 else f"runs over by {length(-short)}"
            )

    # -- edits ---------------------------------------------------------------------------------

    def _reorder(self, carts: list[int]) -> None:
        one = self._chosen()
        if one is not None:
            self._edits.set_list(one.id, one.name, carts)

    def _set_target(self) -> None:
        one = self._chosen()
        if one is None or not self.target.isModified():
            return
        self.target.setModified(False)
        seconds = seconds_from(self.target.text())
        if seconds is None and self.target.text().strip():
            self.said.emit(
                f"“{self.target.text()}” is not a length; write it like 58:30 or 1:00:00."
            )
            return
        self._shelf.edit(lambda lib: lists.set_target(lib, one.id, seconds))

    def _new(self) -> None:
        self._edits.ask_new_list([], self.choose)

    def _rename(self) -> None:
        entry = self.names.entry()
        if entry is not None:
            self._edits.ask_rename(entry)

    def _end(self) -> None:
        entry = self.names.entry()
        if entry is not None:
            self._edits.ask_remove_group(entry)

    def air_once(self) -> None:
        """Ask for the list to air once, right after what is on."""
        carts = self.table.carts()
        if carts:
            self.add_asked.emit(carts)

    def _save(self) -> None:
        one = self._chosen()
        if one is None:
            return
        kinds = "M3U playlist (*.m3u);;XSPF playlist (*.xspf);;CSV table (*.csv)"
        name, kind = QFileDialog.getSaveFileName(self, "Save the list", f"{one.name}.m3u", kinds)
        if name:
            path = Path(name)
            if not path.suffix:
                found = re.search(r"\*(\.\w+)", kind)
                path = path.with_suffix(found.group(1) if found else ".m3u")
            self.save_to(one, path, self._settings.tz)

    def save_to(self, one: ItemList, path: Path, tz: ZoneInfo) -> None:
        """Write a list to a file whose suffix says how."""

        def look(catalogue: Catalogue) -> Any:
            carts = lists.list_carts(catalogue.folder, one.id)
            exchange.write(path, catalogue, carts, tz, one.name)

        self._shelf.look(look, lambda _: self.said.emit(f"“{one.name}” is saved as {path}."))


def seconds_from(text: str) -> float | None:
    """Read a length written as S, M:SS or H:MM:SS; None when it is not one."""
    parts = text.strip().split(":")
    if not 1 <= len(parts) <= 3 or not all(part.isdigit() for part in parts):
        return None
    total = 0.0
    for part in parts:
        total = total * 60 + int(part)
    return total

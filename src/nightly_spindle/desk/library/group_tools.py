"""The buttons under the groups: making, renaming, weighing, ending a category or list."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from nightly_spindle.desk.kit.theme import Palette, icon
from nightly_spindle.desk.library import groups

if TYPE_CHECKING:
    from nightly_spindle.desk.library.groups import GroupList
    from nightly_spindle.desk.library.library_edits import LibraryEdits

_TOOLS = (
    ("new", "plus", "Make a category"),
    ("rename", "pencil", "Rename the chosen category or list; another one's name merges them (F2)"),
    ("less", "arrow-down", "Play the category half as often (-)"),
    ("more", "arrow-up", "Play the category twice as often (+)"),
    ("end", "trash-2", "End the chosen category or list; its items stay (Delete)"),
)


class GroupTools(QWidget):
    """Acts on the group that is chosen in a list of groups."""

    def __init__(self, edits: LibraryEdits, chosen: GroupList, palette: Palette) -> None:
        super().__init__()
        self._edits, self._chosen = edits, chosen
        self.tools: dict[str, QToolButton] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        for name, _, tip in _TOOLS:
            button = QToolButton()
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.setProperty("role", "mini")
            button.clicked.connect(lambda _=False, name=name: self._act(name))
            self.tools[name] = button
            row.addWidget(button)
        row.addStretch(1)
        chosen.picked.connect(lambda _: self._follow())
        self.set_palette(palette)
        self._follow()

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for name, picture, _ in _TOOLS:
            self.tools[name].setIcon(icon(picture, palette.text))

    def _follow(self) -> None:
        entry = self._chosen.entry()
        sort = entry.sort if entry is not None else ""
        for name in ("rename", "end"):
            self.tools[name].setEnabled(sort in {groups.CATEGORY, groups.LIST})
        for name in ("less", "more"):
            self.tools[name].setEnabled(sort == groups.CATEGORY)

    def _act(self, name: str) -> None:
        entry = self._chosen.entry()
        if name == "new":
            self._edits.ask_new_category()
        elif entry is None:
            return
        elif name == "rename":
            self._edits.ask_rename(entry)
        elif name == "end":
            self._edits.ask_remove_group(entry)
        else:
            self._edits.weigh(entry, 2.0 if name == "more" else 0.5)

"""The keyboard on one page."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QWidget

if TYPE_CHECKING:
    from PySide6.QtGui import QKeyEvent

SHORTCUTS = (
    (
        "Everywhere",
        (
            ("Ctrl+1 to Ctrl+0", "the places, from Air to Station"),
            ("Ctrl+Z, Ctrl+Shift+Z", "undo, redo"),
            ("Ctrl+F", "find items in the library"),
            ("Ctrl+C, Ctrl+Shift+C", "copy the chosen rows as text, as CSV"),
            ("F4", "go to the next finding"),
            ("Ctrl+L", "light or dark"),
            ("F1", "this page"),
            ("Ctrl+Q", "close the desk; the station stays on air"),
        ),
    ),
    (
        "Air",
        (
            ("F6", "attend, or leave unattended"),
            ("F7", "change the segue into the chosen line"),
            ("F8", "skip to the next line"),
            ("F9", "stop, start, go on air"),
            ("Ctrl+N", "add an item to the running order"),
            ("Ctrl+Up, Ctrl+Down", "move the chosen line"),
            ("Delete", "remove the chosen lines"),
            ("+ and -, Left, Right", "night line: zoom, choose a line"),
            ("Home", "night line: back to now"),
        ),
    ),
    (
        "Logs",
        (
            ("Arrows, Enter", "board: choose a log, open it"),
            ("N", "next line that cannot air"),
            ("Ctrl+Up, Ctrl+Down, Delete", "move a line, drop it"),
            ("Esc", "back to the board"),
        ),
    ),
    (
        "Events",
        (
            ("Arrows, Enter", "week: choose a firing, edit its event"),
            ("Ctrl+Arrows", "move it by 5 min or a day; Shift 1 min"),
            ("Alt+Up, Alt+Down", "copy it to the day before, the next day"),
            ("Space, Delete", "switch it on or off, remove it"),
            ("Page Up, Page Down, Home", "the week before, the next, this one"),
            ("Ctrl+N, Ctrl+S", "new event; save the changes"),
        ),
    ),
    (
        "Library",
        (
            ("Space", "listen to the chosen item, or stop"),
            ("Ctrl+Enter", "add the chosen items to the running order"),
            ("Ctrl+M", "set markers for the chosen items, one after the other"),
            ("Ctrl+S", "segue rules: save the changes"),
        ),
    ),
    (
        "Formats",
        (
            ("Ctrl+N, Ctrl+S", "new clock, day plan or rule; save the changes"),
            ("Alt+Left, Alt+Right", "schedule: the day before, the next day"),
            ("Ctrl+Enter", "schedule: make the shown day"),
            ("Enter, Insert", "schedule: use the candidate, put it in before"),
        ),
    ),
    (
        "Campaigns",
        (
            ("Ctrl+N, Ctrl+S", "new order or break; save the changes"),
            ("Arrows, Space", "hours: move; Space paints or clears; Shift extends"),
            ("Arrows", "week: choose a break"),
            ("Ctrl+Arrows", "week: move the chosen spot"),
        ),
    ),
    (
        "Overlays",
        (
            ("Up, Down", "coming: choose a join"),
            ("Left, Right", "move what plays over it by 0.1 s; Shift 1 s"),
            ("Space", "listen to it, or to a member; stop"),
            ("Delete, Backspace", "lay nothing; back to automatic"),
            ("Ctrl+Up, Ctrl+Down", "pools: asked sooner, later; members: order"),
            ("Ctrl+N, Ctrl+S", "new pool; save the changes"),
        ),
    ),
    (
        "Station",
        (
            ("Ctrl+N, Ctrl+S", "new stream; save the changes"),
            ("Delete", "outputs: remove the chosen one"),
            ("Space", "aired: listen to the chosen line, or stop"),
        ),
    ),
    (
        "Marking",
        (
            ("Space", "listen from the playhead, or stop"),
            ("1 to 9", "set a marker at the playhead"),
            ("Up, Down", "choose a marker"),
            ("Left, Right", "playhead by 1 s; Shift 0.1, Ctrl 5"),
            (", and .", "move the marker by 10 ms; Shift 1, Ctrl 100"),
            ("Enter", "type its position"),
            ("Delete, Backspace", "clear it; back to the measured position"),
            ("H, L", "listen at it; loop around it"),
            ("Z, O", "snap to the zero crossing; to the attack"),
            ("+ and -, 0, Home", "zoom; all of it; zoom to the marker"),
            ("S", "spectrum"),
            ("Page Up, Page Down", "the item before, the next item"),
        ),
    ),
    (
        "Changing a segue",
        (
            ("Space", "listen to the join, or stop"),
            (", and .", "move the start by 10 ms; Shift 1, Ctrl 100"),
            ("F2, F3, F5", "save it: this time, for the pair, in the items"),
            ("Page Up, Page Down", "the join before, the next join"),
        ),
    ),
)
_COLUMNS = ((0, 1, 2, 3, 4), (5, 6, 7, 8, 9))  # which parts stand below each other


class KeysPage(QFrame):
    """Lies over the window; any key or click takes it away."""

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent)
        self.setObjectName("keys")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        row = QHBoxLayout(self)
        row.setContentsMargins(28, 20, 28, 20)
        row.setSpacing(36)
        for parts in _COLUMNS:
            grid = QGridLayout()
            grid.setHorizontalSpacing(18)
            grid.setVerticalSpacing(3)
            for part in parts:
                _add_part(grid, *SHORTCUTS[part])
            grid.setRowStretch(grid.rowCount(), 1)
            row.addLayout(grid)
        self.hide()

    def open(self) -> None:
        """Show the page in the middle of the window."""
        self.adjustSize()
        parent = self.parentWidget()
        assert parent is not None
        self.move((parent.width() - self.width()) // 2, (parent.height() - self.height()) // 2)
        self.show()
        self.raise_()
        self.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Any key closes it."""
        del event
        self.hide()

    def mousePressEvent(self, event: object) -> None:
        """Any click closes it."""
        del event
        self.hide()


def _add_part(grid: QGridLayout, title: str, keys: tuple[tuple[str, str], ...]) -> None:
    caption = QLabel(title.upper())
    caption.setProperty("role", "caption")
    first = grid.rowCount()
    grid.addWidget(caption, first, 0, 1, 2)
    for at, (key, what) in enumerate(keys, first + 1):
        name = QLabel(key)
        name.setProperty("role", "strong")
        grid.addWidget(name, at, 0)
        grid.addWidget(QLabel(what), at, 1)

"""The rail of places; something dragged onto one and held there opens it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtCore import QSize, Qt, QTimer, Signal
from PySide6.QtWidgets import QToolButton, QVBoxLayout, QWidget

from nightly_spindle.desk.kit.dragged_items import MIME
from nightly_spindle.desk.kit.theme import Palette, icon

if TYPE_CHECKING:
    from PySide6.QtGui import QDragEnterEvent, QDragLeaveEvent

_HOLD_MS = 450
_WIDE = 78
PLACES = (
    ("Air", "radio-tower", "What is on air and what follows"),
    ("Tonight", "moon-star", "Will tonight work? What is to be known, hour by hour"),
    ("Logs", "calendar-check", "The logs of the coming days, and where they arrive"),
    ("Events", "calendar-clock", "Timed events: the week, the list"),
    ("Library", "library", "Items, lists, intake"),
    ("Formats", "list-music", "Format clocks, the week, rules, logs made ahead"),
    ("Campaigns", "megaphone", "Advertisers' orders, the breaks of the week, reports"),
    ("Overlays", "layers-2", "Sweepers and voiceovers coming up, and their pools"),
    ("Morning", "sunrise", "What happened in the night, and why"),
    ("Station", "hard-drive", "Backups, check, the station book"),
)


class PlaceButton(QToolButton):
    """Signal: `hovered` when items were held over it for a moment."""

    hovered = Signal()

    def __init__(self) -> None:
        super().__init__()
        self.setAcceptDrops(True)
        self._held = QTimer(self)
        self._held.setSingleShot(True)
        self._held.setInterval(_HOLD_MS)
        self._held.timeout.connect(self.hovered)

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Begin to wait."""
        if event.mimeData().hasFormat(MIME) or event.mimeData().hasUrls():
            event.acceptProposedAction()
            self._held.start()

    def dragLeaveEvent(self, event: QDragLeaveEvent) -> None:
        """They are gone."""
        self._held.stop()
        super().dragLeaveEvent(event)


class Rail(QWidget):
    """The places below each other, and at the foot the look and the keys.

    Signal: `gone_to` (the name of a place).
    """

    gone_to = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("rail")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setFixedWidth(_WIDE)
        self.places: dict[str, PlaceButton] = {}
        box = QVBoxLayout(self)
        box.setContentsMargins(0, 0, 0, 8)
        box.setSpacing(0)
        for number, (name, picture, tip) in enumerate(PLACES, 1):
            button = PlaceButton()
            _dress(button, name, picture, f"{tip} (Ctrl+{number % 10})")
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, name=name: self.gone_to.emit(name))
            button.hovered.connect(lambda name=name: self.gone_to.emit(name))
            self.places[name] = button
            box.addWidget(button)
        self.places["Air"].setChecked(True)
        box.addStretch(1)
        self.look, self.help = QToolButton(), QToolButton()
        _dress(self.look, "Theme", "sun-moon", "Light or dark (Ctrl+L)")
        _dress(self.help, "Keys", "keyboard", "The keyboard on one page (F1)")
        box.addWidget(self.look)
        box.addWidget(self.help)

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        for button in (*self.places.values(), self.look, self.help):
            button.setIcon(icon(str(button.property("picture")), palette.text, 22))


def _dress(button: QToolButton, text: str, picture: str, tip: str) -> None:
    button.setText(text)
    button.setToolTip(tip)
    button.setAccessibleName(text)
    button.setProperty("role", "place")
    button.setProperty("picture", picture)
    button.setIconSize(QSize(22, 22))
    button.setFixedWidth(_WIDE)
    button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)

"""The waiting room: items that lack something, and files that could not be read."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QModelIndex, Qt, Signal
from PySide6.QtGui import QKeyEvent, QKeySequence, QShortcut
from PySide6.QtWidgets import (
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from nightly_spindle.core.base.timebase import length, short_date
from nightly_spindle.core.library.intake import State, Tags, Waits
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.desk.kit.fields import Field
from nightly_spindle.desk.waves.item_wave import ItemWave
from nightly_spindle.store.library.catalogue import Catalogue, CatalogueRow, Query
from nightly_spindle.store.library.intake_reading import Arrival, read_arrivals
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

    from nightly_spindle.desk.kit.desk_ear import DeskEar
    from nightly_spindle.desk.kit.library_worker import LibraryWorker
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.desk.library.library_edits import LibraryEdits
    from nightly_spindle.store.library.catalogue import Detail

_MOST = 500  # of each that are shown at once
_FIELDS = ("artist", "title", "album", "year")


@dataclass(frozen=True, slots=True)
class _Guest:
    """One entry: an item that waits, or a file that was refused."""

    row: CatalogueRow | None
    arrival: Arrival | None

    @property
    def mark(self) -> tuple[str, int]:
        """What tells it from the others."""
        if self.row is not None:
            return "item", self.row.cart
        assert self.arrival is not None
        return "file", self.arrival.id


class WaitingRoom(QWidget):
    """A queue to be settled by keyboard: Enter settles, and the next one is there.

    Signals: `counted` (int) when the number of those that wait changes; `said` (str).
    """

    counted = Signal(int)
    said = Signal(str)

    def __init__(
        self,
        shelf: LibraryWorker,
        edits: LibraryEdits,
        ear: DeskEar,
        palette: Palette,
        tz: ZoneInfo,
    ) -> None:
        super().__init__()
        self._shelf, self._edits, self._ear, self._tz = shelf, edits, ear, tz
        self._guests: list[_Guest] = []
        self._detail: Detail | None = None
        self._twin: Detail | None = None
        self.list = QListWidget()
        self.list.setAccessibleName("Waiting")
        self.list.setMinimumWidth(330)
        self.list.setWordWrap(False)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.currentRowChanged.connect(self._on_row)
        self.list.itemActivated.connect(lambda _: self._focus_form())
        self.name = QLabel("")
        self.name.setProperty("role", "title")
        self.name.setWordWrap(True)
        self.why = QLabel("")
        self.why.setProperty("role", "warn")
        self.why.setWordWrap(True)
        self.facts = QLabel("")
        self.facts.setProperty("role", "muted")
        self.facts.setWordWrap(True)
        self.wave = ItemWave(palette)
        self.wave.asked.connect(self._listen)
        self.fields: dict[str, QLineEdit] = {}
        self.forms = QStackedWidget()
        self.tags_form = self._make_tags_form()
        self.twin_form = self._make_twin_form()
        self.file_form = self._make_file_form()
        self.none_form = QWidget()
        for form in (self.none_form, self.tags_form, self.twin_form, self.file_form):
            self.forms.addWidget(form)
        self._lay_out()
        ear.at.connect(self._on_ear)
        ear.ended.connect(lambda: self.wave.set_playhead(None))
        for keys, act in (
            ("Ctrl+Return", self._keep),
            ("Ctrl+R", self._take_over),
            ("Ctrl+D", self._drop),
            ("Ctrl+Space", self._listen),
            ("Ctrl+T", self._again),
            ("Ctrl+G", self._forget),
        ):
            shortcut = QShortcut(QKeySequence(keys), self)
            shortcut.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
            shortcut.activated.connect(act)

    # -- making --------------------------------------------------------------------------------

    def _lay_out(self) -> None:
        right = QWidget()
        right.setObjectName("details")
        right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        box = QVBoxLayout(right)
        box.setContentsMargins(22, 16, 22, 14)
        box.setSpacing(9)
        for widget in (self.name, self.why, self.facts, self.wave, self.forms):
            box.addWidget(widget)
        box.addStretch(1)
        self.hint = QLabel("")
        self.hint.setProperty("role", "muted")
        self.hint.setWordWrap(True)
        box.addWidget(self.hint)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 0, 0, 6)
        whole.setSpacing(10)
        whole.addWidget(self.list, 2)
        whole.addWidget(right, 3)

    def _make_tags_form(self) -> QWidget:
        form = QWidget()
        grid = QGridLayout(form)
        grid.setContentsMargins(0, 6, 0, 0)
        grid.setVerticalSpacing(5)
        for at, name in enumerate(_FIELDS):
            field = Field()
            field.setAccessibleName(name.capitalize())
            field.returnPressed.connect(self._settle)
            self.fields[name] = field
            grid.addWidget(QLabel(name.capitalize()), at, 0)
            grid.addWidget(field, at, 1)
        row = _buttons(
            ("Save and next", "Save these tags and go on to the next (Enter)", self._settle),
            ("Accept as is", "Accept it as it is (Ctrl+Enter)", self._keep),
            ("Listen", "Play it for yourself (Ctrl+Space)", self._listen),
            ("Remove", "Remove it from the library; the file stays (Ctrl+D)", self._drop),
        )
        grid.addLayout(row, len(_FIELDS), 1)
        return form

    def _make_twin_form(self) -> QWidget:
        form = QWidget()
        box = QVBoxLayout(form)
        box.setContentsMargins(0, 6, 0, 0)
        self.compare = QLabel("")
        self.compare.setTextFormat(Qt.TextFormat.RichText)
        self.compare.setWordWrap(True)
        box.addWidget(self.compare)
        box.addLayout(
            _buttons(
                (
                    "Remove the new one",
                    "Remove it from the library; the file stays (Ctrl+D)",
                    self._drop,
                ),
                (
                    "Replace the old audio",
                    ("The item keeps its number, tags and places and gets this audio (Ctrl+R)"),
                    self._take_over,
                ),
                ("Keep both", "They are two items (Ctrl+Enter)", self._keep),
                ("Listen", "Play the new one for yourself (Ctrl+Space)", self._listen),
            )
        )
        return form

    def _make_file_form(self) -> QWidget:
        form = QWidget()
        box = QVBoxLayout(form)
        box.setContentsMargins(0, 6, 0, 0)
        box.addLayout(
            _buttons(
                ("Try again", "Look at the file once more (Ctrl+T)", self._again),
                ("Dismiss", "Take it off this list; the file stays (Ctrl+G)", self._forget),
            )
        )
        return form

    def set_palette(self, palette: Palette) -> None:
        """Paint in other colours."""
        self.wave.palette_ = palette
        self.update()

    # -- showing -------------------------------------------------------------------------------

    def refresh(self) -> None:
        """Read anew who waits."""
        self._shelf.look(_guests, self._show, "waiting", news=True)

    def _show(self, guests: list[_Guest]) -> None:
        old = self._current()
        at = max(0, self.list.currentRow())
        self._guests = guests
        self.list.blockSignals(True)
        self.list.clear()
        for guest in guests:
            self.list.addItem(QListWidgetItem(_label(guest, self._tz)))
        same = [i for i, g in enumerate(guests) if old is not None and g.mark == old.mark]
        self.list.setCurrentRow(same[0] if same else min(at, len(guests) - 1))
        self.list.blockSignals(False)
        self.counted.emit(len(guests))
        if not same or self._detail is None:
            self._on_row(self.list.currentRow())

    def _current(self) -> _Guest | None:
        at = self.list.currentRow()
        return self._guests[at] if 0 <= at < len(self._guests) else None

    def _on_row(self, _at: int) -> None:
        guest = self._current()
        self._detail = self._twin = None
        if guest is None:
            self._show_nobody()
        elif guest.row is not None:
            cart = guest.row.cart
            self._shelf.look(lambda c: _both(c, cart), self._show_item, "guest")
        else:
            self._show_file(guest.arrival)

    def _show_nobody(self) -> None:
        self.name.setText("Nothing is waiting")
        self.why.setText("")
        self.facts.setText(
            "Files that come in without artist or title, that seem to be in the library already, "
            "or that cannot be read wait here until you settle them."
        )
        self.wave.hide()
        self._show_form(self.none_form)

    def _show_file(self, arrival: Arrival | None) -> None:
        assert arrival is not None
        self.name.setText(Path(arrival.path).name)
        why = arrival.why.removeprefix(arrival.path).lstrip(": ")
        self.why.setText(f"Could not be imported: {why}.")
        self.facts.setText(
            f"{arrival.path}\nThe file stays where it is. Fix or replace it, and it is looked "
            "at again automatically where its folder is watched."
        )
        self.wave.hide()
        self._show_form(self.file_form)

    def _show_item(self, both: tuple[Detail | None, Detail | None]) -> None:
        detail, twin = both
        if detail is None:
            return
        self._detail, self._twin = detail, twin
        row = detail.row
        self.name.setText(row.title)
        self.why.setText(f"{detail.why_waits[:1].upper()}{detail.why_waits[1:]}.")
        self.facts.setText(
            f"{row.kind}, cart {row.cart}, {length(row.duration_s)}, {detail.encoding}\n"
            f"{detail.item.path}"
        )
        self.wave.show_item(
            detail.overview, detail.item.measure.duration_s, detail.placed, row.kind
        )
        self.wave.show()
        if row.waits == Waits.DUPLICATE and twin is not None:
            self.compare.setText(_compared(detail, twin))
            self._show_form(self.twin_form)
            return
        for name, field in self.fields.items():
            field.setText(getattr(row, name))
        self._show_form(self.tags_form)
        self._focus_form()

    def _show_form(self, form: QWidget) -> None:
        self.forms.setCurrentWidget(form)
        keys = {
            self.tags_form: "Enter settles and goes on, Ctrl+Enter keeps it as it is, Ctrl+D drops "
            "it, Ctrl+Space listens, up and down walk through the queue.",
            self.twin_form: "Ctrl+D drops the new one, Ctrl+R replaces the old audio, Ctrl+Enter "
            "keeps both, Ctrl+Space listens, up and down walk through the queue.",
            self.file_form: "Ctrl+T tries again, Ctrl+G forgets it, up and down walk through.",
        }
        self.hint.setText(keys.get(form, ""))

    def _focus_form(self) -> None:
        if self.forms.currentWidget() is self.tags_form and self.isVisible():
            empty = [f for f in self.fields.values() if not f.text()]
            (empty or list(self.fields.values()))[0].setFocus()

    # -- settling ------------------------------------------------------------------------------

    def _settle(self) -> None:
        if self._detail is None:
            return
        texts = {name: " ".join(field.text().split()) for name, field in self.fields.items()}
        if not texts["title"]:
            self.said.emit("A title must not be empty: lists and logs would show nothing.")
            return
        row, self._detail = self._detail.row, None
        self._edits.settle(row.cart, row.kind, Tags(**texts))

    def _keep(self) -> None:
        if self._detail is not None:
            cart, self._detail = self._detail.row.cart, None
            self._edits.keep([cart])

    def _take_over(self) -> None:
        if self._detail is not None and self._twin is not None:
            cart, self._detail = self._detail.row.cart, None
            self._edits.take_over(cart, self._twin.row.cart)

    def _drop(self) -> None:
        if self._detail is not None:
            cart, self._detail = self._detail.row.cart, None
            self._edits.remove([cart])

    def _again(self) -> None:
        guest = self._current()
        if guest is not None and guest.arrival is not None:
            number = guest.arrival.id
            self._shelf.edit(lambda library: editors.arrivals.again(library, [number]))

    def _forget(self) -> None:
        guest = self._current()
        if guest is not None and guest.arrival is not None:
            number = guest.arrival.id
            self._shelf.edit(lambda library: editors.arrivals.forget(library, [number]))

    def _listen(self, from_s: float | None = None) -> None:
        if self._detail is None:
            return
        item = self._detail.item
        if self._ear.playing and from_s is None:
            self._ear.stop()
        else:
            self._ear.play(item.path, cues_of(item).cue_in_s if from_s is None else from_s)

    def _on_ear(self, path: str, at_s: float) -> None:
        if self._detail is not None and self._detail.item.path == path:
            self.wave.set_playhead(at_s)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Up and Down walk through the queue from anywhere on the page."""
        if event.key() in {Qt.Key.Key_Up, Qt.Key.Key_Down}:
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            at = min(max(0, self.list.currentRow() + step), self.list.count() - 1)
            self.list.setCurrentIndex(self.list.model().index(at, 0, QModelIndex()))
        else:
            super().keyPressEvent(event)


def _guests(catalogue: Catalogue) -> list[_Guest]:
    found = catalogue.find(Query(waiting=True, sort="cart"), 0)
    rows = catalogue.rows(found.carts[:_MOST].tolist())
    refused = read_arrivals(catalogue.folder, _MOST, State.REFUSED)
    guests = [_Guest(row, None) for row in rows]
    return guests + [_Guest(None, arrival) for arrival in refused]


def _both(catalogue: Catalogue, cart: int) -> tuple[Any, Any]:
    detail = catalogue.detail(cart)
    twin = catalogue.detail(detail.twin) if detail is not None and detail.twin else None
    return detail, twin


def _label(guest: _Guest, tz: ZoneInfo) -> str:
    if guest.row is not None:
        row = guest.row
        name = f"{row.artist} – {row.title}" if row.artist else row.title
        lacks = {"tags": "artist or title missing", "duplicate": "seems to be there already"}
        return f"{name}\n{lacks[row.waits]} · {row.kind} · {length(row.duration_s)}"
    assert guest.arrival is not None
    arrival = guest.arrival
    return f"{Path(arrival.path).name}\ncould not be imported · {short_date(arrival.at_us, tz)}"


def _compared(new: Detail, old: Detail) -> str:
    def cells(detail: Detail) -> tuple[str, ...]:
        measure = detail.item.measure
        loud = measure.integrated_lufs
        return (
            f"cart {detail.row.cart}",
            detail.row.artist,
            detail.row.title,
            f"{measure.duration_s:.2f} s",
            detail.encoding,
            f"{measure.sample_rate} Hz",
            "silent" if loud is None else f"{loud:.1f} LUFS",
            f"{detail.size / 1e6:.1f} MB",
        )

    from html import escape

    heads = ("", "Artist", "Title", "Length", "Encoding", "Rate", "Loudness", "Size")
    rows = zip(heads, cells(new), cells(old), strict=True)
    body = "".join(
        f"<tr><td>{head}&nbsp;&nbsp;</td><td>{escape(one)}&nbsp;&nbsp;&nbsp;</td>"
        f"<td>{escape(two)}</td></tr>"
        for head, one, two in rows
    )
    head = "<tr><td></td><td><b>the new one</b></td><td><b>there already</b></td></tr>"
    return f"<table>{head}{body}</table>"


def _buttons(*wanted: tuple[str, str, Any]) -> QHBoxLayout:
    row = QHBoxLayout()
    row.setSpacing(6)
    for text, tip, act in wanted:
        button = QPushButton(text)
        button.setToolTip(tip)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False, act=act: act())
        row.addWidget(button)
    row.addStretch(1)
    return row

"""Marking items one after the other: what is shown, and the edits, without any widgets."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from PySide6.QtCore import QObject, QTimer, Signal

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import stamp
from nightly_spindle.core.library.loudness_gain import Gain, gain
from nightly_spindle.core.library.markers import (
    Marker,
    Marks,
    Shaping,
    shaping_from,
    shaping_values,
)
from nightly_spindle.core.segues.effective_markers import Placed, checked_marks, placed
from nightly_spindle.desk.kit.library_worker import LibraryEdit, LibraryWorker
from nightly_spindle.store.station import editors

if TYPE_CHECKING:
    from collections.abc import Sequence

    from PySide6.QtGui import QUndoStack

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.segues.segue_rules import Segues
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.store.library.catalogue import Catalogue

_REST_MS = 600  # nudges that follow each other sooner are one edit


@dataclass(frozen=True, slots=True)
class MarkerPlace:
    """One marker of an item; `at_s` tells sweeper points apart."""

    marker: Marker
    at_s: float

    def means(self, other: MarkerPlace) -> bool:
        """Whether another is the same marker, moved or not."""
        same = self.marker is other.marker
        return same and (self.marker is not Marker.SWEEPER or self.at_s == other.at_s)


class _MarkEdit(LibraryEdit):
    """Sets an item's marks and shaping; undone, it shows the item again."""

    def __init__(self, session: MarkerSession, item: Item, text: str) -> None:
        cart, wanted = item.cart, (item.marks, item.shaping)
        super().__init__(
            session.shelf,
            f"{text} of “{item.title}”",
            lambda library: editors.marking.set_by_hand(library, {cart: wanted}),
            editors.put_marks_back,
        )
        self._session, self._cart, self._first = session, cart, True

    def redo(self) -> None:
        """Make the edit; made again it shows its item."""
        super().redo()
        if not self._first:
            self._session.show_cart(self._cart)
        self._first = False

    def undo(self) -> None:
        """Take the edit back, and show its item."""
        super().undo()
        self._session.show_cart(self._cart)


class MarkerSession(QObject):
    """The items that are being marked, and the one of them that is shown.

    Signals: `opened` when another item is shown, `changed` when its markers or settings are
    others, `said` (str), `gone` when there is nothing to show any more.
    """

    opened = Signal()
    changed = Signal()
    said = Signal(str)
    gone = Signal()

    def __init__(
        self, shelf: LibraryWorker, undo: QUndoStack, parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self.shelf, self._undo = shelf, undo
        self.carts: list[int] = []
        self.place = 0
        self.item: Item | None = None
        self.overview = b""
        self.settings: StationSettings | None = None
        self.segues: Segues | None = None
        self.chosen: MarkerPlace | None = None
        self._edits = 0
        self._pending = ""
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(_REST_MS)
        self._rest.timeout.connect(self.settle)
        shelf.changed.connect(self._reload)

    # -- which item ----------------------------------------------------------------------------

    def open(self, carts: Sequence[int], first: int) -> None:
        """Begin to mark items, with one of them."""
        self.settle()
        self.carts = list(carts)
        self.place = self.carts.index(first) if first in self.carts else 0
        self.item = None
        self._reload()

    def step(self, by: int) -> None:
        """Go to the next item, or the one before."""
        place = self.place + by
        if not 0 <= place < len(self.carts):
            self.said.emit("That was the last of them." if by > 0 else "This is the first.")
            return
        self.settle()
        self.place, self.item = place, None
        self._reload()

    def show_cart(self, cart: int) -> None:
        """Show one of the items."""
        if cart in self.carts and self.carts[self.place] != cart:
            self.place, self.item = self.carts.index(cart), None

    def close(self) -> None:
        """End marking."""
        self.settle()
        self.carts, self.item = [], None

    def _reload(self) -> None:
        if not self.carts:
            return
        cart, edits = self.carts[self.place], self._edits

        def look(catalogue: Catalogue) -> Any:
            return catalogue.detail(cart), catalogue.rules()

        def then(found: Any) -> None:
            if edits == self._edits and self.carts and cart == self.carts[self.place]:
                self._take(*found)

        self.shelf.look(look, then, "cues")

    def _take(self, detail: Any, rules: Any) -> None:
        if detail is None:
            self.said.emit(f"Cart {self.carts[self.place]} is not in the library any more.")
            self.carts, self.item = [], None
            self.gone.emit()
            return
        another = self.item is None or self.item.cart != detail.item.cart
        self.item, self.overview = detail.item, detail.overview
        self.settings, self.segues = rules
        if another:
            self.chosen = None
            self.opened.emit()
        self._keep_choice()
        self.changed.emit()

    # -- what it has ---------------------------------------------------------------------------

    def rows(self) -> list[Placed]:
        """Return the markers that the item has, in the order of time."""
        if self.item is None or self.segues is None:
            return []
        return placed(self.item, self.segues.station)

    def gain(self) -> Gain:
        """Return what the item is lifted by."""
        if self.item is None or self.settings is None:
            return Gain(0.0, "")
        return gain(self.item, self.settings.levels, self.settings.kind_levels)

    def at(self, spot: MarkerPlace | None) -> float | None:
        """Return where a marker is now."""
        if spot is None:
            return None
        if spot.marker is Marker.SWEEPER:
            return spot.at_s
        return next((row.at_s for row in self.rows() if row.marker is spot.marker), None)

    def choose(self, spot: MarkerPlace | None) -> None:
        """Choose a marker."""
        self.chosen = spot
        self.changed.emit()

    def _keep_choice(self) -> None:
        chosen = self.chosen
        if chosen is None or self.item is None:
            return
        sweepers = self.item.marks.sweepers_s
        if chosen.marker is Marker.SWEEPER and chosen.at_s not in sweepers:
            self.chosen = MarkerPlace(chosen.marker, sweepers[0]) if sweepers else None

    # -- edits ---------------------------------------------------------------------------------

    def put(self, marker: Marker, at_s: float, was: MarkerPlace | None = None) -> bool:
        """Set a marker; a sweeper point `was` moves. Returns whether it could be."""
        item = self.item
        if item is None:
            return False
        at_s = round(max(0.0, at_s), 6)
        marks = self._with(item.marks, marker, at_s, was)
        if self._set(marks, item.shaping, f"set the {marker.words}"):
            self.chosen = MarkerPlace(marker, at_s)
            self.changed.emit()
            return True
        return False

    def nudge(self, by_s: float) -> None:
        """Move the chosen marker; nudges that follow each other are one edit."""
        at_s, item, chosen = self.at(self.chosen), self.item, self.chosen
        if at_s is None or item is None or chosen is None:
            self.said.emit("Choose a marker first: Up and Down, or its number key.")
            return
        to = round(at_s + by_s, 6)
        marks = self._with(
            item.marks, chosen.marker, max(0.0, to), MarkerPlace(chosen.marker, at_s)
        )
        try:
            self.item = replace(item, marks=checked_marks(item, marks))
        except InputFault as error:
            self.said.emit(str(error))
            return
        self.chosen = MarkerPlace(chosen.marker, max(0.0, to))
        self._edits += 1
        self._pending = f"nudge the {chosen.marker.words}"
        self._rest.start()
        self.changed.emit()

    def settle(self) -> None:
        """Write nudges down that are not yet."""
        self._rest.stop()
        if self._pending and self.item is not None:
            text, self._pending = self._pending, ""
            self._undo.push(_MarkEdit(self, self.item, text))
        self._pending = ""

    def clear(self) -> None:
        """Clear the chosen marker: it is not there, whatever was measured."""
        chosen, item = self.chosen, self.item
        if chosen is None or item is None:
            return
        if chosen.marker is Marker.SWEEPER:
            rest = tuple(at for at in item.marks.sweepers_s if at != chosen.at_s)
            marks = replace(item.marks, sweepers_s=rest)
        else:
            marks = item.marks.without(chosen.marker)
        self._set(marks, item.shaping, f"clear the {chosen.marker.words}")

    def measured_again(self) -> None:
        """Let the chosen marker be as it is measured."""
        chosen, item = self.chosen, self.item
        if chosen is None or item is None:
            return
        if chosen.marker is Marker.SWEEPER:
            self.said.emit("Sweeper points are not measured; Delete clears one.")
            return
        marks = item.marks.with_mark(chosen.marker, None)
        self._set(marks, item.shaping, f"measured {chosen.marker.words}")

    def shape(self, **values: Any) -> None:
        """Set how the item wants to be played; None is as usual."""
        if self.item is None:
            return
        own = {**shaping_values(self.item.shaping), **values}
        own = {name: value for name, value in own.items() if value is not None}
        try:
            shaping = shaping_from(own)
        except InputFault as error:
            self.said.emit(f"{error}.")
            return
        self._set(self.item.marks, shaping, "how to play")

    def take(self, marks: Marks, shaping: Shaping) -> bool:
        """Take all markers as they are given; returns whether that changes anything."""
        return self._set(marks, shaping, "read the markers")

    def _with(self, marks: Marks, marker: Marker, at_s: float, was: MarkerPlace | None) -> Marks:
        if marker is Marker.SWEEPER and was is not None:
            marks = replace(marks, sweepers_s=tuple(a for a in marks.sweepers_s if a != was.at_s))
        return marks.with_mark(marker, at_s)

    def _set(self, marks: Marks, shaping: Shaping, text: str) -> bool:
        self.settle()
        item = self.item
        if item is None or (marks, shaping) == (item.marks, item.shaping):
            return False
        try:
            checked_marks(item, marks)
        except InputFault as error:
            self.said.emit(str(error))
            self.changed.emit()  # what was typed goes back to what it is
            return False
        self.item = replace(item, marks=marks, shaping=shaping)
        self._edits += 1
        self._undo.push(_MarkEdit(self, self.item, text))
        self._keep_choice()
        self.changed.emit()
        return True

    def told(self) -> str:
        """Say which item this is of how many."""
        if self.item is None:
            return ""
        of = f"{self.place + 1} of {len(self.carts)}" if len(self.carts) > 1 else ""
        parts = (
            self.item.artist,
            str(self.item.kind),
            f"cart {self.item.cart}",
            stamp(self.item.measure.duration_s),
            of,
        )
        return " · ".join(part for part in parts if part)

"""The tables of the place Formats: clocks, slots of one, rules, categories, how often what airs."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QColor

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.music.format_clocks import SlotKind
from nightly_spindle.desk.kit.row_table import Rows

if TYPE_CHECKING:
    from nightly_spindle.core.music.format_clocks import ClockSlot, FormatClock
    from nightly_spindle.core.music.formats import Rotating
    from nightly_spindle.core.music.rotation_rules import RotationRule
    from nightly_spindle.core.music.rotation_stats import ArtistUse, CategoryUse, ItemUse
    from nightly_spindle.core.reports.format_findings import FormatFinding
    from nightly_spindle.desk.kit.theme import Palette
    from nightly_spindle.store.reports.format_board import FormatSheet

# what a slot looks like: the sign of the kind that it mostly puts in
_SIGNS = {SlotKind.CATEGORY: "song", SlotKind.MUSIC: "song", SlotKind.BREAK: "spot",
          SlotKind.LINK: "jingle", SlotKind.LIST: "programme", SlotKind.ITEM: "programme",
          SlotKind.MARK: ""}  # fmt: skip


class ClockRows(Rows):
    """Format clocks: name, how long the strip runs, how the hour ends, where it is used."""

    heads = ("Format clock", "Strip", "Ends", "Used", "")
    right = (1,)

    def __init__(self, palette: Palette) -> None:
        super().__init__(palette)
        self.sheet: FormatSheet | None = None

    def _findings(self, row: FormatClock) -> list[FormatFinding]:
        return [one for one in self.sheet.findings if one.clock == row.id] if self.sheet else []

    def text(self, row: FormatClock, column: int) -> str:
        """Return a cell's text."""
        if column == 0 or self.sheet is None:
            return row.name if column == 0 else ""
        if column == 1:
            return length(self.sheet.lengths[row.id].expected_s)
        if column == 2:
            return "to the second" if row.options.fixed_end else "about"
        return self.sheet.formats.where_used(row.id) if column == 3 else (
            "!" if self._findings(row) else ""
        )  # fmt: skip

    def tip(self, row: FormatClock) -> str:
        """Return the clock's sentence and what is wrong with it."""
        return "\n".join([*(f"{one.text} {one.mend}" for one in self._findings(row)),
                          row.sentence()])  # fmt: skip

    def kind(self, row: FormatClock) -> str:
        """Return the shape of a row."""
        del row
        return "song"

    def ink(self, row: FormatClock, column: int) -> QColor | None:
        """Return the colour of a cell."""
        if column == 4 and self._findings(row):
            return QColor(self.palette_.alarm)
        return None if column == 0 else QColor(self.palette_.muted)


class SlotRows(Rows):
    """The slots of a strip, in order."""

    heads = ("Slot", "Length")
    right = (1,)

    def __init__(self, palette: Palette) -> None:
        super().__init__(palette)
        self.seconds: dict[int, float] = {}

    def text(self, row: ClockSlot, column: int) -> str:
        """Return a cell's text."""
        if column == 0:
            fixed = ", to the second" if row.fixed else ""
            return f"{row.words}{fixed}"
        at = self.seconds.get(id(row), 0.0)
        return length(at) if at else ""

    def tip(self, row: ClockSlot) -> str:
        """Return the slot as it is written."""
        return row.text

    def kind(self, row: ClockSlot) -> str:
        """Return the shape of a row."""
        return _SIGNS[row.kind]

    def ink(self, row: ClockSlot, column: int) -> QColor | None:
        """Return the colour of a cell."""
        del row
        return QColor(self.palette_.muted) if column else None


class RuleRows(Rows):
    """Rules of rotation, as sentences."""

    heads = ("Rule", "Kept")

    def text(self, row: RotationRule, column: int) -> str:
        """Return a cell's text."""
        if column:
            return "firm" if row.firm else f"soft, weight {row.weight:g}"
        return row.sentence().rsplit(" (", 1)[0]

    def tip(self, row: RotationRule) -> str:
        """Return the rule's sentence."""
        return row.sentence()

    def kind(self, row: RotationRule) -> str:
        """Return the shape of a row."""
        del row
        return ""

    def ink(self, row: RotationRule, column: int) -> QColor | None:
        """Return the colour of a cell."""
        return QColor(self.palette_.muted) if column and not row.firm else None


class RotatingRows(Rows):
    """Categories: how many items, which weight, in which order they come round."""

    heads = ("Category", "Items", "Weight", "Comes round")
    right = (1, 2)

    def text(self, row: Rotating, column: int) -> str:
        """Return a cell's text."""
        return (row.name, str(len(row.carts)), f"{row.weight:g}", str(row.turn))[column]

    def tip(self, row: Rotating) -> str:
        """Return what the row is."""
        return f"{row.name}: {len(row.carts)} items come round {row.turn}"

    def kind(self, row: Rotating) -> str:
        """Return the shape of a row."""
        return "song" if row.music else "jingle"

    def ink(self, row: Rotating, column: int) -> QColor | None:
        """Return the colour of a cell."""
        del row
        return QColor(self.palette_.muted) if column else None


def apart_text(seconds: float | None) -> str:
    """Return a time between plays: "3 h", "2 d 4 h"; a dash for none."""
    if seconds is None:
        return "–"
    minutes = round(seconds / 60)
    if minutes < 120:
        return f"{minutes} min"
    days, hours = divmod(round(seconds / 3600), 24)
    return f"{days} d {hours} h" if days else f"{hours} h"


class ItemUseRows(Rows):
    """Items: how often they play, how far apart, why never."""

    heads = ("Item", "Category", "Plays", "Apart", "Least", "Why never")
    right = (2, 3, 4)

    def text(self, row: ItemUse, column: int) -> str:
        """Return a cell's text."""
        return (row.item.label, row.category, str(row.plays), apart_text(row.apart_s),
                apart_text(row.least_s), row.never or row.item.turn.sentence())[column]  # fmt: skip

    def tip(self, row: ItemUse) -> str:
        """Return why it never airs, or what limits it."""
        return row.never or row.item.turn.sentence() or row.item.label

    def kind(self, row: ItemUse) -> str:
        """Return the shape of a row."""
        return str(row.item.kind)

    def ink(self, row: ItemUse, column: int) -> QColor | None:
        """Return the colour of a cell."""
        if not row.plays and column in {2, 5}:
            return QColor(self.palette_.alarm)
        return QColor(self.palette_.muted) if column in {1, 3, 4, 5} else None


class CategoryUseRows(Rows):
    """Categories: plays, share against weight, how evenly their items are used."""

    heads = ("Category", "Plays", "Share", "Wanted", "Unevenness", "Never")
    right = (1, 2, 3, 4, 5)

    def text(self, row: CategoryUse, column: int) -> str:
        """Return a cell's text."""
        return (row.name or "All songs", str(row.plays), f"{row.share:.0%}", f"{row.wanted:.0%}",
                f"{row.gini:.2f}", str(row.never))[column]  # fmt: skip

    def tip(self, row: CategoryUse) -> str:
        """Return what the figures mean."""
        return (f"{row.name}: {row.items} items. Unevenness is Gini's coefficient of their plays: "
                "0 is all alike.")  # fmt: skip

    def kind(self, row: CategoryUse) -> str:
        """Return the shape of a row."""
        del row
        return "song"

    def ink(self, row: CategoryUse, column: int) -> QColor | None:
        """Return the colour of a cell."""
        return QColor(self.palette_.alarm) if column == 5 and row.never else None


class ArtistUseRows(Rows):
    """Artists: how often they play, how far apart."""

    heads = ("Artist", "Plays", "Apart", "Least")
    right = (1, 2, 3)

    def text(self, row: ArtistUse, column: int) -> str:
        """Return a cell's text."""
        return (row.name, str(row.plays), apart_text(row.apart_s), apart_text(row.least_s))[column]

    def tip(self, row: ArtistUse) -> str:
        """Return who it is."""
        return row.name

    def kind(self, row: ArtistUse) -> str:
        """Return the shape of a row."""
        del row
        return "song"

    def ink(self, row: ArtistUse, column: int) -> QColor | None:
        """Return the colour of a cell."""
        del row
        return QColor(self.palette_.muted) if column > 1 else None

"""The tables of the place Formats: clocks, slots of one, rules, categories, how often what airs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.music.format_clocks import ClockSlot, FormatClock, SlotKind
from nightly_spindle.core.music.formats import Rotating
from nightly_spindle.core.music.rotation_rules import RotationRule
from nightly_spindle.core.music.rotation_stats import ArtistUse, CategoryUse, ItemUse
from nightly_spindle.core.reports.format_findings import FormatFinding
from nightly_spindle.desk.kit.table_layout import Column, TableLayout

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.desk.kit.table_layout import Ink
    from nightly_spindle.store.reports.format_board import FormatSheet

# what a slot looks like: the sign of the kind that it mostly puts in
_SIGNS = {
    SlotKind.CATEGORY: "song",
    SlotKind.MUSIC: "song",
    SlotKind.BREAK: "spot",
    SlotKind.LINK: "jingle",
    SlotKind.LIST: "programme",
    SlotKind.ITEM: "programme",
    SlotKind.MARK: "",
}


@dataclass(frozen=True, slots=True)
class ClockRow:
    """A format clock, how long its strip runs (s), where it is used, what is wrong with it."""

    clock: FormatClock
    expected_s: float
    used: str
    findings: tuple[FormatFinding, ...]


def clock_rows(clocks: Iterable[FormatClock], sheet: FormatSheet) -> list[ClockRow]:
    """Return the rows of some clocks."""
    return [
        ClockRow(
            clock,
            sheet.lengths[clock.id].expected_s,
            sheet.formats.where_used(clock.id),
            tuple(one for one in sheet.findings if one.clock == clock.id),
        )
        for clock in clocks
    ]


def _clock_tip(row: ClockRow) -> str:
    told = (f"{one.text} {one.mend}" for one in row.findings)
    return "\n".join([*told, row.clock.sentence()])


CLOCKS: TableLayout[ClockRow] = TableLayout(
    "Format clocks",
    (
        Column("Format clock", 170, lambda r: r.clock.name, wide=True, sign=lambda _: "song"),
        Column(
            "Strip",
            60,
            lambda r: length(r.expected_s),
            right=True,
            ink="muted",
            sort=lambda r: r.expected_s,
        ),
        Column(
            "Ends",
            84,
            ink="muted",
            text=lambda r: "to the second" if r.clock.options.fixed_end else "about",
        ),
        Column("Used", 190, lambda r: r.used, ink="muted"),
        Column("Finding", 24, lambda r: "!" if r.findings else "", head="", ink="alarm"),
    ),
    tip=_clock_tip,
)


@dataclass(frozen=True, slots=True)
class SlotRow:
    """A slot of a clock's strip, and how long it runs (s; 0 while that is not known)."""

    slot: ClockSlot
    seconds: float


SLOTS: TableLayout[SlotRow] = TableLayout(
    "Slots of the clock",
    (
        Column(
            "Slot",
            190,
            wide=True,
            sign=lambda r: _SIGNS[r.slot.kind],
            text=lambda r: f"{r.slot.words}{', to the second' if r.slot.fixed else ''}",
        ),
        Column(
            "Length", 56, lambda r: length(r.seconds) if r.seconds else "", right=True, ink="muted"
        ),
    ),
    tip=lambda r: r.slot.text,
    sortable=False,
)


def _kept(rule: RotationRule) -> str:
    return "firm" if rule.firm else f"preferred, weight {rule.weight:g}"


RULES: TableLayout[RotationRule] = TableLayout(
    "Rules of rotation",
    (
        Column("Rule", 520, lambda r: r.sentence().rsplit(" (", 1)[0], wide=True),
        Column("Kept", 130, _kept, ink=lambda r: "text" if r.firm else "muted"),
    ),
    tip=lambda r: r.sentence(),
)

CATEGORIES: TableLayout[Rotating] = TableLayout(
    "Categories",
    (
        Column(
            "Category",
            220,
            lambda r: r.name,
            wide=True,
            sign=lambda r: "song" if r.music else "jingle",
        ),
        Column(
            "Items",
            70,
            lambda r: str(len(r.carts)),
            right=True,
            ink="muted",
            sort=lambda r: len(r.carts),
        ),
        Column(
            "Weight",
            70,
            lambda r: f"{r.weight:g}",
            right=True,
            ink="muted",
            sort=lambda r: r.weight,
        ),
        Column("Comes round", 130, lambda r: str(r.turn), ink="muted"),
    ),
    tip=lambda r: f"{r.name}: {len(r.carts)} items play {r.turn}",
    key=lambda r: r.name,
)


def apart_text(seconds: float | None) -> str:
    """Return a time between plays: "3 h", "2 d 4 h"; a dash for none."""
    if seconds is None:
        return "–"
    minutes = round(seconds / 60)
    if minutes < 120:
        return f"{minutes} min"
    days, hours = divmod(round(seconds / 3600), 24)
    return f"{days} d {hours} h" if days else f"{hours} h"


def _never_ink(row: ItemUse) -> Ink:
    return "text" if row.plays else "alarm"


def _why(row: ItemUse) -> str:
    return row.never or row.item.turn.sentence()


ITEM_USES: TableLayout[ItemUse] = TableLayout(
    "Use of items",
    (
        Column("Item", 230, lambda r: r.item.label, wide=True, sign=lambda r: str(r.item.kind)),
        Column("Category", 130, lambda r: r.category, ink="muted"),
        Column(
            "Plays", 48, lambda r: str(r.plays), right=True, ink=_never_ink, sort=lambda r: r.plays
        ),
        Column(
            "Average gap",
            84,
            lambda r: apart_text(r.apart_s),
            right=True,
            ink="muted",
            sort=lambda r: r.apart_s or 0.0,
        ),
        Column(
            "Shortest gap",
            88,
            lambda r: apart_text(r.least_s),
            right=True,
            ink="muted",
            sort=lambda r: r.least_s or 0.0,
        ),
        Column("Why not played", 200, _why, ink=lambda r: "muted" if r.plays else "alarm"),
    ),
    tip=lambda r: _why(r) or r.item.label,
    key=lambda r: r.item.cart,
)

CATEGORY_USES: TableLayout[CategoryUse] = TableLayout(
    "Use of categories",
    (
        Column("Category", 150, lambda r: r.name or "All songs", wide=True, sign=lambda _: "song"),
        Column("Plays", 52, lambda r: str(r.plays), right=True, sort=lambda r: r.plays),
        Column("Share", 52, lambda r: f"{r.share:.0%}", right=True, sort=lambda r: r.share),
        Column("Target", 56, lambda r: f"{r.wanted:.0%}", right=True, sort=lambda r: r.wanted),
        Column("Evenness", 70, lambda r: f"{1 - r.gini:.2f}", right=True, sort=lambda r: -r.gini),
        Column(
            "Never",
            48,
            lambda r: str(r.never),
            right=True,
            sort=lambda r: r.never,
            ink=lambda r: "alarm" if r.never else "text",
        ),
    ),
    tip=lambda r: (
        f"{r.name}: {r.items} items. Evenness is one minus Gini's coefficient of their "
        "plays: 1 is all alike."
    ),
)

ARTIST_USES: TableLayout[ArtistUse] = TableLayout(
    "Use of artists",
    (
        Column("Artist", 160, lambda r: r.name, wide=True, sign=lambda _: "song"),
        Column("Plays", 52, lambda r: str(r.plays), right=True, sort=lambda r: r.plays),
        Column(
            "Average gap",
            84,
            lambda r: apart_text(r.apart_s),
            right=True,
            ink="muted",
            sort=lambda r: r.apart_s or 0.0,
        ),
        Column(
            "Shortest gap",
            88,
            lambda r: apart_text(r.least_s),
            right=True,
            ink="muted",
            sort=lambda r: r.least_s or 0.0,
        ),
    ),
    tip=lambda r: r.name,
)

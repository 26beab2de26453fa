"""The tables of pools and of a pool's members."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.overlays.overlay_pools import PoolUse
from nightly_spindle.desk.kit.table_layout import Column, TableLayout
from nightly_spindle.store.reports.overlay_board import MemberSheet, PoolSheet

if TYPE_CHECKING:
    from nightly_spindle.desk.kit.table_layout import Ink

SIGNS = {PoolUse.SWEEPERS: "sweeper", PoolUse.VOICEOVERS: "voiceover", PoolUse.LINKS: "jingle"}


@dataclass(frozen=True, slots=True)
class PoolRow:
    """A pool, and how often it will air in the next 24 hours."""

    sheet: PoolSheet
    coming: int


@dataclass(frozen=True, slots=True)
class MemberRow:
    """A member of a pool, its place in it, and how often it will air in the next 24 hours."""

    place: int
    sheet: MemberSheet
    coming: int


def _open_words(sheet: PoolSheet) -> str:
    if sheet.is_open:
        return "open"
    return "closed" if sheet.pool.options.enabled else "off"


def _pool_ink(row: PoolRow) -> Ink:
    return "text" if row.sheet.is_open else "muted"


def _pool_tip(row: PoolRow) -> str:
    told = (f"{one.text} {one.mend}" for one in row.sheet.findings)
    return "\n".join([*told, row.sheet.sentence])


POOLS: TableLayout[PoolRow] = TableLayout(
    "Pools",
    (
        Column(
            "Pool",
            150,
            lambda r: r.sheet.pool.name,
            wide=True,
            ink=_pool_ink,
            sign=lambda r: SIGNS[r.sheet.pool.use],
        ),
        Column("For", 86, lambda r: str(r.sheet.pool.use), ink=_pool_ink),
        Column("Now", 62, lambda r: _open_words(r.sheet), ink=_pool_ink),
        Column(
            "Next up",
            170,
            lambda r: r.sheet.next_up.title if r.sheet.next_up else "–",
            ink=_pool_ink,
        ),
        Column(
            "Aired 24 h",
            74,
            lambda r: str(sum(one.aired for one in r.sheet.members)),
            right=True,
            ink=_pool_ink,
        ),
        Column("To come", 66, lambda r: str(r.coming), right=True, ink=_pool_ink),
        Column("Finding", 24, lambda r: "!" if r.sheet.findings else "", head="", ink="alarm"),
    ),
    tip=_pool_tip,
    sortable=False,  # they are asked from top to bottom
)


def _member_ink(row: MemberRow) -> Ink:
    return "alarm" if row.sheet.problem else "text"


def _lasts(row: MemberRow) -> str:
    seconds = row.sheet.length_s
    return f"{seconds:.1f} s" if seconds < 60 else length(seconds)


MEMBERS: TableLayout[MemberRow] = TableLayout(
    "Members",
    (
        Column(
            "Title",
            180,
            lambda r: r.sheet.title,
            wide=True,
            ink=_member_ink,
            sign=lambda r: r.sheet.kind,
        ),
        Column(
            "Turn",
            54,
            lambda r: "next" if r.sheet.turn == 0 else str(r.sheet.turn + 1),
            right=True,
            ink=_member_ink,
        ),
        Column("Cart", 54, lambda r: str(r.sheet.cart), right=True, ink=_member_ink),
        Column("Length", 62, _lasts, right=True, ink=_member_ink),
        Column("Weight", 62, lambda r: f"{r.sheet.weight:g}", right=True, ink=_member_ink),
        Column("Aired 24 h", 74, lambda r: str(r.sheet.aired), right=True, ink=_member_ink),
        Column("To come", 66, lambda r: str(r.coming), right=True, ink=_member_ink),
    ),
    tip=lambda r: r.sheet.problem or r.sheet.path,
    sortable=False,  # their order is the order of their turns
)

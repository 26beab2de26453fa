"""The tables of pools and of a pool's members."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PySide6.QtGui import QColor

from nightly_spindle.core.base.timebase import length
from nightly_spindle.core.overlays.overlay_pools import PoolUse
from nightly_spindle.desk.kit.row_table import Rows

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.store.reports.overlay_board import MemberSheet, PoolSheet

SIGNS = {PoolUse.SWEEPERS: "sweeper", PoolUse.VOICEOVERS: "voiceover", PoolUse.LINKS: "jingle"}


class PoolRows(Rows):
    """Pools: name, use, whether open, whose turn, counts, finding."""

    heads = ("Pool", "For", "Now", "Next up", "Aired 24 h", "To come", "")
    right = (4, 5)

    def text(self, row: PoolSheet, column: int) -> str:
        """Return a cell's text."""
        following = row.next_up
        makers: tuple[Callable[[], str], ...] = (
            lambda: row.pool.name,
            lambda: str(row.pool.use),
            lambda: "open" if row.is_open else ("closed" if row.pool.options.enabled else "off"),
            lambda: following.title if following else "–",
            lambda: str(sum(member.aired for member in row.members)),
            lambda: str(self.coming.get(-row.pool.id, 0)),
            lambda: "!" if row.findings else "",
        )
        return makers[column]()

    def tip(self, row: PoolSheet) -> str:
        """Return the pool's sentence and what is wrong with it."""
        return "\n".join([*(f"{one.text} {one.mend}" for one in row.findings), row.sentence])

    def kind(self, row: PoolSheet) -> str:
        """Return the kind that stands for its use."""
        return SIGNS[row.pool.use]

    def ink(self, row: PoolSheet, column: int) -> QColor | None:
        """Return a cell's colour where it is not the usual one."""
        if column == 6:
            return QColor(self.palette_.alarm)
        return None if row.is_open else QColor(self.palette_.muted)


class MemberRows(Rows):
    """Members of a pool: turn, title, cart, length, weight, counts."""

    heads = ("Title", "Turn", "Cart", "Length", "Weight", "Aired 24 h", "To come")
    right = (1, 2, 3, 4, 5, 6)

    def text(self, row: MemberSheet, column: int) -> str:
        """Return a cell's text."""
        makers: tuple[Callable[[], str], ...] = (
            lambda: row.title,
            lambda: "next" if row.turn == 0 else str(row.turn + 1),
            lambda: str(row.cart),
            lambda: f"{row.length_s:.1f} s" if row.length_s < 60 else length(row.length_s),
            lambda: f"{row.weight:g}",
            lambda: str(row.aired),
            lambda: str(self.coming.get(row.cart, 0)),
        )
        return makers[column]()

    def tip(self, row: MemberSheet) -> str:
        """Return what is wrong with a member, else where its audio lies."""
        return row.problem or row.path

    def kind(self, row: MemberSheet) -> str:
        """Return the item's kind."""
        return row.kind

    def ink(self, row: MemberSheet, column: int) -> QColor | None:
        """Return a cell's colour where it is not the usual one."""
        del column
        return QColor(self.palette_.alarm) if row.problem else None

"""Changing a made hour by hand: what it comes to then, and what would fit in a line best."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.base.timebase import US, length
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.music.formats import ALL_SONGS
from nightly_spindle.core.music.hour_judge import Broken, HourJudge
from nightly_spindle.core.music.hour_segments import ABOUT_S, FIXED_S
from nightly_spindle.core.music.made_logs import MadeHour, MadeLine, Note
from nightly_spindle.core.music.rule_costs import FIRM, RuleCosts

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.music.making_stock import Stock
    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_rules import RotationRule

_LANDS = 0.02  # what a second off the end costs, where candidates are put in order
BY_HAND = -6  # in place of a slot's number: the operator put it there


@dataclass(frozen=True, slots=True)
class LineCandidate:
    """An item that may stand in a line: what it costs there, in words too.

    `lands_s` is by how much the hour would land late with it (early: below 0).
    """

    item: Item
    cost: float
    words: tuple[str, ...]
    firm: bool
    lands_s: float


class HourEditor:
    """Edits one made hour among what airs around it. `lines` does not hold the hour itself."""

    def __init__(
        self,
        hour: MadeHour,
        stock: Stock,
        lines: PlayColumns,
        rules: Sequence[RotationRule],
        end_us: int,
    ) -> None:
        self.hour = hour
        self._stock = stock
        self._lines = lines
        self._costs = RuleCosts(stock.table, rules, stock.wall)
        self._judge = HourJudge(stock.table, rules, stock.wall)
        self._seconds = (end_us - hour.start_us) / US

    def assessed(self, lines: Sequence[MadeLine]) -> MadeHour:
        """Return the hour with these lines: their times, the rules they break, how it lands."""
        timed, end = self._timed(lines)
        rows = self._put_in(timed)
        told = self._judged(timed, rows)
        self._take_out(timed, rows)
        notes = [
            note
            for note in self.hour.notes
            if note.line < 0 and not note.firm and " lands " not in note.text
        ]
        made, cost = [], 0.0
        for place, (line, broken) in enumerate(zip(timed, told, strict=True)):
            words = tuple(one.words for one in broken)
            made.append(replace(line, broken=words))
            cost += sum(one.cost for one in broken)
            if any(one.firm for one in broken):
                title = self._stock.table.item(self._stock.table.row(line.cart)).label
                notes.append(Note(place, f"“{title}” breaks: {' '.join(words)}", firm=True))
        off = end - self._seconds
        if abs(off) > (FIXED_S if self.hour.fixed else ABOUT_S):
            way = "late" if off > 0 else "early"
            notes.append(Note(-1, f"The hour lands {length(abs(off))} {way}.", self.hour.fixed))
        return replace(
            self.hour,
            lines=tuple(made),
            notes=tuple(notes),
            lands_s=round(off, 3),
            cost=round(cost, 4),
        )

    def replaced(self, place: int, cart: int) -> MadeHour:
        """Return the hour with another item in a line."""
        lines = self._checked(place)
        lines[place] = replace(
            lines[place], cart=self._known(cart), by_hand=True, pattern=0, why="Put in by hand."
        )
        return self.assessed(lines)

    def inserted(self, place: int, cart: int) -> MadeHour:
        """Return the hour with an item put in before a line (or at the end)."""
        lines = list(self.hour.lines)
        at = max(0, min(place, len(lines)))
        new = MadeLine(self._known(cart), 0.0, BY_HAND, "Put in by hand.", by_hand=True)
        lines.insert(at, new)
        return self.assessed(lines)

    def removed(self, place: int) -> MadeHour:
        """Return the hour without a line."""
        lines = self._checked(place)
        del lines[place]
        return self.assessed(lines)

    def moved(self, place: int, to: int) -> MadeHour:
        """Return the hour with a line at another place."""
        lines = self._checked(place)
        line = lines.pop(place)
        lines.insert(max(0, min(to, len(lines))), line)
        return self.assessed(lines)

    def candidates(
        self, place: int, category: str | None = None, most: int = 40
    ) -> list[LineCandidate]:
        """Return what would fit in a line best, of its category (or another), best first.

        Firm rules come before soft ones, these before landing.
        """
        line = self._checked(place)[place]
        table = self._stock.table
        name = line.category if category is None else category.casefold()
        rows = table.category_rows(name)
        if not rows.size:
            rows = table.category_rows(ALL_SONGS)
        others = [one for at, one in enumerate(self.hour.lines) if at != place]
        seated = self._put_in(others)
        at_s = self.hour.start_us / US + line.at_s
        costs = self._costs.costs(self._lines, at_s, rows)
        here = float(table.length_s[table.row(line.cart)])
        lands = self.hour.lands_s + table.length_s[rows] - here
        order = np.argsort(costs + _LANDS * np.abs(lands), kind="stable")[:most]
        found = []
        for at in order:
            told = self._costs.told(self._lines, at_s, int(rows[at]))
            words = tuple(text for text, _ in told)
            firm = any(cost >= FIRM for _, cost in told)
            item = table.item(int(rows[at]))
            found.append(LineCandidate(item, float(costs[at]), words, firm, float(lands[at])))
        self._take_out(others, seated)
        return found

    def _timed(self, lines: Sequence[MadeLine]) -> tuple[list[MadeLine], float]:
        """Return lines with their starts from the hour's, and when the last is over."""
        table = self._stock.table
        rows = [table.row(line.cart) for line in lines]
        items = [table.item(row) for row in rows if row]
        real = iter(self._stock.joined(items))
        breaks = dict(self._stock.breaks.values())
        at = self.hour.lines[0].at_s if self.hour.lines else 0.0
        timed = []
        for line, row in zip(lines, rows, strict=True):
            timed.append(replace(line, at_s=round(at, 3)))
            at += next(real) if row else breaks.get(line.pattern, 0.0)
        return timed, at

    def _put_in(self, lines: Sequence[MadeLine]) -> list[int]:
        rows = [self._stock.table.row(line.cart) for line in lines]
        for line, row in zip(lines, rows, strict=True):
            if row:
                self._lines.insert(self.hour.start_us / US + line.at_s, row)
        return rows

    def _take_out(self, lines: Sequence[MadeLine], rows: Sequence[int]) -> None:
        for line, row in zip(lines, rows, strict=True):
            if row:
                self._lines.remove(self.hour.start_us / US + line.at_s, row)

    def _judged(self, lines: Sequence[MadeLine], rows: Sequence[int]) -> list[list[Broken]]:
        """Return what each line breaks; what is no song breaks nothing."""
        begin_s, music = self.hour.start_us / US, self._stock.table.music
        songs = [place for place, row in enumerate(rows) if row and music[row]]
        told = self._judge.judged(
            self._lines, [(begin_s + lines[place].at_s, rows[place]) for place in songs]
        )
        found: list[list[Broken]] = [[] for _ in lines]
        for place, broken in zip(songs, told, strict=True):
            found[place] = broken
        return found

    def _checked(self, place: int) -> list[MadeLine]:
        if not 0 <= place < len(self.hour.lines):
            raise InputFault(f"the hour has no line {place + 1}; it has {len(self.hour.lines)}")
        return list(self.hour.lines)

    def _known(self, cart: int) -> int:
        if not self._stock.table.row(cart):
            raise InputFault(f"no item that can be played has the cart number {cart}")
        return cart

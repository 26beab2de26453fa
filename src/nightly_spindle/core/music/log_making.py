"""Making logs: hour after hour by format clocks, rules and weights, landing on time.

Each hour is filled in order and improved before the next begins (`segment_fill`); what is there
already, before and after, is a neighbour that counts. How much is tried is counted, not timed, so
that the same seed makes the same log on every machine.
"""

from __future__ import annotations

import math
from collections import Counter
from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.music.candidate_costs import CandidateCosts
from nightly_spindle.core.music.category_turns import CategoryTurns
from nightly_spindle.core.music.format_clocks import SlotKind
from nightly_spindle.core.music.formats import ALL_SONGS
from nightly_spindle.core.music.hour_judge import HourJudge
from nightly_spindle.core.music.hour_segments import (
    EVENTS,
    FILLS,
    LINKS,
    HourTask,
    Need,
    Segment,
    TakenTime,
)
from nightly_spindle.core.music.made_hour import finished
from nightly_spindle.core.music.rule_costs import FIRM
from nightly_spindle.core.music.segment_draft import Seat, SegmentDraft
from nightly_spindle.core.music.segment_fill import TOGETHER, Filler
from nightly_spindle.core.music.segment_mending import (
    breaks_firm,
    mend_all,
    set_real_lengths,
    songs_of,
)

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator, Mapping, Sequence

    from nightly_spindle.core.music.made_logs import MadeHour
    from nightly_spindle.core.music.making_stock import Stock
    from nightly_spindle.core.music.play_columns import PlayColumns
    from nightly_spindle.core.music.rotation_rules import RotationRule

EFFORT = 1.5  # looks at a category for each song, where what was chosen at first breaks a rule
_NO_MUSIC = "there is no song that could be played"
_SONG_S = 210.0  # what a song is taken to last where nothing is known (common practice, no source)
_MANY = 4  # songs of which each can be a little longer or shorter, to take up a part of one
_LANDS_AGAIN = 3  # times that an hour's end is aimed at again by its real joins


class Maker:
    """Makes hours. `lines` is what airs around them; what is made is put in."""

    def __init__(
        self, stock: Stock, lines: PlayColumns, tasks: Iterable[HourTask], effort: float = EFFORT
    ) -> None:
        self.stock = stock
        self.lines = lines
        self._tasks = sorted(tasks, key=lambda task: task.begin_s)
        self._effort = effort
        self._songs_since = 0
        self._carried_s = 0.0
        self._choices: dict[tuple[RotationRule, ...], CandidateCosts] = {}
        self._judges: dict[tuple[RotationRule, ...], HourJudge] = {}
        self._means = stock.table.mean_s
        self._turns = CategoryTurns(stock.formats, stock.table, self._means)
        self._ideal_s = self._ideal_gaps()

    def make(self) -> Iterator[MadeHour]:
        """Make the hours one by one; each is yielded when it is done."""
        ends_s = None
        for task in self._tasks:
            if task.covered:
                continue
            begins_s = task.opens_s
            # what runs over from the hour before, or ended early, moves this one
            if ends_s is not None and abs(ends_s - begins_s) < 600:
                begins_s = ends_s
            made, ends_s = self._hour(task, begins_s)
            yield made

    def choice(self, rules: Sequence[RotationRule]) -> CandidateCosts:
        """Return what judges seats by these rules."""
        key = tuple(rules)
        found = self._choices.get(key)
        if found is None:
            rng = np.random.default_rng(self.stock.seed)
            stock = self.stock
            found = self._choices[key] = CandidateCosts(
                stock.table, stock.wall, rules, stock.formats.categories, self._ideal_s, rng
            )
        return found

    def _judge(self, rules: Sequence[RotationRule]) -> HourJudge:
        """Return what looks by these rules at what is made."""
        key = tuple(rules)
        found = self._judges.get(key)
        if found is None:
            stock = self.stock
            found = self._judges[key] = HourJudge(stock.table, key, stock.wall)
        return found

    def _hour(self, task: HourTask, begins_s: float) -> tuple[MadeHour, float]:
        rng = np.random.default_rng([self.stock.seed, int(task.begin_s) % 2**32])
        rules = self.stock.formats.rules_of(task.clock)
        choice = self.choice(rules)
        choice.begin_hour()
        drafts: list[SegmentDraft] = []
        notes: list[str] = []
        segments = task.segments()
        ahead = self._fixed_ahead(begins_s, segments)
        at = begins_s
        for segment, known in zip(segments, ahead, strict=True):
            for line in known:
                self.lines.remove(*line)  # now it is seated itself
            draft = self._filled(task, segment, at, choice, rng, notes)
            drafts.append(draft)
            at = draft.end_s
        judge = self._judge(rules)
        broken = judge.judged(self.lines, songs_of(drafts))
        if breaks_firm(drafts, broken, choice):
            firm = self._judge([rule for rule in rules if rule.firm])
            mend_all(drafts, firm, choice, rng, self.stock)
            broken = judge.judged(self.lines, songs_of(drafts))
        made = finished(task, drafts, broken, choice, notes, self.stock)
        return made, drafts[-1].end_s if drafts else at

    def _fixed_ahead(
        self, begins_s: float, segments: Sequence[Segment]
    ) -> list[list[tuple[float, int]]]:
        """Put what later segments fix into the line-up; returns it, segment by segment."""
        found: list[list[tuple[float, int]]] = []
        at = begins_s
        for segment in segments:
            own = []
            for need in segment.needs:
                row = self.stock.table.row(need.cart)
                if row and found:
                    self.lines.insert(at, row)
                    own.append((at, row))
                if need.cart or need.music:
                    at += float(self.stock.table.length_s[row]) if row else _SONG_S
            found.append(own)
            at = segment.until_s
        return found

    def _filled(
        self,
        task: HourTask,
        segment: Segment,
        begins_s: float,
        choice: CandidateCosts,
        rng: np.random.Generator,
        notes: list[str],
    ) -> SegmentDraft:
        """Return a segment filled; where it does not land so, with a song less or more.

        Of the two the one that lands nearer is kept.
        """
        since = self._songs_since
        first = self._try(task, segment, begins_s, choice, rng, notes, 0.0)
        if abs(first.off_s) <= segment.tolerance_s or not first.music:
            return first
        kept = [(seat.row, seat.length_s) for seat in first.seats]
        off, after = first.off_s, self._songs_since
        self._undo(task, first, since)
        lean = -math.copysign(0.6 * _SONG_S, off)
        lean *= self._mean_s(first) / _SONG_S
        second = self._try(task, segment, begins_s, choice, rng, [], lean)
        if abs(second.off_s) < abs(off) and second.ruled <= max(first.ruled, FIRM / 2):
            return second
        self._undo(task, second, after)
        for seat in first.seats:
            if seat.need.slot == FILLS:
                self._turns.take(task.clock, seat.need.category)
        for place, (row, seconds) in enumerate(kept):
            first.put(place, row, seconds)
        return first

    def _mean_s(self, draft: SegmentDraft) -> float:
        """Return how long a song of a draft is taken to last."""
        known = [self._means.get(draft.seats[at].need.category, _SONG_S) for at in draft.music]
        return sum(known) / len(known)

    def _try(
        self,
        task: HourTask,
        segment: Segment,
        begins_s: float,
        choice: CandidateCosts,
        rng: np.random.Generator,
        notes: list[str],
        lean_s: float,
    ) -> SegmentDraft:
        draft = self._segment(task, segment, begins_s, notes, lean_s)
        draft.ruled = Filler(draft, choice, rng, self._effort).fill()
        self._land(draft, choice, rng)
        return draft

    def _undo(self, task: HourTask, draft: SegmentDraft, songs_since: int) -> None:
        """Take a draft out of the line-up; what it had of the weights is had no more."""
        for seat in draft.seats:
            if seat.need.slot == FILLS:
                self._turns.give_back(task.clock, seat.need.category)
        draft.clear()
        self._songs_since = songs_since

    def _land(self, draft: SegmentDraft, choice: CandidateCosts, rng: np.random.Generator) -> None:
        """Give a segment the lengths of its real joins, and aim again where it is off by them."""
        for _ in range(_LANDS_AGAIN):
            set_real_lengths(draft, self.stock)
            music = draft.music[-self._together(draft, choice) :]
            if abs(draft.off_s) <= draft.segment.tolerance_s * 0.9 or not music:
                break
            rows = draft.rows()
            lengths = self.stock.table.length_s
            draft.bias_s = sum(draft.seats[at].length_s - float(lengths[rows[at]]) for at in music)
            for place in music:
                draft.take(place)
            draft.ruled += Filler(draft, choice, rng, self._effort).fill()
        set_real_lengths(draft, self.stock)

    @staticmethod
    def _together(draft: SegmentDraft, choice: CandidateCosts) -> int:
        """Return how many songs at the end are chosen anew so that a segment lands."""
        last = draft.music[-TOGETHER:]
        scarce = [draft.seats[at].need.category in choice.scarcity for at in last]
        return TOGETHER if scarce and all(scarce) else 2

    # -- what sits where, before songs are chosen -----

    def _segment(
        self, task: HourTask, segment: Segment, begins_s: float, notes: list[str], lean_s: float
    ) -> SegmentDraft:
        """Return the draft of a segment: its seats, those filled that are not music.

        `lean_s` leans towards a song more (above 0) or less than comes nearest.
        """
        needs = segment.needs
        if not self._has_music(task):
            notes.append(f"{_NO_MUSIC}: the safety net fills what is left")
            needs = tuple(need for need in needs if not need.music)
        seats = [self._seat(task, need, notes) for need in needs]
        taken = [one for one in task.taken if begins_s <= one.at_s < segment.until_s]
        left = segment.until_s - begins_s - sum(seat.expected_s for seat, _ in seats)
        left -= sum(one.lasts_s for one in taken)
        wanted = self._with_fill(task, segment, seats, left, lean_s)
        filled = _within(wanted, segment, begins_s + sum(one.lasts_s for one in taken), notes)
        stay = {id(seat) for seat, _ in filled}
        for seat, _ in wanted:
            if id(seat) not in stay and seat.need.slot == FILLS:
                self._turns.give_back(task.clock, seat.need.category)
        filled = _with_taken(self._with_links(task, filled), taken, begins_s)
        if filled and segment.mark:
            first = filled[0][0]
            first.need = replace(first.need, mark=segment.mark)
        draft = SegmentDraft(
            self.stock.table, self.lines, segment, begins_s, [s for s, _ in filled]
        )
        for place, (seat, row) in enumerate(filled):
            if row is not None:
                draft.put(place, row, seat.expected_s)
        return draft

    def _seat(self, task: HourTask, need: Need, notes: list[str]) -> tuple[Seat, int | None]:
        """Return the seat of a need, and the row that sits in it, None where music is chosen."""
        if need.music:
            category = need.category
            if not self.stock.table.category_rows(category).size:
                notes.append(f"{need.words}: nothing in that category can be played; by weights")
                category = self._turns.next(task.clock)
                need = Need(need.slot, need.kind, need.words, category, mark=need.mark)
            return Seat(need, self._means.get(category, _SONG_S)), None
        if need.kind is SlotKind.BREAK:
            known = self.stock.breaks.get(need.name.strip().casefold())
            return Seat(need, known[1] if known else 0.0), 0
        cart, why = self._fixed_cart(need)
        row = self.stock.table.row(cart)
        if not row:
            notes.append(f"{need.words}: {why or f'item {cart} is not in the library'}")
            return Seat(need, 0.0), 0
        return Seat(need, float(self.stock.table.length_s[row]), why=why), row

    def _fixed_cart(self, need: Need) -> tuple[int, str]:
        """Return the item that a need names itself, or whose turn it is in its list or pool."""
        if need.cart:
            return need.cart, ""
        name = need.name.strip().casefold()
        if need.kind is SlotKind.LIST:
            carts = [c for c in self.stock.formats.lists.get(name, ()) if self.stock.table.row(c)]
            if not carts:
                return 0, "the list holds nothing that can be played"
            last = self._last_heard(carts)
            after = 0 if last is None else (carts.index(last) + 1) % len(carts)
            return carts[after], f"The next of the list “{need.name}”."
        pool = self.stock.pools.get(name)
        carts = [c for c in pool.carts if self.stock.table.row(c)] if pool else []
        if not carts:
            return 0, "the pool holds nothing that can be played"
        heard = {cart: at for at, cart in enumerate(self._heard_among(carts))}
        return min(carts, key=lambda cart: heard.get(cart, -1)), f"Its turn in “{need.name}”."

    def _heard_among(self, carts: Sequence[int]) -> list[int]:
        """Return those that air before what is made now, in order, the last of each."""
        wanted = {self.stock.table.row(cart): cart for cart in carts}
        rows = self.lines.row
        found = rows[np.isin(rows, list(wanted))]
        return [wanted[int(row)] for row in found]

    def _last_heard(self, carts: Sequence[int]) -> int | None:
        heard = self._heard_among(carts)
        return heard[-1] if heard else None

    def _has_music(self, task: HourTask) -> bool:
        """Whether there is any song at all that music by weights could be."""
        names = (ALL_SONGS, *self.stock.formats.weights_of(task.clock))
        return any(self.stock.table.category_rows(name).size for name in names)

    def _with_fill(
        self,
        task: HourTask,
        segment: Segment,
        seats: list[tuple[Seat, int | None]],
        left_s: float,
        lean_s: float,
    ) -> list[tuple[Seat, int | None]]:
        """Put music by weights in at the places for it, as much as comes nearest to the end."""
        more: list[Seat] = []
        link = self._link_share(task)
        while self._has_music(task):
            category = self._turns.next(task.clock)
            length = self._means.get(category, 0.0) or _SONG_S
            # a song more as long as it brings the end nearer than leaving it out; what is left
            # over is carried on, so that songs need not be longer than the mean hour after hour
            carried = self._carried_s if len(more) >= _MANY else 0.0
            if left_s + carried + lean_s < length / 2:
                self._turns.give_back(task.clock, category)
                if not lean_s:
                    self._carried_s = max(-length, min(length, carried + left_s))
                break
            need = Need(FILLS, SlotKind.CATEGORY, "music by weights", category)
            more.append(Seat(need, length))
            left_s -= length + link
        found: list[tuple[Seat, int | None]] = []
        places = list(segment.fills)
        shares = [
            len(more) // len(places) + (at < len(more) % len(places)) for at in range(len(places))
        ]
        for place in range(len(seats) + 1):
            for at, fill in enumerate(places):
                if fill == place:
                    found += [(more.pop(0), None) for _ in range(shares[at])]
            if place < len(seats):
                found.append(seats[place])
        return found

    # -- links between songs -----

    def _link_share(self, task: HourTask) -> float:
        """Return what links take of the time of each song."""
        name = task.clock.options.link_pool.strip().casefold()
        pool = self.stock.pools.get(name)
        if pool is None:
            return 0.0
        rows = [row for cart in pool.carts if (row := self.stock.table.row(cart))]
        mean = float(self.stock.table.length_s[rows].mean()) if rows else 0.0
        return mean / task.clock.options.link_songs

    def _with_links(
        self, task: HourTask, seats: list[tuple[Seat, int | None]]
    ) -> list[tuple[Seat, int | None]]:
        """Put a link in after every so many songs, where the clock says so."""
        name = task.clock.options.link_pool
        if self.stock.pools.get(name.strip().casefold()) is None:
            return seats
        found: list[tuple[Seat, int | None]] = []
        used: list[int] = []
        for seat, row in seats:
            if seat.need.music:
                if self._songs_since >= task.clock.options.link_songs:
                    found += self._link(name, used)
                    self._songs_since = 0
                self._songs_since += 1
            elif seat.need.kind is SlotKind.LINK:
                self._songs_since = 0
            found.append((seat, row))
        return found

    def _link(self, name: str, used: list[int]) -> list[tuple[Seat, int | None]]:
        pool = self.stock.pools[name.strip().casefold()]
        table = self.stock.table
        carts = [cart for cart in pool.carts if table.row(cart)]
        heard = {cart: at for at, cart in enumerate([*self._heard_among(carts), *used])}
        if not carts:
            return []
        cart = min(carts, key=lambda one: heard.get(one, -1))
        used.append(cart)
        row = table.row(cart)
        words = f"a link from “{pool.name}”"
        need = Need(LINKS, SlotKind.LINK, words, cart=cart, name=pool.name)
        return [(Seat(need, float(table.length_s[row]), why=f"Its turn in “{pool.name}”."), row)]

    def _ideal_gaps(self) -> dict[str, float]:
        """Return the even time between two plays of an item, by category (s)."""
        plays: Counter[str] = Counter()
        seconds = 0.0
        for task in self._tasks:
            seconds += task.end_s - task.begin_s
            plays.update(_expected_songs(task, self.stock, self._means))
        span = max(seconds, 3600.0)
        if self._tasks:
            # hours that are not made hold none of it: the gap is by the clock on the wall
            span = max(span, self._tasks[-1].end_s - self._tasks[0].begin_s)
        return {
            name: span * len(self.stock.table.category_rows(name)) / max(many, 1e-6)
            for name, many in plays.items()
        }


def _expected_songs(task: HourTask, stock: Stock, means: Mapping[str, float]) -> dict[str, float]:
    """Return how many songs of each category an hour takes, about."""
    found: Counter[str] = Counter()
    left = task.end_s - task.opens_s
    for slot in task.clock.slots:
        if slot.kind is SlotKind.CATEGORY:
            name = slot.name.strip().casefold()
            found[name] += 1
            left -= means.get(name, _SONG_S)
        elif slot.kind is SlotKind.BREAK:
            left -= stock.breaks.get(slot.name.strip().casefold(), (0, 0.0))[1]
    weights = stock.formats.play_weights(task.clock, means)
    total = sum(weights.values())
    mean = sum(w * means.get(name, _SONG_S) for name, w in weights.items()) / total if total else 1
    songs = {name: max(left, 0.0) / mean * w / total for name, w in weights.items()}
    return {name: found[name] + songs.get(name, 0.0) for name in {*found, *songs}}


def _within(
    seats: list[tuple[Seat, int | None]], segment: Segment, begins_s: float, notes: list[str]
) -> list[tuple[Seat, int | None]]:
    """Leave out the music that would begin only when the segment is over."""
    over = begins_s + sum(seat.expected_s for seat, _ in seats) - segment.until_s
    kept = list(seats)
    left_out = 0
    for place in range(len(seats) - 1, -1, -1):
        seat = seats[place][0]
        if not seat.need.music or over < seat.expected_s * 0.7:
            continue
        over -= seat.expected_s
        kept.pop(place)
        left_out += 1
    if left_out:
        many = "a song does" if left_out == 1 else f"{left_out} songs do"
        notes.append(f"the strip is longer than its time; {many} not fit")
    return kept


def _with_taken(
    seats: list[tuple[Seat, int | None]], taken: Sequence[TakenTime], begins_s: float
) -> list[tuple[Seat, int | None]]:
    """Leave room for what timed events put in, each after the line that is on air at its time."""
    waiting = sorted(taken, key=lambda one: one.at_s)
    found: list[tuple[Seat, int | None]] = []
    at = begins_s
    for seat, row in seats:
        found.append((seat, row))
        at += seat.expected_s
        while waiting and waiting[0].at_s < at:
            one = waiting.pop(0)
            need = Need(EVENTS, SlotKind.BREAK, one.name, name=one.name)
            found.append((Seat(need, one.lasts_s), 0))
            at += one.lasts_s
    found += [(Seat(Need(EVENTS, SlotKind.BREAK, one.name), one.lasts_s), 0) for one in waiting]
    return found

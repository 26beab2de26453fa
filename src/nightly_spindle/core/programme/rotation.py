"""Rotation on the fly: what comes next when nothing is lined up, by the rules of the formats.

What really aired counts, and what is known to come: the lines behind, the log that loads next. The
hour's format clock says from which categories, by its weights; without one all songs take turns.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from hashlib import blake2s
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.base.apportion import next_turn
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.calendar.log_periods import Period, slot_at
from nightly_spindle.core.events.steps import LoadLog, PlayItem
from nightly_spindle.core.music.formats import ALL_SONGS
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_columns import RotationColumns, RotationTrack
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject, usual_rules
from nightly_spindle.core.music.rotation_tables import RotationTables
from nightly_spindle.core.music.rule_costs import FIRM, RuleCosts
from nightly_spindle.core.music.scarcity import SPARE, Scarcity

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme

_ORDER = 0.9  # what the very last of a category's turn costs, against a soft rule of weight 1
_AHEAD_S = 3 * 3600.0  # logs that load so soon are looked at
_LINES = 60  # lines of what comes that are looked at
_SOON_S = 600.0  # a log that loads so soon is landed on
_LITTLE_S = 90.0  # so much may be left: a made hour follows at once then
_ANOTHER = 0.2
_FARTHEST_S = 30 * 86_400.0  # plays longer ago are not looked at
_SAME_S = 1.0  # the as-run log and the state tell of one play within so long
_COUNTED = 60  # songs heard last by which categories are shared out

Plays = Sequence[tuple[float, int]]  # (instant in s, cart)


def turn_order(items: Iterable[tuple[int | None, Item]], seed: int) -> list[Item]:
    """Return the items in the order of their turn: longest unheard first.

    Each comes with the instant (µs) it was last heard, None for never; those never
    heard are shuffled by the seed, so that a night can be replayed.
    """

    def rank(entry: tuple[int | None, Item]) -> tuple[int, bytes]:
        heard, item = entry
        mixed = blake2s(f"{seed}/{item.cart}".encode(), digest_size=8).digest()
        return (-1 if heard is None else heard, mixed)

    return [item for _, item in sorted(items, key=rank)]


def reach_s(programme: Programme) -> float:
    """Return how far back the rules of rotation look (s), those of clocks and items too."""
    formats = programme.formats
    rules = [*_rules(programme, None)]
    rules += [rule for clock in formats.clocks.values() for rule in clock.rules]
    day_s = 25 * 3600.0  # the longest there is
    found = [day_s]  # plays a day, of items too
    for rule in rules:
        if rule.apart:
            found.append(rule.seconds)
        elif rule.kind is RuleSubject.YESTERDAY:
            found.append(day_s + rule.seconds)
    cards = [item.turn for item in programme.pool]
    found += [day_s + card.yesterday_min * 60 for card in cards if card.yesterday_min]
    found += [card.rest_h * 3600.0 for card in cards if card.rest_h]
    return min(_FARTHEST_S, max(found))


def next_song(programme: Programme, state: AirState, at: int) -> tuple[Item | None, str]:
    """Return what rotation airs at frame `at`, and why; None where nothing can be played."""
    clock = clock_at(programme, state.clock.instant_of(at))
    formats = programme.formats
    weights = formats.play_weights(clock, _tables(programme).table.mean_s)
    names = [name for name in sorted(weights) if _playable(programme, _carts(programme, name))]
    best: tuple[float, Item, str] | None = None
    left = _left_s(programme, state, at)
    scarcity = _scarcity(
        programme, {name: weights[name] for name in names}, _rules(programme, clock)
    )
    while names:
        had = _had(programme, state, names)
        turn = next_turn([weights[name] for name in names], [had[name] for name in names])
        name = names.pop(turn or 0)
        of = formats.categories[name].name if name else ""
        carts = _playable(programme, _carts(programme, name))
        found = pick(
            programme,
            state,
            at,
            carts,
            of=of,
            rules=_rules(programme, clock),
            left_s=left,
            scarce=(scarcity, name) if name in scarcity else None,
        )
        if found is not None and (best is None or found[0] < best[0]):
            best = found
        if best is not None and best[0] < FIRM:
            break  # the category whose turn it is has one that keeps the firm rules
    return (best[1], best[2]) if best is not None else (None, "no song is in the library")


def pick(
    programme: Programme,
    state: AirState,
    at: int,
    carts: Sequence[int],
    *,
    of: str = "",
    rules: tuple[RotationRule, ...] | None = None,
    more: Plays = (),
    left_s: float | None = None,
    scarce: tuple[Scarcity, str] | None = None,
) -> tuple[float, Item, str] | None:
    """Return which of some items airs best at frame `at`: what it costs, itself, why.

    `carts` are in the order of their turn before what the state has heard. `more` are lines
    (instant in s, cart) that air besides. `left_s` is how long there is to fill before a log loads.
    `scarce` is the category they are, where it holds too little for the rules. None of nothing.
    """
    tables = _tables(programme)
    at_s = _seconds(state, at)
    last = {heard.cart: heard.at for heard in state.history}
    order = [cart for cart in carts if cart not in last]
    if len(order) < len(carts):
        order += sorted((cart for cart in carts if cart in last), key=lambda cart: last[cart])
    rows = np.array([row for cart in order if (row := tables.table.row(cart))], np.int64)
    if not rows.size:
        return None
    held = _rules(programme, None) if rules is None else rules
    judge = _judge(tables, held)
    lines = PlayColumns([*_around(programme, state, at, tables), *_rows(tables, more)])
    if scarce is None:
        costs = judge.costs(lines, at_s, rows)
    else:
        # what can be kept is, an item's own hours, days and rest too
        scarcity, category = scarce
        other = _judge(tables, scarcity.kept(category))
        costs = other.costs(lines, at_s, rows) + scarcity.costs(lines, at_s, category, rows)
    costs += np.arange(len(rows)) * (_ORDER / len(rows))
    if left_s is not None:
        costs += _late_costs(left_s - tables.table.length_s[rows])
    best = int(costs.argmin())
    told = judge.told(lines, at_s, int(rows[best])) if costs[best] > 0 else []
    item = tables.table.item(int(rows[best]))
    return float(costs[best]), item, _why(of, [words for words, _ in told])


def in_turn(programme: Programme, state: AirState, at: int, lines: Plays) -> list[Item]:
    """Return the songs that keep every firm rule at frame `at`, those first whose turn it is.

    Where none does, those few whose turn it is. `lines` (instant in s, cart) are what airs around
    them.
    """
    tables = _tables(programme)
    last = {heard.cart: heard.at for heard in state.history}
    pool = sorted(programme.pool, key=lambda item: last.get(item.cart, -1))
    playable = [item for item in pool if not programme.why_unplayable(item.cart)]
    rows = np.array([tables.table.row(item.cart) for item in playable], np.int64)
    if not rows.size:
        return []
    clock = clock_at(programme, state.clock.instant_of(at))
    judge = _judge(tables, _rules(programme, clock))
    around = PlayColumns([*_history(programme, state), *_rows(tables, lines)])
    costs = judge.costs(around, _seconds(state, at), rows)
    kept = [item for item, cost in zip(playable, costs, strict=True) if cost < FIRM]
    next_few = [playable[at] for at in np.argsort(costs[: SPARE + 1], kind="stable")]
    return kept or next_few


def clock_at(programme: Programme, at_us: int) -> FormatClock | None:
    """Return the format clock of the hour of an instant, None where there is none."""
    if not programme.formats.plans.used:
        return None
    tables = _tables(programme)
    begin, end, clock = tables.hour
    if not begin <= at_us < end:
        settings = programme.settings
        slot = slot_at(Period.HOUR, settings.tz, settings.day_start, at_us)
        clock, _ = programme.formats.clock_of(slot)
        tables.hour = (slot.start_us, slot.end_us, clock)
    return clock


def _left_s(programme: Programme, state: AirState, at: int) -> float | None:
    """Return how long there is before the next log loads, None where that is not soon (s)."""
    at_us = state.clock.instant_of(at)
    for firing in programme.within(
        max(state.clock.fired_until_us, at_us), at_us + round(_SOON_S * US)
    ):
        if any(isinstance(step, LoadLog) for step in firing.event.steps):
            return (firing.at_us - at_us) / US
    return None


def _late_costs(rest_s: np.ndarray) -> np.ndarray:
    """Return what it costs that so much is left (below 0: too little) before a log loads.

    Ending a little early is next to nothing, running over costs as much as a soft rule a minute;
    where more is left another song follows.
    """
    early = np.where(rest_s > _LITTLE_S, _ANOTHER, rest_s / _LITTLE_S * _ANOTHER)
    return np.where(rest_s < 0, -rest_s / 60, early)


def _why(of: str, broken: Sequence[str]) -> str:
    where = f" of “{of}”" if of else ""
    if not broken:
        return f"longest unheard{where} that keeps every rule"
    return f"the one{where} that breaks least. Broken: {' '.join(broken)}".rstrip(".")


def _tables(programme: Programme) -> RotationTables:
    """Return what rotation needs, worked out again when the items have changed."""
    formats, stand = programme.formats, programme.stand
    known = programme.rotation_tables
    if known is None or known.stand != stand:
        items = {item.cart: item for item in programme.pool} | programme.items
        rate = programme.settings.rate
        tracks = [
            RotationTrack(item, programme.sounding(item)[1] / rate) for item in items.values()
        ]
        inside = {ALL_SONGS: tuple(item.cart for item in programme.pool)}
        inside |= {name: one.carts for name, one in formats.categories.items()}
        settings = programme.settings
        table = RotationColumns(tracks, inside)
        known = RotationTables(stand, table, LocalHours(settings.tz, settings.day_start))
        programme.rotation_tables = known
    return known


def _rules(programme: Programme, clock: FormatClock | None) -> tuple[RotationRule, ...]:
    return programme.formats.rules_of(clock) or usual_rules(programme.settings.separation_s)


def _judge(tables: RotationTables, rules: tuple[RotationRule, ...]) -> RuleCosts:
    found = tables.judges.get(rules)
    if found is None:
        found = tables.judges[rules] = RuleCosts(tables.table, rules, tables.wall)
    return found


def _scarcity(
    programme: Programme, weights: Mapping[str, float], rules: tuple[RotationRule, ...]
) -> Scarcity:
    """Return which of some categories hold too little for the rules, by their weights."""
    tables = _tables(programme)
    key = (tuple(sorted(weights.items())), rules)
    found = tables.scarce.get(key)
    if found is None:
        table = tables.table
        rows = {name: table.category_rows(name) for name in weights}
        total = sum(weights.values())
        song_s = sum(
            float(table.length_s[rows[name]].mean()) * weight / total
            for name, weight in weights.items()
            if rows[name].size
        )
        even_s = {
            name: len(rows[name]) * song_s * total / weight
            for name, weight in weights.items()
            if rows[name].size and song_s > 0
        }
        found = tables.scarce[key] = Scarcity(table, rules, even_s)
    return found


def _carts(programme: Programme, name: str) -> Sequence[int]:
    if name == ALL_SONGS:
        return [item.cart for item in programme.pool]
    known = programme.formats.categories.get(name)
    return known.carts if known else ()


def _playable(programme: Programme, carts: Sequence[int]) -> list[int]:
    return [cart for cart in carts if not programme.why_unplayable(cart)]


def _had(programme: Programme, state: AirState, names: Sequence[str]) -> Counter[str]:
    """Return how many of the songs heard last came from each category."""
    inside = _tables(programme).table.inside
    row = _tables(programme).table.row
    found: Counter[str] = Counter()
    for heard in state.history[-_COUNTED:]:
        place = row(heard.cart)
        name = next((n for n in names if n in inside and inside[n][place]), None)
        if name is not None:
            found[name] += 1
    return found


# -- what airs around -----


def _seconds(state: AirState, frame: int) -> float:
    return (state.clock.instant_of(frame)) / US


def _rows(tables: RotationTables, lines: Plays) -> list[tuple[float, int]]:
    return [(at, row) for at, cart in lines if (row := tables.table.row(cart))]


def _history(programme: Programme, state: AirState) -> list[tuple[float, int]]:
    """Return what aired: as the state remembers it, what was before that from the as-run log."""
    tables = _tables(programme)
    rate, offset = state.clock.rate, state.clock.offset_us / US
    kept = [(heard.at / rate + offset, heard.cart) for heard in state.history]
    since_s = kept[0][0] - _SAME_S if kept else state.clock.now_us / US
    return _rows(tables, [*(one for one in programme.aired if one[0] < since_s), *kept])


def _around(
    programme: Programme, state: AirState, at: int, tables: RotationTables
) -> list[tuple[float, int]]:
    """Return what aired, what is lined up behind, and what the next log brings."""
    return [*_history(programme, state), *_rows(tables, coming(programme, state, at))]


def coming(programme: Programme, state: AirState, at: int) -> list[tuple[float, int]]:
    """Return the items that are known to follow something at frame `at`: (instant in s, cart)."""
    at_s = _seconds(state, at)
    found = _one_after_another(
        programme, [line.cart for line in state.order.upcoming[:_LINES]], at_s
    )
    until_us = round((at_s + _AHEAD_S) * US)
    for firing in programme.within(
        max(state.clock.fired_until_us, round(at_s * US) - US), until_us
    ):
        begin_s = firing.at_us / US
        for step in firing.event.steps if firing.event.acts else ():
            if isinstance(step, PlayItem):
                found.append((begin_s, step.cart))
            elif isinstance(step, LoadLog) and (drop := programme.drop_of(step)) is not None:
                slot = programme.slot(drop, step.slot_us or firing.at_us)
                reading = programme.logs.reading(drop, slot)
                if reading.usable:
                    carts = reading.carts[:_LINES]
                    # what is lined up behind may be gone by then
                    found = [one for one in found if one[0] < begin_s]
                    found += _one_after_another(programme, carts, begin_s)
                    return found
    return found


def _one_after_another(
    programme: Programme, carts: Iterable[int], at_s: float
) -> list[tuple[float, int]]:
    found = []
    for cart in carts:
        item = programme.item(cart)
        if item is not None:
            found.append((at_s, cart))
            at_s += programme.sounding(item)[1] / programme.settings.rate
    return found

"""How what is lined up may be changed so that an event lands, and which change is best.

Songs and fillers of logs and of the safety net may be left out, songs whose artist and title are
free of the separation added; lines from behind the event may be drawn forward, the last before it
may come after it. Each change that promises to land is played ahead by the sequencer itself, the
cheapest first: joins are what they are. Spots, news, IDs, what events and hands have put in stay as
they are.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.playout.timing_fit import STAYS, Fit, Piece, Stretch, fits
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.rotation import in_turn
from nightly_spindle.core.programme.running_order import Line, LineSource, Origin, Play
from nightly_spindle.core.segues.joins import span

if TYPE_CHECKING:
    from collections.abc import Callable


_TRIES = 3
_PLAYED = 10  # changes that are played ahead each time
_GROUPS = 60  # artists of whom a song may be added
_PER_ARTIST = 3
_OUT = {
    LineSource.LOG: 1.0,
    LineSource.DAY_LOG_AGAIN: 0.6,
    LineSource.ROTATION: 0.5,
}  # what leaving out costs
_ADD = 0.8
_EDGE_S = 0.005  # what promises to land keeps so far from the edge of the tolerance
_DRAWN = 0.1  # what it costs to draw a line forward, or to let one come after the event
_MOST_DRAWN = 6
_TWICE_RUNNING = 2.0  # two of one artist next to each other that were not
NET = frozenset({LineSource.DAY_LOG_AGAIN, LineSource.ROTATION})
_NEW = -1000  # lines that are added count down from here until they are lined up
_LINES_AFTER = 40  # lines still to come whose artists and titles are not to come twice
_LEFT_OUT_KINDS = frozenset({Kind.SONG, Kind.FILLER})


@dataclass(frozen=True, slots=True)
class Ahead:
    """The plays until an event takes the air, and how far from its time it does.

    `off_s` is positive when the item before would end late; None when the event does nothing.
    """

    plays: tuple[Play, ...]
    off_s: float | None


@dataclass(frozen=True, slots=True)
class Change:
    """Another running order, the lines that left it and came, what that costs, how it lands.

    `before` is the last item before the event.
    """

    upcoming: list[Line]
    gone: list[Line]
    come: list[Line]
    cost: float
    off_s: float = 0.0
    before: Item | None = None


@dataclass(frozen=True, slots=True)
class _Ground:
    """What changes are made of: the lines up to the event and behind it, and what may be added.

    `begin_s` is how long before the event's time the first line starts.
    """

    programme: Programme
    state: AirState
    lines: Sequence[tuple[Line, Item]]
    stretch: Stretch
    offered: Sequence[Sequence[Item]]


def best_change(
    programme: Programme,
    state: AirState,
    play_ahead: Callable[[AirState], Ahead],
    ahead: Ahead,
    tolerance_s: float,
    *,
    clears: bool,
) -> Change | None:
    """Return the cheapest change that lands; where none does, the one that comes nearest.

    `ahead` is what comes without any, `clears` says that the event drops what is behind it.
    """
    ground = _ground(programme, state, ahead, tolerance_s, clears=clears)
    best: Change | None = None
    shift_s = 0.0
    for _ in range(_TRIES):
        stretch = replace(ground.stretch, total_s=ground.stretch.total_s - shift_s)
        changes = [(fit, _changed(ground, fit)) for fit in fits(stretch, _PLAYED)]
        changes.sort(key=lambda pair: pair[1].cost + abs(pair[0].off_s) * 1e-3)
        nearest: tuple[float, float] | None = None  # how far off, by how much otherwise than told
        for fit, change in changes:
            tried = state.copy()
            tried.order.upcoming = list(change.upcoming)
            came = play_ahead(tried)
            if came.off_s is None:
                continue
            before = came.plays[-1].item if came.plays else None
            made = replace(change, off_s=came.off_s, before=before)
            if best is None or _worth(made, tolerance_s) < _worth(best, tolerance_s):
                best = made
            if abs(came.off_s) <= tolerance_s:
                return best
            if nearest is None or abs(came.off_s) < nearest[0]:
                # joins that the lengths know nothing of: aim off by as much
                nearest = abs(came.off_s), came.off_s - fit.off_s
        if nearest is None or abs(nearest[1]) < 1e-3:
            break
        shift_s += nearest[1]
    return best


def _worth(change: Change, tolerance_s: float) -> tuple[bool, float]:
    inside = abs(change.off_s) <= tolerance_s
    return (not inside, change.cost if inside else abs(change.off_s))


def _ground(
    programme: Programme, state: AirState, ahead: Ahead, tolerance_s: float, *, clears: bool
) -> _Ground:
    """Return what may be changed, measured."""
    rate = state.clock.rate
    lines = _lines_ahead(state, ahead)
    before = len(lines)
    lines += _lines_behind(programme, state, ahead)
    starts = {play.line.id: play.start for play in ahead.plays}
    following = {a.line.id: b.start for a, b in pairwise(ahead.plays)}
    pieces = []
    for line, item in lines:
        start, then = starts.get(line.id), following.get(line.id)
        if start is not None and then is not None:
            frames = then - start  # as it is joined now
        else:
            frames = on_air_for(item, _begin(line, item, state), state, programme)
        free = line.origin.source in _OUT and item.kind in _LEFT_OUT_KINDS and line.join is None
        pieces.append(Piece(frames / rate, _OUT[line.origin.source] if free else STAYS))
    ends = [(before, 0.0)]
    last = ahead.plays[-1].line
    can_wait = last.id in {line.id for line in state.order.upcoming} or last.origin.source in NET
    if before and can_wait and not clears:
        ends.append((before - 1, _DRAWN))  # the last item may as well come after the event
    ends += [(at, _DRAWN * (at - before)) for at in range(before + 1, len(lines) + 1)]
    offered = _candidates(programme, state, ahead)
    groups = [
        [
            Piece(
                on_air_for(item, span(item, rate).cue_in, state, programme) / rate,
                _ADD + 0.2 * rank / len(offered),  # whose turn is nearer costs a little less
            )
            for item in group
        ]
        for rank, group in enumerate(offered)
    ]
    total_s = sum(piece.length_s for piece in pieces[:before]) - (ahead.off_s or 0.0)
    stretch = Stretch(total_s, max(tolerance_s - _EDGE_S, tolerance_s / 2), pieces, ends, groups)
    return _Ground(programme, state, lines, stretch, offered)


def on_air_for(item: Item, begin: int, state: AirState, programme: Programme) -> int:
    """Return the frames from an item's start to that of the next, by its own segue point."""
    return max(0, span(item, state.clock.rate, programme.segues).segue - begin)


def _lines_ahead(state: AirState, ahead: Ahead) -> list[tuple[Line, Item]]:
    """Return the lines that would start before the event and can be moved.

    They are lined up, or the safety net would line them up; what other events put in between
    comes by itself. Those of the net get numbers that no line has.
    """
    known = {line.id for line in state.order.upcoming}
    found = []
    for at, play in enumerate(ahead.plays[1:], 1):
        if play.line.id in known:
            found.append((play.line, play.item))
        elif play.line.origin.source in NET:
            found.append((replace(play.line, id=-at), play.item))
    return found


def _lines_behind(programme: Programme, state: AirState, ahead: Ahead) -> list[tuple[Line, Item]]:
    """Return the lines behind the event that may be drawn forward, in their order."""
    played = {play.line.id for play in ahead.plays}
    found: list[tuple[Line, Item]] = []
    for line in state.order.upcoming:
        if line.id in played:
            continue
        item = programme.playable(line.cart)
        moves = line.origin.source in _OUT and line.join is None and line.spot is None
        held = item is None or item.kind is Kind.SPOT or line.opens is not None or line.mark
        if item is None or held or not moves:
            break
        found.append((line, item))
        if len(found) >= _MOST_DRAWN:
            break
    return found


def _candidates(programme: Programme, state: AirState, ahead: Ahead) -> list[list[Item]]:
    """Return what rotation may offer, by artist, those first whose turn it is."""
    after = (programme.item(line.cart) for line in state.order.upcoming[:_LINES_AFTER])
    at_s = (state.clock.now_us) / US
    # whatever is changed moves within what is ahead: all of it counts as if it were now
    lined = [*(play.item for play in ahead.plays), *(item for item in after if item is not None)]
    by_artist: dict[str, list[Item]] = defaultdict(list)
    for item in in_turn(programme, state, state.clock.frame, [(at_s, item.cart) for item in lined]):
        group = by_artist[item.artist.casefold() or f"#{item.cart}"]
        if len(group) < _PER_ARTIST:
            group.append(item)
        if len(by_artist) >= _GROUPS:
            break
    return list(by_artist.values())


def _changed(ground: _Ground, fit: Fit) -> Change:
    """Return the running order with a change."""
    before = ground.lines[: fit.end]
    out = {ground.lines[place][0].id for place in fit.out}
    gone = [line for line, _ in before if line.id in out]
    ids = {line.id for line, _ in before}
    stays = [line for line, _ in before if line.id not in out]
    come = [
        Line(_NEW - at, ground.offered[group][place].cart, Origin(LineSource.ROTATION))
        for at, (group, place) in enumerate(fit.added)
    ]
    place = next((at for at, (line, _) in enumerate(before) if line.id in out), len(stays))
    place = min(place, len(stays))
    rest = [line for line in ground.state.order.upcoming if line.id not in ids]
    upcoming = [*stays[:place], *come, *stays[place:], *rest]
    more = _running(ground, upcoming[: len(stays) + len(come)]) - _running(
        ground, [line for line, _ in before]
    )
    return Change(upcoming, gone, come, fit.cost + _TWICE_RUNNING * max(0, more))


def _running(ground: _Ground, lines: Sequence[Line]) -> int:
    """Return how often an artist comes twice running."""
    names = []
    for line in lines:
        item = ground.programme.item(line.cart)
        names.append(item.artist.casefold() if item is not None else "")
    return sum(a == b != "" for a, b in pairwise(names))


def _begin(line: Line, item: Item, state: AirState) -> int:
    return max(span(item, state.clock.rate).cue_in, line.begin)

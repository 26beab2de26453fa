"""Landing an event on time: what is lined up before it is chosen so that an item ends there.

Every time a line starts, the time until the next event that is to land is played ahead by the
sequencer itself. Where the item before the event would not end within the tolerance, songs are
left out or added (`timing_fit`), the outcome is played ahead again, and what is best is done
and told. Only songs and fillers of logs and of the safety net are left out, and only songs whose
artist and title are free of the separation are added: spots, news, IDs, what events and hands
have put in stay as they are.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Protocol

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import US, clock, to_frames
from nightly_spindle.core.events.timed_events import Entry, Firing
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.playout.log_loading import now_us
from nightly_spindle.core.playout.step_effects import left_out
from nightly_spindle.core.playout.timing_fit import Fit, Piece, fit
from nightly_spindle.core.programme.rotation import in_turn
from nightly_spindle.core.programme.running_order import (
    LandingTries,
    Line,
    LineSource,
    Origin,
    Outcome,
    Play,
)
from nightly_spindle.core.programme.sequencer_actions import Action, Ended, Fired, StartVoice
from nightly_spindle.core.segues.joins import span
from nightly_spindle.core.segues.segue_rules import Segues

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme

AHEAD_S = 2400.0  # how long before its time it is seen to that an event lands
_TRIES = 3
_GROUPS = 60  # artists of whom a song may be added
_PER_ARTIST = 3
_BETTER_S = 5.0  # worth changing something for, where nothing comes within the tolerance
_OUT = {
    LineSource.LOG: 1.0,
    LineSource.DAY_LOG_AGAIN: 0.6,
    LineSource.ROTATION: 0.5,
}  # what leaving out costs
_ADD = 0.8
_NET = frozenset({LineSource.DAY_LOG_AGAIN, LineSource.ROTATION})
_NEW = -1000  # lines that are added count down from here until they are lined up
_LINES_AFTER = 40  # lines still to come whose artists and titles are not to come twice
_LEFT_OUT_KINDS = frozenset({Kind.SONG, Kind.FILLER})


class PlaysAhead(Protocol):
    """A sequencer over a copy of the state: see `Sequencer`."""

    @property
    def programme(self) -> Programme:
        """All that it looks things up in."""
        ...

    def advance(self, until: int) -> Iterable[Action]:
        """Go on up to a frame."""
        ...


@dataclass(frozen=True, slots=True)
class _Ahead:
    """The plays until an event takes the air, and how far from its time it does.

    `off_s` is positive when the item before would end late; None when the event does nothing.
    """

    plays: tuple[Play, ...]
    off_s: float | None


@dataclass(frozen=True, slots=True)
class Foreseen:
    """That an event lands, by the plays that lead to it: holds while everything goes as foreseen.

    It only spares playing the same stretch ahead again; what is decided does not depend on it.
    """

    at_us: int
    offset_us: int
    segues: Segues
    plays: tuple[Play, ...]

    def holds(self, programme: Programme, state: AirState, firing: Firing) -> bool:
        """Whether the item on air and what is lined up are what was foreseen."""
        playing = state.order.playing
        if playing is None or (firing.at_us, state.clock.offset_us) != (self.at_us, self.offset_us):
            return False
        place = next((at for at, p in enumerate(self.plays) if p.line.id == playing.line.id), -1)
        if place < 0 or programme.segues is not self.segues:
            return False
        now, rest = self.plays[place], self.plays[place + 1 :]
        if (now.start, now.begin, now.item) != (playing.start, playing.begin, playing.item):
            return False
        known = {line.id for line in state.order.upcoming}
        coming = [play for play in rest if play.line.id in known]
        if state.order.upcoming[: len(coming)] != [play.line for play in coming]:
            return False
        return all(programme.item(play.item.cart) is play.item for play in rest)


@dataclass(frozen=True, slots=True)
class _Change:
    """Another running order, the lines that left it and came, and how it lands."""

    upcoming: list[Line]
    gone: list[Line]
    come: list[Line]
    off_s: float


@dataclass(frozen=True, slots=True)
class _Offer:
    """What may be added, by artist: the items, and how long each would be on air."""

    items: Sequence[Sequence[Item]]
    pieces: Sequence[Sequence[Piece]]

    @classmethod
    def of(cls, programme: Programme, state: AirState, items: Sequence[Sequence[Item]]) -> _Offer:
        """Measure what may be added; those whose turn is nearer cost a little less."""
        pieces = [
            [
                Piece(
                    _on_air_for(item, span(item, state.clock.rate).cue_in, state, programme)
                    / state.clock.rate,
                    _ADD + 0.2 * rank / len(items),
                )
                for item in group
            ]
            for rank, group in enumerate(items)
        ]
        return cls(items, pieces)


def look_to_land(
    programme: Programme,
    state: AirState,
    preview: Callable[[AirState], PlaysAhead],
    actions: list[Action],
    foreseen: Foreseen | None = None,
) -> Foreseen | None:
    """See to it that the next event that is to land does; changes what is lined up before it.

    `preview` makes a sequencer that plays a state ahead without looking to land. Returns what
    is foreseen, to be given back the next time.
    """
    firing = _next_to_land(programme, state)
    if firing is None or not _is_time_for(state, firing):
        return None
    if foreseen is not None and foreseen.holds(programme, state, firing):
        return foreseen
    ahead = _play_ahead(state, preview, firing)
    if ahead.off_s is None:
        return None
    if abs(ahead.off_s) <= firing.event.options.tolerance_s:
        return Foreseen(firing.at_us, state.clock.offset_us, programme.segues, ahead.plays)
    if not _changed_to_land(programme, state, preview, firing, ahead, actions):
        state.events.landing = replace(state.events.landing, tries=state.events.landing.tries + 1)
    return None


def _is_time_for(state: AirState, firing: Firing) -> bool:
    """Whether to look at a landing now; one that was tried in vain has half of its time off."""
    if state.order.playing is None or not state.order.unattended or state.order.stopped:
        return False
    if state.events.landing.at_us != firing.at_us:
        state.events.landing = LandingTries(firing.at_us)
    left_s = (firing.at_us - now_us(state)) / US
    return not state.events.landing.tries or left_s <= AHEAD_S / 2**state.events.landing.tries


def _changed_to_land(
    programme: Programme,
    state: AirState,
    preview: Callable[[AirState], PlaysAhead],
    firing: Firing,
    ahead: _Ahead,
    actions: list[Action],
) -> bool:
    """Change what is lined up for the better, if that can be; returns whether it lands now."""
    tolerance = firing.event.options.tolerance_s
    off = ahead.off_s or 0.0
    best = _best_change(programme, state, preview, firing, ahead)
    if best is not None and abs(best.off_s) < abs(off) - min(_BETTER_S, tolerance / 2):
        _carry_out(programme, state, firing, best, actions)
        return abs(best.off_s) <= tolerance
    if not state.events.landing.told:
        actions.append(_cannot(programme, state, firing, off))
        state.events.landing = replace(state.events.landing, told=True)
    return False


def _next_to_land(programme: Programme, state: AirState) -> Firing | None:
    """Return the next firing that is to land, unless one before it will change everything."""
    now = now_us(state)
    for firing in programme.within(state.clock.fired_until_us, now + round(AHEAD_S * US)):
        event = firing.event
        if not event.acts or not event.line_steps:
            continue
        if event.entry is Entry.LAND:
            return firing
        if event.clears or event.entry is not Entry.NEXT:
            return None
    return None


def _play_ahead(
    state: AirState, preview: Callable[[AirState], PlaysAhead], firing: Firing
) -> _Ahead:
    """Play a state ahead until the event has taken the air, or had to."""
    copy = state.copy()
    sequencer = preview(copy)
    playing = copy.order.playing
    plays = [playing] if playing is not None else []
    late = to_frames(firing.event.options.tolerance_s, state.clock.rate)
    until = state.clock.frame_of(firing.at_us) + late + 2
    ids: tuple[int, ...] = ()
    cut: Play | None = None
    started = 0
    for action in sequencer.advance(until):
        if isinstance(action, Fired) and (action.event_id, action.due_us) == (
            firing.event.id,
            firing.at_us,
        ):
            if not action.line_ids:
                return _Ahead(tuple(plays), None)
            ids = action.line_ids
        elif isinstance(action, Ended) and action.outcome is Outcome.CUT:
            cut = action.play
        elif isinstance(action, StartVoice):
            if action.play.line.id in ids:
                started = action.play.start
                break
            plays.append(action.play)
    if not started or not plays:
        return _Ahead(tuple(plays), None)
    at = started
    last = plays[-1]
    if cut is not None and cut.id == last.id:
        at = last.start + _on_air_for(last.item, last.begin, state, sequencer.programme)
    due = state.clock.frame_of(firing.at_us)
    return _Ahead(tuple(plays), (at - due) / state.clock.rate)


def _on_air_for(item: Item, begin: int, state: AirState, programme: Programme) -> int:
    """Return the frames from an item's start to that of the next, by its own segue point."""
    return max(0, span(item, state.clock.rate, programme.segues).segue - begin)


def _best_change(
    programme: Programme,
    state: AirState,
    preview: Callable[[AirState], PlaysAhead],
    firing: Firing,
    ahead: _Ahead,
) -> _Change | None:
    """Return the change of what is lined up that lands nearest, by playing each ahead."""
    lines = _lines_ahead(state, ahead)
    best: _Change | None = None
    due = state.clock.frame_of(firing.at_us)
    ends_off = ahead.off_s or 0.0
    begins_off = (ahead.plays[-1].start - due) / state.clock.rate
    choices = [(lines, ends_off)]
    last = ahead.plays[-1].line
    can_wait = last.id in {line.id for line in state.order.upcoming} or last.origin.source in _NET
    if lines and can_wait and not firing.event.clears:
        # the last item may as well come after the event
        choices.append((lines[:-1], begins_off))
    tolerance = firing.event.options.tolerance_s
    offer = _Offer.of(programme, state, _candidates(programme, state, ahead))
    for before, off in choices:
        target = -off
        for _ in range(_TRIES):
            change = _changed(programme, state, before, target, tolerance, offer)
            if change is None:
                break
            tried = state.copy()
            tried.order.upcoming = list(change.upcoming)
            came = _play_ahead(tried, preview, firing).off_s
            if came is None:
                break
            change = replace(change, off_s=came)
            if best is None or _worth(change, tolerance) < _worth(best, tolerance):
                best = change
            if abs(came) <= tolerance:
                break
            target -= came  # joins that the lengths know nothing of: aim off by as much
    return best


def _worth(change: _Change, tolerance: float) -> tuple[bool, float]:
    inside = abs(change.off_s) <= tolerance
    return (not inside, len(change.gone) + len(change.come) if inside else abs(change.off_s))


def _lines_ahead(state: AirState, ahead: _Ahead) -> list[tuple[Line, Item]]:
    """Return the lines that would start before the event and can be moved.

    They are lined up, or the safety net would line them up; what other events put in between
    comes by itself. Those of the net get numbers that no line has.
    """
    known = {line.id for line in state.order.upcoming}
    found = []
    for at, play in enumerate(ahead.plays[1:], 1):
        if play.line.id in known:
            found.append((play.line, play.item))
        elif play.line.origin.source in _NET:
            found.append((replace(play.line, id=-at), play.item))
    return found


def _candidates(programme: Programme, state: AirState, ahead: _Ahead) -> list[list[Item]]:
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


def _changed(
    programme: Programme,
    state: AirState,
    before: Sequence[tuple[Line, Item]],
    target_s: float,
    tolerance_s: float,
    offer: _Offer,
) -> _Change | None:
    """Return the running order with the cheapest change of length; None when there is none."""
    free = [
        (line, item)
        for line, item in before
        if line.origin.source in _OUT and item.kind in _LEFT_OUT_KINDS and line.join is None
    ]
    removable = [
        Piece(
            _on_air_for(item, _begin(line, item, state), state, programme) / state.clock.rate,
            _OUT[line.origin.source],
        )
        for line, item in free
    ]
    found: Fit = fit(target_s, tolerance_s, removable, offer.pieces)
    added = [offer.items[group][place] for group, place in found.added]
    out = {free[place][0].id for place in found.out}
    gone = [line for line, _ in before if line.id in out]
    ids = {line.id for line, _ in before}
    stays = [line for line, _ in before if line.id not in out]
    come = [_line(item, at) for at, item in enumerate(added)]
    place = next((at for at, (line, _) in enumerate(before) if line.id in out), len(stays))
    place = min(place, len(stays))
    rest = [line for line in state.order.upcoming if line.id not in ids]
    upcoming = [*stays[:place], *come, *stays[place:], *rest]
    return _Change(upcoming, gone, come, 0.0)


def _begin(line: Line, item: Item, state: AirState) -> int:
    return max(span(item, state.clock.rate).cue_in, line.begin)


def _line(item: Item, at: int) -> Line:
    return Line(_NEW - at, item.cart, Origin(LineSource.ROTATION))


def _carry_out(
    programme: Programme, state: AirState, firing: Firing, change: _Change, actions: list[Action]
) -> None:
    """Change what is lined up, and say so."""
    tz = programme.settings.tz
    due = clock(firing.at_us, tz)
    name = firing.event.name
    why = f"Chosen so that “{name}” lands at {due}."
    come = {line.id for line in change.come}
    lines = []
    for line in change.upcoming:
        new = line
        if line.id in come:
            new = replace(new, origin=replace(line.origin, why=why))
        # what is not lined up yet has had no number of its own
        lines.append(replace(new, id=state.take_id()) if line.id < 0 else new)
    state.order.upcoming = lines
    state.revision += 1
    note = f"left out so that “{name}” lands at {due}"
    gone = [line for line in change.gone if line.id > 0]
    actions += [left_out(programme, state, line, note) for line in gone]
    said = []
    titles = [_title(programme, line) for line in gone]
    said += [f"leaves out {', '.join(titles)}"] if titles else []
    titles = [_title(programme, line) for line in change.come]
    said += [f"adds {', '.join(titles)}"] if titles else []
    inside = abs(change.off_s) <= firing.event.options.tolerance_s
    landed = f"{abs(change.off_s):.1f} s {'late' if change.off_s > 0 else 'early'}"
    text = f"To land “{name}” at {due} the engine {' and '.join(said) or 'moves a song'}"
    actions.append(
        Finding(
            "landing",
            Severity.NOTE,
            state.clock.frame,
            f"{text}: the item before it ends {landed}.",
            "Nothing needs to be done." if inside else "Import songs of other lengths.",
        )
    )


def _title(programme: Programme, line: Line) -> str:
    item = programme.item(line.cart)
    return f"“{item.title}”" if item else f"cart {line.cart}"


def _cannot(programme: Programme, state: AirState, firing: Firing, off_s: float) -> Finding:
    due = clock(firing.at_us, programme.settings.tz)
    how = f"{abs(off_s):.0f} s {'late' if off_s > 0 else 'early'}"
    return Finding(
        "cannot-land",
        Severity.WARNING,
        state.clock.frame,
        f"“{firing.event.name}” cannot be landed at {due}: the item before it would end {how}, "
        "and nothing that may be left out or added comes nearer.",
        "Import songs of other lengths, or allow a wider tolerance.",
    )

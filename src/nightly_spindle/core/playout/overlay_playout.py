"""Which overlay comes next, and what an overlay leaves behind: the sequencer's part for them.

Nothing is decided ahead of its time: what comes next is worked out anew from the state, and holds
from the moment at which the programme begins to go down for it. What is chosen over a segue, in
this order: the line's own word, the incoming song's own sweeper, the line's pool, the station's
pools in their order. Overlays sound while the station is unattended; an operator talks himself.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

from nightly_spindle.core.base.findings import Finding, Severity
from nightly_spindle.core.base.timebase import length, to_frames
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.library.loudness_gain import gain_db
from nightly_spindle.core.overlays.overlay_pools import Pool, PoolOptions, PoolUse
from nightly_spindle.core.overlays.overlay_turns import FRESH, taken
from nightly_spindle.core.playout.overlay_choice import (
    Chosen,
    Ground,
    asked,
    decided,
    ducking_of,
    from_pool,
    is_due,
    is_open,
    made,
    single,
)
from nightly_spindle.core.playout.overlay_position import (
    OverlayPosition,
    OverlayWindow,
    intro_window,
    place_sweeper,
    place_voiceover,
    segue_window,
)
from nightly_spindle.core.programme.running_order import (
    Line,
    Outcome,
    Overlay,
    OverlayPlace,
    OverlayWish,
    Play,
    Wish,
)
from nightly_spindle.core.programme.sequencer_actions import (
    Action,
    FadeVoice,
    OverlayEnded,
    StartOverlay,
)
from nightly_spindle.core.segues.ducking import duck_frames
from nightly_spindle.core.segues.effective_markers import cues_of
from nightly_spindle.core.segues.joins import soonest_pass, span

if TYPE_CHECKING:
    from nightly_spindle.core.library.markers import Curve
    from nightly_spindle.core.playout.overlay_choice import Placer
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme

_MOST_AHEAD_S = 1.0  # no ducking begins earlier before its voice (`ducking`)
REACH_S = 30.0  # a sweeper begins so long before the next item at the most
_LATE_S = 5.0  # another overlay may hold one up for so long at its sweeper point
_SEGUE = "segue"
_INTRO = "intro"


class NextJoin(NamedTuple):
    """The join that the item on air will leave by: the next line starts at frame `starts`."""

    line: Line
    item: Item
    starts: int
    begin: int


class Due(NamedTuple):
    """An overlay that is decided at frame `at`; `key` names the place that has had its chance."""

    at: int
    key: str
    overlay: Overlay


def overlay_on_item(programme: Programme, state: AirState, cut: int | None = None) -> Due | None:
    """Return the next overlay on the item on air itself: over its intro, at a sweeper point.

    At frame `cut` something cuts in (None: nothing in reach).
    """
    playing = state.order.playing
    if playing is None or not (state.overlays.on and state.order.unattended):
        return None
    ground = Ground(programme, state, cut)
    found = (_on_intro(ground, playing), _on_point(ground, playing))
    coming = [due for due in found if due is not None and due.overlay.start >= state.clock.frame]
    return min(coming, key=lambda due: due.at, default=None)


def overlay_on_segue(
    programme: Programme, state: AirState, coming: NextJoin, cut: int | None = None
) -> Due | None:
    """Return the overlay on the join that the item on air will leave by."""
    playing = state.order.playing
    if playing is None or not (state.overlays.on and state.order.unattended):
        return None
    due = _on_segue(Ground(programme, state, cut), playing, coming)
    return due if due is not None and due.overlay.start >= state.clock.frame else None


def soonest_on_join(starts: int, state: AirState) -> int | None:
    """Return a frame before which nothing is decided for the join into an item that starts then.

    None where nothing can lie over it: overlays are off, or an operator attends.
    """
    if not (state.overlays.on and state.order.unattended):
        return None
    return starts - to_frames(REACH_S + _MOST_AHEAD_S, state.clock.rate)


def _on_segue(ground: Ground, playing: Play, coming: NextJoin) -> Due | None:
    state, rate = ground.state, ground.rate
    if any(key.startswith(_SEGUE) for key in state.overlays.tried):
        return None
    settings, starts = ground.programme.settings, coming.starts
    rules = settings.overlay_by(settings.duck_sweeper)
    wish = coming.line.overlay
    if wish is not None and wish.at_s is not None:
        at = starts + to_frames(wish.at_s, rate)
        window = OverlayWindow(at, at + (1 << 40))
    else:
        # before `REACH_S` the next line may not be known yet, so nothing may depend on it there
        free = max(ground.free, starts - to_frames(REACH_S, rate))
        window = ground.within(
            segue_window(playing, coming.item, coming.begin, starts, free, rate, rules)
        )

    def place(frames: int, options: PoolOptions) -> OverlayPosition | None:
        if wish is not None and wish.at_s is not None:
            where = f"{abs(wish.at_s):.1f} s {'before' if wish.at_s < 0 else 'after'}"
            return OverlayPosition(window.low, f"Set by hand, {where} the start.")
        return place_sweeper(window, frames, starts, options, rate)

    chosen = _over_segue(ground, playing, coming, place)
    if chosen is None:
        return None
    over = f"“{playing.item.title}” into “{coming.item.title}”"
    beds = (playing.item, coming.item)
    by_hand = wish is not None and wish.at_s is not None
    overlay = made(ground, chosen, beds, coming.line.id, OverlayPlace.SEGUE, over, by_hand=by_hand)
    at = min(decided(ground, overlay), max(state.clock.frame, starts))
    return Due(at, f"{_SEGUE}:{overlay.pool}", overlay)


def _over_segue(ground: Ground, playing: Play, coming: NextJoin, place: Placer) -> Chosen | None:
    wish, own = coming.line.overlay, coming.item.shaping.own_sweeper
    if wish is not None and wish.wish is not Wish.POOL:
        return _as_wished(ground, wish, place)
    if own is not None and not cues_of(coming.item).sweepers_s:
        chosen = single(ground, own, place, "the song's own", "The song's own sweeper.")
        if chosen is not None:
            return chosen
    if wish is not None:
        return _of_line_pool(ground, wish, coming, place)
    for pool in asked(ground, PoolUse.SWEEPERS, coming.starts):
        if pool.pairs_with(playing.item, coming.item) and is_due(ground, pool, coming.starts, 1):
            chosen = from_pool(ground, pool, place)
            if chosen is not None:
                return chosen
    return None


def _as_wished(ground: Ground, wish: OverlayWish, place: Placer) -> Chosen | None:
    """Return what a line itself says lies over its segue; its voiceover goes over the intro."""
    if wish.wish is Wish.NONE or _is_for_intro(ground, wish):
        return None
    return single(ground, wish.cart, place, "by hand", "Chosen by hand for this line.")


def _is_for_intro(ground: Ground, wish: OverlayWish) -> bool:
    item = ground.programme.item(wish.cart)
    return wish.at_s is None and item is not None and item.kind is Kind.VOICEOVER


def _of_line_pool(
    ground: Ground, wish: OverlayWish, coming: NextJoin, place: Placer
) -> Chosen | None:
    for pool in ground.programme.pools_for(PoolUse.SWEEPERS):
        if pool.id == wish.pool or (not wish.pool and is_open(ground, pool, coming.starts)):
            return from_pool(ground, pool, place, "By hand: the next of its pool.")
    return None


def _on_intro(ground: Ground, playing: Play) -> Due | None:
    """Return the voiceover for the intro of the song on air."""
    if playing.joined or _INTRO in ground.state.overlays.tried:
        return None
    settings = ground.programme.settings
    rules = settings.overlay_by(settings.duck_voiceover)
    gives_way = soonest_pass(playing.item, ground.programme.segues, ground.rate)
    free = max(ground.free, ground.state.overlays.sung_until)
    window = ground.within(intro_window(playing, free, gives_way, ground.rate, rules))
    if window.high <= window.low:
        return None

    def place(frames: int, options: PoolOptions) -> OverlayPosition | None:
        return place_voiceover(window, frames, playing.start, options, ground.rate)

    chosen = _over_intro(ground, playing, place)
    if chosen is None:
        return None
    over = f"the intro of “{playing.item.title}”"
    overlay = made(ground, chosen, (playing.item,), playing.line.id, OverlayPlace.INTRO, over)
    return Due(decided(ground, overlay), _INTRO, overlay)


def _over_intro(ground: Ground, playing: Play, place: Placer) -> Chosen | None:
    wish = playing.line.overlay
    if wish is not None and wish.wish is not Wish.POOL:
        if wish.wish is Wish.NONE or not _is_for_intro(ground, wish):
            return None
        return single(ground, wish.cart, place, "by hand", "Chosen by hand for this line.")
    if playing.item.kind is not Kind.SONG:
        return None
    for pool in asked(ground, PoolUse.VOICEOVERS, playing.start):
        if serves_song(ground.programme, pool, playing) and is_due(ground, pool, playing.start, 0):
            chosen = from_pool(ground, pool, place)
            if chosen is not None:
                return chosen
    return None


def serves_song(programme: Programme, pool: Pool, play: Play) -> bool:
    """Whether a pool of voiceovers is for the song on air: by its categories and the line's tag."""
    if pool.tags and play.line.tag.casefold() not in pool.tags:
        return False
    inside = programme.in_category
    return not pool.categories or any(
        play.item.cart in inside.get(name, frozenset()) for name in pool.categories
    )


def _on_point(ground: Ground, playing: Play) -> Due | None:
    """Return the sweeper for the next sweeper point of the item on air."""
    points = playing.item.marks.sweepers_s
    if not points:
        return None
    rate, state = ground.rate, ground.state
    # it is over before the item may pass into another, whatever that is
    end = playing.start + soonest_pass(playing.item, ground.programme.segues, rate) - playing.begin
    for at_s in points:
        key = f"point@{at_s:.3f}"
        at = playing.start + to_frames(at_s, rate) - playing.begin
        low = max(at, ground.free)
        if key in state.overlays.tried or low > at + to_frames(_LATE_S, rate):
            continue
        window = ground.within(OverlayWindow(low, end, "the item ends"))

        def place(
            frames: int, options: PoolOptions, window: OverlayWindow = window, at_s: float = at_s
        ) -> OverlayPosition | None:
            del options
            fits = window.holds(frames)
            return (
                OverlayPosition(window.low, f"At the sweeper point {length(at_s)}.")
                if fits
                else None
            )

        chosen = _for_point(ground, playing, place, at)
        if chosen is None:
            continue
        over = f"“{playing.item.title}” at {length(at_s)}"
        overlay = made(ground, chosen, (playing.item,), playing.line.id, OverlayPlace.POINT, over)
        return Due(decided(ground, overlay), key, overlay)
    return None


def _for_point(ground: Ground, playing: Play, place: Placer, at: int) -> Chosen | None:
    own, wish = playing.item.shaping.own_sweeper, playing.line.overlay
    if wish is not None and wish.wish is Wish.NONE:
        return None
    if own is not None:
        chosen = single(ground, own, place, "the song's own", "The song's own sweeper.")
        if chosen is not None:
            return chosen
    for pool in asked(ground, PoolUse.SWEEPERS, at):
        if pool.options.points:
            chosen = from_pool(ground, pool, place)
            if chosen is not None:
                return chosen
    return None


# -- what happens ----------------------------------------------------------------------------------


def begin_overlay(programme: Programme, state: AirState, due: Due, actions: list[Action]) -> None:
    """Let an overlay sound; its pool's turn goes on."""
    overlay = replace(due.overlay, id=state.take_id())
    state.overlays.tried.append(due.key)
    state.overlays.sounding.append(overlay)
    state.overlays.until = max(state.overlays.until, overlay.end)
    state.revision += 1
    use_of_pool(programme, state, overlay.pool, overlay.item.cart, overlay.start)
    actions.append(started(programme, overlay, state.clock.rate))


def use_of_pool(programme: Programme, state: AirState, number: int, cart: int, at: int) -> None:
    """Remember that a pool's member (or its fallback) is used at a frame."""
    state.overlays.last_used[cart] = at
    pool = next((one for one in programme.pools if one.id == number), None)
    if pool is None:
        return
    turn = state.overlays.turns.get(number, FRESH)
    state.overlays.since_used[number] = 0
    if cart in pool.carts:
        state.overlays.turns[number] = taken(pool, turn, cart, at, programme.settings.seed)
    else:
        state.overlays.turns[number] = replace(turn, at=at)


def started(programme: Programme, overlay: Overlay, rate: int) -> StartOverlay:
    """Return the order that lets an overlay sound."""
    settings = programme.settings
    gain = gain_db(overlay.item, settings.levels, settings.kind_levels)
    end = span(overlay.item, rate).cue_out
    ducking = ducking_of(settings, overlay.item)
    return StartOverlay(overlay, end, gain, duck_frames(ducking, rate))


def end_overlays(state: AirState, actions: list[Action]) -> None:
    """Tell of overlays that are over by now."""
    if not state.overlays.sounding:
        return
    over = [one for one in state.overlays.sounding if one.end <= state.clock.frame]
    for overlay in over:
        state.overlays.sounding.remove(overlay)
        actions.append(OverlayEnded(overlay, overlay.end, Outcome.AIRED))


def cut_overlays(
    state: AirState, note: str, outcome: Outcome, fade: int, curve: Curve, actions: list[Action]
) -> None:
    """Fade out what lies over the programme together with it."""
    end_overlays(state, actions)
    for overlay in state.overlays.sounding:
        end = max(overlay.start, min(overlay.end, state.clock.frame + fade))
        actions.append(FadeVoice(state.clock.frame, overlay.id, fade, curve))
        actions.append(OverlayEnded(overlay, end, outcome, note))
        state.overlays.until = end
    state.overlays.sounding = []


def overlay_died(
    programme: Programme, state: AirState, play_id: int, position: int, why: str
) -> list[Action]:
    """An overlay turns out to end at `position` of its item: it is over, and told."""
    overlay = next((one for one in state.overlays.sounding if one.id == play_id), None)
    if overlay is None:
        return []
    state.overlays.sounding.remove(overlay)
    state.revision += 1
    programme.unplayable[overlay.item.cart] = why
    at = overlay.start + position - overlay.begin
    title = overlay.item.title
    text = f"The overlay “{title}” breaks off on {overlay.over}: {why}."
    mend = f"Replace the file {overlay.item.path}."
    return [
        OverlayEnded(overlay, at, Outcome.CUT, why),
        Finding("overlay-died", Severity.WARNING, state.clock.frame, text, mend, overlay.line_id),
    ]


def count_segue(
    programme: Programme, state: AirState, out: Item, into: Item, line: Line, actions: list[Action]
) -> None:
    """Count a segue for the pools of sweepers that might have lain on it."""
    used = {key for key in state.overlays.tried if key.startswith(_SEGUE)}
    us = state.clock.now_us
    for pool in programme.open_pools(PoolUse.SWEEPERS, us):
        if f"{_SEGUE}:{pool.id}" not in used and pool.pairs_with(out, into):
            state.overlays.since_used[pool.id] = state.overlays.since_used.get(pool.id, 0) + 1
    wish = line.overlay
    if wish is None or wish.wish is not Wish.THIS or used:
        return
    item = programme.item(wish.cart)
    if item is None or item.kind is not Kind.VOICEOVER or wish.at_s is not None:
        title = f"“{item.title}”" if item else f"item {wish.cart}"
        why = programme.why_unplayable(wish.cart) or "there is no room for it"
        text = f"{title}, chosen by hand, is left out over the segue into “{into.title}”: {why}."
        mend = "Choose a shorter one, or place it by hand."
        actions.append(
            Finding("overlay-left-out", Severity.WARNING, state.clock.frame, text, mend, line.id)
        )


def count_song(programme: Programme, state: AirState, play: Play) -> None:
    """Count a song for the pools of voiceovers that it is for."""
    state.overlays.tried = []
    if play.item.kind is not Kind.SONG or play.joined:
        return
    us = state.clock.now_us
    for pool in programme.open_pools(PoolUse.VOICEOVERS, us):
        if serves_song(programme, pool, play):
            state.overlays.since_used[pool.id] = state.overlays.since_used.get(pool.id, 0) + 1

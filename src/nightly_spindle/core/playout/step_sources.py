"""What a step of a timed event takes now, and what it would lack: by turn, by rotation, by lot."""

from __future__ import annotations

from dataclasses import dataclass
from hashlib import blake2s
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US, to_frames
from nightly_spindle.core.events.steps import (
    Pick,
    PlayBreak,
    PlayCategory,
    PlayFolder,
    PlayItem,
    PlayList,
    PlayPool,
    PlayStep,
    PlayStream,
)
from nightly_spindle.core.overlays.overlay_turns import FRESH, in_turn, taken
from nightly_spindle.core.programme.event_sources import stream_cart
from nightly_spindle.core.programme.rotation import pick as pick_next

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Sequence

    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.overlays.overlay_pools import Pool
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme


@dataclass(frozen=True, slots=True)
class StepYield:
    """What a step gave: carts with why each, and what it could not give (empty: nothing)."""

    picks: tuple[tuple[int, str], ...] = ()
    lacks: str = ""


def take(
    programme: Programme, state: AirState, event: TimedEvent, index: int, step: PlayStep
) -> StepYield:
    """Take what a step plays now, and remember what has had its turn."""
    if isinstance(step, PlayStream):
        cart = stream_cart(event.id, index)
        why_not = programme.why_unplayable(cart)
        return (
            StepYield(lacks=f"the stream “{step.name}”: {why_not}")
            if why_not
            else StepYield(((cart, f"From {step.url}."),))
        )
    if isinstance(step, PlayPool):
        return _from_pool(programme, state, step)
    if isinstance(step, PlayBreak):
        pattern = programme.spots.named(step.name)
        if pattern is None:
            return StepYield(lacks=f"{_named(step)} is not there")
        return StepYield(((pattern.cart, "Filled when it comes next."),))
    return _from_sources(programme, state, event, index, step)


def _from_sources(
    programme: Programme,
    state: AirState,
    event: TimedEvent,
    index: int,
    step: PlayItem | PlayList | PlayFolder | PlayCategory,
) -> StepYield:
    known = programme.event_sources.carts(step)
    if not known:
        gone = known is None
        return StepYield(lacks=f"{_named(step)}{' is not there' if gone else ': nothing is in it'}")
    playable = [cart for cart in known if not programme.why_unplayable(cart)]
    if not playable:
        return StepYield(lacks=f"{_named(step)}: {programme.why_unplayable(known[0])}")
    lost = len(known) - len(playable)
    lacks = f"{_named(step)}: {lost} of {len(known)} cannot be played" if lost else ""
    if isinstance(step, PlayItem):
        return StepYield(((step.cart, "The item that its step names."),), lacks)
    if isinstance(step, PlayCategory):
        return StepYield(
            tuple(_in_rotation(programme, state, step.name, step.count, playable)), lacks
        )
    return StepYield(tuple(_picked(programme, state, event, index, step.pick, playable)), lacks)


def needs(programme: Programme, event: TimedEvent, index: int, step: PlayStep) -> str:
    """Return what a step would lack if it were due now, empty when nothing."""
    if isinstance(step, PlayStream):
        return programme.why_unplayable(stream_cart(event.id, index))
    if isinstance(step, PlayBreak):
        return "" if programme.spots.named(step.name) else f"{_named(step)} is not there"
    known = programme.event_sources.carts(step)
    if isinstance(step, PlayPool):
        pool = _pool(programme, step)
        known = None if pool is None else pool.carts
    if known is None:
        return f"{_named(step)} is not there"
    lost = [cart for cart in known if programme.why_unplayable(cart)]
    if not known:
        strays = programme.event_sources.strays.get(getattr(step, "folder", ""), 0)
        more = f"; {strays} files there are not in the library" if strays else ""
        return f"{_named(step)} holds nothing that can be played{more}"
    if lost:
        why = programme.why_unplayable(lost[0])
        more = f", and {len(lost) - 1} more of {_named(step)}" if len(lost) > 1 else ""
        return f"{_title(programme, lost[0])}: {why}{more}"
    return ""


def _pool(programme: Programme, step: PlayPool) -> Pool | None:
    name = step.name.casefold()
    return next((pool for pool in programme.pools if pool.name.casefold() == name), None)


def _from_pool(programme: Programme, state: AirState, step: PlayPool) -> StepYield:
    """Take the member of a pool whose turn it is; nothing while the pool is closed."""
    pool = _pool(programme, step)
    if pool is None:
        return StepYield(lacks=f"{_named(step)} is not there")
    us = state.clock.now_us
    if not pool.open_at(us, programme.settings.tz):
        return StepYield()
    seed, least = programme.settings.seed, to_frames(pool.options.least_s, state.clock.rate)
    turn = state.overlays.turns.get(pool.id, FRESH)
    for cart in (*in_turn(pool, turn, seed), pool.fallback):
        last = state.overlays.last_used.get(cart)
        if not cart or programme.why_unplayable(cart):
            continue
        if cart == pool.fallback or last is None or state.clock.frame - last >= least:
            state.overlays.last_used[cart] = state.clock.frame
            if cart in pool.carts:
                state.overlays.turns[pool.id] = taken(pool, turn, cart, state.clock.frame, seed)
                why = f"Its turn in the pool “{pool.name}” ({pool.options.order})."
            else:
                why = f"The fallback of the pool “{pool.name}”."
            return StepYield(((cart, why),))
    return StepYield(lacks=f"{_named(step)} has none that can be played now")


def _named(step: PlayStep) -> str:
    if isinstance(step, PlayItem):
        return f"item {step.cart}"
    if isinstance(step, PlayList):
        return f"the list “{step.name}”"
    if isinstance(step, PlayFolder):
        return f"the folder {step.folder}"
    if isinstance(step, PlayPool):
        return f"the pool “{step.name}”"
    if isinstance(step, PlayBreak):
        return f"the break “{step.name}”"
    return f"the category “{step.name}”" if isinstance(step, PlayCategory) else step.name


def _title(programme: Programme, cart: int) -> str:
    item = programme.item(cart)
    return f"“{item.title}”" if item else f"item {cart}"


def from_category(
    programme: Programme, state: AirState, name: str, count: int
) -> list[tuple[int, str]]:
    """Return items of a category whose turn it is, each with why; none where none can be played."""
    known = programme.event_sources.categories.get(name.strip().casefold(), ())
    playable = [cart for cart in known if not programme.why_unplayable(cart)]
    return list(_in_rotation(programme, state, name, count, playable)) if playable else []


def _in_rotation(
    programme: Programme, state: AirState, name: str, count: int, carts: Sequence[int]
) -> Iterable[tuple[int, str]]:
    at = state.clock.frame
    lines: list[tuple[float, int]] = []
    for _ in range(count):
        found = pick_next(programme, state, at, carts, of=name, more=lines)
        if found is None:
            return
        _, item, why = found
        lines.append(((state.clock.instant_of(at)) / US, item.cart))
        at += programme.sounding(item)[1]
        yield item.cart, f"Chosen as {why}."


def _picked(
    programme: Programme,
    state: AirState,
    event: TimedEvent,
    index: int,
    pick: Pick,
    carts: Sequence[int],
) -> list[tuple[int, str]]:
    key = f"{event.id}/{index}"
    turns = state.events.turns.get(key, 0)
    mixed = _shuffler(f"{programme.settings.seed}/{key}/{turns}")
    if pick is Pick.ALL:
        return [(cart, "In the order it has there.") for cart in carts]
    if pick is Pick.SHUFFLED:
        state.events.turns[key] = turns + 1
        return [(cart, "Shuffled again each time.") for cart in sorted(carts, key=mixed)]
    had = [cart for cart in state.events.taken.get(key, []) if cart in carts]
    if pick is Pick.NEXT:
        after = carts.index(had[-1]) + 1 if had else 0
        cart = carts[after % len(carts)]
        state.events.taken[key] = [cart]
        return [(cart, "The next one, after what was played the last time.")]
    left = [cart for cart in carts if cart not in had]
    if not left:  # all have aired: a new round, which does not begin with the one just heard
        had, left = [], [cart for cart in carts if cart != had[-1]] or list(carts)
        state.events.turns[key] = turns = turns + 1
        mixed = _shuffler(f"{programme.settings.seed}/{key}/{turns}")
    cart = min(left, key=mixed)
    state.events.taken[key] = [*had, cart]
    return [(cart, f"At random, none again until all {len(carts)} have aired.")]


def _shuffler(seed: str) -> Callable[[int], bytes]:
    """Return a key that shuffles carts, the same way for the same seed."""
    return lambda cart: blake2s(f"{seed}/{cart}".encode(), digest_size=8).digest()

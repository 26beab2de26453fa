"""Which overlay of a pool is taken: whose turn it is, of those that can be used here."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from nightly_spindle.core.base.timebase import to_frames
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.overlays.overlay_pools import Pool, PoolOptions, PoolUse, VoiceoverFit
from nightly_spindle.core.overlays.overlay_turns import FRESH, in_turn
from nightly_spindle.core.playout.overlay_position import OverlayPosition, OverlayWindow
from nightly_spindle.core.programme.running_order import Overlay
from nightly_spindle.core.segues.ducking import voice_over_bed

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.programme.running_order import OverlayPlace
    from nightly_spindle.core.segues.ducking import Ducking
    from nightly_spindle.core.station.settings import StationSettings

    # says where something so long (frames) lies by a pool's options, None where it does not fit
    Placer = Callable[[int, PoolOptions], OverlayPosition | None]

_PLAIN = PoolOptions()


class Chosen(NamedTuple):
    """An overlay that is taken, where it lies, and why."""

    item: Item
    spot: OverlayPosition
    pool: Pool | None
    origin: str
    why: str


class Ground(NamedTuple):
    """Everything that choosing looks at; at frame `cut` something cuts in (None: nothing)."""

    programme: Programme
    state: AirState
    cut: int | None

    @property
    def rate(self) -> int:
        """The mix rate."""
        return self.state.clock.rate

    @property
    def free(self) -> int:
        """The first frame at which an overlay may begin: still to come, and apart from the last.

        What is still to come counts from the last change on: what is chosen must not depend on
        how often it is looked at.
        """
        if not self.state.overlays.until:
            return self.state.changed_at
        gap = to_frames(self.programme.settings.overlay.gap_s, self.rate)
        return max(self.state.changed_at, self.state.overlays.until + gap)

    def within(self, window: OverlayWindow) -> OverlayWindow:
        """Return a window that ends where something cuts in."""
        if self.cut is None or self.cut >= window.high:
            return window
        return OverlayWindow(window.low, self.cut, "something cuts in then")

    def us(self, frame: int) -> int:
        """Return the wall clock's instant (µs) of a frame."""
        return self.state.clock.instant_of(frame)


def is_open(ground: Ground, pool: Pool, frame: int) -> bool:
    """Whether a pool is open at a frame."""
    return pool.open_at(ground.us(frame), ground.programme.settings.tz)


def asked(ground: Ground, use: PoolUse, frame: int) -> Iterator[Pool]:
    """Give the pools that are open at a frame, up to one that is alone while it is open."""
    for pool in ground.programme.open_pools(use, ground.us(frame)):
        yield pool
        if pool.options.alone:
            return


def is_due(ground: Ground, pool: Pool, frame: int, this: int) -> bool:
    """Whether enough has passed since the pool was used; `this` chance counts where it is 1."""
    turn = ground.state.overlays.turns.get(pool.id, FRESH)
    if turn.at is not None:
        apart = to_frames(pool.options.apart_s, ground.rate)
        if frame - turn.at < apart:
            return False
    return ground.state.overlays.since_used.get(pool.id, 0) + this >= int(pool.options.every)


def single(
    ground: Ground,
    cart: int,
    place: Placer,
    origin: str,
    why: str,
) -> Chosen | None:
    """Return an overlay that comes from no pool, None when it cannot be played or does not fit."""
    item = ground.programme.playable(cart)
    if item is None:
        return None
    spot = place(ground.programme.sounding(item)[1], _PLAIN)
    return None if spot is None else Chosen(item, spot, None, origin, why)


def from_pool(
    ground: Ground,
    pool: Pool,
    place: Placer,
    also: str = "",
) -> Chosen | None:
    """Return the member of a pool that is taken and where it lies; the fallback when none can."""
    settings = ground.programme.settings
    turn = ground.state.overlays.turns.get(pool.id, FRESH)
    origin = f"pool “{pool.name}”"
    longest = pool.options.fits is VoiceoverFit.LONGEST and pool.use is PoolUse.VOICEOVERS
    best: tuple[int, int, Item, OverlayPosition] | None = None  # length, rank
    for rank, cart in enumerate(in_turn(pool, turn, settings.seed)):
        item = ground.programme.playable(cart)
        if item is None:
            continue
        frames = ground.programme.sounding(item)[1]
        if best is not None and frames <= best[0]:
            continue
        spot = place(frames, pool.options)
        if spot is not None and not _is_too_soon(ground, pool, cart, spot.at):
            best = (frames, rank, item, spot)
            if not longest:
                break
    if best is not None:
        _, rank, item, spot = best
        why = f"Its turn in “{pool.name}” ({pool.options.order})."
        if longest:
            why = f"The longest of “{pool.name}” that fits."
        elif rank:
            why = f"The first of “{pool.name}” that can be used here ({pool.options.order})."
        return Chosen(item, spot, pool, origin, f"{why} {also}".strip())
    if not pool.fallback:
        return None
    instead = single(
        ground,
        pool.fallback,
        place,
        f"fallback of {origin}",
        f"No member of “{pool.name}” can be used here: its fallback.",
    )
    return None if instead is None else instead._replace(pool=pool)


def _is_too_soon(ground: Ground, pool: Pool, cart: int, at: int) -> bool:
    last = ground.state.overlays.last_used.get(cart)
    return last is not None and at - last < to_frames(pool.options.least_s, ground.rate)


def ducking_of(settings: StationSettings, item: Item) -> Ducking:
    """Return how the programme goes down under an overlay."""
    return settings.duck_voiceover if item.kind is Kind.VOICEOVER else settings.duck_sweeper


def decided(ground: Ground, overlay: Overlay) -> int:
    """Return the frame at which the programme begins to go down for an overlay."""
    ahead = to_frames(ducking_of(ground.programme.settings, overlay.item).ahead_s, ground.rate)
    return max(ground.state.clock.frame, overlay.start - ahead)


def made(
    ground: Ground,
    chosen: Chosen,
    beds: Iterable[Item],
    line_id: int,
    where: OverlayPlace,
    over: str,
    *,
    by_hand: bool = False,
) -> Overlay:
    """Return what was chosen as an overlay over `beds`; it has no number yet."""
    settings, item = ground.programme.settings, chosen.item
    ducking = ducking_of(settings, item)
    louder = voice_over_bed(item, beds, ducking, settings.levels, settings.kind_levels)
    told = "" if louder is None else f" {louder:.0f} LU over the lowered programme."
    start, (begin, frames) = chosen.spot.at, ground.programme.sounding(item)
    return Overlay(
        0,
        item,
        start,
        begin,
        start + frames,
        line_id,
        where,
        over,
        chosen.origin,
        f"{chosen.why} {chosen.spot.why}{told}",
        chosen.pool.id if chosen.pool else 0,
        by_hand,
        louder,
    )

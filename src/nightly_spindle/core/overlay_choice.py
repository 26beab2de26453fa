"""Which overlay of a pool is taken: whose turn it is, of those that can be used here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from nightly_spindle.core.ducking import voice_over_bed
from nightly_spindle.core.items import Item, Kind
from nightly_spindle.core.joins import span
from nightly_spindle.core.overlay_plan import Spot, Window
from nightly_spindle.core.overlay_pools import Fits, Pool, PoolOptions, Use
from nightly_spindle.core.overlay_turns import FRESH, in_turn
from nightly_spindle.core.programme import Programme
from nightly_spindle.core.running import AirState, Overlay, Where
from nightly_spindle.core.timebase import to_frames, us_from_frames

if TYPE_CHECKING:
    from collections.abc import Callable, Iterable, Iterator

    from nightly_spindle.core.ducking import Ducking
    from nightly_spindle.core.settings import StationSettings

    # says where something so long (frames) lies by a pool's options, None where it does not fit
    Placer = Callable[[int, PoolOptions], Spot | None]

_PLAIN = PoolOptions()


class Chosen(NamedTuple):
    """An overlay that is taken, where it lies, and why."""

    item: Item
    spot: Spot
    pool: Pool | None
    origin: str
    why: str


@dataclass(frozen=True, slots=True)
class Ground:
    """Everything that choosing looks at; at frame `cut` something cuts in (None: nothing)."""

    programme: Programme
    state: AirState
    cut: int | None

    @property
    def rate(self) -> int:
        """The mix rate."""
        return self.state.rate

    @property
    def free(self) -> int:
        """The first frame at which an overlay may begin: still to come, and apart from the last.

        What is still to come counts from the last change on: what is chosen must not depend on
        how often it is looked at.
        """
        if not self.state.overlaid_until:
            return self.state.changed_at
        gap = to_frames(self.programme.settings.overlay.gap_s, self.rate)
        return max(self.state.changed_at, self.state.overlaid_until + gap)

    def within(self, window: Window) -> Window:
        """Return a window that ends where something cuts in."""
        if self.cut is None or self.cut >= window.high:
            return window
        return Window(window.low, self.cut, "something cuts in then")

    def us(self, frame: int) -> int:
        """Return the wall clock's instant (µs) of a frame."""
        return us_from_frames(frame, self.rate) + self.state.offset_us

    def playable(self, cart: int) -> Item | None:
        """Return an item that can be played, else None."""
        if self.programme.why_unplayable(cart):
            return None
        return self.programme.item(cart)


def is_open(ground: Ground, pool: Pool, frame: int) -> bool:
    """Whether a pool is open at a frame."""
    return pool.open_at(ground.us(frame), ground.programme.settings.tz)


def asked(ground: Ground, use: Use, frame: int) -> Iterator[Pool]:
    """Give the pools that are open at a frame, up to one that is alone while it is open."""
    for pool in ground.programme.pools_for(use):
        if is_open(ground, pool, frame):
            yield pool
            if pool.options.alone:
                return


def is_due(ground: Ground, pool: Pool, frame: int, this: int) -> bool:
    """Whether enough has passed since the pool was used; `this` chance counts where it is 1."""
    turn = ground.state.pools.get(str(pool.id), FRESH)
    if turn.at is not None:
        apart = to_frames(pool.options.apart_s, ground.rate)
        if frame - turn.at < apart:
            return False
    return turn.passed + this >= int(pool.options.every)


def single(
    ground: Ground,
    cart: int,
    place: Placer,
    origin: str,
    why: str,
) -> Chosen | None:
    """Return an overlay that comes from no pool, None when it cannot be played or does not fit."""
    item = ground.playable(cart)
    if item is None:
        return None
    spot = place(_frames(item, ground.rate), _PLAIN)
    return None if spot is None else Chosen(item, spot, None, origin, why)


def from_pool(
    ground: Ground,
    pool: Pool,
    place: Placer,
    also: str = "",
) -> Chosen | None:
    """Return the member of a pool that is taken and where it lies; the fallback when none can."""
    settings = ground.programme.settings
    turn = ground.state.pools.get(str(pool.id), FRESH)
    origin = f"pool “{pool.name}”"
    fitting: list[Chosen] = []
    for rank, cart in enumerate(in_turn(pool, turn, settings.seed)):
        item = ground.playable(cart)
        spot = place(_frames(item, ground.rate), pool.options) if item is not None else None
        if item is None or spot is None or _is_too_soon(ground, pool, cart, spot.at):
            continue
        why = f"Its turn in “{pool.name}” ({pool.options.order})."
        if rank:
            why = f"The first of “{pool.name}” that can be used here ({pool.options.order})."
        chosen = Chosen(item, spot, pool, origin, f"{why} {also}".strip())
        if pool.options.fits is not Fits.LONGEST or pool.use is not Use.VOICEOVERS:
            return chosen
        fitting.append(chosen)
    if fitting:
        longest = max(fitting, key=lambda one: _frames(one.item, ground.rate))
        return longest._replace(why=f"The longest of “{pool.name}” that fits.")
    if not pool.fallback:
        return None
    instead = single(
        ground, pool.fallback, place, f"fallback of {origin}",
        f"No member of “{pool.name}” can be used here: its fallback.",
    )  # fmt: skip
    return None if instead is None else instead._replace(pool=pool)


def _is_too_soon(ground: Ground, pool: Pool, cart: int, at: int) -> bool:
    last = ground.state.voiced.get(str(cart))
    return last is not None and at - last < to_frames(pool.options.least_s, ground.rate)


def _frames(item: Item, rate: int) -> int:
    here = span(item, rate)
    return here.cue_out - here.cue_in


def ducking_of(settings: StationSettings, item: Item) -> Ducking:
    """Return how the programme goes down under an overlay."""
    return settings.duck_voiceover if item.kind is Kind.VOICEOVER else settings.duck_sweeper


def decided(ground: Ground, overlay: Overlay) -> int:
    """Return the frame at which the programme begins to go down for an overlay."""
    ahead = to_frames(ducking_of(ground.programme.settings, overlay.item).ahead_s, ground.rate)
    return max(ground.state.frame, overlay.start - ahead)


def made(
    ground: Ground,
    chosen: Chosen,
    beds: Iterable[Item],
    line_id: int,
    where: Where,
    over: str,
    *,
    by_hand: bool = False,
) -> Overlay:
    """Return what was chosen as an overlay over `beds`; it has no number yet."""
    settings, item = ground.programme.settings, chosen.item
    ducking = ducking_of(settings, item)
    louder = voice_over_bed(item, beds, ducking, settings.levels, settings.kind_levels)
    told = "" if louder is None else f" {louder:.0f} LU over the lowered programme."
    start, begin = chosen.spot.at, span(item, ground.rate).cue_in
    return Overlay(
        0, item, start, begin, start + _frames(item, ground.rate), line_id, where, over,
        chosen.origin, f"{chosen.why} {chosen.spot.why}{told}",
        chosen.pool.id if chosen.pool else 0, by_hand,
    )  # fmt: skip

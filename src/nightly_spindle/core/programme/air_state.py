"""All that the sequencer remembers, in parts, and all that a restart needs.

It is written down whenever the running order changes; the parts say who uses what.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from nightly_spindle.core.base.timebase import frames_from_us, us_from_frames
from nightly_spindle.core.overlays.pool_turn import PoolTurn
from nightly_spindle.core.programme.running_order import (
    Awaited,
    Deadline,
    EventHold,
    HeardPlay,
    Hold,
    LandingTries,
    Line,
    Loaded,
    LoadOrder,
    Overlay,
    Play,
)
from nightly_spindle.core.traffic.spot_state import SpotState


@dataclass(slots=True)
class AirClock:
    """Where the station is in time. Everything before `frame` is decided.

    `rate` is the mix rate, `offset_us` the wall clock minus the frame clock. Instants up to
    `fired_until_us` have had their firings, whatever the wall clock does afterwards.
    """

    rate: int
    frame: int
    fired_until_us: int
    offset_us: int = 0

    def instant_of(self, frame: int) -> int:
        """Return the instant (µs) of a station frame."""
        return us_from_frames(frame, self.rate) + self.offset_us

    def frame_of(self, us: int) -> int:
        """Return the station frame of an instant (µs)."""
        return frames_from_us(us - self.offset_us, self.rate)

    @property
    def now_us(self) -> int:
        """The instant up to which everything is decided."""
        return self.instant_of(self.frame)


@dataclass(slots=True)
class OrderState:
    """The running order: `upcoming` lines, what is `playing`, whether it goes on by itself.

    `silent_at` is the frame at which the item on air is faded out when its fader went down ahead
    of the next item's start, 0 while it has not. `kept_time` is the time that the next line keeps
    while its folder is away, `skipped` how many lines were skipped in a row.
    """

    upcoming: list[Line] = field(default_factory=list)
    playing: Play | None = None
    next_id: int = 1
    unattended: bool = True
    stopped: bool = False
    silent_at: int = 0
    kept_time: Hold | None = None
    skipped: int = 0


@dataclass(slots=True)
class LogMemory:
    """Each drop's newest log, the newest of all last; what was due and was not there; orders.

    `orders` are what was told to load later, by time.
    """

    loaded: list[Loaded] = field(default_factory=list)
    awaited: list[Awaited] = field(default_factory=list)
    orders: list[LoadOrder] = field(default_factory=list)


@dataclass(slots=True)
class EventMemory:
    """What timed events left behind.

    `deadlines` of those that wait, by time; the one that is `holding` the air; `held` are the
    numbers of events that wait for its end; `songs_since` how many songs were heard since an event
    (by its number) that counts them; `taken` what a step ("event/place") has played of its list or
    folder, `turns` how often. `landing` is how it stands with the next event that is to land.
    """

    deadlines: list[Deadline] = field(default_factory=list)
    holding: EventHold | None = None
    held: list[int] = field(default_factory=list)
    songs_since: dict[int, int] = field(default_factory=dict)
    taken: dict[str, list[int]] = field(default_factory=dict)
    turns: dict[str, int] = field(default_factory=dict)
    landing: LandingTries = field(default_factory=LandingTries)


@dataclass(slots=True)
class OverlayMemory:
    """`on`: whether overlays may sound; those `sounding`; the frame `until` which the last lasts.

    `tried` are the places of the item on air that had their chance ("segue" is the join that it
    leaves by); up to frame `sung_until` the item before may still be singing. By pool number: where
    the `turns` stand, and how many segues or songs passed `since_used`. `last_used` is the station
    frame of each overlay's last use, by cart.
    """

    on: bool = True
    sounding: list[Overlay] = field(default_factory=list)
    until: int = 0
    tried: list[str] = field(default_factory=list)
    sung_until: int = 0
    turns: dict[int, PoolTurn] = field(default_factory=dict)
    since_used: dict[int, int] = field(default_factory=dict)
    last_used: dict[int, int] = field(default_factory=dict)


@dataclass(slots=True)
class NetMemory:
    """The safety net's `level` in use, empty on the log; whether the log's repeat had aired."""

    level: str = ""
    repeat_aired: bool = True


@dataclass(slots=True)
class AirState:
    """The parts; `history` is what rotation must know of past plays.

    `revision` counts changes, `changed_at` is the frame at which anything changed last, `marked`
    the revision that it is of.
    """

    clock: AirClock
    order: OrderState = field(default_factory=OrderState)
    logs: LogMemory = field(default_factory=LogMemory)
    events: EventMemory = field(default_factory=EventMemory)
    overlays: OverlayMemory = field(default_factory=OverlayMemory)
    spots: SpotState = field(default_factory=SpotState)
    net: NetMemory = field(default_factory=NetMemory)
    history: list[HeardPlay] = field(default_factory=list)
    revision: int = 0
    changed_at: int = 0
    marked: int = -1

    def mark_change(self) -> None:
        """Remember the present frame as that of the last change, where something has changed."""
        if self.marked != self.revision:
            self.marked, self.changed_at = self.revision, self.clock.frame

    def take_id(self) -> int:
        """Return an id that no line and no play of this state has had."""
        taken = self.order.next_id
        self.order.next_id += 1
        return taken

    def copy(self) -> AirState:
        """Return an independent copy; the frozen parts are shared."""
        order, logs, events, overlays = self.order, self.logs, self.events, self.overlays
        return replace(
            self,
            clock=replace(self.clock),
            order=replace(order, upcoming=list(order.upcoming)),
            logs=LogMemory(list(logs.loaded), list(logs.awaited), list(logs.orders)),
            events=replace(
                events,
                deadlines=list(events.deadlines),
                held=list(events.held),
                songs_since=dict(events.songs_since),
                taken={key: list(carts) for key, carts in events.taken.items()},
                turns=dict(events.turns),
            ),
            overlays=replace(
                overlays,
                sounding=list(overlays.sounding),
                tried=list(overlays.tried),
                turns=dict(overlays.turns),
                since_used=dict(overlays.since_used),
                last_used=dict(overlays.last_used),
            ),
            spots=self.spots.copy(),
            net=replace(self.net),
            history=list(self.history),
        )


def new_state(rate: int, frame: int, fired_until_us: int) -> AirState:
    """Return the state of a station that has aired nothing yet."""
    return AirState(AirClock(rate, frame, fired_until_us))

"""Overlays: planned over a day of 400 songs, mixed with the programme going down under them."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import replace

import numpy as np

from nightly_spindle.audio.mixer import Mixer, Voice
from nightly_spindle.core.library.items import Ending, Item, Kind, Measure
from nightly_spindle.core.library.markers import Marks
from nightly_spindle.core.overlays.overlay_pools import (
    Member,
    Pool,
    PoolOptions,
    PoolUse,
    TurnOrder,
    VoiceoverFit,
)
from nightly_spindle.core.playout.rehearsal import rehearse
from nightly_spindle.core.playout.sequencer import Sequencer
from nightly_spindle.core.programme.air_state import new_state
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.running_order import (
    Line,
    LineSource,
    Origin,
    Overlay,
    OverlayPlace,
    Play,
)
from nightly_spindle.core.programme.sequencer_actions import StartOverlay, StartVoice
from nightly_spindle.core.segues.ducking import Ducking, duck_frames
from nightly_spindle.core.station.settings import StationSettings

RATE = 44_100
LINES = 400
Row = Callable[[str, str, str, bool], None]


def _item(cart: int, kind: Kind, seconds: float) -> Item:
    measure = Measure(
        seconds, RATE, 2, -16.0, 4.0, -1.0, 0.0, seconds, seconds - 3, seconds - 6, Ending.FADE
    )
    return Item(cart, kind, f"Title {cart}", f"Artist {cart}", f"/a/{cart}", measure)


class _NoLogs:
    def reading(self, *_: object) -> object:
        """There are none."""
        raise AssertionError


def _day(pools: list[Pool], items: dict[int, Item]) -> tuple[float, int]:
    """Return the shortest time that rehearsing the day takes, and how many overlays it has."""
    found = []
    count = 0
    for _ in range(7):
        programme = Programme(StationSettings("B", "UTC"), _NoLogs(), dict(items), pools=pools)  # type: ignore[arg-type]
        state = new_state(RATE, 0, -1)
        state.order.upcoming = [
            Line(state.take_id(), cart, Origin(LineSource.LOG, "x", cart))
            for cart in range(1, LINES + 1)
        ]
        begin = time.process_time()
        night = rehearse(programme, Sequencer(programme, state), [], 23.9)
        found.append(time.process_time() - begin)
        count = len(night.overlays)
    return min(found), count


def planning(row: Row) -> None:
    """Print what overlays add to rehearsing a day."""
    songs = [
        replace(_item(n, Kind.SONG, 216.0), marks=Marks(intro_end_s=6.0 + n % 12))
        for n in range(1, LINES + 1)
    ]
    voices = [
        _item(900 + n, Kind.SWEEPER if n < 20 else Kind.VOICEOVER, 3.0 + n % 5) for n in range(40)
    ]
    items = {item.cart: item for item in [*songs, *voices]}
    sweepers = tuple(Member(900 + n) for n in range(20))
    spoken = tuple(Member(920 + n) for n in range(20))
    pools = [
        Pool(1, "Night", PoolUse.SWEEPERS, sweepers, PoolOptions(hours="22:00-06:00")),
        Pool(
            2,
            "Day",
            PoolUse.SWEEPERS,
            sweepers,
            PoolOptions(order=TurnOrder.SHUFFLED, least_s=900.0),
        ),
        Pool(3, "New", PoolUse.VOICEOVERS, spoken, PoolOptions(fits=VoiceoverFit.LONGEST)),
    ]
    without, _ = _day([], items)
    taken, count = _day(pools, items)
    more = taken - without
    told = f"{more * 1000:.0f} ms for {count} (day alone {without * 1000:.0f} ms)"
    row(f"overlays of 24 h planned, {LINES} songs", told, "< 100 ms", more < 0.1)


class _Sound:
    """A source that gives the same frames again and again."""

    problem = ""

    def __init__(self) -> None:
        self._wave = (0.1 * np.random.default_rng(1).standard_normal((65_536, 2))).astype("f4")
        self._at = 0

    def read_into(self, out: np.ndarray) -> int:
        """Copy, as a buffer that was read ahead does."""
        at = self._at % (len(self._wave) - len(out))
        out[:] = self._wave[at : at + len(out)]
        self._at += len(out)
        return len(out)

    def close(self) -> None:
        """There is nothing to give back."""


def ducking(row: Row) -> None:
    """Print what mixing two songs and a voice costs with the programme lowered, and without."""
    block, seconds = 2048, 60
    bus = np.empty((block, 2), dtype="f4")
    ramp = Ducking(attack_s=2.0, release_s=5.0, ahead_s=1.0)

    def mixed(duck: Ducking | None, *, over: bool = True) -> float:
        mixer = Mixer(block)
        frames = (seconds + 10) * RATE
        for number in (1, 2, *(() if over else (3,))):
            item = _item(number, Kind.SONG, seconds + 10)
            play = Play(number, Line(1, number, Origin(LineSource.HAND)), item, 0, 0)
            mixer.start(Voice(StartVoice(play, frames, -3.0, 0, None), _Sound()))
        if over and duck is not None:
            sound = Overlay(
                3,
                _item(3, Kind.SWEEPER, seconds),
                RATE,
                0,
                (seconds - 4) * RATE,
                1,
                OverlayPlace.SEGUE,
                "",
                "",
                "",
            )
            order = StartOverlay(sound, (seconds - 5) * RATE, -3.0, duck_frames(duck, RATE))
            mixer.overlay(Voice(order, _Sound()), order)
        begin = time.perf_counter()
        for at in range(0, seconds * RATE, block):
            mixer.mix(bus, at)
        return time.perf_counter() - begin

    plain = min(mixed(None, over=False) for _ in range(5))
    lowered = min(mixed(Ducking()) for _ in range(5))
    following = min(mixed(replace(ramp, follow=True)) for _ in range(5))
    ratio = lowered / plain
    told = f"ratio {ratio:.2f} (following the voice {following / plain:.2f})"
    row("mixing with the programme lowered, against plain mixing", told, "<= 1.2", ratio <= 1.2)

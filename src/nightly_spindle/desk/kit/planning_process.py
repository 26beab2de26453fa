"""Working the coming night out, in a process of its own.

Planning is pure Python: on a thread it would hold painting up, which takes Python's lock
anew with nearly every call. So the desk runs this module as a program and asks it (`answering`).
Nothing here knows Qt.
"""

from __future__ import annotations

import sys
import time
from dataclasses import dataclass, field
from pathlib import Path
from typing import BinaryIO

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.core.reports.timeline import Night, plan_night
from nightly_spindle.core.reports.tonight import Left
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.desk.kit.answering import serve
from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.base.messages import begin_messages
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.snapshot import Snapshot, open_station, overview
from nightly_spindle.store.reports.findings_left import read_left

HOURS = 12.0
_FRESH_S = 60.0  # the station is read anew after so long
_WAVES_US = 3600 * US


@dataclass(frozen=True, slots=True)
class NightPlan:
    """One plan: the night, and the waveform overviews of its first hour by cart.

    `made_us` is when it was begun, `left` what of its findings was left as it is.
    """

    night: Night
    settings: StationSettings
    live: bool
    waves: dict[int, bytes] = field(default_factory=dict)
    made_us: int = 0
    left: dict[str, Left] = field(default_factory=dict)


@dataclass(slots=True)
class _Kept:
    """What the worker keeps between two plans."""

    snapshot: Snapshot | None = None
    read_at: float = 0.0
    change: int = -1
    waves: dict[int, bytes] = field(default_factory=dict)


_kept = _Kept()


@dataclass(frozen=True, slots=True)
class Request:
    """What is to be planned: from a state (None: the one saved last), at an instant."""

    state: AirState | None
    now_us: int
    live: bool
    hours: float = HOURS


@dataclass(frozen=True, slots=True)
class Reply:
    """The plan that was asked for, or a sentence that says why there is none."""

    planned: NightPlan | None
    problem: str = ""


def _plan(folder: Path, asked: Request) -> NightPlan:
    kept, state, now_us = _kept, asked.state, asked.now_us
    stale = kept.snapshot is None or time.monotonic() - kept.read_at > _FRESH_S
    if kept.snapshot is not None and change_count(kept.snapshot.connection) != kept.change:
        stale = True
        kept.waves.clear()
    if stale:
        if kept.snapshot is not None:
            kept.snapshot.connection.close()
        kept.snapshot, kept.read_at = open_station(folder), time.monotonic()
        kept.change = kept.snapshot.count
    snapshot = kept.snapshot
    assert snapshot is not None
    if state is None:
        state = load_state(snapshot.connection)
    snapshot.prepare(now_us, now_us + round(asked.hours * 3600) * US, state)
    night = plan_night(snapshot.programme, state, now_us, asked.hours, live=asked.live)
    waves = {}
    for block in night.blocks:
        if block.start_us > night.from_us + _WAVES_US:
            break
        if block.cart not in kept.waves:
            kept.waves[block.cart] = overview(folder, block.cart)
        waves[block.cart] = kept.waves[block.cart]
    left = read_left(snapshot.connection)
    return NightPlan(night, snapshot.programme.settings, asked.live, waves, now_us, left)


def main(folder: Path, pipes: tuple[BinaryIO, BinaryIO]) -> None:
    """Answer requests until they end."""
    begin_messages(folder, "planner", echo=False)
    serve(
        pipes,
        Request,
        lambda asked: Reply(_plan(folder, asked)),
        lambda why: Reply(None, why),
        "The night could not be planned",
    )


if __name__ == "__main__":
    main(Path(sys.argv[1]), (sys.stdin.buffer, sys.stdout.buffer))

"""Works the coming night out, off the interface thread."""

from __future__ import annotations

import time
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from PySide6.QtCore import QObject, QRunnable, QThreadPool, Signal

from nightly_spindle.core.errors import NightlySpindleError
from nightly_spindle.core.night import Night, plan_night
from nightly_spindle.core.settings import StationSettings
from nightly_spindle.core.timebase import US
from nightly_spindle.store.journal import load_state
from nightly_spindle.store.snapshot import Snapshot, open_station, overview

if TYPE_CHECKING:
    from pathlib import Path

    from nightly_spindle.core.running import AirState

HOURS = 12.0
_FRESH_S = 60.0  # the station is read anew after so long
_WAVES_US = 3600 * US


@dataclass(frozen=True, slots=True)
class Planned:
    """One plan: the night, and the waveform overviews of its first hour by cart."""

    night: Night
    settings: StationSettings
    live: bool
    waves: dict[int, bytes] = field(default_factory=dict)


@dataclass(slots=True)
class _Desk:
    """What the planning thread keeps between plans. Only that thread touches it."""

    snapshot: Snapshot | None = None
    read_at: float = 0.0
    waves: dict[int, bytes] = field(default_factory=dict)


def plan(desk: _Desk, folder: Path, state: AirState | None, now_us: int, live: bool) -> Planned:
    """Plan the coming hours of the station in `folder`."""
    if desk.snapshot is None or time.monotonic() - desk.read_at > _FRESH_S:
        if desk.snapshot is not None:
            desk.snapshot.connection.close()
        desk.snapshot, desk.read_at = open_station(folder), time.monotonic()
    snapshot = desk.snapshot
    if state is None:
        state = load_state(snapshot.connection)
    snapshot.prepare(now_us, now_us + round(HOURS * 3600) * US, state)
    night = plan_night(snapshot.programme, state, now_us, HOURS, live=live)
    waves = {}
    for block in night.blocks:
        if block.start_us > night.from_us + _WAVES_US:
            break
        if block.cart not in desk.waves:
            desk.waves[block.cart] = overview(folder, block.cart)
        waves[block.cart] = desk.waves[block.cart]
    return Planned(night, snapshot.programme.settings, live, waves)


class Planner(QObject):
    """Plans on a thread of its own; of several plans asked for only the newest counts.

    Signals: `planned` (Planned), `failed` (str).
    """

    planned = Signal(object)
    failed = Signal(str)
    _done = Signal(int, object)

    def __init__(self, folder: Path, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._folder = folder
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(1)
        self._desk = _Desk()
        self._number = 0
        self._waiting: tuple[AirState | None, int, bool] | None = None
        self._busy = False
        self._done.connect(self._on_done)

    def ask(self, state: AirState | None, now_us: int, *, live: bool) -> None:
        """Plan from this state (None: as an engine started now would find it)."""
        self._waiting = (state, now_us, live)
        if not self._busy:
            self._start()

    def close(self) -> None:
        """Wait for the running plan and end."""
        self._waiting = None
        self._pool.waitForDone(5000)

    def _start(self) -> None:
        if self._waiting is None:
            return
        (state, now_us, live), self._waiting = self._waiting, None
        self._number += 1
        self._busy = True
        number, desk, folder, done = self._number, self._desk, self._folder, self._done

        def work() -> None:
            try:
                result: Planned | str = plan(desk, folder, state, now_us, live)
            except NightlySpindleError as error:
                result = str(error)
            done.emit(number, result)

        self._pool.start(QRunnable.create(work))

    def _on_done(self, number: int, result: Planned | str) -> None:
        self._busy = False
        if self._waiting is not None:
            self._start()
        if number != self._number - (1 if self._busy else 0):
            return
        if isinstance(result, str):
            self.failed.emit(result)
        else:
            self.planned.emit(result)

"""The watcher of files and folders: the station itself, logs, items' files, what runs beside.

It has a thread of its own, and each folder that may hang another: nobody waits for it.
"""

from __future__ import annotations

import logging
import os
import sqlite3
import threading
import time
from concurrent.futures import Future
from dataclasses import dataclass
from functools import partial
from typing import TYPE_CHECKING, NamedTuple

from nightly_spindle.air.background_jobs import BackgroundJob
from nightly_spindle.air.edit_follower import EditFollower
from nightly_spindle.core.base.errors import NightlySpindleError
from nightly_spindle.core.base.timebase import US, moment_from
from nightly_spindle.core.calendar.local_days import local_day
from nightly_spindle.core.calendar.log_periods import AHEAD_US
from nightly_spindle.core.programme.air_state import AirState
from nightly_spindle.store.base.database import DATABASE, connect, only_locked
from nightly_spindle.store.base.roots import look_at_files
from nightly_spindle.store.events.events import over_and_done, retire
from nightly_spindle.store.music.made_hours import made_instants
from nightly_spindle.store.playout.journal import last_seen, load_state
from nightly_spindle.store.programme.snapshot import Snapshot, load_pool, open_station
from nightly_spindle.store.reports.log_makings import tasks_of

if TYPE_CHECKING:
    from collections.abc import Callable
    from pathlib import Path

    from nightly_spindle.air.engine import Engine
    from nightly_spindle.air.live_logs import LiveLogs
    from nightly_spindle.core.programme.running_order import Awaited, Loaded
    from nightly_spindle.core.station.log_sources import LogReading
    from nightly_spindle.store.base.patience import Patience
    from nightly_spindle.store.playout.state_file import Kept

_EVERY_S = 2.0
_LOCKED_S = 0.3  # a lock that is held for longer is told of; meanwhile something must sound
_RETIRE_US = 600_000_000  # ten minutes: nothing hangs on it
_DAY_US = 24 * 3600 * US
_HANGS_S = 8.0  # a folder that has not answered for so long is told of: with a round, within ten
_LONG_LOOK_S = 0.1  # a look at all files that takes longer is taken more seldom
_SELDOM_S = 30.0
_LATER_US = US  # both are written in one round, the file by a moment later
_log = logging.getLogger(__name__)


@dataclass(slots=True)
class Opened:
    """A station that was read whole: with the state and the sign of life in its database."""

    snapshot: Snapshot
    state: AirState | None
    seen_us: int | None


class Newest(NamedTuple):
    """What an engine goes on from: the state, the last sign of life (µs), whether it was a goodbye.

    None of either where nothing is known.
    """

    state: AirState | None
    seen_us: int | None
    left: bool


def newest(kept: Kept | None, opened: Opened | None) -> Newest:
    """Return what to go on from: the state file's, unless the database knows of something later."""
    state, seen, left = None, None, False
    if kept is not None:
        state, seen, left = kept.state, kept.seen_us or None, kept.left
    if opened is not None and opened.seen_us is not None:
        later = seen is None or opened.seen_us > seen + _LATER_US
        if later or state is None:
            state, left = opened.state, left and not later
        seen = max(seen or 0, opened.seen_us)
    return Newest(state, seen, left)


class StationWatcher:
    """Reads the station and keeps a running engine's programme true to it.

    `opened` has the station once it is read; until then it is tried again and again, and `problem`
    says why it could not be. `moved` is when its thread last went round (monotonic seconds).
    """

    def __init__(
        self,
        folder: Path,
        wall: Callable[[], int],
        patience: Patience,
        state: AirState | None,
    ) -> None:
        self._folder, self._wall, self._patience = folder, wall, patience
        self._state = state  # of the state file: its items must be in reach
        self._snapshot: Snapshot | None = None
        self._logs: LiveLogs | None = None
        self._follower: EditFollower | None = None
        self._engine: Engine | None = None
        self._seen: dict[tuple[int, int], int] = {}  # when a loaded log's file was written
        self._retire_at = 0
        self._next_files = 0.0
        self._told_hanging: set[str] = set()
        self._placer = BackgroundJob("placing spots")
        self._maker = BackgroundJob("making logs")
        self._database: tuple[int, int] | None = None  # which file it is
        self._stirred = threading.Event()
        self._generation = 0
        self._leaving = False
        self.opened: Future[Opened] = Future()
        self.problem = ""
        self.moved = time.monotonic()

    def start(self) -> None:
        """Start the thread; called once more it starts another, and the former is left behind."""
        self._generation += 1
        self.moved = time.monotonic()
        thread = threading.Thread(
            target=self._run, args=(self._generation,), name="station-watcher", daemon=True
        )
        thread.start()

    def attach(self, engine: Engine, snapshot: Snapshot, logs: LiveLogs) -> None:
        """Keep this engine true to the station from here on."""
        self._snapshot, self._logs = snapshot, logs
        self._follower = EditFollower(snapshot, engine)
        self._engine = engine

    def stir(self) -> None:
        """Look soon: something is odd with a file."""
        self._next_files = 0.0
        self._stirred.set()

    def leave(self) -> None:
        """End after the present round."""
        self._leaving = True
        self._stirred.set()

    # -- the thread --------------------------------------------------------------------------------

    def _run(self, generation: int) -> None:
        while not self._leaving and generation == self._generation:
            self.moved = time.monotonic()
            try:
                if not self.opened.done():
                    self._open()
                elif self._engine is not None and self._engine.player is not None:
                    self.look()
            except (sqlite3.DatabaseError, NightlySpindleError, OSError) as error:
                self._failed(str(error))
            except Exception as error:  # the edge of the thread: it must go on  # noqa: BLE001
                _log.exception("the watcher goes on after an error")
                self._failed(f"{type(error).__name__}: {error}")
            self._stirred.wait(_EVERY_S if self.opened.done() else _EVERY_S / 2)
            self._stirred.clear()

    def _failed(self, said: str) -> None:
        if said != self.problem:
            _log.warning("the station cannot be read now: %s", said)
        self.problem = said
        if self._snapshot is not None and not only_locked(said):
            self._reconnect(self._snapshot)

    def _reconnect(self, snapshot: Snapshot) -> None:
        """Read the database that lies there now from here on."""
        try:
            snapshot.reconnect(1.0)
        except (sqlite3.DatabaseError, NightlySpindleError, OSError) as error:
            _log.info("the database cannot be opened again: %s", error)

    def _open(self) -> None:
        """Read the station whole, with the logs of a day and a look at every file."""
        connect(self._folder, timeout_s=_LOCKED_S).close()
        snapshot = open_station(self._folder, settle_s=2.0, patience=self._patience)
        found = Opened(snapshot, load_state(snapshot.connection), last_seen(snapshot.connection))
        now = self._wall()
        snapshot.prepare(now, now + _DAY_US, self._state or found.state)
        self.problem = ""
        self.opened.set_result(found)

    def look(self) -> None:
        """Look around once."""
        assert self._snapshot is not None
        assert self._follower is not None
        assert self._engine is not None
        here = os.stat(self._folder / DATABASE)  # noqa: PTH116
        if self._database not in {None, (here.st_dev, here.st_ino)}:
            _log.warning("the database was replaced; the new one is read from now on")
            self._reconnect(self._snapshot)
        self._database = (here.st_dev, here.st_ino)
        problem = self._engine.writer.problem
        if problem and not only_locked(problem):
            self._reconnect(self._snapshot)  # what the writer cannot use may be ours to let go of
        self._tell_of_hanging(self._engine)
        self._follower.follow()
        self._look_for_logs(self._snapshot, self._engine)
        self._look_for_files(self._snapshot, self._engine)
        load_pool(self._snapshot)
        self._retire_events()
        self._place_spots()
        self._make_logs()
        if self.problem:
            _log.warning("the station can be read again")
        self.problem = ""

    def _tell_of_hanging(self, engine: Engine) -> None:
        """Tell of folders that do not answer, once each."""
        hanging = self._patience.hanging()
        for folder, seconds in hanging.items():
            if seconds >= _HANGS_S and folder not in self._told_hanging:
                self._told_hanging.add(folder)
                engine.tell_alarm(
                    "folder-hangs",
                    f"The folder {folder} has not answered for {seconds:.0f} s.",
                    "See to the drive or the share; nothing else waits for it.",
                )
        self._told_hanging &= set(hanging)

    def _look_for_logs(self, snapshot: Snapshot, engine: Engine) -> None:
        """Read the logs of the hours around and ahead, and pass on what came or changed."""
        assert self._logs is not None
        programme, now = snapshot.programme, self._wall()
        wanted = dict(self._logs.wanted)
        for place in wanted:
            self._logs.wanted.pop(place, None)
        coming = [
            (drop, slot)
            for drop in programme.log_drops
            for slot in programme.coming(drop, now, now + AHEAD_US)
        ]
        snapshot.logs.look([*wanted.values(), *coming])
        self._pass_on_awaited(engine, now)
        self._pass_on_changed(engine)

    def _pass_on_awaited(self, engine: Engine, now: int) -> None:
        """Have logs loaded that were due and have come since."""
        assert self._snapshot is not None
        programme = self._snapshot.programme
        for awaited in list(engine.sequencer.state.logs.awaited):
            drop = programme.drop(awaited.drop)
            if drop is None or awaited.end_us <= now:
                give_up = partial(engine.sequencer.edits.give_up, awaited)
                engine.tell(give_up, "a log that did not come")
            elif programme.logs.reading(drop, programme.slot(drop, awaited.start_us)).usable:
                engine.tell(partial(self._load_awaited, engine, awaited), "a late log")

    @staticmethod
    def _load_awaited(engine: Engine, awaited: Awaited) -> None:
        engine.apply(engine.sequencer.load_awaited(awaited))

    def _pass_on_changed(self, engine: Engine) -> None:
        """Tell of logs that changed after they were loaded; what was added to one is added."""
        assert self._snapshot is not None
        programme = self._snapshot.programme
        for loaded in list(engine.sequencer.state.logs.loaded):
            drop = programme.drop(loaded.drop)
            if drop is None:
                continue
            reading = programme.logs.reading(drop, programme.slot(drop, loaded.start_us))
            place = (loaded.drop, loaded.start_us)
            seen = self._seen.setdefault(place, reading.written_us)
            if reading.usable and reading.written_us != seen:
                self._seen[place] = reading.written_us
                if reading.change is not None:
                    changed = partial(self._log_changed, engine, loaded, reading)
                    engine.tell(changed, "a changed log")

    @staticmethod
    def _log_changed(engine: Engine, loaded: Loaded, reading: LogReading) -> None:
        engine.apply(engine.sequencer.log_changed(loaded, reading))

    def _retire_events(self) -> None:
        """Switch off or remove the events that say so once they have no firing left."""
        assert self._snapshot is not None
        snapshot, now = self._snapshot, self._wall()
        if now < self._retire_at:
            return
        self._retire_at = now + _RETIRE_US
        over = over_and_done(snapshot.programme.events, snapshot.programme.settings.tz, now)
        if over:
            from nightly_spindle.store.base.transaction import LibraryTransaction

            with LibraryTransaction(snapshot.folder) as library:
                retire(library, over)

    def _place_spots(self) -> None:
        """Have the spots of the coming days placed once a day, by a process beside the engine."""
        assert self._snapshot is not None
        spots, tz = self._snapshot.programme.spots, self._snapshot.programme.settings.tz
        now = self._wall()
        if self._placer.failed():
            self._alarm(
                "placing-failed",
                "The spots of the coming days could not be placed; those placed before air.",
                "See the engine's messages, and place them by hand.",
            )
        due = local_day(spots.made_us, tz) < local_day(now, tz)
        if due and spots.campaigns and spots.patterns and self._placer.may_start(now):
            at = moment_from(now, tz).isoformat()
            self._placer.start(["campaigns", "place", str(self._snapshot.folder), "--at", at], now)

    def _make_logs(self) -> None:
        """Have the station's own logs made ahead, by a process beside the engine."""
        assert self._snapshot is not None
        programme, now = self._snapshot.programme, self._wall()
        rules = programme.settings.formats
        if self._maker.failed():
            self._alarm(
                "making-failed",
                "The station's own logs could not be made; rotation fills those "
                "hours by their clocks' weights.",
                "See the engine's messages, and make them.",
            )
        if not (rules.by_itself and programme.formats.plans.used and self._maker.may_start(now)):
            return
        until = now + round(rules.days_ahead * 86_400) * 1_000_000
        wanted = {
            task.slot.start_us
            for task in tasks_of(programme, programme.formats, now, until)
            if not task.covered
        }
        if wanted - made_instants(self._snapshot.connection, now, until):
            at = moment_from(now, programme.settings.tz).isoformat()
            told = ["--days", f"{rules.days_ahead:g}", "--at", at]
            self._maker.start(["formats", "make", str(self._snapshot.folder), *told], now)
        else:
            self._maker.put_off(now)

    def _alarm(self, code: str, text: str, mend: str) -> None:
        """Raise an alarm on the engine."""
        if self._engine is not None:
            self._engine.tell_alarm(code, text, mend)

    def _look_for_files(self, snapshot: Snapshot, engine: Engine) -> None:
        """Note which items' files are there, and which folders are away."""
        begun = time.monotonic()
        if begun < self._next_files:
            return
        programme = snapshot.programme
        items = list(programme.items.values())
        found = look_at_files(
            self._patience, programme.roots, items, self._wall(), dict(programme.away)
        )
        took = time.monotonic() - begun
        self._next_files = begun + (_SELDOM_S if took > _LONG_LOOK_S and not found.away else 0.0)
        engine.tell(partial(engine.note_files, found), "what files are there")

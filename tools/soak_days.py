"""Simulated days of a station, with what goes wrong drawn at random (`tools/soak.py`)."""

from __future__ import annotations

import contextlib
import os
import resource
import sqlite3
import time
from collections import Counter
from datetime import datetime
from pathlib import Path
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.timebase import US, clock, us_from
from nightly_spindle.core.calendar.log_periods import AHEAD_US
from nightly_spindle.core.playout.air_start import take_the_air
from nightly_spindle.core.playout.rehearsal import Recorder
from nightly_spindle.core.programme.away_folders import Away
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.reports.as_run import records
from nightly_spindle.simulators.scheduler import Fault, day_log, entries_of, leave_log
from nightly_spindle.store.base.database import connect
from nightly_spindle.store.playout.journal import Journal, load_state
from nightly_spindle.store.playout.state_coding import encode_state
from nightly_spindle.store.programme.snapshot import load_pool, open_station

if TYPE_CHECKING:
    import random
    from collections.abc import Iterable

    from nightly_spindle.core.calendar.log_periods import Slot
    from nightly_spindle.core.programme.sequencer_actions import Action
    from nightly_spindle.core.station.log_sources import LogDrop

ZONE = ZoneInfo("Europe/Lisbon")
BEGIN = datetime(2026, 10, 12, 6, tzinfo=ZONE)  # two weeks before the night of 25 hours
STEP_S = 300
FOREVER = 2**62


class Days:
    """An engine without sound: its records and its state are kept, it is killed and comes back."""

    def __init__(self, folder: Path, dice: random.Random) -> None:
        self.folder, self.dice = folder, dice
        self.session, self.at_us = 0, us_from(BEGIN)
        self.counts: Counter[str] = Counter()
        self.dead: list[str] = []
        self.away_spans: list[tuple[int, int]] = []
        self.noted: Counter[tuple[str, str]] = Counter()
        self._lock: tuple[sqlite3.Connection, int] | None = None
        self._away_until = 0
        self._broken: dict[int, int] = {}
        self._late: list[tuple[int, LogDrop, Slot, set[Fault]]] = []
        self._left = 0
        self._last_end = 0
        self.recorder = Recorder()
        self.start()

    # -- the engine's life -------------------------------------------------------------------------

    def start(self) -> None:
        """Take the air where the last life ended, or from nothing."""
        self.snapshot = open_station(self.folder)
        self.programme = self.snapshot.programme
        self.journal = Journal(self.folder)
        state = load_state(self.snapshot.connection)
        if state is not None:
            self.journal.close_open(self.at_us)
        self.snapshot.prepare(self.at_us, self.at_us + 24 * 3600 * US, state)
        self._forget_disk()
        self.sequencer, begun = take_the_air(self.programme, state, self.at_us)
        self.session += 1
        self.write(begun)

    def _forget_disk(self) -> None:
        """What is away and broken is ours to say."""
        self.programme.unplayable.clear()
        self.programme.away.clear()

    def write(self, actions: Iterable[Action]) -> None:
        """Write what happened, and look at what sounded."""
        state = self.sequencer.state
        lines, alarms = records(actions, state, f"soak{self.session}")
        self.counts["alarms"] += len(alarms)
        for line in lines:
            if line.kind and line.over == "" and line.outcome == Outcome.ON_AIR:
                self.noted[line.key, line.title] += 1
        self.journal.write(lines, alarms, encode_state(state), self.at_us)
        self.recorder.take(actions)

    def kill(self) -> None:
        """End without a goodbye; a while later it is back."""
        self.free_database()
        self.journal.write([], [], None, self.at_us)
        self.journal.close()
        self.snapshot.connection.close()
        off = self.dice.choice([0.5, 2, 20, 300, 3600])
        self._judge()
        self.at_us += round(off * US)
        self._last_end = 0  # the silence of a kill is the kill's
        self.counts["kills"] += 1
        self.start()

    def _judge(self) -> None:
        """Find dead air between what sounded since the last look."""
        rows = sorted((row.start, row.end, row) for row in self.recorder.rows if row.play)
        rate = self.sequencer.state.clock.rate
        for start, end, row in rows:
            if self._last_end and start - self._last_end > 2 * rate:
                when = clock(self.sequencer.instant_of(self._last_end), ZONE)
                self.dead.append(
                    f"{(start - self._last_end) / rate:.1f} s at {when} before {row.title}"
                )
            self._last_end = max(self._last_end, end)
            self.counts["plays"] += 1
        self.recorder = Recorder()

    # -- the world ---------------------------------------------------------------------------------

    def leave_logs(self, day: datetime) -> None:
        """Leave the logs of a day, each in one of the ways that schedulers have."""
        carts = [row["cart"] for row in self.snapshot.connection.execute("SELECT cart FROM item")]
        self.snapshot.reach(carts)
        items = [self.programme.items[cart] for cart in carts]
        begin = us_from(day)
        for drop in self.programme.drops.values():
            for slot in drop.slots(
                ZONE, self.programme.settings.day_start, begin - 1, begin + 24 * 3600 * US - 1
            ):
                way = self.dice.choice(["whole"] * 4 + ["late", "none", "cut", "gaps", "short"])
                self.counts[f"logs {way}"] += 1
                hours = 5.0 if way == "short" else 24.2
                made = entries_of(day_log(items, slot.key, drop.id, hours), drop.folder)
                faults = {"cut": {Fault.TRUNCATED}, "gaps": {Fault.MISSING_ITEMS}}.get(way, set())
                if way == "none":
                    continue
                if way == "late":
                    late = self.dice.uniform(1, 5 * 3600)
                    self._late.append((slot.start_us + round(late * US), drop, slot, faults))
                    continue
                Path(drop.folder).mkdir(exist_ok=True)
                leave_log(drop, slot, made, faults)
                self._age(drop, slot)

    @staticmethod
    def _age(drop: object, slot: object) -> None:
        path = Path(drop.folder) / drop.file_name(slot)  # type: ignore[attr-defined]
        with contextlib.suppress(OSError):
            os.utime(path, (10**9, 10**9))

    def put_right(self) -> None:
        """Let folders, files and the database come back, and late logs come, when it is time."""
        now = self.at_us
        if self._away_until and now >= self._away_until:
            self._away_until = 0
            self.programme.away.clear()
            self.sequencer.folder_back()
        for cart in [cart for cart, until in self._broken.items() if now >= until]:
            del self._broken[cart]
            self.programme.unplayable.pop(cart, None)
        if self._lock is not None and now >= self._lock[1]:
            self.free_database()
        for one in [one for one in self._late if one[0] <= now]:
            self._late.remove(one)
            _, drop, slot, faults = one
            items = list(self.programme.items.values())
            leave_log(
                drop, slot, entries_of(day_log(items, slot.key, drop.id), drop.folder), faults
            )
            self._age(drop, slot)

    def harm(self) -> None:
        """Let something go wrong now and then."""
        dice, now = self.dice, self.at_us
        draw = dice.random()
        if draw < 0.010:
            self.kill()
        elif draw < 0.016 and not self._away_until:
            folders = list(self.snapshot.programme.roots)
            self._away_until = now + round(dice.uniform(60, 2 * 3600) * US)
            for folder in dice.sample(folders, dice.randrange(1, len(folders) + 1)):
                self.programme.away[folder] = Away(folder, now, "it is not there")
            self.away_spans.append((now, self._away_until))
            self.counts["folders away"] += 1
        elif draw < 0.024:
            for cart in dice.sample(sorted(self.programme.items), 5):
                self._broken[cart] = now + round(dice.uniform(60, 5 * 3600) * US)
                self.programme.unplayable[cart] = "the file is not there"
            self.counts["broken files"] += 5
        elif draw < 0.026 and self._lock is None:
            lock = sqlite3.connect(self.folder / "station.db", isolation_level=None)
            lock.execute("BEGIN IMMEDIATE")
            self._lock = (lock, now + round(dice.uniform(300, 1200) * US))
            self.counts["locks"] += 1

    def free_database(self) -> None:
        """Let go of the database."""
        if self._lock is not None:
            self._lock[0].close()
            self._lock = None

    # -- driving -----------------------------------------------------------------------------------

    def step(self) -> None:
        """Go on for a while, as the engine and its watcher do."""
        self.at_us += round(self.dice.uniform(0.2, 1.8) * STEP_S * US)
        self.write(self.sequencer.advance(self.sequencer.frame_of(self.at_us)))
        until_us = self.at_us + AHEAD_US // 4
        coming = [
            (drop, slot)
            for drop in self.programme.log_drops
            for slot in self.programme.coming(drop, self.at_us, until_us)
        ]
        self.snapshot.logs.look(coming)
        for awaited in list(self.sequencer.state.logs.awaited):
            drop = self.programme.drop(awaited.drop)
            if drop is None or awaited.end_us <= self.at_us:
                self.sequencer.edits.give_up(awaited)
            elif self.programme.logs.reading(
                drop, self.programme.slot(drop, awaited.start_us)
            ).usable:
                self.write(self.sequencer.load_awaited(awaited))
        load_pool(self.snapshot)
        self.put_right()
        self.harm()

    def run(self, days: int) -> None:
        """Run so many days."""
        end = us_from(BEGIN) + days * 24 * 3600 * US
        begun, midnight = time.monotonic(), us_from(BEGIN)
        while self.at_us < end:
            if self.at_us >= midnight - 6 * 3600 * US:
                self.leave_logs(datetime.fromtimestamp(midnight / US, ZONE).replace(hour=0))
                midnight += 24 * 3600 * US
            self.step()
            self._judge()
            day = (self.at_us - us_from(BEGIN)) // (24 * 3600 * US)
            if day > self._left:
                self._left = day
                took = time.monotonic() - begun
                print(
                    f"  day {day}: {took:.0f} s, {rss():.0f} MB, {self.counts['plays']} plays,"
                    f" {len(self.dead)} silences",
                    flush=True,
                )
        self.free_database()
        self.write(self.sequencer.leave())
        self.journal.write([], [], None, self.at_us)

    def lost_and_doubled(self) -> tuple[int, int]:
        """Return how many plays are not in the as-run log, and how many are twice."""
        connection = connect(self.folder)
        written = Counter(
            (row["key"], row["title"])
            for row in connection.execute(
                "SELECT key, title FROM as_run WHERE kind != '' AND over = ''"
            )
        )
        open_ = connection.execute("SELECT count(*) FROM as_run WHERE outcome = 'on air'")
        lost = len(set(self.noted) - set(written)) + int(open_.fetchone()[0])
        twice = connection.execute(
            "SELECT count(*) FROM (SELECT 1 FROM as_run WHERE kind != ''"
            " AND over = '' GROUP BY start_us, cart HAVING count(*) > 1"
            " AND max(end_us) > min(start_us))"
        ).fetchone()[0]
        connection.close()
        return lost, int(twice)


def rss() -> float:
    """Return this process's memory, MB."""
    pages = int(Path("/proc/self/statm").read_text(encoding="ascii").split()[1])
    return pages * resource.getpagesize() / 1e6

"""The engine's lookout: logs that came, files that went, items that were edited.

It runs in the keeper's thread, never in the pump.
"""

from __future__ import annotations

import sqlite3
import sys
from functools import partial
from typing import TYPE_CHECKING

from nightly_spindle.air.beside import Beside
from nightly_spindle.core.actions import Finding, Severity
from nightly_spindle.core.break_places import local_day
from nightly_spindle.core.slots import AHEAD_US
from nightly_spindle.core.timebase import moment_from
from nightly_spindle.store.campaigns import carts_of as spot_carts
from nightly_spindle.store.campaigns import fillers_of, read_spots
from nightly_spindle.store.events import over_and_done, retire
from nightly_spindle.store.formats import carts_of as format_carts
from nightly_spindle.store.formats import read_formats
from nightly_spindle.store.holdings import read_holdings
from nightly_spindle.store.item_reading import items_by_cart
from nightly_spindle.store.made_hours import made_instants
from nightly_spindle.store.own_logs import tasks_of
from nightly_spindle.store.pools import carts_of, read_pools
from nightly_spindle.store.snapshot import (
    CATEGORY_SIZE,
    change_count,
    file_problem,
    items_since,
    load_pool,
    read_events,
    read_rules,
)

if TYPE_CHECKING:
    from concurrent.futures import Future

    from nightly_spindle.air.clock import Clock
    from nightly_spindle.air.engine import Engine
    from nightly_spindle.core.drops import LogDrop, LogReading
    from nightly_spindle.core.events import TimedEvent
    from nightly_spindle.core.items import Item
    from nightly_spindle.core.running import Awaited, Loaded
    from nightly_spindle.core.settings import StationSettings
    from nightly_spindle.core.spots import SpotPlan
    from nightly_spindle.store.snapshot import Snapshot

_RETIRE_US = 600_000_000  # ten minutes: nothing hangs on it


class Lookout:
    """Keeps a running engine's programme true to the station. `engine` is set once it is made."""

    def __init__(self, snapshot: Snapshot, wall: Clock) -> None:
        self._snapshot = snapshot
        self._wall = wall
        self._count = snapshot.count
        self._late: dict[int, Item] = {}
        self._sent: dict[int, Item] = {}
        self._asked: Future[list[int]] | None = None
        self._seen: dict[tuple[int, int], int] = {}  # when a loaded log's file was written
        self._retire_at = 0
        self._spots: SpotPlan | None = None
        self._placer = Beside("placing spots")
        self._maker = Beside("making logs")
        self.engine: Engine | None = None

    def look(self) -> None:
        """Look around once; a database that is locked is looked at again the next time."""
        try:
            self._follow_library()
            self._look_for_logs()
            self._look_for_files()
            load_pool(self._snapshot)
            self._retire_events()
            self._place_spots()
            self._make_logs()
        except sqlite3.OperationalError as error:
            print(f"the library cannot be read now: {error}", file=sys.stderr, flush=True)

    def _follow_library(self) -> None:
        """Pass edited items on, each when it is not just about to start."""
        snapshot = self._snapshot
        count = change_count(snapshot.connection)
        reach = snapshot.programme.items
        if count != self._count:
            changed = items_since(snapshot.connection, snapshot.folder, self._count)
            self._late |= {item.cart: item for item in changed if item.cart in reach}
            there = {i.cart for i in items_by_cart(snapshot.connection, snapshot.folder, [*reach])}
            for cart in set(reach) - there:
                reach.pop(cart, None)
            events, drops = read_events(snapshot.connection, snapshot.folder)
            self._pass_on_spots()
            self._pass_on_events(events, drops)
            self._pass_on_pools()
            settings, segues = read_rules(snapshot.connection)
            self._pass_on_formats(settings)
            if self.engine is not None:
                self.engine.ask(lambda: snapshot.programme.go_by(settings, segues))
            snapshot.logs.forget()  # a line that was missing may be in the library now
            self._count = count
        if self._asked is not None and self._asked.done():
            for cart in self._asked.result():
                if self._late.get(cart) is self._sent[cart]:  # not edited again meanwhile
                    del self._late[cart]
            self._asked = None
        if self._late and self._asked is None and self.engine is not None:
            self._sent, engine = dict(self._late), self.engine
            late = list(self._sent.values())
            self._asked = engine.ask(lambda: engine.renew(late))

    def _pass_on_events(self, events: list[TimedEvent], drops: dict[int, LogDrop]) -> None:
        """Have the engine go by other events, log drops, lists, folders or categories."""
        snapshot = self._snapshot
        programme = snapshot.programme
        fillers = fillers_of(self._spots or programme.spots)
        holdings, carts = read_holdings(snapshot.connection, snapshot.folder, events, fillers)
        snapshot.reach(carts)
        same = (events, drops, holdings) == (programme.events, programme.drops, programme.holdings)
        if self.engine is not None and not same:
            self.engine.ask(partial(programme.set_events, events, drops, holdings))

    def _pass_on_spots(self) -> None:
        """Have the engine go by other campaigns, break patterns, or another placing."""
        snapshot = self._snapshot
        spots = self._spots = read_spots(snapshot.connection, snapshot.folder)
        snapshot.reach(spot_carts(spots))
        if self.engine is not None and spots != snapshot.programme.spots:
            spots.work_out()  # here, not between two blocks
            self.engine.ask(partial(snapshot.programme.set_spots, spots))

    def _pass_on_pools(self) -> None:
        """Have the engine go by other pools of overlays."""
        snapshot = self._snapshot
        programme = snapshot.programme
        pools, inside = read_pools(snapshot.connection)
        snapshot.reach(carts_of(pools))
        same = (pools, inside) == (list(programme.pools), programme.in_category)
        if self.engine is not None and not same:
            self.engine.ask(partial(programme.set_pools, pools, inside))

    def _pass_on_formats(self, settings: StationSettings) -> None:
        """Have the engine go by other format clocks, plans or rules of rotation."""
        snapshot = self._snapshot
        formats = read_formats(snapshot.connection, settings, CATEGORY_SIZE)
        snapshot.reach(format_carts(formats))
        if self.engine is not None and formats != snapshot.programme.formats:
            self.engine.ask(partial(snapshot.programme.set_formats, formats))

    def _look_for_logs(self) -> None:
        """Read the logs of the hours around and ahead, and pass on what came or changed."""
        programme, now = self._snapshot.programme, self._wall.now_us()
        self._snapshot.logs.look(
            [
                (drop, slot)
                for drop in programme.log_drops
                for slot in programme.coming(drop, now, now + AHEAD_US)
            ]
        )
        if self.engine is not None:
            self._pass_on_awaited(self.engine, now)
            self._pass_on_changed(self.engine)

    def _pass_on_awaited(self, engine: Engine, now: int) -> None:
        """Have logs loaded that were due and have come since."""
        programme = self._snapshot.programme
        for awaited in list(engine.sequencer.state.awaited):
            drop = programme.drop(awaited.drop)
            if drop is None or awaited.end_us <= now:
                engine.ask(partial(engine.sequencer.give_up, awaited))
            elif programme.logs.reading(drop, programme.slot(drop, awaited.start_us)).usable:
                engine.ask(partial(self._load_awaited, engine, awaited))

    @staticmethod
    def _load_awaited(engine: Engine, awaited: Awaited) -> None:
        engine.apply(engine.sequencer.load_awaited(awaited))

    def _pass_on_changed(self, engine: Engine) -> None:
        """Tell of logs that changed after they were loaded; what was added to one is added."""
        programme = self._snapshot.programme
        for loaded in list(engine.sequencer.state.loaded):
            drop = programme.drop(loaded.drop)
            if drop is None:
                continue
            reading = programme.logs.reading(drop, programme.slot(drop, loaded.start_us))
            place = (loaded.drop, loaded.start_us)
            seen = self._seen.setdefault(place, reading.written_us)
            if reading.usable and reading.written_us != seen:
                self._seen[place] = reading.written_us
                if reading.change is not None:
                    engine.ask(partial(self._log_changed, engine, loaded, reading))

    @staticmethod
    def _log_changed(engine: Engine, loaded: Loaded, reading: LogReading) -> None:
        engine.apply(engine.sequencer.log_changed(loaded, reading))

    def _retire_events(self) -> None:
        """Switch off or remove the events that say so once they have no firing left."""
        snapshot = self._snapshot
        now = self._wall.now_us()
        if now < self._retire_at:
            return
        self._retire_at = now + _RETIRE_US
        over = over_and_done(snapshot.programme.events, snapshot.programme.settings.tz, now)
        if over:
            from nightly_spindle.store.library import Library

            with Library(snapshot.folder) as library:
                retire(library, over)

    def _place_spots(self) -> None:
        """Have the spots of the coming days placed once a day, by a process beside the engine."""
        spots, tz = self._snapshot.programme.spots, self._snapshot.programme.settings.tz
        now = self._wall.now_us()
        if self._placer.failed():
            self._tell(
                "placing-failed", "The spots of the coming days could not be placed; those placed "
                "before air.", "See the engine's messages, and place them by hand.",
            )  # fmt: skip
        due = local_day(spots.made_us, tz) < local_day(now, tz)
        if due and spots.campaigns and spots.patterns and self._placer.may_start(now):
            at = moment_from(now, tz).isoformat()
            self._placer.start(["campaigns", "place", str(self._snapshot.folder), "--at", at], now)

    def _make_logs(self) -> None:
        """Have the station's own logs made ahead, by a process beside the engine."""
        programme, now = self._snapshot.programme, self._wall.now_us()
        rules = programme.settings.formats
        if self._maker.failed():
            self._tell(
                "making-failed", "The station's own logs could not be made; rotation fills those "
                "hours by their clocks' weights.", "See the engine's messages, and make them.",
            )  # fmt: skip
        if not (rules.by_itself and programme.formats.plans.used and self._maker.may_start(now)):
            return
        until = now + round(rules.days_ahead * 86_400) * 1_000_000
        wanted = {task.slot.start_us
                  for task in tasks_of(programme, programme.formats, now, until)
                  if not task.covered}  # fmt: skip
        if wanted - made_instants(self._snapshot.connection, now, until):
            at = moment_from(now, programme.settings.tz).isoformat()
            told = ["--days", f"{rules.days_ahead:g}", "--at", at]
            self._maker.start(["formats", "make", str(self._snapshot.folder), *told], now)
        else:
            self._maker.put_off(now)

    def _tell(self, code: str, text: str, mend: str) -> None:
        """Raise an alarm on the engine."""
        if self.engine is not None:
            engine = self.engine
            engine.ask(partial(self._raise, engine, code, text, mend))

    @staticmethod
    def _raise(engine: Engine, code: str, text: str, mend: str) -> None:
        finding = Finding(code, Severity.ALARM, engine.sequencer.state.frame, text, mend)
        engine.apply([finding])

    def _look_for_files(self) -> None:
        programme = self._snapshot.programme
        for cart in [cart for cart in programme.unplayable if cart < 0]:
            del programme.unplayable[cart]  # a stream that broke off may be there again
        for item in list(programme.items.values()):
            problem = file_problem(item.path)
            if problem:
                programme.unplayable[item.cart] = problem
            elif programme.unplayable.get(item.cart, "").startswith("the file"):
                del programme.unplayable[item.cart]

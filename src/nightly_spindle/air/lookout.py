"""The engine's lookout: logs that came, files that went, items that were edited.

It runs in the keeper's thread, never in the pump.
"""

from __future__ import annotations

import sqlite3
import sys
from typing import TYPE_CHECKING

from nightly_spindle.core.timebase import US, broadcast_day
from nightly_spindle.store.snapshot import (
    change_count,
    file_problem,
    items_by_cart,
    items_since,
    load_pool,
    read_events,
    read_rules,
)

if TYPE_CHECKING:
    from concurrent.futures import Future

    from nightly_spindle.air.clock import Clock
    from nightly_spindle.air.engine import Engine
    from nightly_spindle.core.items import Item
    from nightly_spindle.store.snapshot import Snapshot


class Lookout:
    """Keeps a running engine's programme true to the station. `engine` is set once it is made."""

    def __init__(self, snapshot: Snapshot, wall: Clock) -> None:
        self._snapshot = snapshot
        self._wall = wall
        self._count = change_count(snapshot.connection)
        self._late: dict[int, Item] = {}
        self._sent: dict[int, Item] = {}
        self._asked: Future[list[int]] | None = None
        self.engine: Engine | None = None

    def look(self) -> None:
        """Look around once; a database that is locked is looked at again the next time."""
        try:
            self._follow_library()
            self._look_for_logs()
            self._look_for_files()
            load_pool(self._snapshot)
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
            if self.engine is not None and (
                events != snapshot.programme.events or drops != snapshot.programme.drops
            ):
                self.engine.ask(lambda: snapshot.programme.set_events(events, drops))
            settings, segues = read_rules(snapshot.connection)
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

    def _look_for_logs(self) -> None:
        programme = self._snapshot.programme
        now = self._wall.now_us()
        for ahead in (0, 12, 24):
            day = broadcast_day(
                now + ahead * 3600 * US, programme.settings.tz, programme.settings.day_start
            )
            for drop in programme.drops.values():
                self._snapshot.logs.refresh(drop, day)

    def _look_for_files(self) -> None:
        programme = self._snapshot.programme
        for item in list(programme.items.values()):
            problem = file_problem(item.path)
            if problem:
                programme.unplayable[item.cart] = problem
            elif programme.unplayable.get(item.cart, "").startswith("the file"):
                del programme.unplayable[item.cart]

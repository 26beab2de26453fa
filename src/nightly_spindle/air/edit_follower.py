"""Edits of the station, passed on to a running engine: items, events, spots, pools, outputs."""

from __future__ import annotations

from functools import partial
from typing import TYPE_CHECKING

from nightly_spindle.store.base.changes import change_count
from nightly_spindle.store.events.event_sources import read_holdings
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.music.formats import carts_of as format_carts
from nightly_spindle.store.music.formats import read_formats
from nightly_spindle.store.outputs.outputs import read_outputs
from nightly_spindle.store.overlays.pools import carts_of, read_pools
from nightly_spindle.store.programme.snapshot import items_since
from nightly_spindle.store.programme.station_parts import (
    CATEGORY_SIZE,
    read_events,
    read_roots,
)
from nightly_spindle.store.segues.rules_reading import read_rules
from nightly_spindle.store.traffic.campaigns import carts_of as spot_carts
from nightly_spindle.store.traffic.campaigns import fillers_of, read_spots

if TYPE_CHECKING:
    from concurrent.futures import Future

    from nightly_spindle.air.engine import Engine
    from nightly_spindle.core.events.timed_events import TimedEvent
    from nightly_spindle.core.library.items import Item
    from nightly_spindle.core.station.log_sources import LogDrop
    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.core.traffic.spot_plan import SpotPlan
    from nightly_spindle.store.programme.snapshot import Snapshot


class EditFollower:
    """Keeps a running engine's programme true to the station. Runs in the watcher's thread."""

    def __init__(self, snapshot: Snapshot, engine: Engine) -> None:
        self._snapshot, self._engine = snapshot, engine
        self._count = snapshot.count
        self._late: dict[int, Item] = {}
        self._sent: dict[int, Item] = {}
        self._asked: Future[list[int]] | None = None
        self._spots: SpotPlan | None = None

    def follow(self) -> None:
        """Pass edited items on, each when it is not just about to start."""
        snapshot = self._snapshot
        count = change_count(snapshot.connection)
        reach = snapshot.programme.items
        if count != self._count:
            changed = items_since(snapshot.connection, snapshot.folder, self._count)
            self._late |= {item.cart: item for item in changed if item.cart in reach}
            there = {i.cart for i in items_by_cart(snapshot.connection, snapshot.folder, [*reach])}
            for cart in set(reach) - there:
                snapshot.programme.drop_item(cart)
            events, drops = read_events(snapshot.connection, snapshot.folder)
            self._pass_on_spots()
            self._pass_on_events(events, drops)
            self._pass_on_pools()
            settings, segues = read_rules(snapshot.connection)
            self._pass_on_formats(settings)
            self._pass_on_outputs()
            snapshot.programme.roots = read_roots(snapshot.connection, snapshot.folder)
            self._engine.tell(lambda: snapshot.programme.go_by(settings, segues), "the settings")
            snapshot.logs.forget()  # a line that was missing may be in the library now
            self._count = count
        if self._asked is not None and self._asked.done():
            for cart in self._asked.result():
                if self._late.get(cart) is self._sent[cart]:  # not edited again meanwhile
                    del self._late[cart]
            self._asked = None
        if self._late and self._asked is None:
            self._sent, engine = dict(self._late), self._engine
            late = list(self._sent.values())
            self._asked = engine.ask(lambda: engine.renew(late))

    def _pass_on_events(self, events: list[TimedEvent], drops: dict[int, LogDrop]) -> None:
        """Have the engine go by other events, log drops, lists, folders or categories."""
        snapshot = self._snapshot
        programme = snapshot.programme
        fillers = fillers_of(self._spots or programme.spots)
        sources, carts = read_holdings(
            snapshot.connection, snapshot.folder, events, fillers, snapshot.patience
        )
        snapshot.reach(carts)
        known = (programme.events, programme.drops, programme.event_sources)
        same = (events, drops, sources) == known
        if not same:
            edited = partial(programme.set_events, events, drops, sources)
            self._engine.tell(edited, "the timed events")

    def _pass_on_spots(self) -> None:
        """Have the engine go by other campaigns, break patterns, or another placing."""
        snapshot = self._snapshot
        spots = self._spots = read_spots(snapshot.connection, snapshot.folder, snapshot.patience)
        snapshot.reach(spot_carts(spots))
        if spots != snapshot.programme.spots:
            spots.work_out()  # here, not between two blocks
            self._engine.tell(partial(snapshot.programme.set_spots, spots), "the campaigns")

    def _pass_on_pools(self) -> None:
        """Have the engine go by other pools of overlays."""
        snapshot = self._snapshot
        programme = snapshot.programme
        pools, inside = read_pools(snapshot.connection)
        snapshot.reach(carts_of(pools))
        same = (pools, inside) == (list(programme.pools), programme.in_category)
        if not same:
            self._engine.tell(partial(programme.set_pools, pools, inside), "the pools")

    def _pass_on_outputs(self) -> None:
        """Send the sound to other outputs; those that stay as they are go on."""
        programme = self._snapshot.programme
        outputs = read_outputs(self._snapshot.connection)
        if outputs != programme.outputs:
            programme.outputs = outputs
            self._engine.outputs_changed(outputs)

    def _pass_on_formats(self, settings: StationSettings) -> None:
        """Have the engine go by other format clocks, plans or rules of rotation."""
        snapshot = self._snapshot
        formats = read_formats(snapshot.connection, settings, CATEGORY_SIZE)
        snapshot.reach(format_carts(formats))
        if formats != snapshot.programme.formats:
            self._engine.tell(partial(snapshot.programme.set_formats, formats), "the formats")

"""Where items are used: lists, events, pools, campaigns, the running order, the coming logs."""

from __future__ import annotations

import time
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.events.steps import PlayItem
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.snapshot import open_station

if TYPE_CHECKING:
    from collections.abc import Sequence
    from pathlib import Path

    from nightly_spindle.store.programme.snapshot import Snapshot

_DAYS = 7  # logs so far ahead are looked through


@dataclass(frozen=True, slots=True)
class PlaceOfUse:
    """One place where an item is used, and a sentence that says it."""

    cart: int
    where: str
    text: str


def uses_of(folder: Path, carts: Sequence[int]) -> list[PlaceOfUse]:
    """Return where items are used, as `uses_in`, of a station that is opened for it."""
    snapshot = open_station(folder)
    try:
        return uses_in(snapshot, carts)
    finally:
        snapshot.connection.close()


def uses_in(snapshot: Snapshot, carts: Sequence[int]) -> list[PlaceOfUse]:
    """Return where items are used, categories left aside: those are a part of the item.

    A snapshot that is asked again reads only the logs that have changed.
    """
    wanted = set(carts)
    marks = ",".join("?" * len(carts))
    rows = snapshot.connection.execute(
        "SELECT l.name, x.cart, count(*) AS n FROM list_line x JOIN list l ON l.id = x.list_id"
        f" WHERE x.cart IN ({marks}) GROUP BY l.id, x.cart ORDER BY l.name",
        list(carts),
    )
    uses = [
        PlaceOfUse(row["cart"], "list", f"list “{row['name']}”{_times(row['n'])}") for row in rows
    ]
    for event in snapshot.programme.events:
        named = [step.cart for step in event.steps if isinstance(step, PlayItem)]
        uses += [
            PlaceOfUse(cart, "event", f"timed event “{event.name}”{_times(named.count(cart))}")
            for cart in dict.fromkeys(named)
            if cart in wanted
        ]
    for pool in snapshot.programme.pools:
        uses += [
            PlaceOfUse(cart, "pool", f"pool of overlays “{pool.name}”")
            for cart in dict.fromkeys((*pool.carts, pool.fallback))
            if cart in wanted
        ]
    for campaign in snapshot.programme.spots.campaigns.values():
        uses += [
            PlaceOfUse(cart, "campaign", f"campaign “{campaign.name}”")
            for cart in campaign.carts
            if cart in wanted
        ]
    for pattern in snapshot.programme.spots.patterns.values():
        uses += [
            PlaceOfUse(cart, "break", f"opens or closes the break “{pattern.name}”")
            for cart in dict.fromkeys(pattern.carts)
            if cart in wanted
        ]
    state = load_state(snapshot.connection)
    if state is not None:
        lined = [line.cart for line in state.order.upcoming if line.cart in wanted]
        uses += [
            PlaceOfUse(cart, "running order", f"running order{_times(lined.count(cart))}")
            for cart in dict.fromkeys(lined)
        ]
    now = time.time_ns() // 1000
    until = now + _DAYS * 86_400 * US
    for drop in snapshot.programme.drops.values():
        coming = snapshot.programme.coming(drop, now, until)
        for reading in snapshot.logs.look([(drop, slot) for slot in coming]):
            named = [m.cart for m in reading.matches if m.cart in wanted]
            uses += [
                PlaceOfUse(cart, "log", f"log {reading.file}{_times(named.count(cart))}")
                for cart in dict.fromkeys(named)
                if cart is not None
            ]
    return uses


def _times(count: int) -> str:
    return "" if count == 1 else f", {count} times"

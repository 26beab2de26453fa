"""The pools of overlays as a whole: members, whose turn it is, how often each aired."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Finding
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.overlays.overlay_pools import KINDS, Pool
from nightly_spindle.core.overlays.overlay_turns import FRESH, in_turn
from nightly_spindle.core.playout.overlay_findings import pool_findings
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.programme.station_board import StationBoard

if TYPE_CHECKING:
    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.store.programme.snapshot import Snapshot

_DAY_US = 86_400 * US
_HEARD = (str(Outcome.AIRED), str(Outcome.ON_AIR))


@dataclass(frozen=True, slots=True)
class MemberSheet:
    """One member of a pool. `turn` is how many come before it; `aired` counts the last 24 h."""

    cart: int
    title: str
    kind: str
    length_s: float
    weight: float
    turn: int
    aired: int
    problem: str
    path: str


@dataclass(frozen=True, slots=True)
class PoolSheet:
    """One pool as the desk shows it; `is_open` at the present instant."""

    pool: Pool
    sentence: str
    is_open: bool
    members: tuple[MemberSheet, ...]
    findings: tuple[Finding, ...]

    @property
    def next_up(self) -> MemberSheet | None:
        """The member whose turn it is, of those that can be played."""
        able = [member for member in self.members if not member.problem]
        return min(able, key=lambda member: member.turn, default=None)


@dataclass(frozen=True, slots=True)
class OverlaySheet:
    """All pools, and the items of the library that can be members, by use."""

    now_us: int
    pools: tuple[PoolSheet, ...] = ()
    able: dict[str, tuple[Item, ...]] = field(default_factory=dict)
    categories: tuple[str, ...] = ()


class OverlayBoard(StationBoard):
    """Reads one station's pools again and again."""

    def sheet(self, now_us: int) -> OverlaySheet:
        """Return the pools with their members and turns."""
        snapshot, _ = self._fresh()
        snapshot.look_for_files()
        return overlay_sheet(snapshot, load_state(snapshot.connection), now_us)


def overlay_sheet(snapshot: Snapshot, state: AirState | None, now_us: int) -> OverlaySheet:
    """Return the pools with their members and turns, by the engine's state."""
    connection, programme = snapshot.connection, snapshot.programme
    aired = _aired(snapshot, now_us)
    pools = tuple(_pool_sheet(snapshot, state, pool, aired, now_us) for pool in programme.pools)
    able = {}
    for use, kinds in KINDS.items():
        marks = ",".join("?" * len(kinds))
        rows = connection.execute(
            f"SELECT cart FROM item WHERE kind IN ({marks}) AND waits = '' ORDER BY title, cart",
            [str(kind) for kind in kinds],
        )
        carts = [row["cart"] for row in rows]
        found = {item.cart: item for item in items_by_cart(connection, snapshot.folder, carts)}
        able[str(use)] = tuple(found[cart] for cart in carts if cart in found)
    names = tuple(row[0] for row in connection.execute("SELECT name FROM category ORDER BY name"))
    return OverlaySheet(now_us, pools, able, names)


def _aired(snapshot: Snapshot, now_us: int) -> dict[int, int]:
    """Return how often each item was on air in the last 24 hours."""
    rows = snapshot.connection.execute(
        "SELECT cart, count(*) AS n FROM as_run WHERE start_us > ? AND start_us <= ?"
        " AND cart IS NOT NULL AND outcome IN (?, ?) GROUP BY cart",
        (now_us - _DAY_US, now_us, *_HEARD),
    )
    return {row["cart"]: row["n"] for row in rows}


def _pool_sheet(
    snapshot: Snapshot, state: AirState | None, pool: Pool, aired: dict[int, int], now_us: int
) -> PoolSheet:
    programme = snapshot.programme
    turn = FRESH if state is None else state.overlays.turns.get(pool.id, FRESH)
    order = in_turn(pool, turn, programme.settings.seed)
    members = []
    for member in pool.members:
        item = programme.item(member.cart)
        members.append(
            MemberSheet(
                member.cart,
                item.title if item else f"item {member.cart}",
                str(item.kind) if item else "",
                item.measure.duration_s if item else 0.0,
                member.weight,
                order.index(member.cart),
                aired.get(member.cart, 0),
                programme.why_unplayable(member.cart),
                item.path if item else "",
            )
        )
    return PoolSheet(
        pool,
        pool.sentence(),
        pool.open_at(now_us, programme.settings.tz),
        tuple(members),
        tuple(pool_findings(programme, pool, 0)),
    )

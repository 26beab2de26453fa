"""Whose turn it is in a pool of overlays, or among the copies of a campaign.

In turn: the member that was used longest ago. Shuffled: rounds in which every member comes once,
each mixed anew. Weighted: smooth weighted round robin (each gains its weight at every draw, whoever
has saved up most is taken and pays the weight of all), so that shares are kept over any stretch.
A member that cannot be used now stays where it was and comes when it can.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from hashlib import blake2s
from typing import TYPE_CHECKING, Protocol

from nightly_spindle.core.overlays.overlay_pools import TurnOrder
from nightly_spindle.core.overlays.pool_turn import PoolTurn

if TYPE_CHECKING:
    from collections.abc import Sequence

FRESH = PoolTurn()


class Weighed(Protocol):
    """One that takes turns with others."""

    @property
    def cart(self) -> int:
        """Its item."""
        ...

    @property
    def weight(self) -> float:
        """Its share, where shares count."""
        ...


class TakesTurns(Protocol):
    """What has members that take turns, in an order."""

    @property
    def id(self) -> int:
        """Its number, which its shuffling goes by."""
        ...

    @property
    def members(self) -> Sequence[Weighed]:
        """Those that take turns."""
        ...

    @property
    def carts(self) -> tuple[int, ...]:
        """Their items."""
        ...

    @property
    def order(self) -> TurnOrder:
        """In which order they come."""
        ...


def in_turn(pool: TakesTurns, turn: PoolTurn, seed: int) -> tuple[int, ...]:
    """Return the cart numbers of a pool's members, the one whose turn it is first."""
    carts = pool.carts
    if pool.order is TurnOrder.TURN:
        known, heard = set(carts), set(turn.recent)
        had = [cart for cart in turn.recent if cart in known]
        return (*(cart for cart in carts if cart not in heard), *had)
    if pool.order is TurnOrder.WEIGHTED:
        saved = {one.cart: turn.credit.get(one.cart, 0.0) + one.weight for one in pool.members}
        places = {cart: place for place, cart in enumerate(carts)}
        return tuple(sorted(carts, key=lambda cart: (-saved[cart], places[cart])))
    return _queue(pool, turn, seed)


def _queue(pool: TakesTurns, turn: PoolTurn, seed: int) -> tuple[int, ...]:
    """Return what is left of a shuffled round, then the next round."""
    carts = pool.carts
    known, had = set(carts), {*turn.recent, *turn.left}
    left = [cart for cart in turn.left if cart in known]
    new = [cart for cart in carts if cart not in had]
    left += sorted(new, key=lambda cart: _mixed(pool.id, turn.rounds, seed, cart))
    still = set(left)
    after = [cart for cart in carts if cart not in still]
    after.sort(key=lambda cart: _mixed(pool.id, turn.rounds + 1, seed, cart))
    if not left and len(after) > 1 and turn.recent and after[0] == turn.recent[-1]:
        # a round does not begin with the one that was heard just before
        after.append(after.pop(0))
    return (*left, *after)


@lru_cache(maxsize=4096)
def _mixed(pool_id: int, rounds: int, seed: int, cart: int) -> bytes:
    return blake2s(f"{seed}/pool/{pool_id}/{rounds}/{cart}".encode(), digest_size=8).digest()


def taken(pool: TakesTurns, turn: PoolTurn, cart: int, at: int, seed: int) -> PoolTurn:
    """Return where the turn stands once a member is used at station frame `at`."""
    members = set(pool.carts)
    recent = (*(one for one in turn.recent if one != cart and one in members), cart)
    used = PoolTurn(recent, turn.left, turn.rounds, turn.credit, at)
    if pool.order is TurnOrder.WEIGHTED:
        total = sum(member.weight for member in pool.members)
        credit = {one.cart: turn.credit.get(one.cart, 0.0) + one.weight for one in pool.members}
        credit[cart] -= total
        # nobody saves or owes more than one draw of all: who was kept out for long does not
        # make up for everything that it missed
        bounded = {one: min(max(saved, -total), total) for one, saved in credit.items()}
        return replace(used, credit=bounded)
    if pool.order is TurnOrder.SHUFFLED:
        had = {*turn.recent, *turn.left}
        new = members - had
        if cart in turn.left or cart in new:
            queue = _queue(pool, turn, seed) if new else turn.left
            left = {*turn.left, *new}
            left_after = tuple(one for one in queue if one != cart and one in left)
            return replace(used, left=left_after)
        rest = tuple(one for one in _queue(pool, turn, seed) if one != cart)
        return replace(used, left=rest, rounds=turn.rounds + 1)
    return used

"""Whose turn it is in a pool of overlays.

In turn: the member that was used longest ago. Shuffled: rounds in which every member comes once,
each mixed anew. Weighted: smooth weighted round robin (each gains its weight at every draw, whoever
has saved up most is taken and pays the weight of all), so that shares are kept over any stretch.
A member that cannot be used now stays where it was and comes when it can.
"""

from __future__ import annotations

from dataclasses import replace
from hashlib import blake2s
from typing import TYPE_CHECKING

from nightly_spindle.core.overlay_pools import Order
from nightly_spindle.core.running import PoolTurn

if TYPE_CHECKING:
    from nightly_spindle.core.overlay_pools import Pool

FRESH = PoolTurn()


def in_turn(pool: Pool, turn: PoolTurn, seed: int) -> tuple[int, ...]:
    """Return the cart numbers of a pool's members, the one whose turn it is first."""
    carts = pool.carts
    if pool.options.order is Order.TURN:
        known = set(carts)
        had = [cart for cart in turn.recent if cart in known]
        return (*(cart for cart in carts if cart not in had), *had)
    if pool.options.order is Order.WEIGHTED:
        saved = {one.cart: turn.credit.get(str(one.cart), 0.0) + one.weight for one in pool.members}
        places = {cart: place for place, cart in enumerate(carts)}
        return tuple(sorted(carts, key=lambda cart: (-saved[cart], places[cart])))
    return _queue(pool, turn, seed)


def _queue(pool: Pool, turn: PoolTurn, seed: int) -> tuple[int, ...]:
    """Return what is left of a shuffled round, then the next round."""
    carts = pool.carts
    left = [cart for cart in turn.left if cart in carts]
    new = [cart for cart in carts if cart not in turn.recent and cart not in left]
    left += sorted(new, key=lambda cart: _mixed(pool, turn.rounds, seed, cart))
    after = [cart for cart in carts if cart not in left]
    after.sort(key=lambda cart: _mixed(pool, turn.rounds + 1, seed, cart))
    if not left and len(after) > 1 and turn.recent and after[0] == turn.recent[-1]:
        # a round does not begin with the one that was heard just before
        after.append(after.pop(0))
    return (*left, *after)


def _mixed(pool: Pool, rounds: int, seed: int, cart: int) -> bytes:
    return blake2s(f"{seed}/pool/{pool.id}/{rounds}/{cart}".encode(), digest_size=8).digest()


def taken(pool: Pool, turn: PoolTurn, cart: int, at: int, seed: int) -> PoolTurn:
    """Return where the turn stands once a member is used at station frame `at`."""
    recent = (*(one for one in turn.recent if one != cart and one in pool.carts), cart)
    used = replace(turn, recent=recent, passed=0, at=at)
    if pool.options.order is Order.WEIGHTED:
        total = sum(member.weight for member in pool.members)
        credit = {
            str(one.cart): turn.credit.get(str(one.cart), 0.0) + one.weight for one in pool.members
        }
        credit[str(cart)] -= total
        # nobody saves or owes more than one draw of all: who was kept out for long does not
        # make up for everything that it missed
        bounded = {one: min(max(saved, -total), total) for one, saved in credit.items()}
        return replace(used, credit=bounded)
    if pool.options.order is Order.SHUFFLED:
        queue = _queue(pool, turn, seed)
        rest = [one for one in queue if one != cart]
        begun = cart not in turn.left and not _is_new(turn, cart)
        if not begun:
            still = {*turn.left, *(one for one in pool.carts if _is_new(turn, one))}
            return replace(used, left=tuple(one for one in rest if one in still))
        return replace(used, left=tuple(rest), rounds=turn.rounds + 1)
    return used


def _is_new(turn: PoolTurn, cart: int) -> bool:
    return cart not in turn.recent and cart not in turn.left

"""What items say of their own turns in rotation: reading and setting it."""

from __future__ import annotations

import json
from typing import TYPE_CHECKING, Any

from sqlalchemy import select

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.library.rotation_card import (
    ANY_TURN,
    RotationCard,
    card_from,
    card_values,
)
from nightly_spindle.store.base import tables as t
from nightly_spindle.store.library.item_rows import turn_text
from nightly_spindle.store.library.marking import put_back

if TYPE_CHECKING:
    from collections.abc import Callable, Sequence

    from nightly_spindle.store.base.transaction import LibraryTransaction

_PART = 400


def change_cards(
    library: LibraryTransaction,
    carts: Sequence[int],
    change: Callable[[RotationCard], RotationCard],
) -> tuple[dict[int, RotationCard], list[dict[str, Any]]]:
    """Change what items say of their turns; returns the new ones, and rows for `put_back`.

    InputFault when an item is not there or a card cannot be; then none is changed.
    """
    before: list[dict[str, Any]] = []
    for at in range(0, len(carts), _PART):
        part = list(carts[at : at + _PART])
        query = select(t.item.c.cart, t.item.c.turn).where(t.item.c.cart.in_(part))
        before += library.rows(query)
    gone = set(carts) - {row["cart"] for row in before}
    if gone:
        raise InputFault(f"no item has the cart number {', '.join(map(str, sorted(gone)))}")
    made = {}
    for row in before:
        card = card_from(json.loads(row["turn"])) if row["turn"] else ANY_TURN
        made[row["cart"]] = card_from(card_values(change(card)))  # checked
    put_back(library, [{"cart": cart, "turn": turn_text(card)} for cart, card in made.items()])
    return made, before

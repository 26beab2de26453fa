"""What is wanted over one line of the running order, as plain values."""

from __future__ import annotations

from math import isfinite
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.playout.overlay_playout import REACH_S
from nightly_spindle.core.programme.running_order import OverlayWish, Wish

if TYPE_CHECKING:
    from collections.abc import Mapping

_MOST_AFTER_S = 600.0


def wish_values(wish: OverlayWish | None) -> dict[str, Any] | None:
    """Return a wish as plain values, None where there is none; `wish_from` reads it back."""
    if wish is None:
        return None
    values: dict[str, Any] = {"wish": str(wish.wish)}
    if wish.cart:
        values["cart"] = wish.cart
    if wish.pool:
        values["pool"] = wish.pool
    if wish.at_s is not None:
        values["at_s"] = wish.at_s
    return values


def wish_from(values: Mapping[str, Any] | None) -> OverlayWish | None:
    """Read a wish; InputFault says what cannot be."""
    if not values:
        return None
    strange = sorted(set(values) - {"wish", "cart", "pool", "at_s"})
    if strange or values.get("wish") not in set(map(str, Wish)):
        told = strange[0] if strange else values.get("wish")
        raise InputFault(f"'{told}' is none of what a line may want over it: {', '.join(Wish)}")
    wish = Wish(values["wish"])
    cart, pool, at_s = int(values.get("cart", 0)), int(values.get("pool", 0)), values.get("at_s")
    if wish is Wish.THIS and cart < 1:
        raise InputFault("“this one” lacks the cart number of the overlay")
    if at_s is not None:
        if wish is not Wish.THIS:
            raise InputFault("only an overlay that is named can be placed by hand")
        if not isinstance(at_s, int | float) or not isfinite(at_s):
            raise InputFault(f"at_s is {at_s!r}; it is seconds from the start of the line's item")
        if not -REACH_S <= at_s <= _MOST_AFTER_S:
            raise InputFault(
                f"an overlay begins at most {REACH_S:g} s before its line starts and "
                f"{_MOST_AFTER_S:g} s after; {at_s:g} s is outside"
            )
        at_s = round(float(at_s), 4)
    return OverlayWish(wish, cart, pool, at_s)

"""The items that a programme has in reach, and how often any of them became another."""

from __future__ import annotations

from typing import TYPE_CHECKING, Self

from nightly_spindle.core.library.items import Item

if TYPE_CHECKING:
    from collections.abc import Mapping


class ItemsInReach(dict[int, Item]):
    """Items by cart. `revision` counts what came, went or was replaced.

    What is worked out from the items is kept as long as that number stands: their count alone
    does not tell that one was replaced.
    """

    revision = 0

    def __setitem__(self, cart: int, item: Item) -> None:
        """Have an item in reach."""
        if self.get(cart) is not item:
            self.revision += 1
            super().__setitem__(cart, item)

    def __delitem__(self, cart: int) -> None:
        """Have an item in reach no more."""
        self.revision += 1
        super().__delitem__(cart)

    def setdefault(self, cart: int, item: Item) -> Item:
        """Have an item in reach unless one of that cart is; returns the one that is."""
        if cart not in self:
            self[cart] = item
        return self[cart]

    def update(self, items: Mapping[int, Item]) -> None:  # type: ignore[override]
        """Have items in reach."""
        for cart, item in items.items():
            self[cart] = item

    def __ior__(self, items: Mapping[int, Item]) -> Self:  # type: ignore[override, misc]
        """Have items in reach."""
        self.update(items)
        return self

    pop = popitem = clear = None  # type: ignore[assignment]  # these would not be counted

"""The overlays of the demo station: what is said between the songs, one mistake in it."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from nightly_spindle.core.overlays.overlay_pools import (
    Lies,
    Member,
    Pool,
    PoolOptions,
    PoolUse,
    TurnOrder,
)

if TYPE_CHECKING:
    from collections.abc import Callable


def demo_pools(cart: Callable[[str], int]) -> list[Pool]:
    """Return the pools; `cart` gives the number of an item by its title."""

    def pool(name: str, use: PoolUse, titles: tuple[str, ...], **options: Any) -> Pool:
        members = tuple(Member(cart(title)) for title in titles)
        return Pool(0, name, use, members, PoolOptions(**options))

    dark = ("Still lit", "All night on the quay", "The quay after dark", "Lamp, bell, horn")
    return [
        pool("Fog nights", PoolUse.SWEEPERS, (), days="fri", hours="20:00-23:00"),
        pool(
            "After dark",
            PoolUse.SWEEPERS,
            dark,
            hours="21:00-06:00",
            order=TurnOrder.SHUFFLED,
            every=2.0,
            least_s=600.0,
            alone=True,
        ),
        pool(
            "Daylight",
            PoolUse.SWEEPERS,
            ("Between two lighthouses", "Lamp, bell, horn"),
            every=3.0,
            lies=Lies.CENTRED,
        ),
        pool("Asked for", PoolUse.VOICEOVERS, ("Asked for from the night ferry",), tags="request"),
        pool(
            "New on the quay",
            PoolUse.VOICEOVERS,
            ("New on the quay", "First landed here"),
            every=3.0,
            apart_s=300.0,
        ),
        pool(
            "Harbour lights",
            PoolUse.LINKS,
            ("Harbour lights", "Last boat home"),
            songs=9.0,
            hours="06:00-09:00, 18:00-21:00",
        ),
        pool(
            "Between songs", PoolUse.LINKS, ("Harbour lights", "Last boat home", "Quay bell, short")
        ),
    ]

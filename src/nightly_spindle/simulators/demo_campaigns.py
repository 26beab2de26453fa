"""The advertising of the demo station: breaks, orders of the harbour's firms, one mistake in it."""

from __future__ import annotations

from datetime import date, timedelta
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.overlays.overlay_pools import TurnOrder
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern, Starts
from nightly_spindle.core.traffic.campaigns import (
    Campaign,
    CampaignOptions,
    Copy,
    Per,
    Position,
    Terms,
)

if TYPE_CHECKING:
    from collections.abc import Callable

FILLER = "Public service"  # the category that breaks without a spot take from


def demo_breaks(cart: Callable[[str], int]) -> list[BreakPattern]:
    """Return the break patterns; `cart` gives the number of an item by its title."""
    by_day = BreakOptions(
        minutes="20, 50",
        spots=3.0,
        hours="06-24",
        opens=float(cart("Harbour lights")),
        categories="food, travel",
        empty=FILLER,
    )
    by_night = BreakOptions(starts=Starts.LINES, minutes="6", spots=2.0, hours="00-06")
    return [BreakPattern(0, "Quayside", by_day), BreakPattern(0, "Night log", by_night)]


def demo_orders(cart: Callable[[str], int], today: date) -> list[Campaign]:
    """Return the orders: most have run for three days, some begin soon."""

    def order(
        name: str, titles: tuple[str, ...], days: int, begins: int = -3, **options: Any
    ) -> Campaign:
        first = today + timedelta(days=begins)
        options = {"first": str(first), "last": str(first + timedelta(days=days - 1))} | options
        copies = tuple(Copy(cart(title)) for title in titles)
        return Campaign(0, name, copies, CampaignOptions(**options))

    tern, marrow = "Tern Line", "Marrow's Chandlery"
    return [
        order(
            "Night ferry",
            ("Tern Line night ferry", "Tern Line, winter timetable"),
            28,
            advertiser=tern,
            product="night ferry",
            group="ferries",
            category="travel",
            amount=8.0,
            importance=7.0,
            order=TurnOrder.WEIGHTED,
        ),
        order(
            "Grey Seal opening",
            ("Grey Seal Crossings",),
            21,
            2,
            advertiser="Grey Seal Crossings",
            product="day boats",
            group="ferries",
            category="travel",
            amount=5.0,
            hours="06-20",
            rivals_s=1800.0,
        ),
        order(
            "Rope week",
            ("Marrow's Chandlery, rope week",),
            7,
            advertiser=marrow,
            product="rope",
            category="retail",
            amount=60.0,
            per=Per.TOTAL,
            hours="mon-sat 07-19",
            position=Position.FIRST,
        ),
        order(
            "Chandlery, evenings",
            ("Marrow's Chandlery, rope week",),
            28,
            advertiser=marrow,
            category="retail",
            amount=10.0,
            per=Per.WEEK,
            hours="16-22",
            terms=Terms.BONUS,
            importance=3.0,
        ),
        order(
            "Oyster season",
            ("Lowtide Oysters",),
            35,
            advertiser="Lowtide Oysters",
            product="oysters",
            category="food",
            amount=6.0,
            hours="mon-fri 11-14, 17-21; sat-sun",
        ),
        order(
            "Outboards",
            ("Hebble & Son, outboard motors",),
            14,
            1,
            advertiser="Hebble & Son",
            product="outboard motors",
            category="cars",
            amount=3.0,
            per=Per.HOUR,
            hours="07-09",
            apart_s=1800.0,
        ),
        order(
            "Night crews",
            ("Hebble & Son, outboard motors", "Lowtide Oysters"),
            28,
            1,
            advertiser="Hebble & Son",
            amount=1.0,
            per=Per.BREAK,
            breaks="Night log",
        ),
    ]

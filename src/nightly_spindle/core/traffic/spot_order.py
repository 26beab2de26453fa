"""In which order the spots of one break stand."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.traffic.campaigns import Position
from nightly_spindle.core.traffic.spot_plan import Booking

if TYPE_CHECKING:
    from collections.abc import Iterable

    from nightly_spindle.core.traffic.campaigns import Campaign
    from nightly_spindle.core.traffic.coming_breaks import BreakPlace
    from nightly_spindle.core.traffic.placement_room import Unit

_MIDDLE = {Position.FIRST: 0, Position.ANY: 1, Position.LAST: 2}


def seat_order(campaign: Campaign, at_us: int) -> tuple[int, int, int]:
    """Return what campaigns of one break are sorted by: their wish, their weight, their turn.

    Of several that want to be first the weightiest is; of those that want to be last, the
    weightiest is the last. Others take turns from break to break.
    """
    wish = campaign.options.position
    weight = {Position.FIRST: -campaign.rank, Position.LAST: campaign.rank}.get(wish, 0)
    turn = (campaign.id * 7919 + at_us // 60_000_000) % 1009
    return (_MIDDLE[wish], weight, turn)


def seated(place: BreakPlace, units: Iterable[Unit]) -> list[Booking]:
    """Return the bookings of one break in their order."""
    ranked = sorted(units, key=lambda unit: seat_order(unit.seeker.campaign, place.at_us))
    return [
        Booking(place.at_us, place.pattern, seat, unit.seeker.id, unit.fixed)
        for seat, unit in enumerate(ranked)
    ]

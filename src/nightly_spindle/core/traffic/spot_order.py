"""In which order the spots of one break stand."""

from __future__ import annotations

from typing import TYPE_CHECKING

from nightly_spindle.core.traffic.campaigns import Position
from nightly_spindle.core.traffic.spot_plan import Booking

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

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


def in_seats(ranked: Sequence[Campaign], seats: Sequence[str]) -> list[int]:
    """Return in which order campaigns stand (their places in `ranked`) where seats are named.

    `seats` are categories, empty for any. Each seat takes the first campaign of its category, the
    rest go where none does, in their order; where seats stay empty the others close up.
    """
    left = list(range(len(ranked)))
    taken: dict[int, int] = {}
    for seat, category in enumerate(seats):
        found = next((at for at in left if category and ranked[at].category == category), None)
        if found is not None:
            left.remove(found)
            taken[seat] = found
    free = (seat for seat in range(len(seats) + len(left)) if seat not in taken)
    taken |= dict(zip(free, left, strict=False))
    return [taken[seat] for seat in sorted(taken)]


def seated(place: BreakPlace, units: Iterable[Unit]) -> list[Booking]:
    """Return the bookings of one break in their order."""
    ranked = sorted(units, key=lambda unit: seat_order(unit.seeker.campaign, place.at_us))
    campaigns = [unit.seeker.campaign for unit in ranked]
    order = in_seats(campaigns, place.seats) if any(place.seats) else range(len(ranked))
    return [
        Booking(place.at_us, place.pattern, seat, ranked[at].seeker.id, ranked[at].fixed)
        for seat, at in enumerate(order)
    ]

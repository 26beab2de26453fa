"""All that the sequencer knows of spots: campaigns, break patterns, and the placing.

The placing says which spots air in which breaks of the coming days (`spot_placement` makes it).
"""

from __future__ import annotations

from bisect import bisect_left
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING

from nightly_spindle.core.traffic.break_patterns import BreakPattern, Starts
from nightly_spindle.core.traffic.campaigns import Campaign

if TYPE_CHECKING:
    from nightly_spindle.core.traffic.campaigns import Key
    from nightly_spindle.core.traffic.spot_state import Booked


@dataclass(frozen=True, slots=True, order=True)
class Booking:
    """One spot in one break: `seat` is where it stands there, from 0; `fixed` was set by hand."""

    at_us: int
    pattern: int
    seat: int
    campaign: int
    fixed: bool = False

    @property
    def key(self) -> Key:
        """Its break."""
        return (self.pattern, self.at_us)


@dataclass(frozen=True)
class SpotPlan:
    """Campaigns and break patterns by number, and what is placed from `from_us` to `until_us`.

    `settled` are spots that were not heard (campaign, pattern, instant) and for which the placing
    has others: what makes good on the night leaves those alone. `made_us` is when it was made.
    """

    campaigns: Mapping[int, Campaign] = field(default_factory=dict)
    patterns: Mapping[int, BreakPattern] = field(default_factory=dict)
    bookings: Sequence[Booking] = ()
    settled: frozenset[tuple[int, int, int]] = frozenset()
    from_us: int = 0
    until_us: int = 0
    made_us: int = 0

    def work_out(self) -> None:
        """Work out now what things are looked up in, not when a break comes."""
        _ = (
            self.by_break,
            self._in_order,
            self._by_campaign,
            self.by_cart,
            self.rivals,
            self.by_number,
        )

    @cached_property
    def by_break(self) -> dict[Key, tuple[Booking, ...]]:
        """The spots of each break, in their order there."""
        found: dict[Key, list[Booking]] = {}
        for booking in sorted(self.bookings):
            found.setdefault(booking.key, []).append(booking)
        return {key: tuple(spots) for key, spots in found.items()}

    @cached_property
    def _in_order(self) -> list[Booking]:
        return sorted(self.bookings)

    def between(self, from_us: int, until_us: int) -> list[Booking]:
        """Return the spots with `from_us <= instant < until_us`, by time."""
        first = bisect_left(self._in_order, from_us, key=_instant)
        return self._in_order[first : bisect_left(self._in_order, until_us, key=_instant)]

    @cached_property
    def _by_campaign(self) -> dict[int, list[Booking]]:
        found: dict[int, list[Booking]] = {}
        for booking in self._in_order:
            found.setdefault(booking.campaign, []).append(booking)
        return found

    def of_campaign(self, number: int, from_us: int, until_us: int) -> list[Booking]:
        """Return the spots of a campaign with `from_us <= instant < until_us`."""
        own = self._by_campaign.get(number, [])
        first = bisect_left(own, from_us, key=_instant)
        return own[first : bisect_left(own, until_us, key=_instant)]

    @cached_property
    def by_cart(self) -> dict[int, tuple[int, ...]]:
        """The campaigns that can air an item, by its cart number."""
        found: dict[int, list[int]] = {}
        for campaign in self.campaigns.values():
            for cart in campaign.carts:
                found.setdefault(cart, []).append(campaign.id)
        return {cart: tuple(numbers) for cart, numbers in found.items()}

    @cached_property
    def rivals(self) -> dict[int, tuple[Campaign, ...]]:
        """The campaigns that compete with each, by its number."""
        groups: dict[str, list[Campaign]] = {}
        for campaign in self.campaigns.values():
            if group := campaign.group:
                groups.setdefault(group, []).append(campaign)
        return {
            one.id: tuple(other for other in group if other is not one)
            for group in groups.values()
            for one in group
        }

    @cached_property
    def by_number(self) -> dict[int, BreakPattern]:
        """The break patterns by the number that stands for their breaks still to be filled."""
        return {pattern.cart: pattern for pattern in self.patterns.values()}

    def named(self, name: str) -> BreakPattern | None:
        """Return the break pattern of that name."""
        folded = name.strip().casefold()
        return next((p for p in self.patterns.values() if p.name.casefold() == folded), None)

    def for_log_line(self, text: str) -> BreakPattern | None:
        """Return the pattern that fills a log's line for a break: the one it names, or the first.

        None where no pattern takes breaks from logs.
        """
        folded = text.casefold()
        takes = [
            p
            for p in self.patterns.values()
            if p.options.enabled and p.options.starts is Starts.LINES
        ]
        return next((p for p in takes if p.name.casefold() in folded), takes[0] if takes else None)

    def is_settled(self, spot: Booked) -> bool:
        """Whether the placing has another for a spot that was not heard."""
        return (spot.campaign, spot.pattern, spot.at_us) in self.settled


def _instant(booking: Booking) -> int:
    return booking.at_us


NO_SPOTS = SpotPlan()

"""How an order stands: aired, to come, owed, of how many. Whoever tells it tells it from here.

Of an order's flight, or of a stretch of days. Only what lies within its flight dates counts.

- *of*: how many it comes to in all.
- *due*: how many of them should have been heard by now.
- *aired*: how many were heard and count.
- *to come*: how many are placed in breaks that are not filled yet, are lined up, or come with logs
  that are there.
- *owed*: what was due and was not heard, and is not made good yet, whether or not a later break has
  been found for it. Of a stretch that is over no more is owed than is owed of the order now.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.local_days import day_of, local_day
from nightly_spindle.core.traffic.campaigns import Per
from nightly_spindle.core.traffic.order_quotas import flight_total, total_share

if TYPE_CHECKING:
    from collections.abc import Iterable
    from datetime import date
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.traffic.campaigns import Campaign
    from nightly_spindle.core.traffic.order_quotas import Quota
    from nightly_spindle.core.traffic.spot_demand import Demand


@dataclass(frozen=True, slots=True)
class OrderStanding:
    """The figures of an order at an instant."""

    of: int
    due: int
    aired: int
    to_come: int
    owed: int


def in_flight(campaign: Campaign, instants: Iterable[int], tz: ZoneInfo) -> list[int]:
    """Return the instants (µs) that lie within the flight dates of an order, on hold or not."""
    return [at for at in instants if campaign.flight_holds(day_of(local_day(at, tz)))]


def to_come(
    demand: Demand, placed: Iterable[int], now_us: int, stretch: tuple[int, int], tz: ZoneInfo
) -> int:
    """Return how many spots of an order are to come in a stretch (from, until; µs).

    `placed` are the instants of those in breaks that are not filled yet. What is lined up is to
    come now.
    """
    begin, end = stretch
    instants = in_flight(demand.campaign, [*placed, *demand.given], tz)
    found = sum(begin <= at < end for at in instants)
    return found + (demand.pending if begin <= now_us < end else 0)


def standing_of(demand: Demand, to_come: int, today: date) -> OrderStanding:
    """Return how an order stands in all of its flight; `to_come` as above."""
    campaign, want = demand.campaign, demand.quota
    owed = want.owed
    if campaign.options.per is Per.TOTAL and campaign.last is not None and campaign.last < today:
        owed = max(0, int(campaign.options.amount) - demand.aired)
    return OrderStanding(flight_total(campaign, want), want.past, demand.aired, to_come, owed)


def standing_in(
    campaign: Campaign,
    all_: OrderStanding,
    want: Quota,
    days: tuple[int, int],
    next_day: int,
    aired: int,
    to_come: int,
) -> OrderStanding:
    """Return how an order stands in a stretch of days (the first and the last, since 1970).

    `all_` is how it stands as a whole, `want` what it wants in the stretch after what was heard in
    it. Of an order in total the share of the days that are over is due, those before `next_day`.
    """
    of, due, owed = want.whole, want.past, want.owed
    if campaign.options.per is Per.TOTAL:
        of = total_share(campaign, *days)
        due = total_share(campaign, days[0], min(days[1], next_day - 1))
        owed = max(0, due - aired)
    return OrderStanding(of, due, aired, to_come, min(all_.owed, owed))

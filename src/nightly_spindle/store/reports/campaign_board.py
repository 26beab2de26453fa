"""Campaigns as a whole: how each order stands, the breaks of the coming days, reports."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.local_days import day_of, day_start, local_day
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.reports.spot_findings import (
    SpotFinding,
    break_findings,
    campaign_findings,
    length_us,
    lost_pins,
    pattern_findings,
)
from nightly_spindle.core.reports.spot_reports import PlannedSpot, Report, planned, proofs, totals
from nightly_spindle.core.station.settings import SpotRules
from nightly_spindle.core.traffic.break_patterns import BreakPattern
from nightly_spindle.core.traffic.campaigns import Campaign, Per
from nightly_spindle.core.traffic.coming_breaks import BreakCalendar, BreakPlace
from nightly_spindle.core.traffic.order_quotas import flight_total, quota, total_share
from nightly_spindle.core.traffic.placement_shortfalls import Shortfall
from nightly_spindle.core.traffic.spot_plan import Booking
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.playout.journal import AS_RUN, as_run_of
from nightly_spindle.store.programme.station_board import StationBoard
from nightly_spindle.store.reports.spot_placements import orders_of, shorts, spots_in_logs

if TYPE_CHECKING:
    from collections.abc import Collection, Sequence
    from datetime import date

    from nightly_spindle.core.traffic.spot_demand import Demand
    from nightly_spindle.store.programme.snapshot import Snapshot

_ABLE = (Kind.SPOT, Kind.PROMO, Kind.PSA)
_EDGES = (Kind.JINGLE, Kind.ID, Kind.SWEEPER)


@dataclass(frozen=True, slots=True)
class CampaignSheet:
    """How one order stands.

    `whole` is what it comes to, `due` what should have been heard by now, `aired` what was and
    counts, `to_come` what is placed or will come with logs, `owed` what of the past is not made
    good yet. `days` are how many of its flight are over, and how many there are (0 without end).
    """

    campaign: Campaign
    sentence: str
    whole: int
    due: int
    aired: int
    to_come: int
    owed: int
    days: tuple[int, int]
    short: Shortfall | None = None
    findings: tuple[SpotFinding, ...] = ()

    @property
    def state(self) -> str:
        """The order's state in a word."""
        over, days = self.days
        if self.campaign.options.on_hold:
            return "on hold"
        if days and over >= days:
            return "over"
        if days and over < 0:
            return "to come"
        return "running"


@dataclass(frozen=True, slots=True)
class SpotSheet:
    """All of it at an instant: orders, breaks of the coming days, what is placed, what is wrong.

    `made_us` is when the placing was made, 0 for never. `able` are items that can be copies,
    `edges` those that can open and close a break; `lengths_us` says how long spots of a campaign
    are, by its number.
    """

    now_us: int
    tz: ZoneInfo
    orders: tuple[CampaignSheet, ...]
    patterns: tuple[BreakPattern, ...]
    places: tuple[BreakPlace, ...]
    bookings: tuple[Booking, ...]
    findings: tuple[SpotFinding, ...]
    made_us: int
    rules: SpotRules
    able: tuple[Item, ...] = ()
    edges: tuple[Item, ...] = ()
    categories: tuple[str, ...] = ()
    shows: tuple[str, ...] = ()
    fillers: tuple[str, ...] = ()
    by_break: dict[tuple[int, int], tuple[Booking, ...]] = field(default_factory=dict)
    lengths_us: dict[int, int] = field(default_factory=dict)
    clocks: tuple[str, ...] = ()

    def fullness(self, place: BreakPlace) -> float:
        """Return how much of a break is taken, 1 for all of it: by seats or time, what is more."""
        inside = self.by_break.get(place.key, ())
        lasts = sum(self.lengths_us.get(booking.campaign, 0) for booking in inside)
        # half a second of measuring is no overrun
        return max(len(inside) / place.spots, (lasts - US // 2) / place.length_us, 0.0)

    @property
    def stale(self) -> bool:
        """Whether the spots were not placed yet today."""
        return local_day(self.made_us, self.tz) < local_day(self.now_us, self.tz)

    def campaign(self, number: int) -> Campaign | None:
        """Return the campaign of that number."""
        return next((o.campaign for o in self.orders if o.campaign.id == number), None)


class CampaignBoard(StationBoard):
    """Reads one station's campaigns again and again."""

    def sheet(self, now_us: int) -> SpotSheet:
        """Return how everything stands."""
        snapshot, _ = self._fresh()
        snapshot.look_for_files()
        return spot_sheet(snapshot, now_us)

    def report(
        self, now_us: int, from_us: int, until_us: int, numbers: Collection[int], title: str
    ) -> tuple[Report, list[PlannedSpot]]:
        """Return the proof of play of a stretch, and what is going to air in it."""
        snapshot, _ = self._fresh()
        return (
            proof_of_play(snapshot, now_us, from_us, until_us, numbers, title),
            plan_of_play(snapshot, max(now_us, from_us), until_us, numbers),
        )


def spot_sheet(snapshot: Snapshot, now_us: int) -> SpotSheet:
    """Return how everything stands, by the as-run log and the placing."""
    connection, programme = snapshot.connection, snapshot.programme
    plan, tz = programme.spots, programme.settings.tz
    wanted = orders_of(snapshot, now_us)
    lacking = {short.campaign: short for short in shorts(connection)}
    coming = [booking for booking in plan.bookings if booking.at_us >= now_us]
    to_come: dict[int, int] = {}
    for booking in coming:
        to_come[booking.campaign] = to_come.get(booking.campaign, 0) + 1
    today = day_of(local_day(now_us, tz))
    orders = []
    for order in wanted.orders:
        campaign, want = order.campaign, order.quota
        book = wanted.account
        aired = book.before.get(campaign.id, 0) + len(book.heard.get(campaign.id, ()))
        short = lacking.get(campaign.id)
        owed = _owed(order, aired, today)
        orders.append(
            CampaignSheet(
                campaign,
                campaign.sentence(),
                flight_total(campaign, want),
                want.past,
                aired,
                to_come.get(campaign.id, 0) + len(order.given),
                owed,
                _days(campaign, today),
                short,
                tuple(campaign_findings(programme, campaign, today, owed, short)),
            )
        )
    general = [*pattern_findings(programme), *break_findings(programme, coming)]
    if plan.campaigns and not plan.patterns:
        general.append(
            SpotFinding(
                "no-breaks",
                Severity.ALARM,
                "There are no breaks for spots.",
                "Make a break pattern.",
            )
        )
    calendar = wanted.calendar
    general += lost_pins(programme, calendar)
    return SpotSheet(
        now_us,
        tz,
        tuple(orders),
        tuple(plan.patterns.values()),
        tuple(calendar.places[calendar.now :]),
        tuple(coming),
        tuple(general),
        plan.made_us,
        programme.settings.spots,
        _able(snapshot, _ABLE),
        _able(snapshot, _EDGES),
        tuple(_categories(programme.settings.spots.categories)),
        tuple(e.name for e in programme.events if e.options.length_s),
        tuple(row[0] for row in connection.execute("SELECT name FROM category ORDER BY name")),
        plan.by_break,
        {n: length_us(programme, c) for n, c in plan.campaigns.items()},
        tuple(clock.name for clock in programme.formats.clocks.values()),
    )


def _owed(order: Demand, aired: int, today: date) -> int:
    """Return what is owed: of an order in total once its flight is over."""
    campaign = order.campaign
    over = campaign.last is not None and campaign.last < today
    if over and campaign.options.per is Per.TOTAL:
        return max(0, int(campaign.options.amount) - aired)
    return order.quota.owed


def _days(campaign: Campaign, today: date) -> tuple[int, int]:
    if campaign.first is None or campaign.last is None:
        return (0, 0)
    return ((today - campaign.first).days, (campaign.last - campaign.first).days + 1)


def _categories(listing: str) -> list[str]:
    return [word.strip() for word in listing.split(",") if word.strip()]


def _able(snapshot: Snapshot, kinds: Sequence[Kind]) -> tuple[Item, ...]:
    """Return the items of the library of these kinds, by title."""
    rows = snapshot.connection.execute(
        "SELECT cart FROM item WHERE kind IN (?, ?, ?) AND waits = '' ORDER BY title, cart",
        [str(kind) for kind in kinds],
    )
    carts = [row["cart"] for row in rows]
    found = {item.cart: item for item in items_by_cart(snapshot.connection, snapshot.folder, carts)}
    return tuple(found[cart] for cart in carts if cart in found)


# -- reports ---------------------------------------------------------------------------------------


def proof_of_play(
    snapshot: Snapshot,
    now_us: int,
    from_us: int,
    until_us: int,
    numbers: Collection[int],
    title: str,
) -> Report:
    """Return what aired of campaigns in a stretch, against what was ordered for it."""
    programme, plan = snapshot.programme, snapshot.programme.spots
    settings = programme.settings
    chosen = {n: c for n, c in plan.campaigns.items() if n in numbers}
    rows = snapshot.connection.execute(
        f"SELECT {AS_RUN} FROM as_run WHERE campaign > 0 AND start_us >= ? AND start_us < ?"
        " ORDER BY start_us, rowid",
        (from_us, until_us),
    )
    found = proofs((as_run_of(row) for row in rows), chosen, settings.spots.counts_from)
    ordered = ordered_in(snapshot, now_us, from_us, until_us)
    today = day_start(local_day(now_us, settings.tz) + 1, settings.tz)
    to_come = _to_come(snapshot, now_us, min(until_us, today))
    sums = totals(found, {n: (c, ordered.get(n, 0)) for n, c in chosen.items()}, to_come)
    sums = [one for one in sums if one.ordered or one.aired or one.cut or one.missed]
    return Report(
        settings.name,
        title,
        from_us,
        until_us,
        settings.spots.counts_from,
        settings.spots.signature,
        tuple(found),
        tuple(sums),
    )


def _to_come(snapshot: Snapshot, now_us: int, until_us: int) -> Counter[int]:
    """Return how many spots of each campaign are to come: placed, or in logs that are there."""
    found = Counter(b.campaign for b in snapshot.programme.spots.between(now_us, until_us))
    if now_us < until_us:
        for number, instants in spots_in_logs(snapshot, now_us).items():
            found[number] += sum(at < until_us for at in instants)
    return found


def ordered_in(snapshot: Snapshot, now_us: int, from_us: int, until_us: int) -> dict[int, int]:
    """Return how many spots each order wants in a stretch of whole days, up to its end or now."""
    programme = snapshot.programme
    until = min(
        until_us, day_start(local_day(now_us, programme.settings.tz) + 1, programme.settings.tz)
    )
    if until <= from_us:
        return {}
    calendar = BreakCalendar(programme.break_sources(), from_us, from_us, until)
    found = {}
    days = (local_day(from_us, calendar.tz), local_day(until - 1, calendar.tz))
    for campaign in programme.spots.campaigns.values():
        if campaign.options.per is Per.TOTAL:
            found[campaign.id] = total_share(campaign, *days)
        else:
            found[campaign.id] = quota(campaign, calendar, calendar.open_to(campaign), ()).whole
    return found


def plan_of_play(
    snapshot: Snapshot, from_us: int, until_us: int, numbers: Collection[int]
) -> list[PlannedSpot]:
    """Return what is going to air of campaigns in a stretch."""
    plan = snapshot.programme.spots
    bookings = [b for b in plan.between(from_us, until_us) if b.campaign in numbers]
    names = {pattern.id: pattern.name for pattern in plan.patterns.values()}
    return planned(bookings, plan.campaigns, names, _shows(snapshot, from_us, until_us))


def _shows(snapshot: Snapshot, from_us: int, until_us: int) -> Sequence[tuple[int, int, str]]:
    """Return the stretches that timed events hold."""
    programme, found = snapshot.programme, []
    for event in programme.events:
        lasts = round(event.options.length_s * US)
        if event.enabled and lasts:
            begins = event.rule.firings(programme.settings.tz, from_us - lasts - 1, until_us)
            found += [(at, at + lasts, event.name) for at in begins]
    return found

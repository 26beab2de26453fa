"""Campaigns as a whole: how each order stands, the breaks of the coming days, reports."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field
from typing import TYPE_CHECKING
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.local_days import day_of, local_day
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.reports.spot_findings import (
    SpotFinding,
    break_findings,
    campaign_findings,
    length_us,
    lost_pins,
    pattern_findings,
)
from nightly_spindle.core.reports.spot_lateness import late_breaks
from nightly_spindle.core.reports.spot_proofs import (
    PlannedSpot,
    SpotPlaces,
    planned,
    proofs,
)
from nightly_spindle.core.reports.spot_reports import Report, totals
from nightly_spindle.core.station.settings import SpotRules
from nightly_spindle.core.traffic.break_patterns import BreakPattern
from nightly_spindle.core.traffic.campaigns import Campaign
from nightly_spindle.core.traffic.coming_breaks import BreakCalendar, BreakPlace
from nightly_spindle.core.traffic.order_quotas import heard_spots, quota
from nightly_spindle.core.traffic.order_standing import (
    OrderStanding,
    in_flight,
    standing_in,
    standing_of,
    to_come,
)
from nightly_spindle.core.traffic.placement_shortfalls import Shortfall
from nightly_spindle.core.traffic.spot_plan import Booking
from nightly_spindle.store.library.item_reading import items_by_cart
from nightly_spindle.store.playout.journal import AS_RUN, as_run_of
from nightly_spindle.store.programme.station_board import StationBoard
from nightly_spindle.store.reports.spot_placements import Orders, orders_of, shorts, spots_in_logs

if TYPE_CHECKING:
    from collections.abc import Collection, Mapping, Sequence
    from datetime import date

    from nightly_spindle.core.reports.as_run import AsRun
    from nightly_spindle.core.reports.spot_proofs import Proof
    from nightly_spindle.store.programme.snapshot import Snapshot

_ABLE = (Kind.SPOT, Kind.PROMO, Kind.PSA)
_NO_END_US = 1 << 62
_LONGEST_US = 12 * 3600 * US  # what has been on air for longer is not looked for
_EDGES = (Kind.JINGLE, Kind.ID, Kind.SWEEPER)


@dataclass(frozen=True, slots=True)
class CampaignSheet:
    """How one order stands.

    `days` are how many of its flight are over, and how many there are (0 without end).
    """

    campaign: Campaign
    sentence: str
    standing: OrderStanding
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
            plan_of_play(snapshot, now_us, max(now_us, from_us), until_us, numbers),
        )


def spot_sheet(snapshot: Snapshot, now_us: int) -> SpotSheet:
    """Return how everything stands, by the as-run log and the placing."""
    connection, programme = snapshot.connection, snapshot.programme
    plan, tz = programme.spots, programme.settings.tz
    wanted = orders_of(snapshot, now_us)
    lacking = {short.campaign: short for short in shorts(connection)}
    coming = [booking for booking in plan.bookings if booking.at_us >= now_us]
    today = day_of(local_day(now_us, tz))
    standings = _standings(snapshot, wanted)
    orders = []
    for order in wanted.orders:
        campaign, stands = order.campaign, standings[order.campaign.id]
        short = lacking.get(campaign.id)
        orders.append(
            CampaignSheet(
                campaign,
                campaign.sentence(),
                stands,
                _days(campaign, today),
                short,
                tuple(campaign_findings(programme, campaign, today, stands.owed, short)),
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


def _standings(snapshot: Snapshot, wanted: Orders) -> dict[int, OrderStanding]:
    """Return how each order stands, by number."""
    tz, now_us = snapshot.programme.settings.tz, wanted.calendar.now_us
    coming = _to_come(snapshot, wanted)
    today = day_of(local_day(now_us, tz))
    return {
        order.campaign.id: standing_of(order, coming[order.campaign.id], today)
        for order in wanted.orders
    }


def _to_come(
    snapshot: Snapshot, wanted: Orders, from_us: int = 0, until_us: int = _NO_END_US
) -> dict[int, int]:
    """Return how many spots of each campaign are to come in a stretch, by number."""
    programme, calendar = snapshot.programme, wanted.calendar
    closed, tz, now_us = wanted.account.closed, programme.settings.tz, calendar.now_us
    found = {}
    for order in wanted.orders:
        booked = programme.spots.of_campaign(order.campaign.id, max(now_us, from_us), until_us)
        # a break that is filled has its spots lined up, or they have aired
        instants = [one.at_us for one in booked if one.key not in closed]
        found[order.campaign.id] = to_come(order, instants, now_us, (from_us, until_us), tz)
    return found


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
    lines = [as_run_of(row) for row in rows]

    def on_air(begin_us: int, end_us: int) -> list[AsRun]:
        there = snapshot.connection.execute(
            f"SELECT {AS_RUN} FROM as_run WHERE start_us > ? AND start_us < ? AND end_us > ?",
            (begin_us - _LONGEST_US, end_us, begin_us),
        )
        return [as_run_of(row) for row in there]

    late = late_breaks(lines, on_air, settings.tz)
    places = _places(snapshot, from_us, until_us, late)
    found = proofs(lines, chosen, settings.spots.counts_from, places)
    sums = totals(found, chosen, _standings_in(snapshot, now_us, (from_us, until_us), found))
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


def _standings_in(
    snapshot: Snapshot, now_us: int, stretch: tuple[int, int], rows: Sequence[Proof]
) -> dict[int, OrderStanding]:
    """Return how orders stand in a stretch of whole days, those that concern it, by number."""
    programme, (from_us, until_us) = snapshot.programme, stretch
    if until_us <= from_us:
        return {}
    wanted = orders_of(snapshot, now_us)
    as_a_whole = _standings(snapshot, wanted)
    coming = _to_come(snapshot, wanted, from_us, until_us)
    aired = Counter(row.campaign.id for row in rows if row.counts)
    calendar = BreakCalendar(
        programme.break_sources(), from_us, min(max(now_us, from_us), until_us), until_us
    )
    days = (local_day(from_us, calendar.tz), local_day(until_us - 1, calendar.tz))
    found = {}
    for campaign in programme.spots.campaigns.values():
        number = campaign.id
        instants = [row.at_us for row in rows if row.counts and row.campaign.id == number]
        if from_us <= now_us < until_us:
            instants += wanted.account.pending.get(number, ())
        heard = heard_spots(in_flight(campaign, instants, calendar.tz), calendar.tz)
        want = quota(campaign, calendar, calendar.open_to(campaign), heard)
        stands = standing_in(
            campaign,
            as_a_whole[number],
            want,
            days,
            calendar.places[want.open[0]].day if want.open else days[1] + 1,
            aired[number],
            coming[number],
        )
        if (
            stands.of
            or stands.aired
            or stands.to_come
            or any(row.campaign.id == number for row in rows)
        ):
            found[number] = stands
    return found


def plan_of_play(
    snapshot: Snapshot, now_us: int, from_us: int, until_us: int, numbers: Collection[int]
) -> list[PlannedSpot]:
    """Return what is going to air of campaigns in a stretch: placed, or with logs there are."""
    plan = snapshot.programme.spots
    chosen = {n: c for n, c in plan.campaigns.items() if n in numbers}
    given = {
        number: [at for at in instants if from_us <= at < until_us]
        for number, instants in spots_in_logs(snapshot, now_us).items()
    }
    places = _places(snapshot, from_us, until_us, {})
    return planned(plan.between(from_us, until_us), given, chosen, places)


def _places(
    snapshot: Snapshot, from_us: int, until_us: int, late: Mapping[tuple[int, int], str]
) -> SpotPlaces:
    names = {pattern.id: pattern.name for pattern in snapshot.programme.spots.patterns.values()}
    shows = _shows(snapshot, from_us, until_us)
    return SpotPlaces(snapshot.programme.settings.tz, names, shows, late)


def _shows(snapshot: Snapshot, from_us: int, until_us: int) -> Sequence[tuple[int, int, str]]:
    """Return the stretches that timed events hold."""
    programme, found = snapshot.programme, []
    for event in programme.events:
        lasts = round(event.options.length_s * US)
        if event.enabled and lasts:
            begins = event.rule.firings(programme.settings.tz, from_us - lasts - 1, until_us)
            found += [(at, at + lasts, event.name) for at in begins]
    return found

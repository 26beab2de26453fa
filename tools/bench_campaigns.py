"""Campaigns: 200 orders over 30 days of 11,520 places, placed, placed again, and optimal."""

from __future__ import annotations

import statistics
import time
from collections.abc import Callable
from dataclasses import replace
from datetime import date, timedelta

import numpy as np
from exact_placing import UNPLACED, exact_cost

from nightly_spindle.core.base.timebase import US, parse_instant
from nightly_spindle.core.calendar.week_grid import grid_from
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, Per
from nightly_spindle.core.traffic.coming_breaks import BreakCalendar
from nightly_spindle.core.traffic.order_quotas import quota
from nightly_spindle.core.traffic.spot_demand import Demand
from nightly_spindle.core.traffic.spot_placement import SpotPlacement, place_spots
from nightly_spindle.core.traffic.spot_plan import Booking, SpotPlan

Row = Callable[[str, str, str, bool], None]
FIRST = date(2026, 11, 1)
_HOURS = ("", "", "mon-fri 06-10", "06-22", "sat, sun", "16-20")


def _campaign(number: int, dice: np.random.Generator) -> Campaign:
    per = (Per.DAY, Per.DAY, Per.DAY, Per.DAY, Per.DAY, Per.DAY, Per.WEEK, Per.TOTAL)[
        int(dice.integers(8))
    ]
    hours = str(dice.choice(_HOURS))
    times = {Per.DAY: 1, Per.WEEK: 7, Per.TOTAL: 30}[per]
    share = len(grid_from(hours)) / 168
    amount = max(1, round(float(dice.choice([1, 2, 2, 3, 5])) * times * max(0.3, share)))
    options = CampaignOptions(
        first=str(FIRST),
        last=str(FIRST + timedelta(days=29)),
        amount=float(amount),
        per=per,
        hours=hours,
        group=str(dice.choice(["", "", "", "", "a", "b", "c", "d"])),
        importance=float(dice.integers(1, 10)),
        category=str(dice.choice(["food", "cars", ""])),
    )
    return Campaign(number, f"Campaign {number}", (Copy(number),), options)


def _station() -> Programme:
    return Programme(StationSettings("B", "Europe/Lisbon"), None, {})  # type: ignore[arg-type]


def _placed(
    programme: Programme, days: int, stands: tuple[Booking, ...] = ()
) -> tuple[SpotPlacement, BreakCalendar, list[Demand]]:
    tz = programme.settings.tz
    begin = parse_instant(f"{FIRST}T00:00", tz)
    calendar = BreakCalendar(programme.break_sources(), begin, begin, begin + days * 86_400 * US)
    orders = [
        Demand(one, quota(one, calendar, calendar.open_to(one), ()), 30.0)
        for one in programme.spots.campaigns.values()
    ]
    return place_spots(calendar, orders, stands), calendar, orders


def placing(row: Row) -> None:
    """Print how long placing takes, and how near to the optimum it comes."""
    dice = np.random.default_rng(3)
    campaigns = {n: _campaign(n, dice) for n in range(1, 201)}
    patterns = {
        1: BreakPattern(1, "Quarters", BreakOptions(minutes="5, 20, 35, 50", categories="food"))
    }
    programme = _station()
    programme.set_spots(SpotPlan(campaigns, patterns))
    begun = time.perf_counter()
    made, calendar, orders = _placed(programme, 30)
    taken = time.perf_counter() - begun
    places, wanted = 4 * len(calendar.places), sum(order.quota.wanted for order in orders)
    short = sum(one.missing for one in made.short)
    row(
        f"place {wanted} spots of 200 campaigns, {places} places",
        f"{taken:.2f} s, {short} short",
        "< 3 s",
        taken < 3,
    )
    one = campaigns[5]
    more = replace(one.options, amount=one.options.amount + 1)
    programme.set_spots(SpotPlan(campaigns | {5: replace(one, options=more)}, patterns))
    times = []
    for _ in range(3):
        begun = time.perf_counter()
        again, _, _ = _placed(programme, 30, made.bookings)
        times.append(time.perf_counter() - begun)
    row(
        "placed again after one order was changed",
        f"{min(times):.2f} s, {again.moved} moved",
        "< 0.3 s",
        min(times) < 0.3,
    )
    _optimum(row)


def _optimum(row: Row) -> None:
    """Compare small cases with the exact optimum."""
    ratios, lost, best_s, ours_s = [], 0, 0.0, 0.0
    for seed in range(40):
        dice = np.random.default_rng(seed)
        patterns = {
            1: BreakPattern(
                1, "Early", BreakOptions(minutes="10", spots=2.0, hours="06-12", categories="food")
            ),
            2: BreakPattern(2, "Late", BreakOptions(minutes="40", spots=2.0, hours="06-12")),
        }
        campaigns = {}
        for n in range(1, 8):
            options = CampaignOptions(
                first=str(FIRST),
                last=str(FIRST),
                amount=float(dice.integers(1, 5)),
                apart_s=float(dice.choice([0, 1800, 3600])),
                importance=5.0,
                group=str(dice.choice(["", "", "rivals"])),
                category=str(dice.choice(["food", "cars"])),
            )
            campaigns[n] = Campaign(n, f"Demand {n}", (Copy(n),), options)
        programme = _station()
        programme.set_spots(SpotPlan(campaigns, patterns))
        begun = time.perf_counter()
        made, calendar, orders = _placed(programme, 1)
        ours_s += time.perf_counter() - begun
        begun = time.perf_counter()
        best, _ = exact_cost(calendar, orders, 2)
        best_s += time.perf_counter() - begun
        missing = sum(short.missing for short in made.short)
        lost += missing - int(best // UNPLACED)
        cost = made.cost * len(made.bookings)
        ratios.append((cost + 1) / (best % UNPLACED + 1))
    mean = statistics.mean(ratios)
    row("spots left out, beyond the exact optimum, 40 cases", str(lost), "0", lost <= 0)
    row(
        "cost of evenness and wishes over the exact optimum",
        f"{mean:.3f} mean, {max(ratios):.3f} worst",
        "1.1 mean",
        mean <= 1.1,
    )
    row(
        "time against the exact optimiser's",
        f"1 : {best_s / ours_s:.0f}",
        "faster",
        ours_s < best_s,
    )

"""Orders and breaks to place, as tests of the placing want them."""

from collections import defaultdict
from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.station.settings import StationSettings
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern
from nightly_spindle.core.traffic.campaigns import Campaign, CampaignOptions, Copy, Per
from nightly_spindle.core.traffic.coming_breaks import BreakCalendar
from nightly_spindle.core.traffic.order_quotas import quota
from nightly_spindle.core.traffic.spot_demand import Demand
from nightly_spindle.core.traffic.spot_placement import place_spots
from nightly_spindle.core.traffic.spot_plan import SpotPlan

TZ = ZoneInfo("Europe/Lisbon")
MONDAY = date(2026, 11, 30)
MINUTE = 60 * US


def instant(day, hour=0, minute=0):
    return (
        resolve_local(datetime.combine(day, datetime.min.time()), TZ)
        + (hour * 60 + minute) * MINUTE
    )


def campaign(number, amount=4, per=Per.DAY, days=7, **more):
    last = MONDAY + timedelta(days=days - 1)
    more = {"apart_s": 0.0, "first": str(MONDAY), "last": str(last)} | more
    options = CampaignOptions(amount=float(amount), per=per, **more)
    return Campaign(number, f"Order {number}", (Copy(100 + number),), options)


def station(campaigns, *patterns):
    patterns = patterns or (BreakPattern(1, "Breaks", BreakOptions(minutes="20, 50")),)
    programme = Programme(StationSettings("Pier", TZ.key), None, {})
    programme.set_spots(SpotPlan({c.id: c for c in campaigns}, {p.id: p for p in patterns}))
    return programme


def placed(programme, days=7, standing=(), now=None, heard=None, length_s=30.0, first=MONDAY):
    begin = instant(first)
    now = begin if now is None else now
    until = instant(first + timedelta(days=days))
    calendar = BreakCalendar(programme.break_sources(), begin, now, until)
    orders = []
    for one in programme.spots.campaigns.values():
        own = (heard or {}).get(one.id, ())
        want = quota(one, calendar, calendar.open_to(one), own)
        orders.append(Demand(one, want, length_s, [h.at_us for h in own]))
    return calendar, orders, place_spots(calendar, orders, standing)


def by_campaign(made):
    found = defaultdict(list)
    for booking in sorted(made.bookings):
        found[booking.campaign].append(booking.at_us)
    return found

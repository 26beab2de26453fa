"""How many spots an order wants in which stretch of the coming breaks, and what it is owed.

An order counts by days, hours, weeks, breaks or as a whole. Each becomes windows over the breaks
that are open to it, with a number wanted in each. What past windows wanted and did not get is
owed, and wanted somewhere in what is left of the flight. What lies past the end of the plan gets
its share of a week or of the whole in proportion to its open days.
"""

from __future__ import annotations

from bisect import bisect_left
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.calendar.local_days import day_number, day_of, local_day, local_hour
from nightly_spindle.core.traffic.campaigns import Per, shows_of

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence
    from zoneinfo import ZoneInfo

    from nightly_spindle.core.traffic.campaigns import Campaign
    from nightly_spindle.core.traffic.coming_breaks import BreakCalendar, BreakPlace


@dataclass(frozen=True, slots=True)
class QuotaWindow:
    """The open breaks from `begin` up to `end` (places in the list of them) take `wanted` spots.

    `soon`: they make good for what is owed, and come as soon as they may rather than evenly.
    """

    begin: int
    end: int
    wanted: int
    soon: bool = False


@dataclass(frozen=True, slots=True)
class Quota:
    """What an order wants of the breaks that are open to it from now on.

    `open` are their indices. `owed` are spots of past windows that were not heard. `past` and
    `whole` are what was wanted up to now, and in all that is looked at (in total: of its flight).
    """

    open: list[int]
    windows: tuple[QuotaWindow, ...]
    owed: int
    past: int
    whole: int

    @property
    def wanted(self) -> int:
        """How many are still wanted in the stretch that is planned, what is owed among them."""
        coming = sum(window.wanted for window in self.windows if not window.soon)
        return self.owed + coming


@dataclass(frozen=True, slots=True)
class HeardSpot:
    """A spot that counts: its local day and hour of the week, days since 1970."""

    at_us: int
    day: int
    hour: int


def heard_spots(instants: Iterable[int], tz: ZoneInfo) -> list[HeardSpot]:
    """Return spots that were heard at these instants (µs), with their local days and hours."""
    return [HeardSpot(at, local_day(at, tz), local_hour(at, tz)) for at in instants]


def quota(
    campaign: Campaign,
    calendar: BreakCalendar,
    open_: Sequence[int],
    heard: Sequence[HeardSpot],
    before: int = 0,
) -> Quota:
    """Return what an order wants of the breaks that are still to come.

    `open_` are the indices of the breaks that are open to it, past ones among them; `heard` what
    counts of its flight in what is looked back on, `before` how many counted earlier, which matters
    to orders in total only.
    """
    places = calendar.places
    first = bisect_left(open_, calendar.now)
    coming = list(open_[first:])
    if campaign.options.per is Per.TOTAL:
        return _in_total(campaign, places, coming, before + len(heard))
    pinned = set(campaign.pins)
    spans = []
    for begin, end in calendar.parts(open_, campaign.options.per):
        by_hand = sum(places[index].key in pinned for index in open_[begin:end]) if pinned else 0
        wanted = max(_wanted(campaign, places, open_[begin]), by_hand)
        spans.append((begin, end, wanted))
    past = sum(wanted for _, end, wanted in spans if end <= first)
    owed = max(0, past - len(heard))
    windows = []
    for begin, end, wanted in spans:
        left = wanted
        if begin < first < end:
            # what the stretch that runs has had is not wanted again
            need = max(0, past + wanted - len(heard))
            left = min(max(0, wanted - _inside(campaign, places[open_[begin]], heard)), need)
            owed = need - left
        if end > first and left:
            windows.append(QuotaWindow(max(0, begin - first), end - first, left))
    if owed and coming:
        windows.append(QuotaWindow(0, len(coming), owed, soon=True))
    return Quota(coming, tuple(windows), owed, past, sum(wanted for _, _, wanted in spans))


def _in_total(
    campaign: Campaign, places: Sequence[BreakPlace], coming: list[int], heard: int
) -> Quota:
    """Return what is left of an order in total: past the plan's end lies its share of the days."""
    amount = int(campaign.options.amount)
    left = max(0, amount - heard, len(campaign.pins) - heard)
    end = places[-1].day if places else 0
    days_here = len({places[index].day for index in coming})
    days_after = _open_days(campaign, end + 1, _last_day(campaign, end))
    here = round(left * days_here / (days_here + days_after)) if days_here else 0
    begun = _begun_share(campaign, places, coming)
    windows = (QuotaWindow(0, len(coming), here),) if here else ()
    return Quota(coming, windows, 0, min(amount, round(amount * begun)), amount)


def _begun_share(campaign: Campaign, places: Sequence[BreakPlace], coming: list[int]) -> float:
    """Return the share of a flight's open days that is over: its pace."""
    if campaign.first is None or not places:
        return 0.0
    first = day_number(campaign.first)
    today = places[coming[0]].day if coming else places[-1].day + 1
    over = _open_days(campaign, first, min(today - 1, _last_day(campaign, today)))
    whole = _open_days(campaign, first, _last_day(campaign, today))
    return over / whole if whole else 0.0


def _mark(per: Per, place: BreakPlace | HeardSpot) -> object:
    """Return what the breaks of one stretch share."""
    if per is Per.HOUR:
        return (place.day, place.hour)
    if per is Per.WEEK:
        return place.day - place.hour // 24  # its Monday
    return place.day


def _inside(campaign: Campaign, place: BreakPlace, heard: Sequence[HeardSpot]) -> int:
    """Return how many were heard in the stretch that a break lies in."""
    per = campaign.options.per
    mark = _mark(per, place)
    return sum(_mark(per, one) == mark for one in heard)


def _wanted(campaign: Campaign, places: Sequence[BreakPlace], index: int) -> int:
    """Return how many an order wants in one stretch of it."""
    amount = int(campaign.options.amount)
    per = campaign.options.per
    if per is Per.BREAK:
        return 1
    if per is not Per.WEEK:
        return amount
    place = places[index]
    monday = place.day - place.hour // 24
    begin = monday if campaign.first is None else max(monday, day_number(campaign.first))
    # a week that is cut off by the flight, or by the ends of what is looked at, gets its share
    begin = max(begin, places[0].day)
    end = min(monday + 6, _last_day(campaign, monday + 6), places[-1].day)
    return _in_week(campaign, begin, end)


def _in_week(campaign: Campaign, begin: int, end: int) -> int:
    """Return how many an order by weeks wants in a part of one: its share, one at least."""
    amount = int(campaign.options.amount)
    whole = _open_days(campaign, 0, 6)
    share = _open_days(campaign, begin, end) / whole if whole else 1.0
    return max(1, round(amount * share)) if amount else 0


def _open_days(campaign: Campaign, first: int, last: int) -> int:
    """Return on how many days of a stretch any hour of the week is open to an order."""
    if last < first:
        return 0
    row = 0xFFFFFF
    bits = campaign.grid.bits
    always = bool(shows_of(campaign.options))
    open_on = {d for d in range(7) if always or bits >> d * 24 & row}
    weeks, rest = divmod(last - first + 1, 7)
    begin = day_of(first).weekday()
    return weeks * len(open_on) + sum((begin + n) % 7 in open_on for n in range(rest))


def _last_day(campaign: Campaign, without: int) -> int:
    return without if campaign.last is None else day_number(campaign.last)


def flight_total(campaign: Campaign, quota: Quota) -> int:
    """Return how many spots an order comes to in all of its flight.

    Where the flight has no end, or orders go by breaks: in what is looked at.
    """
    first, last, per = campaign.first, campaign.last, campaign.options.per
    amount = int(campaign.options.amount)
    if per is Per.TOTAL:
        return amount
    if first is None or last is None or per is Per.BREAK or shows_of(campaign.options):
        return quota.whole
    begin, end = day_number(first), day_number(last)
    if per is Per.DAY:
        return amount * _open_days(campaign, begin, end)
    if per is Per.HOUR:
        bits = campaign.grid.bits
        hours = [(bits >> d * 24 & 0xFFFFFF).bit_count() for d in range(7)]
        return amount * sum(hours[day_of(day).weekday()] for day in range(begin, end + 1))
    mondays = range(begin - day_of(begin).weekday(), end + 1, 7)
    weeks = [(max(monday, begin), min(monday + 6, end)) for monday in mondays]
    return sum(_in_week(campaign, *week) for week in weeks if _open_days(campaign, *week))


def total_share(campaign: Campaign, first_day: int, last_day: int) -> int:
    """Return the share that an order in total has in a stretch of days, by its open days."""
    if campaign.first is None or campaign.last is None:
        return 0
    begin, end = day_number(campaign.first), day_number(campaign.last)
    whole = _open_days(campaign, begin, end)
    here = _open_days(campaign, max(begin, first_day), min(end, last_day))
    return round(int(campaign.options.amount) * here / whole) if whole else 0


def shut_out(campaign: Campaign, calendar: BreakCalendar) -> bool:
    """Whether an order flies in the days that are placed, but no break there is open to it."""
    if not calendar.places or calendar.now >= len(calendar.places):
        return False
    days = range(calendar.today, calendar.places[-1].day + 1)
    wants = campaign.options.amount > 0 or campaign.options.per is Per.BREAK
    return wants and any(campaign.flies_on(day_of(day)) for day in days)

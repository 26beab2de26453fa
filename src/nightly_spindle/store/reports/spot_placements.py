"""Making the placing of a station's spots, and writing it down.

What was heard is counted from the as-run log alone; what is lined up or waits in a break that is
due counts as if it had been heard: if it is not, the engine makes good for it.
"""

from __future__ import annotations

import json
import sqlite3
from collections import defaultdict
from collections.abc import Mapping
from dataclasses import asdict, dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.errors import StorageFault
from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.calendar.local_days import day_number, day_start, local_day
from nightly_spindle.core.playout.break_fill import REACH_US
from nightly_spindle.core.playout.log_loading import spot_of
from nightly_spindle.core.playout.spot_heard import counts
from nightly_spindle.core.programme.running_order import Outcome
from nightly_spindle.core.reports.spot_findings import length_us
from nightly_spindle.core.segues.list_length import running_time
from nightly_spindle.core.traffic.campaigns import Per
from nightly_spindle.core.traffic.coming_breaks import LOOK_BACK_DAYS, BreakCalendar
from nightly_spindle.core.traffic.order_quotas import HeardSpot, Quota, heard_spots, quota
from nightly_spindle.core.traffic.order_standing import in_flight
from nightly_spindle.core.traffic.placement_shortfalls import Shortfall
from nightly_spindle.core.traffic.spot_demand import Demand
from nightly_spindle.core.traffic.spot_placement import SpotPlacement, place_spots
from nightly_spindle.store.playout.journal import load_state
from nightly_spindle.store.traffic.campaigns import read_spots

if TYPE_CHECKING:
    from collections.abc import Sequence

    from nightly_spindle.core.programme.air_state import AirState
    from nightly_spindle.core.programme.programme import Programme
    from nightly_spindle.core.traffic.campaigns import Campaign
    from nightly_spindle.store.programme.snapshot import Snapshot

_KEPT_US = 3 * 86_400 * US  # placed spots whose time is over stay so long
_SPOT_S = 30.0  # what a campaign without audio is taken to last (common practice, no source)
_LOGS_US = 36 * 3600 * US  # logs so far ahead are looked through for spots that they bring


@dataclass(frozen=True, slots=True)
class Account:
    """What was heard of each campaign, and what is on its way.

    `heard` are instants that count, of the days that are looked back on, `before` how many counted
    earlier in its flight. `lost` are spots that were placed and not heard (campaign, break,
    instant), `pending` those that are lined up, `closed` breaks that are filled already.
    """

    heard: Mapping[int, list[int]]
    before: Mapping[int, int]
    pending: Mapping[int, list[int]]
    lost: frozenset[tuple[int, int, int]]
    closed: frozenset[tuple[int, int]]


@dataclass(frozen=True, slots=True)
class Orders:
    """The orders of a station at an instant, and the calendar that they are placed in."""

    calendar: BreakCalendar
    orders: tuple[Demand, ...]
    account: Account

    @property
    def quotas(self) -> dict[int, Quota]:
        """What each campaign wants, by number."""
        return {order.campaign.id: order.quota for order in self.orders}


def account(snapshot: Snapshot, now_us: int) -> Account:
    """Count what was heard up to an instant, and what is on its way."""
    programme = snapshot.programme
    from_percent = programme.settings.spots.counts_from
    heard: dict[int, list[int]] = defaultdict(list)
    lost: set[tuple[int, int, int]] = set()
    tz = programme.settings.tz
    since = day_start(local_day(now_us, tz) - LOOK_BACK_DAYS, tz)
    before = _before(snapshot, since)
    rows = snapshot.connection.execute(
        "SELECT campaign, start_us, break_id, break_us, share, outcome FROM as_run"
        " WHERE campaign > 0 AND start_us >= ? AND start_us <= ? ORDER BY start_us",
        (since, now_us),
    )
    for row in rows:
        if counts(row["share"], from_percent):
            heard[row["campaign"]].append(row["start_us"])
        elif row["outcome"] != Outcome.ON_AIR and row["break_id"]:
            lost.add((row["campaign"], row["break_id"], row["break_us"]))
    state = load_state(snapshot.connection)
    pending = _pending(programme, state, now_us)
    if state is not None:
        lost |= {(one.campaign, *one.key) for one in state.spots.owed}
    closed = frozenset((a, b) for a, b in state.spots.filled) if state else frozenset()
    recent = frozenset(one for one in lost if one[2] > now_us - _KEPT_US)
    return Account(heard, before, pending, recent, closed)


def _before(snapshot: Snapshot, since_us: int) -> dict[int, int]:
    """Count what was heard of each campaign in its flight before an instant."""
    programme, found = snapshot.programme, {}
    tz, from_percent = programme.settings.tz, programme.settings.spots.counts_from
    for campaign in programme.spots.campaigns.values():
        first = 0 if campaign.first is None else day_start(day_number(campaign.first), tz)
        if first < since_us:
            (found[campaign.id],) = snapshot.connection.execute(
                "SELECT count(*) FROM as_run WHERE campaign = ? AND start_us >= ?"
                " AND start_us < ? AND share * 100 >= ?",
                (campaign.id, first, since_us, from_percent - 1e-6),
            ).fetchone()
    return found


def _pending(programme: Programme, state: AirState | None, now_us: int) -> dict[int, list[int]]:
    """Return what is on air or lined up, by campaign."""
    found: dict[int, list[int]] = defaultdict(list)
    if state is None:
        return found
    lines = [*([state.order.playing.line] if state.order.playing else []), *state.order.upcoming]
    lined = {one.line_id for one in state.spots.lined}
    for line in lines:
        if line.spot is not None and (line.id in lined or not line.spot.pattern):
            found[line.spot.campaign].append(now_us)
    filled = set(state.spots.filled)
    for booking in programme.spots.between(now_us - REACH_US, now_us):
        if booking.key not in filled:  # its break may still come: the engine owes it only then
            found[booking.campaign].append(booking.at_us)
    return found


def orders_of(snapshot: Snapshot, now_us: int) -> Orders:
    """Return what all campaigns want from an instant on."""
    programme = snapshot.programme
    spots, tz = programme.spots, programme.settings.tz
    today = local_day(now_us, tz)
    until = day_start(today + 1 + round(programme.settings.spots.days_ahead), tz)
    firsts = [day_number(c.first) for c in spots.campaigns.values() if c.first is not None]
    since = day_start(min([today, *(max(first, today - LOOK_BACK_DAYS) for first in firsts)]), tz)
    calendar = BreakCalendar(programme.break_sources(), since, now_us, until)
    book = account(snapshot, now_us)
    given = spots_in_logs(snapshot, now_us)
    calendar.close(book.closed)
    orders = []
    for campaign in spots.campaigns.values():
        open_ = calendar.open_to(campaign)
        aired = in_flight(campaign, book.heard.get(campaign.id, ()), tz)
        pending = in_flight(campaign, book.pending.get(campaign.id, ()), tz)
        heard = _looked_back_on(campaign, sorted([*aired, *pending]), today, programme)
        own = given.get(campaign.id, ())
        before = book.before.get(campaign.id, 0)
        want = quota(campaign, calendar, open_, heard, before)
        lasts = (length_us(programme, campaign) / US) or _SPOT_S
        instants = [one.at_us for one in heard]
        many = before + len(aired), len(pending)
        orders.append(Demand(campaign, want, lasts, instants, own, *many))
    return Orders(calendar, tuple(orders), book)


def _looked_back_on(
    campaign: Campaign, instants: Sequence[int], today: int, programme: Programme
) -> list[HeardSpot]:
    """Return what of it was heard in the days that are looked back on, or is lined up."""
    tz = programme.settings.tz
    first = today if campaign.first is None else day_number(campaign.first)
    if campaign.options.per is not Per.TOTAL:
        first = max(first, today - LOOK_BACK_DAYS)
    return [one for one in heard_spots(instants, tz) if one.day >= first]


def spots_in_logs(snapshot: Snapshot, now_us: int) -> dict[int, list[int]]:
    """Return when logs that are there and not loaded will bring spots of campaigns, about."""
    programme = snapshot.programme
    found: dict[int, list[int]] = defaultdict(list)
    by_cart = programme.spots.by_cart
    if not by_cart:
        return {}
    state = load_state(snapshot.connection)
    loaded = {(one.drop, one.start_us) for one in state.logs.loaded} if state else set()
    for drop in programme.drops.values():
        slots = programme.coming(drop, now_us, now_us + _LOGS_US) if drop.options.enabled else []
        slots = [slot for slot in slots if (drop.id, slot.start_us) not in loaded]
        for reading in snapshot.logs.look([(drop, slot) for slot in slots]):
            carts = [match.cart for match in reading.matches if match.cart is not None]
            if reading.usable and any(cart in by_cart for cart in carts):
                items = [i for cart in carts if (i := programme.item(cart)) is not None]
                running = running_time(items, programme.segues, programme.settings.rate)
                for item, start in zip(items, running.starts_s, strict=True):
                    at = reading.slot.start_us + round(start * US)
                    booked = spot_of(programme, item.cart, at)
                    if booked is not None and at > now_us:
                        found[booked.campaign].append(at)
    return found


def make_placing(
    snapshot: Snapshot, now_us: int, *, anew: bool = False
) -> tuple[Orders, SpotPlacement]:
    """Place the coming spots; `anew` without regard to where they stand now."""
    wanted = orders_of(snapshot, now_us)
    stands = () if anew else snapshot.programme.spots.bookings
    return wanted, place_spots(wanted.calendar, wanted.orders, stands)


def write_placing(snapshot: Snapshot, now_us: int, wanted: Orders, made: SpotPlacement) -> None:
    """Write a placing down, from now on; StorageFault when the database cannot be written."""
    connection, settings = snapshot.connection, snapshot.programme.settings
    until = day_start(
        local_day(now_us, settings.tz) + 1 + round(settings.spots.days_ahead), settings.tz
    )
    closed = wanted.account.closed
    rows = [
        (b.at_us, b.pattern, b.seat, b.campaign, b.fixed)
        for b in made.bookings
        if b.key not in closed
    ]
    settled = json.dumps(sorted(wanted.account.lost))
    short = json.dumps([asdict(one) for one in made.short], ensure_ascii=False)
    try:
        with connection:
            connection.execute("UPDATE change SET count = count + 1")
            stay = {
                (b.at_us, b.pattern)
                for b in snapshot.programme.spots.bookings
                if b.key in closed and b.at_us >= now_us
            }
            gone = connection.execute(
                "SELECT at_us, break_id FROM spot_placed WHERE at_us >= ? OR at_us < ?",
                (now_us, now_us - _KEPT_US),
            ).fetchall()
            connection.executemany(
                "DELETE FROM spot_placed WHERE at_us = ? AND break_id = ?",
                [(a, b) for a, b in map(tuple, gone) if (a, b) not in stay],
            )
            connection.executemany("INSERT INTO spot_placed VALUES (?, ?, ?, ?, ?)", rows)
            connection.execute("DELETE FROM placing")
            connection.execute(
                "INSERT INTO placing VALUES (1, ?, ?, ?, ?, ?)",
                (now_us, now_us, until, settled, short),
            )
    except sqlite3.OperationalError as error:
        raise StorageFault(
            f"the placing cannot be written: {error}; free the disk or try again"
        ) from error


def place(snapshot: Snapshot, now_us: int, *, anew: bool = False) -> tuple[Orders, SpotPlacement]:
    """Place the coming spots and write it down; the snapshot goes by it then."""
    wanted, made = make_placing(snapshot, now_us, anew=anew)
    write_placing(snapshot, now_us, wanted, made)
    snapshot.programme.set_spots(read_spots(snapshot.connection, snapshot.folder))
    return wanted, made


def shorts(connection: sqlite3.Connection) -> list[Shortfall]:
    """Return which orders the placing could not meet."""
    row = connection.execute("SELECT short FROM placing").fetchone()
    return [] if row is None else [Shortfall(**one) for one in json.loads(row["short"])]

"""One to two hundred orders on any breaks, days of 23 and 25 hours among them, judged apart."""

from collections import Counter
from datetime import date, timedelta
from itertools import combinations

import numpy as np
import pytest
from conftest import times
from exact_placing import most_spots
from placing_cases import campaign, placed, station

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.traffic.break_patterns import BreakOptions, BreakPattern
from nightly_spindle.core.traffic.campaigns import Per

DAYS = (date(2026, 10, 25), date(2027, 3, 28), date(2026, 11, 30))  # of 25, 23 and 24 hours
BOUND_S = 10.0


class Case:
    """Random breaks and orders of one or two days."""

    def __init__(self, dice, most):
        self.first = DAYS[int(dice.integers(len(DAYS)))]
        self.days = int(dice.integers(1, 3))
        self.spots = int(dice.integers(1, 6))
        self.rivals = bool(dice.integers(2))
        self.patterns = [self.pattern(n, dice) for n in range(1, int(dice.integers(2, 6)))]
        many = int(dice.integers(1, most + 1))
        self.orders = [self.order(n, dice, many) for n in range(1, many + 1)]

    def pattern(self, number, dice, hours=None):
        minutes = sorted({int(one) for one in dice.integers(0, 60, int(dice.integers(1, 4)))})
        begin = int(dice.integers(0, 12))
        between = f"{begin:02}-{int(dice.integers(begin + 1, 24)):02}"
        options = BreakOptions(
            minutes=", ".join(map(str, minutes)),
            spots=float(self.spots),
            hours=between if hours is None else hours,
        )
        return BreakPattern(number, f"Pattern {number}", options)

    def order(self, number, dice, many):
        begin = int(dice.integers(0, 14))
        return campaign(
            number,
            int(dice.integers(1, 13 if many < 40 else 5)),
            per=Per.HOUR if dice.integers(8) == 0 else Per.DAY,
            first=str(self.first),
            last=str(self.first + timedelta(days=self.days - 1)),
            apart_s=float(dice.choice([0, 900, 1800, 2700, 3600, 5400])),
            hours=f"{begin:02}-{int(dice.integers(begin + 4, 24)):02}",
            group=str(dice.choice(["", "", "tea", "cars"])) if self.rivals else "",
            rivals_s=float(dice.choice([0, 900, 1800])),
        )

    def placed(self, patterns=None):
        programme = station(self.orders, *(patterns or self.patterns))
        return placed(programme, self.days, first=self.first)

    def __str__(self):
        return f"{len(self.orders)} orders from {self.first}, {self.days} d, {self.spots} a break"


def keep_off(one, other, least_us):
    """Whether two spots keep off each other: the rule says apart, or in one break."""
    return abs(one.at_us - other.at_us) >= max(1, least_us)


def broken(case, made):
    """What is wrong with a placing, by a plain look at each pair."""
    by_id = {one.id: one for one in case.orders}
    full = Counter(one.key for one in made.bookings)
    wrong = [key for key, many in full.items() if many > case.spots]
    longest = {}
    for one in case.orders:
        group = one.options.group
        longest[group] = max(longest.get(group, 0.0), one.options.rivals_s)
    for one, other in combinations(sorted(made.bookings), 2):
        a, b = by_id[one.campaign].options, by_id[other.campaign].options
        if one.campaign == other.campaign:
            least = a.apart_s
        elif a.group and a.group == b.group:
            least = longest[a.group]
        else:
            continue
        if not keep_off(one, other, least * US):
            wrong.append((one, other))
    return wrong


def free_places(case, calendar, orders, made):
    """Breaks in which a short order could still have a spot, nothing else moved."""
    by_id = {one.id: one for one in case.orders}
    at_index = {place.key: index for index, place in enumerate(calendar.places)}
    full = Counter(at_index[one.key] for one in made.bookings)
    found = []
    for want in orders:
        own = [one for one in made.bookings if one.campaign == want.campaign.id]
        mine = want.campaign.options
        rivals = [
            one
            for one in made.bookings
            if one.campaign != want.campaign.id
            and mine.group
            and by_id[one.campaign].options.group == mine.group
        ]
        least = max(
            (one.options.rivals_s for one in case.orders if one.options.group == mine.group),
            default=0.0,
        )
        for window in want.quota.windows:
            inside = want.quota.open[window.begin : window.end]
            if sum(at_index[one.key] in set(inside) for one in own) >= window.wanted:
                continue
            for index in inside:
                at_us = calendar.places[index].at_us
                apart = all(abs(one.at_us - at_us) >= max(1, mine.apart_s * US) for one in own)
                off = all(abs(one.at_us - at_us) >= max(1, least * US) for one in rivals)
                if full[index] < case.spots and apart and off:
                    found.append((want.campaign.name, at_us))
    return found


@pytest.mark.parametrize("most", [12, 60, 200])
def test_any_number_of_orders_keeps_the_rules_and_leaves_no_place_that_was_free(most):
    seed = int(np.random.default_rng().integers(2**32))
    print(f"seed {seed}")
    dice = np.random.default_rng(seed)
    for _ in range(times(4)):
        case = Case(dice, most)
        calendar, orders, made = case.placed()
        assert broken(case, made) == [], case
        assert free_places(case, calendar, orders, made) == [], case
        if not case.rivals:
            best = most_spots(calendar, orders, case.spots, BOUND_S)
            print(f"{case}: {len(made.bookings)} of {best:.0f}")
            assert best >= len(made.bookings) >= 0.97 * best - 1, case


def test_a_break_more_loses_no_spot_however_many_orders_there_are():
    seed = int(np.random.default_rng().integers(2**32))
    print(f"seed {seed}")
    dice = np.random.default_rng(seed)
    for most in (12, 60, 120):
        case = Case(dice, most)
        few = case.placed()[2]
        more = case.placed([*case.patterns, case.pattern(9, dice, hours="")])[2]
        assert len(more.bookings) >= len(few.bookings), case

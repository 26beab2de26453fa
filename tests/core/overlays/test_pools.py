"""Pools of overlays: whose turn it is, when they are open, how they are written."""

from datetime import datetime
from itertools import pairwise

import pytest
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from test_overlays import OPTIONS, TZ, pool

from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.timebase import US, resolve_local
from nightly_spindle.core.overlays.overlay_pools import (
    Member,
    PoolUse,
    TurnOrder,
    check_pool,
    pool_from,
    pool_values,
)
from nightly_spindle.core.overlays.overlay_turns import FRESH, in_turn, taken

# -- turns -----------------------------------------------------------------------------------------


def drawn(one, times, usable=lambda _n, _cart: True):
    turn, seen = FRESH, []
    for n in range(times):
        cart = next((c for c in in_turn(one, turn, 7) if usable(n, c)), None)
        if cart is not None:
            turn = taken(one, turn, cart, n, 7)
            seen.append(cart)
    return seen


@pytest.mark.parametrize("size", [1, 2, 7, 13])
def test_in_turn_no_member_is_ever_more_than_one_ahead(size):
    counts = dict.fromkeys(range(size), 0)
    for cart in drawn(pool(carts=range(size)), 10_000):
        counts[cart] += 1
        assert max(counts.values()) - min(counts.values()) <= 1


def test_shuffled_rounds_hold_everyone_once_and_every_order_is_as_likely():
    """Chi-square over where each member comes in its round, and over pairs that follow."""
    from scipy.stats import chisquare

    size, rounds = 5, 2000
    seen = drawn(pool(carts=range(size), order=TurnOrder.SHUFFLED), size * rounds)
    parts = [seen[at : at + size] for at in range(0, len(seen), size)]
    assert all(sorted(part) == list(range(size)) for part in parts)
    assert all(a != b for a, b in pairwise(seen))  # none twice in a row
    for place in range(size):
        counts = [sum(part[place] == cart for part in parts) for cart in range(size)]
        assert chisquare(counts).pvalue > 0.001
    pairs = [(a, b) for a in range(size) for b in range(size) if a != b]
    heard = [pair for part in parts for pair in pairwise(part)]
    follows = [heard.count(pair) for pair in pairs]
    assert chisquare(follows).pvalue > 0.001


@examples(30)
@given(st.lists(st.integers(1, 9), min_size=2, max_size=6))
def test_weights_are_kept_over_any_stretch(weights):
    """Smooth weighted round robin: whole periods hold the exact shares, none is off by one."""
    members = tuple(Member(n, float(weight)) for n, weight in enumerate(weights))
    total = sum(weights)
    seen = drawn(pool(carts=members, order=TurnOrder.WEIGHTED), 4 * total)
    for upto in range(1, len(seen) + 1):
        for cart, weight in enumerate(weights):
            assert abs(seen[:upto].count(cart) - upto * weight / total) <= len(weights) - 1
    assert [seen.count(n) for n in range(len(weights))] == [4 * weight for weight in weights]


@given(st.sampled_from(TurnOrder), st.integers(2, 6), st.data())
def test_who_is_kept_out_comes_as_soon_as_it_can(order, size, data):
    out = data.draw(st.integers(0, size - 1))
    one = pool(carts=range(size), order=order)
    seen = drawn(one, 60, lambda n, cart: cart != out or n >= 30)
    assert out not in seen[:30]
    assert out in seen[30 : 30 + size + 1]
    assert seen[30:].count(out) <= 30 // size + 3  # and does not make up for all that it missed


# -- dayparts, texts -------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("options", "inside", "outside"),
    [
        (
            {"hours": "22:00-06:00"},
            ["2026-11-24T22:00", "2026-11-25T05:59"],
            ["2026-11-24T21:59", "2026-11-25T06:00"],
        ),
        (
            {"hours": "22:00-02:00", "days": "fri"},
            ["2026-11-27T23:00", "2026-11-28T01:59"],
            ["2026-11-27T01:00", "2026-11-28T23:00"],
        ),
        (
            {"hours": "06:00-10:00, 16:00-24:00", "days": "mon-thu"},
            ["2026-11-23T06:00", "2026-11-26T23:59"],
            ["2026-11-27T07:00", "2026-11-24T12:00"],
        ),
        ({"days": "sat-mon"}, ["2026-11-28T12:00", "2026-11-30T00:00"], ["2026-11-24T12:00"]),
        (
            {"first": "2026-12-01", "last": "2026-12-24"},
            ["2026-12-01T00:00", "2026-12-24T23:59"],
            ["2026-11-30T23:59", "2026-12-25T00:00"],
        ),
        (
            {"hours": "22:00-02:00", "last": "2026-12-24"},
            ["2026-12-25T01:00"],
            ["2026-12-25T22:30"],
        ),
        # the night of 25 hours: 01:30 comes twice, and is inside both times
        ({"hours": "01:00-02:00"}, ["2026-10-25T01:30"], ["2026-10-25T02:00"]),
        ({"enabled": False}, [], ["2026-11-24T12:00"]),
    ],
)
def test_a_pool_is_open_in_its_dayparts(options, inside, outside):
    one = pool(**options)
    for local, wanted in [(at, True) for at in inside] + [(at, False) for at in outside]:
        at = resolve_local(datetime.fromisoformat(local), TZ)
        assert one.open_at(at, TZ) is wanted, local
    if options.get("hours") == "01:00-02:00":
        twice = resolve_local(datetime(2026, 10, 25, 1, 30), TZ) + 3600 * US
        assert one.open_at(twice, TZ)


@given(st.sampled_from(PoolUse), st.lists(st.integers(1, 99), max_size=5, unique=True), OPTIONS)
def test_pools_are_written_and_read_back(use, carts, options):
    one = pool(use, carts, **options)
    assert pool_from(pool_values(one)) == one
    assert one.sentence().endswith(".")


@pytest.mark.parametrize(
    ("change", "why"),
    [
        ({"use": "whistles"}, "it is for 'whistles'; that is one of sweepers"),
        ({"options": {"hours": "22-6"}}, "'22-6' is not a valid stretch of the day"),
        ({"options": {"hours": "25:00-06:00"}}, "'25:00' is not a time of day"),
        ({"options": {"days": "noday"}}, "'noday' is not a valid day of the week"),
        ({"options": {"pairs": "song to song"}}, "'song to song' is not a valid pair of kinds"),
        ({"options": {"beside": "spots"}}, "'spots' is not a kind"),
        ({"options": {"first": "soon"}}, "'soon' is not a valid date"),
        ({"options": {"first": "2026-12-02", "last": "2026-12-01"}}, "before it begins"),
        ({"options": {"every": "0"}}, "must be within 1 and 100"),
        ({"options": {"loud": "yes"}}, "there is no option 'loud'"),
        ({"members": [{"cart": "x"}]}, "is not a valid member"),
        ({"members": [{"cart": 1, "weight": 1}, {"cart": 1, "weight": 1}]}, "stands in it twice"),
        ({"members": [{"cart": 1, "weight": 0}]}, "the weight of item 1 is 0"),
        ({"name": " "}, "a pool needs a name"),
    ],
)
def test_a_wrong_pool_is_refused_in_a_sentence(change, why):
    values = pool_values(pool()) | change
    with pytest.raises(SettingRefused, match=why):
        check_pool(pool_from(values))

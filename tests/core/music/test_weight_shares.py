"""Weights share out plays or time: in made logs, on the air, and as it is told."""

import random

import numpy as np
import pytest
from conftest import RATE, SHARE, make_item
from test_loading import HOUR, NOON, Logs, go, on_air
from test_making import hours, library, stock_of

from nightly_spindle.core.calendar.day_plans import Plans
from nightly_spindle.core.music.format_clocks import ClockOptions, FormatClock, strip_from
from nightly_spindle.core.music.formats import Rotating
from nightly_spindle.core.music.hour_segments import FILLS, hour_length
from nightly_spindle.core.music.log_making import Maker
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.core.music.weight_shares import Shares, play_weights, shares_of, shares_text
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.station.settings import StationSettings

LONG, SHORT = 400.0, 160.0
SEED = random.randrange(10**9) if SHARE > 1 else 7


def half_and_half(shares):
    items = [
        make_item(n, LONG - n if n <= 40 else SHORT + n, artist=f"Oar {n}") for n in range(1, 81)
    ]
    clock = FormatClock(
        1, "Half", (), (("Suites", 50.0), ("Airs", 50.0)), options=ClockOptions(shares=shares)
    )
    carts = {
        "suites": Rotating("Suites", carts=tuple(range(1, 41))),
        "airs": Rotating("Airs", carts=tuple(range(41, 81))),
    }
    return items, clock, stock_of(items, carts, (), [clock])


def parts(plays, seconds):
    """The part of the long ones in plays and in time."""
    suites = [cart for cart in plays if cart <= 40]
    return len(suites) / len(plays), sum(map(seconds.get, suites)) / sum(map(seconds.get, plays))


@pytest.mark.parametrize("shares", list(Shares))
def test_half_of_the_plays_or_half_of_the_time(shares):
    items, clock, stock = half_and_half(shares)
    seconds = {item.cart: item.measure.duration_s for item in items}
    made = [
        line.cart
        for hour in Maker(stock, PlayColumns(), hours(clock, 48)).make()
        for line in hour.lines
        if line.cart
    ]
    formats = stock.formats
    week = Plans(week=(1,) * 168)
    station = Programme(
        StationSettings("S", "UTC"),
        Logs(),
        {i.cart: i for i in items},
        [],
        {},
        items,
        formats=type(formats)(formats.clocks, week, categories=formats.categories),
    )
    done = go(on_air(station, NOON), NOON + 30 * HOUR)
    live = [row.line.cart for row in done.rows if row.play and row.end - row.start > 60 * RATE]
    for plays in (made, live):
        of_plays, of_time = parts(plays, seconds)
        if shares is Shares.PLAYS:
            assert of_plays == pytest.approx(0.5, abs=0.02)
            assert of_time > 0.6
        else:
            assert of_time == pytest.approx(0.5, abs=0.03)
            assert of_plays < 0.4


def test_what_one_comes_to_in_the_other_is_told():
    song_s = {"Suites": 400.0, "Airs": 100.0}
    weights = {"Suites": 50.0, "Airs": 50.0}
    by_plays = [(s.name, s.of_plays, s.of_time) for s in shares_of(weights, song_s, Shares.PLAYS)]
    assert by_plays == [("Suites", 0.5, 0.8), ("Airs", 0.5, 0.2)]
    by_time = [(s.name, s.of_plays, s.of_time) for s in shares_of(weights, song_s, Shares.TIME)]
    assert by_time == [("Suites", pytest.approx(0.2), 0.5), ("Airs", pytest.approx(0.8), 0.5)]
    assert shares_text(weights, song_s, Shares.PLAYS) == (
        "by plays: Suites 50 % (80 % of the time), Airs 50 % (20 % of the time)"
    )
    assert shares_text(weights, song_s, Shares.TIME) == (
        "by time: Suites 50 % (20 % of the plays), Airs 50 % (80 % of the plays)"
    )
    assert shares_text({}, song_s, Shares.TIME) == ""
    # a category without songs counts with a usual length
    assert play_weights({"None": 1.0}, {}, Shares.TIME) == {"None": pytest.approx(1 / 210)}
    spread = {name.casefold(): (s, s, s) for name, s in song_s.items()}
    runs = hour_length(FormatClock(1, "C"), spread, {}, weights)
    assert runs.sentence() == (
        "The strip runs 0:00; music by weights fills the other 60:00, by plays: "
        "Suites 50 % (80 % of the time), Airs 50 % (20 % of the time)."
    )


def test_at_every_moment_each_has_its_share_to_within_less_than_two_songs():
    for seed in range(SEED, SEED + (4 if SHARE <= 1 else 40)):
        dice = np.random.default_rng(seed)
        items = library(300, seed)
        ends = sorted(int(n) for n in dice.choice(range(20, 280), 2, replace=False))
        carts = [item.cart for item in items]
        inside = {"a": carts[: ends[0]], "b": carts[ends[0] : ends[1]], "c": carts[ends[1] :]}
        weights = {name: float(dice.integers(1, 60)) for name in inside}
        strip = strip_from("music until 20:00; category a; music")  # sometimes longer than its time
        clock = FormatClock(1, "X", strip, tuple(weights.items()))
        stock = stock_of(items, inside, (RotationRule(RuleSubject.ARTIST, 30),), [clock])
        had = dict.fromkeys(weights, 0)
        for hour in Maker(stock, PlayColumns(), hours(clock, 72)).make():
            for line in hour.lines:
                if line.slot == FILLS:
                    had[line.category] += 1
                    many, all_of = sum(had.values()), sum(weights.values())
                    off = [had[name] - many * weights[name] / all_of for name in weights]
                    assert max(map(abs, off)) < 2, (seed, had, weights)

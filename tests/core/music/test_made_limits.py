"""Limits and links of a made log: kept where they only just can be, and counted in its length."""

from collections import Counter
from itertools import pairwise

import pytest
from conftest import make_item
from test_making import DAY, hours, library, lines_of, stock_of

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.items import Kind
from nightly_spindle.core.music.format_clocks import ClockOptions, FormatClock, strip_from
from nightly_spindle.core.music.log_making import Maker
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.core.overlays.overlay_pools import Member, Pool, PoolOptions, PoolUse

FEW = tuple(range(1, 9))


def made_day(strip, rules=(), options=None, more=(), **stock):
    items = [*library(300), *more]
    groups = {"few": FEW, "rest": [item.cart for item in items if 8 < item.cart < 900]}
    clock = FormatClock(
        1, "Day", strip_from(strip), (("Rest", 1.0),), (), options or ClockOptions(fixed_end=False)
    )
    made = stock_of(items, groups, rules, [clock], **stock)
    begin = DAY + 5 * 3600 * US  # the broadcast day
    return list(Maker(made, PlayColumns(), hours(clock, 24, begin)).make())


def test_so_many_plays_a_day_are_kept_where_they_only_just_can_be():
    # 24 places a day, 8 songs, 3 plays each: there is not one to spare
    rule = RotationRule(RuleSubject.PLAYS, 3, category="Few")
    made = made_day("category Few; music", [rule])
    plays = Counter(cart for _, cart in lines_of(made) if cart in FEW)
    assert plays == dict.fromkeys(FEW, 3)
    assert not any(hour.broken for hour in made)
    # one less cannot be kept: that is told, and the places are filled all the same
    short = made_day("category Few; music", [RotationRule(RuleSubject.PLAYS, 2, category="Few")])
    assert sum(cart in FEW for _, cart in lines_of(short)) == 24
    assert sum(hour.broken for hour in short) == 8


def test_a_link_after_every_three_songs_stands_there_and_the_hour_lands():
    bells = [make_item(900 + n, 12.0 + n, Kind.JINGLE, "") for n in range(2)]
    links = Pool(1, "Bells", PoolUse.LINKS, (Member(900), Member(901)), PoolOptions(), 1)
    options = ClockOptions(fixed_end=False, link_pool="Bells", link_songs=3.0)
    made = made_day("music", options=options, more=bells, pools={"bells": links})
    assert all(abs(hour.lands_s) <= 120.0 for hour in made)
    carts = [cart for _, cart in lines_of(made)]
    at = [n for n, cart in enumerate(carts) if cart >= 900]
    assert {b - a for a, b in pairwise(at)} == {4}  # three songs between, over hours as well
    assert at[0] == 3
    heard = [carts[n] for n in at]
    assert all(a != b for a, b in pairwise(heard))  # in turn


@pytest.mark.parametrize("strip", ["music", "category Few; music", "category Few"])
@pytest.mark.parametrize("many", [0, 1, 2, 5])
def test_a_log_is_made_from_no_song_and_from_a_few(strip, many):
    items = library(many)
    every = tuple(item.cart for item in items)
    clock = FormatClock(
        1, "Day", strip_from(strip), (("Few", 1.0),), (), ClockOptions(fixed_end=False)
    )
    made = stock_of(items, {"": every, "few": every[:2]}, (), [clock])
    for hour in Maker(made, PlayColumns(), hours(clock, 1)).make():
        assert {line.cart for line in hour.lines} <= set(every)
        told = " ".join(note.text for note in hour.notes)
        assert (len(hour.lines) > 12) == (many > 0)
        assert ("There is no song that could be played" in told) == (many == 0)

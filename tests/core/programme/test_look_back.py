"""Rotation on the air looks back as far as its rules reach, whatever the engine remembers."""

from dataclasses import replace

import pytest
from conftest import make_item
from test_loading import Logs
from test_sequencer import MIDNIGHT, RATE, state_at

from nightly_spindle.core.base.timebase import US
from nightly_spindle.core.library.rotation_card import RotationCard
from nightly_spindle.core.music.format_clocks import FormatClock
from nightly_spindle.core.music.formats import FormatPlan, Rotating
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.core.programme.programme import Programme
from nightly_spindle.core.programme.rotation import next_song, reach_s
from nightly_spindle.core.programme.running_order import HeardPlay
from nightly_spindle.core.station.settings import StationSettings

NOW_S = MIDNIGHT / US + 15 * 3600
HOUR = 3600.0


def station(rules, aired=(), **cards):
    songs = [make_item(n, 200.0, artist=f"Gull {n}") for n in range(1, 40)]
    songs[0] = replace(songs[0], turn=RotationCard(**cards))
    return Programme(
        StationSettings("S", "UTC"),
        Logs(),
        {song.cart: song for song in songs},
        [],
        {},
        songs,
        formats=FormatPlan(
            rules=rules, categories={"rare": Rotating("Rare", carts=(1,), music=False)}
        ),
        aired=aired,
    )


def chosen(programme, history=()):
    state = state_at(round(NOW_S * US))
    state.history = [HeardPlay(cart, "", "", round(at_s * RATE)) for at_s, cart in history]
    item, why = next_song(programme, state, state.clock.frame)
    assert "keeps every rule" in why
    return item.cart


@pytest.mark.parametrize(
    ("rule", "ago_h"),
    [
        (RotationRule(RuleSubject.TITLE, 48 * 60, category="Rare"), 47.9),
        (RotationRule(RuleSubject.ITEM, 7 * 24 * 60, category="Rare"), 167),
        (RotationRule(RuleSubject.YESTERDAY, 30), 24.4),
        (RotationRule(RuleSubject.PLAYS, 1), 9.9),
    ],
)
def test_what_aired_before_a_cold_start_counts(rule, ago_h):
    # song 1 is the first whose turn it is: nothing but the rule keeps it back. One that all songs
    # had to keep for days would be more than so few can
    assert chosen(station((rule,))) == 1
    assert chosen(station((rule,), [(NOW_S - ago_h * HOUR, 1)])) == 2
    assert chosen(station((rule,), [(NOW_S - ago_h * HOUR - 200 * HOUR, 1)])) == 1
    # what the engine remembers itself tells of the same play, and of what came since
    both = [(NOW_S - ago_h * HOUR, 1), (NOW_S - HOUR, 2)]
    assert chosen(station((rule,), both), both[1:]) == 3


def test_an_item_rests_as_long_as_it_says_itself():
    plays = [(NOW_S - 71 * HOUR, 1)]
    assert chosen(station((), plays, rest_h=72.0)) == 2
    assert chosen(station((), plays, rest_h=70.0)) == 1


def test_it_reaches_as_far_back_as_the_farthest_rule():
    day = 25 * HOUR
    assert reach_s(station(())) == day
    far = RotationRule(RuleSubject.ARTIST, 48 * 60)
    assert reach_s(station((far,))) == 48 * HOUR
    assert reach_s(station((RotationRule(RuleSubject.YESTERDAY, 60),))) == day + HOUR
    assert reach_s(station((), rest_h=100.0)) == 100 * HOUR
    clock = FormatClock(1, "C", rules=(RotationRule(RuleSubject.TITLE, 40 * 24 * 60),))
    programme = station(())
    programme.formats = FormatPlan({1: clock})
    assert reach_s(programme) == 30 * 24 * HOUR

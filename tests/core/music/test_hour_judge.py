"""The judge of finished hours against a plain look at what was written: names, times, days."""

import random
from dataclasses import replace
from datetime import UTC, datetime, timedelta

import numpy as np
from conftest import examples
from hypothesis import given
from hypothesis import strategies as st
from test_making import DAY_START, LISBON, song

from nightly_spindle.core.base.timebase import US, us_from
from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.music.hour_judge import HourJudge
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_columns import RotationColumns, RotationTrack
from nightly_spindle.core.music.rotation_rules import (
    HEARD_OFTEN,
    NOT_NOW,
    NOT_RESTED,
    YESTERDAY_TOO,
    RotationRule,
    RuleSubject,
)
from nightly_spindle.core.music.rule_costs import FIRM, RuleCosts

# the clocks of Lisbon go back on the 25th
BEGIN = us_from(datetime(2026, 10, 23, tzinfo=UTC)) // US
SPAN = 4 * 86_400
TEMPOS = ("slow", "mid", "fast")


class Written:
    """What was written of a song, as somebody would say it."""

    def __init__(self, cart, dice):
        self.cart = cart
        self.artists = {f"Quern {n}" for n in dice.sample(range(4), dice.choice([1, 1, 2]))}
        self.title = f"Hours {dice.randrange(5)}"
        self.album = f"Tides {dice.randrange(2)}"
        self.product = dice.choice(["", "soap", "tea"])
        self.tempo = dice.choice(TEMPOS)
        self.own = dice.random() < 0.5
        self.a_day = dice.choice([0, 1, 3])
        self.rest_h = dice.choice([0, 1, 5])
        self.yesterday = dice.choice([0, 40])
        self.first = dice.choice(["", "2026-10-24"])
        self.hours = dice.choice(["", "06-18"])

    def item(self):
        names = sorted(self.artists)
        lead = names[0] + (f" feat. {names[1]}" if len(names) > 1 else "")
        card = {"product": self.product, "traits": f"tempo={self.tempo}"}
        if self.own:
            card |= {
                "most_a_day": self.a_day,
                "rest_h": self.rest_h,
                "yesterday_min": self.yesterday,
                "first": self.first,
                "hours": self.hours,
            }
        made = song(self.cart, 200.0, lead, self.title, **card)
        return replace(made, album=self.album)

    def like(self, other, subject):
        if subject is RuleSubject.ARTIST:
            return bool(self.artists & other.artists)
        if subject is RuleSubject.ALBUM:  # albums of one name by others are other albums
            lead = min(self.artists) == min(other.artists)
            return lead and self.album == other.album
        if subject is RuleSubject.PRODUCT:
            return bool(self.product) and self.product == other.product
        named = {RuleSubject.TITLE: "title", RuleSubject.ITEM: "cart"}[subject]
        return getattr(self, named) == getattr(other, named)


def local(second):
    return datetime.fromtimestamp(second, LISBON)


def broadcast_day(second):
    return (local(second).replace(tzinfo=None) - timedelta(hours=DAY_START.hour)).date()


def near_its_time(second, other, minutes):
    """Whether the other is a day off, by the clock on the wall, but for so many minutes."""
    for days in (-1, 1):
        wall = local(second).replace(tzinfo=None) + timedelta(days=days)
        there = wall.replace(tzinfo=LISBON).timestamp()
        if abs(other - there) < minutes * 60:
            return True
    return False


def in_a_row(lines, at, songs, category):
    """How many before it, and after it, are of its tempo without another between."""
    found = []
    for part in (lines[:at][::-1], lines[at + 1 :]):
        many = 0
        for _, cart in part:
            if category and cart not in category:
                continue
            if songs[cart].tempo != songs[lines[at][1]].tempo:
                break
            many += 1
        found.append(many)
    return found


def breaks(rule, lines, at, songs, category):
    """Whether the line at a place breaks a rule."""
    second, cart = lines[at]
    mine = songs[cart]
    others = [line for place, line in enumerate(lines) if place != at]
    if category is not None:
        if cart not in category:
            return False
        others = [line for line in others if line[1] in category]
    again = [when for when, other in others if other == cart]
    if rule.kind is RuleSubject.PLAYS:
        today = [when for when in again if broadcast_day(when) == broadcast_day(second)]
        return len(today) >= rule.amount
    if rule.kind is RuleSubject.YESTERDAY:
        return any(near_its_time(second, when, rule.amount) for when in again)
    if rule.kind is RuleSubject.RUN:
        if "=" in rule.trait and mine.tempo != rule.trait.partition("=")[2]:
            return False
        return sum(in_a_row(lines, at, songs, category)) >= rule.amount
    return any(
        abs(when - second) < rule.amount * 60 and mine.like(songs[other], rule.kind)
        for when, other in others
    )


def own_words(line, lines, songs):
    second, cart = line
    mine = songs[cart]
    if not mine.own:
        return set()
    again = [when for when, other in lines if other == cart and when != second]
    found = set()
    if mine.first and str(local(second).date()) < mine.first:
        found.add(NOT_NOW)
    if mine.hours and not 6 <= local(second).hour < 18:
        found.add(NOT_NOW)
    today = [when for when in again if broadcast_day(when) == broadcast_day(second)]
    if mine.a_day and len(today) >= mine.a_day:
        found.add(HEARD_OFTEN)
    if mine.rest_h and any(abs(when - second) < mine.rest_h * 3600 for when in again):
        found.add(NOT_RESTED)
    if mine.yesterday and any(near_its_time(second, when, mine.yesterday) for when in again):
        found.add(YESTERDAY_TOO)
    return found


def some_rules(dice):
    kinds = list(RuleSubject)
    for kind in dice.sample(kinds, dice.randint(1, len(kinds))):
        amount = {RuleSubject.PLAYS: 2, RuleSubject.YESTERDAY: 90, RuleSubject.RUN: 2}.get(kind)
        yield RotationRule(
            kind,
            amount or dice.choice([3, 50, 700, 2900]),
            category=dice.choice(["", "", "Front"]),
            trait=dice.choice(["tempo", "tempo=slow"]) if kind is RuleSubject.RUN else "",
            firm=dice.random() < 0.5,
        )


@examples(60)
@given(st.integers(0, 2**32))
def test_it_sees_what_is_plain_to_see_and_nothing_else(seed):
    dice = random.Random(seed)
    songs = {cart: Written(cart, dice) for cart in range(1, dice.choice([3, 12]))}
    front = {cart for cart in songs if dice.random() < 0.5}
    rules = list(some_rules(dice))
    seconds = sorted(dice.sample(range(SPAN), dice.choice([4, 60, 200])))
    lines = [(BEGIN + second, dice.choice(list(songs))) for second in seconds]
    # between one and two the clock shows everything twice: which of them is "the same time" is open
    lines = [(at, cart) for at, cart in lines if local(at).hour != 1] or [(BEGIN + 20_000, 1)]
    table = RotationColumns(
        [RotationTrack(one.item(), 200.0) for one in songs.values()], {"front": sorted(front)}
    )
    wall = LocalHours(LISBON, DAY_START)
    columns = PlayColumns((float(at), table.row(cart)) for at, cart in lines)
    begin = dice.randrange(len(lines))
    asked = lines[begin : begin + 12]
    told = HourJudge(table, rules, wall).judged(
        columns, [(float(at), table.row(cart)) for at, cart in asked]
    )
    makers = RuleCosts(table, rules, wall)
    for place, broken in enumerate(told, begin):
        wanted = {
            rule.sentence()
            for rule in rules
            if breaks(rule, lines, place, songs, front if rule.category else None)
        } | own_words(lines[place], lines, songs)
        assert {one.words for one in broken} == wanted, lines[place]
        # and those who make logs see the same as the judge
        at, row = float(lines[place][0]), table.row(lines[place][1])
        columns.remove(at, row)
        assert {words for words, _ in makers.told(columns, at, row)} == wanted
        alone = makers.costs(columns, at, np.array([row]))[0]
        assert (alone >= FIRM) == any(one.firm for one in broken)
        columns.insert(at, row)


@examples(40)
@given(st.integers(0, 2**32))
def test_when_each_was_heard_last_is_remembered_whatever_comes_between(seed):
    dice = random.Random(seed)
    lines, columns = [], PlayColumns()
    before = np.full(9, -5.0)
    at = 0.0
    for _ in range(dice.choice([30, 900])):
        at += dice.random() * 100
        lines.append((at, dice.randrange(9)))
        columns.insert(*lines[-1])
        if dice.random() < 0.05:
            gone = lines.pop(dice.randrange(len(lines)))
            columns.remove(*gone)
        if dice.random() < 0.1:
            until = at if dice.random() < 0.8 else dice.random() * at
            found = columns.last_starts(columns.place(until), before)
            heard = [
                max((t for t, r in lines if r == row and t <= until), default=-5.0)
                for row in range(9)
            ]
            assert found.tolist() == heard
    assert columns.at.tolist() == [at for at, _ in lines]
    assert columns.row.tolist() == [row for _, row in lines]

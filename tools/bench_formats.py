"""Formats: a month of logs from 5,000 items by ten rules; one hour; candidates for a line."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import UTC, datetime
from datetime import time as clock
from typing import TYPE_CHECKING

import numpy as np

from nightly_spindle.core.base.timebase import US, us_from, zone
from nightly_spindle.core.calendar.local_hours import LocalHours
from nightly_spindle.core.calendar.log_periods import Period, slots
from nightly_spindle.core.library.items import Item, Kind, Measure
from nightly_spindle.core.library.rotation_card import RotationCard
from nightly_spindle.core.music.format_clocks import FormatClock, strip_from
from nightly_spindle.core.music.formats import FormatPlan, Rotating
from nightly_spindle.core.music.hour_segments import HourTask
from nightly_spindle.core.music.log_making import Maker
from nightly_spindle.core.music.made_edits import HourEditor
from nightly_spindle.core.music.making_stock import Stock
from nightly_spindle.core.music.play_columns import PlayColumns
from nightly_spindle.core.music.rotation_columns import RotationColumns, RotationTrack
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.core.music.rotation_stats import gini

if TYPE_CHECKING:
    from nightly_spindle.core.music.made_logs import MadeHour

Row = Callable[[str, str, str, bool], None]
_ITEMS, _DAYS = 5000, 30
_RULES = (
    RotationRule(RuleSubject.ARTIST, 60),
    RotationRule(RuleSubject.TITLE, 120),
    RotationRule(RuleSubject.ALBUM, 90, firm=False, weight=3),
    RotationRule(RuleSubject.ITEM, 150, category="front"),
    RotationRule(RuleSubject.PLAYS, 8, category="front"),
    RotationRule(RuleSubject.YESTERDAY, 30, firm=False, weight=2),
    RotationRule(RuleSubject.RUN, 2, trait="tempo", firm=False),
    RotationRule(RuleSubject.RUN, 3, trait="voice"),
    RotationRule(RuleSubject.RUN, 2, trait="tempo=slow", firm=False, weight=2),
    RotationRule(RuleSubject.PRODUCT, 60),
)


def _item(cart: int, dice: np.random.Generator) -> Item:
    artist = f"Artist {int(900 * dice.random() ** 1.7)}"
    if dice.random() < 0.1:
        artist += f" feat. Artist {dice.integers(900)}"
    seconds = float(np.clip(dice.normal(215, 40), 130, 420))
    traits = f"tempo={dice.choice(['slow', 'mid', 'fast'])}, voice={dice.choice(['a', 'b'])}"
    measure = Measure(seconds, 44_100, 2, cue_out_s=seconds)
    return Item(
        cart,
        Kind.SONG,
        f"Title {dice.integers(_ITEMS)}",
        artist,
        "",
        measure,
        album=f"Album {dice.integers(5)}",
        turn=RotationCard(traits=traits),
    )


def _stock() -> tuple[Stock, list[HourTask]]:
    dice = np.random.default_rng(3)
    items = [_item(cart, dice) for cart in range(1, _ITEMS + 1)]
    carts = [item.cart for item in items]
    inside = {"front": carts[:60], "fresh": carts[60:400], "standards": carts[400:]}
    format_clock = FormatClock(
        1,
        "Day",
        strip_from(
            "category front; music until 20:00; category fresh; music; "
            "fixed mark 45:00 Quarter to; music"
        ),
        (("standards", 50.0), ("fresh", 30.0), ("front", 20.0)),
    )
    formats = FormatPlan(
        {1: format_clock},
        rules=_RULES,
        categories={name: Rotating(name, carts=tuple(many)) for name, many in inside.items()},
    )
    tz = zone("Europe/Lisbon")
    table = RotationColumns(
        [RotationTrack(item, item.measure.duration_s) for item in items], inside
    )
    wall = LocalHours(tz, clock(5, 0))
    stock = Stock(formats, table, wall, lambda them: [i.measure.duration_s for i in them])
    begin = us_from(datetime(2026, 10, 1, tzinfo=UTC))
    found = slots(Period.HOUR, tz, clock(5, 0), begin - 1, begin + _DAYS * 86_400 * US - 1)
    return stock, [HourTask(slot, format_clock, "the week plan") for slot in found]


def _lines(made: list[MadeHour], stock: Stock) -> list[tuple[float, int]]:
    return [
        (hour.start_us / US + line.at_s, stock.table.row(line.cart))
        for hour in made
        for line in hour.lines
    ]


def making(row: Row) -> None:
    """Print how long making takes, and what comes of it."""
    stock, tasks = _stock()
    begun = time.perf_counter()
    made = list(Maker(stock, PlayColumns(), tasks).make())
    taken = time.perf_counter() - begun
    lines, broken = sum(len(h.lines) for h in made), sum(h.broken for h in made)
    worst = max(abs(hour.lands_s) for hour in made)
    row(
        f"make {_DAYS} days, {lines} lines, {_ITEMS} items, {len(_RULES)} rules",
        f"{taken:.1f} s, {broken} firm broken",
        "< 10 s, none",
        taken < 10 and not broken,
    )
    plays = [0] * (stock.table.size)
    for _, place in _lines(made, stock):
        plays[place] += 1
    use = gini(plays[401:])
    row(
        "the month lands, and uses its largest category",
        f"{worst:.1f} s off, Gini {use:.2f}",
        "30 s",
        worst <= 30,
    )
    around = PlayColumns(_lines([one for one in made if one is not made[-1]], stock))
    times = []
    for _ in range(5):
        begun = time.perf_counter()
        next(Maker(stock, PlayColumns(_lines(made[:-1], stock)), tasks[-1:]).make())
        times.append(time.perf_counter() - begun)
    row("one hour more", f"{1000 * min(times):.0f} ms", "< 100 ms", min(times) < 0.1)
    editor = HourEditor(made[-1], stock, around, _RULES, tasks[-1].slot.end_us)
    times = []
    for place in range(len(made[-1].lines)):
        begun = time.perf_counter()
        editor.candidates(place)
        times.append(time.perf_counter() - begun)
    row("candidates for a line", f"{1000 * max(times):.0f} ms", "< 50 ms", max(times) < 0.05)

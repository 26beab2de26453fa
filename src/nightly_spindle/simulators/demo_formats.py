"""The demo station's own scheduling: afternoons and market days, which nobody else schedules."""

from __future__ import annotations

from dataclasses import replace
from datetime import date, timedelta
from typing import TYPE_CHECKING

from nightly_spindle.core.base.timebase import parse_time_of_day
from nightly_spindle.core.calendar.day_plans import (
    AS_BASE,
    DayOptions,
    DayPlan,
    Plans,
    Show,
    painted,
)
from nightly_spindle.core.music.format_clocks import ClockOptions, FormatClock, strip_from
from nightly_spindle.core.music.formats import Turn
from nightly_spindle.core.music.rotation_rules import RotationRule, RuleSubject
from nightly_spindle.simulators.demo_catalogue import SONGS, Group
from nightly_spindle.simulators.songwriting import Style
from nightly_spindle.store.library import categories
from nightly_spindle.store.library.rotation_cards import change_cards
from nightly_spindle.store.music.formats import (
    paint_week,
    save_clock,
    save_day,
    set_calendar,
    set_rules,
    set_turn,
)

if TYPE_CHECKING:
    from collections.abc import Callable

    from nightly_spindle.core.library.rotation_card import RotationCard
    from nightly_spindle.store.base.transaction import LibraryTransaction

_SLOW = frozenset({Style.CHOIR, Style.DRONE})
_QUICK = frozenset({Style.MOTOR, Style.WALTZ})
_RULES = (
    RotationRule(RuleSubject.ARTIST, 45),
    RotationRule(RuleSubject.TITLE, 180),
    RotationRule(RuleSubject.YESTERDAY, 30, firm=False, weight=0.5),
    RotationRule(RuleSubject.RUN, 2, trait="tempo=slow", firm=False),
)


def demo_formats(library: LibraryTransaction, cart: Callable[[str], int], today: date) -> None:
    """Program clocks, week, day plans, calendar and rules; `cart` numbers an item by its title."""
    for group in Group:
        carts = [cart(song.title) for song in SONGS if song.group is group]
        categories.add(library, categories.make(library, group), carts)
    set_turn(library, categories.number_of(library, "Slack water"), Turn.SHUFFLED)
    for tempo, styles in (("slow", _SLOW), ("quick", _QUICK)):
        carts = [cart(song.title) for song in SONGS if song.style in styles]
        change_cards(library, carts, _with_tempo(tempo))
    set_rules(library, _RULES)
    weights = (("Harbour standards", 60.0), ("New landings", 28.0), ("Slack water", 12.0))
    links = ClockOptions(link_pool="Between songs", link_songs=4)
    quay = FormatClock(
        0,
        "Afternoon quay",
        strip_from(
            "category New landings; category Harbour standards; music until 14:00; "
            "category Slack water; category New landings; music until 28:00; "
            "category Harbour standards; music; mark 40:00 Twenty to; "
            "category New landings; category Slack water; music"
        ),
        weights,
        (),
        ClockOptions(opens=cart("Quay bell, long"), link_pool="Between songs", link_songs=4),
    )
    market = FormatClock(
        0,
        "Market day",
        strip_from(
            "category Harbour standards; music until 30:00; fixed mark 30:00 Half past; "
            "category New landings; music"
        ),
        (("Harbour standards", 62.0), ("New landings", 28.0), ("Slack water", 10.0)),
        (RotationRule(RuleSubject.ARTIST, 50),),
        ClockOptions(link_pool="Between songs", link_songs=3, fixed_end=True),
    )
    fog = FormatClock(
        0,
        "Fog hour",
        strip_from("category Slack water; music"),
        (("Slack water", 25.0), ("Harbour standards", 50.0), ("New landings", 25.0)),
        (),
        links,
    )
    numbers = {clock.name: save_clock(library, clock)[0] for clock in (quay, market, fog)}
    afternoon = [day * 24 + hour for day in range(5) for hour in range(13, 18)]
    weekend = [day * 24 + hour for day in (5, 6) for hour in range(9, 18)]
    paint_week(
        library,
        dict.fromkeys(afternoon, numbers["Afternoon quay"])
        | dict.fromkeys(weekend, numbers["Market day"]),
    )
    _days(library, numbers, cart("Half a Mile of Fog"), today)


def _with_tempo(tempo: str) -> Callable[[RotationCard], RotationCard]:
    return lambda card: replace(card, traits=f"tempo={tempo}")


def _days(library: LibraryTransaction, numbers: dict[str, int], show: int, today: date) -> None:
    """Program two day plans, and a few days of the calendar that have them."""
    blank = (AS_BASE,) * 24
    fog = DayPlan(
        0,
        "Fog day",
        painted(blank, range(9, 20), numbers["Fog hour"]),
        (Show(parse_time_of_day("15:30"), show),),
    )
    number, _ = save_day(library, fog, Plans())
    known = Plans(days={number: replace(fog, id=number)})
    regatta = DayPlan(
        0,
        "Regatta",
        painted(blank, range(10, 16), numbers["Market day"]),
        (),
        DayOptions(base=float(number), holidays=True),
    )
    second, _ = save_day(library, regatta, known)
    set_calendar(
        library,
        {
            today + timedelta(days=9): number,
            today + timedelta(days=10): number,
            today + timedelta(days=16): second,
        },
    )

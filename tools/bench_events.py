"""Timed events: a year of 500 expanded, a week of 2,000 firings painted, landing planned."""

from __future__ import annotations

import random
import time
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

from dateutil.rrule import rrulestr

from nightly_spindle.core.base.timebase import US, us_from
from nightly_spindle.core.calendar.day_rules import DayRule
from nightly_spindle.core.calendar.recurrence import TimeRule
from nightly_spindle.core.events.timed_events import Entry, TimedEvent, firings
from nightly_spindle.core.playout.timing_fit import Piece, Stretch, fits
from nightly_spindle.core.reports.event_week import Box, Day, Does, in_lanes

TZ = ZoneInfo("Europe/Lisbon")
YEAR = us_from(datetime(2026, 1, 1, tzinfo=UTC))
EVENTS, BOXES = 500, 2000

Row = Callable[[str, str, str, bool], None]


def expanding(row: Row) -> None:
    """Print how long 500 events take over a year, and what dateutil takes for the same rules."""
    dice = random.Random(3)
    events = []
    for n in range(EVENTS):
        days = DayRule(tuple(sorted(dice.sample(range(7), dice.randint(1, 7)))), weekly=True)
        if n % 10 == 0:
            days = DayRule((dice.randrange(7),), (dice.choice([1, 2, 3, 4, -1]),))
        start = datetime(2020, 1, 1, dice.randrange(24), dice.randrange(60))  # noqa: DTZ001
        rule = TimeRule(start, days.rrule())
        events.append(TimedEvent(n, f"Event {n}", rule, Entry.NEXT, ()))
    begin = time.perf_counter()
    found = firings(events, TZ, YEAR, YEAR + 365 * 86_400 * US)
    taken = time.perf_counter() - begin
    low, high = datetime(2026, 1, 1), datetime(2027, 1, 1)  # noqa: DTZ001
    begin = time.perf_counter()
    for event in events[:50]:
        assert isinstance(event.rule, TimeRule)
        # from this year on, as far as the rule allows: dateutil walks from its start
        start = event.rule.start.replace(year=2025, month=12, day=1)
        rrulestr(event.rule.rrule, dtstart=start).between(low, high)
    other = (time.perf_counter() - begin) * EVENTS / 50
    row(
        f"{EVENTS} events over a year, {len(found):,} firings", f"{taken:.2f} s", "< 1 s", taken < 1
    )
    row(
        "... dateutil's local times alone, for the same rules",
        f"{other / taken:.1f} times",
        "",
        True,
    )


def painting(row: Row) -> None:
    """Print how long a week of 2,000 firings takes to paint. Needs an application."""
    from PySide6.QtGui import QPainter, QPixmap

    from nightly_spindle.desk.events.event_week_view import EventWeekView
    from nightly_spindle.desk.kit.theme import DARK
    from nightly_spindle.desk.shell.app import application

    application()
    dice = random.Random(4)
    days = []
    for n in range(7):
        day = date(2026, 11, 23) + timedelta(days=n)
        start = us_from(datetime(day.year, day.month, day.day, tzinfo=UTC))
        boxes = [
            Box(
                dice.randrange(200),
                f"Event {k}",
                start + dice.randrange(86_400) * US,
                dice.choice([8.0, 60.0, 3600.0]),
                dice.choice(list(Does)),
                dice.random() > 0.1,
            )
            for k in range(BOXES // 7)
        ]
        laid = in_lanes(b for b in boxes if b.long) + in_lanes(b for b in boxes if not b.long)
        days.append(Day(day, start, start + 86_400 * US, tuple(laid)))
    view = EventWeekView(DARK, TZ)
    view.resize(790, 630)
    view.show_week(days, days[2].start_us, {5: ()})
    picture = QPixmap(790, 630)
    times = []
    for _ in range(20):
        begin = time.perf_counter()
        painter = QPainter(picture)
        view.paint(painter)
        painter.end()
        times.append(time.perf_counter() - begin)
    middle = sorted(times)[len(times) // 2] * 1000
    row(f"a week of {BOXES:,} firings painted", f"{middle:.0f} ms", "< 16 ms", middle < 16)


def landing(row: Row) -> None:
    """Print how long one fit takes with 18 lines to leave out and songs of 60 artists to add."""
    dice = random.Random(5)
    lines = [Piece(dice.uniform(120, 300), 1.0) for _ in range(18)]
    ends = [(11, 0.1), *((12 + more, 0.1 * more) for more in range(7))]
    groups = [[Piece(dice.uniform(120, 300), 0.8) for _ in range(3)] for _ in range(60)]
    times, off = [], []
    for _ in range(20):
        begin = time.perf_counter()
        stretch = Stretch(dice.uniform(2000, 2600), 2.0, lines, ends, groups)
        found = fits(stretch, 10)[0]
        times.append(time.perf_counter() - begin)
        off.append(abs(found.off_s))
    worst = max(times) * 1000
    row(
        f"a landing fitted, at most {max(off):.1f} s off",
        f"{worst:.0f} ms",
        "< 200 ms",
        worst < 200,
    )

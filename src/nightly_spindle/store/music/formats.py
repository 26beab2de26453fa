"""Reading and editing a station's own scheduling: clocks, day plans, week, calendar, rules."""

from __future__ import annotations

import json
from collections import defaultdict
from dataclasses import replace
from datetime import date, timedelta
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.errors import InputFault
from nightly_spindle.core.calendar.day_plans import (
    NOTHING,
    DayPlan,
    Plans,
    check_day,
    day_from,
    day_values,
    holidays_from,
)
from nightly_spindle.core.calendar.week_grid import HOURS
from nightly_spindle.core.music.format_clocks import (
    FormatClock,
    SlotKind,
    check_clock,
    clock_from,
    clock_values,
)
from nightly_spindle.core.music.formats import ALL_SONGS, FormatPlan, Rotating, Turn
from nightly_spindle.core.music.rotation_rules import (
    RotationRule,
    rule_from,
    rule_values,
    usual_rules,
)
from nightly_spindle.store.base.named import Before, Row, new_number, put_rows

if TYPE_CHECKING:
    import sqlite3
    from collections.abc import Iterable, Mapping, Sequence

    from nightly_spindle.core.station.settings import StationSettings
    from nightly_spindle.store.base.transaction import LibraryTransaction

EPOCH_DAY = date(1970, 1, 1)
_CLOCK = ("slots", "weights", "rules", "options")
_DAY = ("hours", "shows", "options")
_CATEGORIES = (
    "SELECT c.id, c.name, c.weight, c.turn, max(i.kind = 'song') AS music FROM category c"
    " JOIN item_category x ON x.category_id = c.id JOIN item i ON i.cart = x.cart"
    " WHERE i.waits = '' GROUP BY c.id ORDER BY c.name"
)
_MEMBERS = (
    "SELECT category_id, cart FROM (SELECT x.category_id, i.cart, i.last_aired_us, row_number()"
    " OVER (PARTITION BY x.category_id ORDER BY i.last_aired_us, i.cart) AS turn"
    " FROM item_category x JOIN item i ON i.cart = x.cart WHERE i.waits = '')"
    " WHERE turn <= ? ORDER BY last_aired_us, cart"
)
_ALL = 1 << 40


def values_of(row: sqlite3.Row | Mapping[str, Any]) -> Row:
    """Return one row of clocks or day plans as plain values (`core`)."""
    names = _CLOCK if "slots" in row.keys() else _DAY  # noqa: SIM118 - a sqlite3.Row has no `in`
    return {"id": row["id"], "name": row["name"], **{n: json.loads(row[n]) for n in names}}


def row_of(values: Mapping[str, Any]) -> Row:
    """Return a clock's or day plan's plain values as a row."""
    return {
        name: value if name in {"id", "name"} else json.dumps(value, ensure_ascii=False)
        for name, value in values.items()
    }


def read_formats(
    connection: sqlite3.Connection, settings: StationSettings, most: int = 0
) -> FormatPlan:
    """Read the station's own scheduling.

    Of each category at most `most` items, longest unheard first; 0 is all. Categories are read
    only where there are clocks.
    """
    clocks = {c.id: c for c in map(clock_from, _all(connection, "format_clock"))}
    days = {d.id: d for d in map(day_from, _all(connection, "day_plan"))}
    week = [NOTHING] * HOURS
    for row in connection.execute("SELECT id, clock_id FROM week_hour"):
        week[row["id"]] = row["clock_id"]
    calendar = {
        EPOCH_DAY + timedelta(days=row["id"]): row["plan_id"]
        for row in connection.execute("SELECT id, plan_id FROM calendar_day")
    }
    plans = Plans(tuple(week), days, calendar, holidays_from(settings.formats.holidays))
    rules = read_rules(connection) or usual_rules(settings.separation_s)
    categories = read_categories(connection, most) if clocks else {}
    lists = {
        slot.name.strip().casefold()
        for clock in clocks.values()
        for slot in clock.slots
        if slot.kind is SlotKind.LIST
    }
    return FormatPlan(clocks, plans, rules, categories, _lists(connection, lists))


def _all(connection: sqlite3.Connection, table: str) -> list[Row]:
    return [values_of(row) for row in connection.execute(f"SELECT * FROM {table} ORDER BY id")]


def read_rules(connection: sqlite3.Connection) -> tuple[RotationRule, ...]:
    """Read the station's rules of rotation; none where it goes by the usual ones."""
    rows = connection.execute("SELECT body FROM rotation_rule ORDER BY id")
    return tuple(rule_from(json.loads(row["body"])) for row in rows)


def read_categories(connection: sqlite3.Connection, most: int = 0) -> dict[str, Rotating]:
    """Read the categories that hold anything, by folded name; items longest unheard first."""
    carts: dict[str, list[int]] = defaultdict(list)
    known: dict[str, Rotating] = {}
    names: dict[int, str] = {}
    songs: set[str] = set()
    for row in connection.execute(_CATEGORIES):
        # two that differ by capitals alone rotate as one
        name = names[row["id"]] = row["name"].casefold()
        known.setdefault(name, Rotating(row["name"], row["weight"], Turn(row["turn"])))
        songs |= {name} if row["music"] else set()
    for number, cart in connection.execute(_MEMBERS, (most or _ALL,)):
        carts[names[number]].append(cart)
    return {
        name: replace(one, carts=tuple(carts[name][: most or None]), music=name in songs)
        for name, one in known.items()
    }


def all_songs(connection: sqlite3.Connection) -> Rotating:
    """Read every song of the library as one category, longest unheard first."""
    rows = connection.execute(
        "SELECT cart FROM item WHERE kind = 'song' AND waits = '' ORDER BY last_aired_us, cart"
    )
    return Rotating(ALL_SONGS, carts=tuple(row["cart"] for row in rows))


def _lists(connection: sqlite3.Connection, wanted: Iterable[str]) -> dict[str, tuple[int, ...]]:
    names = set(wanted)
    found: dict[str, list[int]] = defaultdict(list)
    if names:
        for row in connection.execute(
            "SELECT l.name, n.cart FROM list l JOIN list_line n ON n.list_id = l.id"
            " ORDER BY l.id, n.place"
        ):
            if row["name"].casefold() in names:
                found[row["name"].casefold()].append(row["cart"])
    return {name: tuple(carts) for name, carts in found.items()}


def carts_of(formats: FormatPlan) -> set[int]:
    """Return the cart numbers of all that clocks, categories and shows name."""
    carts = {cart for one in formats.categories.values() for cart in one.carts}
    carts |= {cart for clock in formats.clocks.values() for cart in clock.carts}
    carts |= {show.cart for plan in formats.plans.days.values() for show in plan.shows}
    return carts | {cart for one in formats.lists.values() for cart in one}


# -- editing -----


def save_clock(library: LibraryTransaction, clock: FormatClock) -> tuple[int, Before]:
    """Write a clock, a new one where its id is 0; returns its number, and what was there.

    SettingRefused says what cannot be, InputFault when the name is taken.
    """
    from nightly_spindle.store.base import tables as t

    clock = replace(clock, name=" ".join(clock.name.split()))
    check_clock(clock)
    rows = library.rows(t.format_clock.select())
    number = new_number(rows, clock.name, "format clock", clock.id)
    row = row_of(clock_values(replace(clock, id=number)))
    return number, put_rows(library, t.format_clock, {number: [row]})


def remove_clock(library: LibraryTransaction, number: int, formats: FormatPlan) -> Before:
    """Take a clock out; InputFault where it is used."""
    from nightly_spindle.store.base import tables as t

    if number in formats.plans.clocks:
        name = formats.clocks[number].name
        raise InputFault(
            f"the format clock “{name}” is used: {formats.where_used(number)}; give those hours "
            "another clock first"
        )
    return put_rows(library, t.format_clock, {number: []})


def save_day(library: LibraryTransaction, plan: DayPlan, plans: Plans) -> tuple[int, Before]:
    """Write a day plan, a new one where its id is 0; returns its number, and what was there."""
    from nightly_spindle.store.base import tables as t

    plan = replace(plan, name=" ".join(plan.name.split()))
    rows = library.rows(t.day_plan.select())
    plan = replace(plan, id=new_number(rows, plan.name, "day plan", plan.id))
    check_day(plan, plans)
    return plan.id, put_rows(library, t.day_plan, {plan.id: [row_of(day_values(plan))]})


def remove_day(library: LibraryTransaction, number: int, plans: Plans) -> tuple[Before, Before]:
    """Take a day plan out, from the calendar too; returns what was there of both."""
    from nightly_spindle.store.base import tables as t

    users = [plan.name for plan in plans.days.values() if plan.base == number]
    if users:
        raise InputFault(f"“{users[0]}” is based on this day plan; base it on another first")
    days = [day_id(day) for day, plan in plans.calendar.items() if plan == number]
    before = put_rows(library, t.calendar_day, {day: [] for day in days})
    return put_rows(library, t.day_plan, {number: []}), before


def paint_week(library: LibraryTransaction, hours: Mapping[int, int]) -> Before:
    """Give hours of the week (0 to 167) to clocks, 0 to none; returns what was there."""
    from nightly_spindle.store.base import tables as t

    rows = {
        hour: [{"id": hour, "clock_id": clock}] if clock else [] for hour, clock in hours.items()
    }
    return put_rows(library, t.week_hour, rows)


def set_calendar(library: LibraryTransaction, days: Mapping[date, int]) -> Before:
    """Give days to day plans, 0 to the week plan; returns what was there."""
    from nightly_spindle.store.base import tables as t

    rows = {
        day_id(day): [{"id": day_id(day), "plan_id": plan}] if plan else []
        for day, plan in days.items()
    }
    return put_rows(library, t.calendar_day, rows)


def set_rules(library: LibraryTransaction, rules: Sequence[RotationRule]) -> Before:
    """Make these the station's rules of rotation; returns what was there."""
    from nightly_spindle.store.base import tables as t

    there = library.rows(t.rotation_rule.select())
    wanted: dict[int, list[Row]] = {row["id"]: [] for row in there}
    for number, rule in enumerate(rules, 1):
        body = json.dumps(rule_values(rule), ensure_ascii=False)
        wanted[number] = [{"id": number, "body": body}]
    return put_rows(library, t.rotation_rule, wanted)


def set_turn(library: LibraryTransaction, category: int, turn: Turn) -> Turn:
    """Set in which order a category's items come round; returns what it was."""
    from nightly_spindle.store.base import tables as t

    library.version()
    same = t.category.c.id == category
    rows = library.rows(t.category.select().where(same))
    if not rows:
        raise InputFault("that category is not there any more; look again")
    library.run(t.category.update().where(same).values(turn=str(turn)))
    return Turn(rows[0]["turn"])


def rename_in_formats(library: LibraryTransaction, was: str, name: str) -> None:
    """Have format clocks and rules that name a category name it as it is called now."""
    from nightly_spindle.store.base import tables as t

    folded = was.strip().casefold()

    def named(text: str) -> str:
        return name if text.strip().casefold() == folded else text

    def ruled(rule: RotationRule) -> RotationRule:
        return replace(rule, category=named(rule.category)) if rule.category else rule

    for row in library.rows(t.format_clock.select()):
        clock = clock_from(values_of(row))
        slots = tuple(
            replace(slot, name=named(slot.name)) if slot.kind is SlotKind.CATEGORY else slot
            for slot in clock.slots
        )
        new = replace(
            clock,
            slots=slots,
            weights=tuple((named(one), weight) for one, weight in clock.weights),
            rules=tuple(map(ruled, clock.rules)),
        )
        if new != clock:
            put_rows(library, t.format_clock, {clock.id: [row_of(clock_values(new))]})
    for row in library.rows(t.rotation_rule.select()):
        rule = rule_from(json.loads(row["body"]))
        if ruled(rule) != rule:
            body = json.dumps(rule_values(ruled(rule)), ensure_ascii=False)
            put_rows(library, t.rotation_rule, {row["id"]: [{"id": row["id"], "body": body}]})


def day_id(day: date) -> int:
    """Return the number of a day: days since 1970-01-01."""
    return (day - EPOCH_DAY).days


def restore(library: LibraryTransaction, before: Mapping[str, Before]) -> dict[str, Before]:
    """Make rows of tables, by the tables' names, what they were; returns what was there."""
    from nightly_spindle.store.base.tables import metadata

    return {name: put_rows(library, metadata.tables[name], rows) for name, rows in before.items()}

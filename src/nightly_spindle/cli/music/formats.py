"""`formats`: clocks, the week, day plans, the calendar, rules, turns."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from pathlib import Path
from typing import TYPE_CHECKING, Any

from nightly_spindle.cli.base.common import answer, now_us, print_json
from nightly_spindle.core.base.declared import changed_group
from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.base.short_texts import date_of
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.calendar.day_plans import (
    AS_BASE,
    NOTHING,
    DayPlan,
    day_values,
    painted,
    show_from,
)
from nightly_spindle.core.calendar.log_periods import hours_from
from nightly_spindle.core.calendar.week_grid import HOURS, grid_from
from nightly_spindle.core.library.rotation_card import card_values
from nightly_spindle.core.music.format_clocks import (
    FormatClock,
    clock_values,
    strip_from,
    weights_from,
)
from nightly_spindle.core.music.formats import ALL_SONGS, FormatPlan, Turn
from nightly_spindle.core.music.rotation_rules import RotationRule, rule_from, rule_values
from nightly_spindle.store.base.named import find
from nightly_spindle.store.base.transaction import LibraryTransaction
from nightly_spindle.store.library import categories
from nightly_spindle.store.library.rotation_cards import change_cards
from nightly_spindle.store.music.formats import (
    paint_week,
    remove_clock,
    remove_day,
    save_clock,
    save_day,
    set_calendar,
    set_rules,
    set_turn,
)
from nightly_spindle.store.reports.format_board import FormatBoard, FormatSheet

if TYPE_CHECKING:
    import argparse


def _sheet(options: argparse.Namespace) -> FormatSheet:
    now = now_us()
    return FormatBoard(Path(options.folder)).sheet(now, now, now + 1)


def list_all(options: argparse.Namespace) -> int:
    """List clocks, plans, rules, and what is wrong with them."""
    sheet = _sheet(options)
    formats = sheet.formats
    if options.json:
        print_json(_view(sheet))
        return 0
    for clock in formats.clocks.values():
        print(f"{clock.id}  {clock.name}: {clock.sentence()}")
        print(f"    {sheet.lengths[clock.id].sentence()} Used: {formats.where_used(clock.id)}.")
    if not formats.clocks:
        print("No format clocks yet; `nightly-spindle formats clock --help` says how to make one.")
    for plan in formats.plans.days.values():
        print(f"day plan {plan.id}  {plan.name}: {plan.sentence()}")
    for rule in formats.rules:
        print(f"rule: {rule.sentence()}")
    for finding in sheet.findings:
        print(f"{finding.severity}: {finding.text} {finding.mend}")
    return 0


def _view(sheet: FormatSheet) -> dict[str, Any]:
    formats = sheet.formats
    return {
        "clocks": [
            {
                **clock_values(clock),
                "sentence": clock.sentence(),
                "shortest_s": round(sheet.lengths[clock.id].shortest_s, 3),
                "expected_s": round(sheet.lengths[clock.id].expected_s, 3),
                "longest_s": round(sheet.lengths[clock.id].longest_s, 3),
                "used": formats.where_used(clock.id),
            }
            for clock in formats.clocks.values()
        ],
        "day_plans": [
            {**day_values(p), "sentence": p.sentence()} for p in formats.plans.days.values()
        ],
        "week": [
            {"hour": hour, "clock": clock} for hour, clock in enumerate(formats.plans.week) if clock
        ],
        "calendar": [
            {"day": day.isoformat(), "plan": plan}
            for day, plan in sorted(formats.plans.calendar.items())
        ],
        "rules": [{**rule_values(r), "sentence": r.sentence()} for r in formats.rules],
        "categories": [
            {
                "category": one.name,
                "weight": one.weight,
                "turn": str(one.turn),
                "items": len(one.carts),
            }
            for name, one in formats.categories.items()
            if name != ALL_SONGS
        ],
        "findings": [
            {
                "code": f.code,
                "severity": str(f.severity),
                "text": f.text,
                "mend": f.mend,
                "clock": f.clock or None,
            }
            for f in sheet.findings
        ],
    }


def set_clock(options: argparse.Namespace) -> int:
    """Make a format clock, or change the one of that name or number."""
    sheet = _sheet(options)
    clocks = list(sheet.formats.clocks.values())
    was = next((c for c in clocks if options.name in {c.name, str(c.id)}), None)
    made = was or FormatClock(0, options.name)
    if options.copy:
        made = replace(find(clocks, options.copy, "format clock"), id=made.id, name=made.name)
    if options.strip is not None:
        made = replace(made, slots=strip_from(options.strip))
    if options.weights is not None:
        made = replace(made, weights=weights_from(options.weights))
    if options.rule is not None:
        made = replace(made, rules=tuple(_rule(one) for one in options.rule if one.strip()))
    made = replace(made, options=changed_group(made.options, "clock", options.set))
    if options.rename:
        made = replace(made, name=options.rename)
    with LibraryTransaction(Path(options.folder)) as library:
        number, _ = save_clock(library, made)
    sheet = _sheet(options)
    made = sheet.formats.clocks[number]
    found = [one for one in sheet.findings if one.clock == number]
    if options.json:
        view = next(one for one in _view(sheet)["clocks"] if one["id"] == number)
        print_json({**view, "findings": [one.text for one in found]})
        return 0
    print(f"{number}  {made.name}: {made.sentence()}")
    print(f"    {sheet.lengths[number].sentence()}")
    for one in found:
        print(f"    {one.severity}: {one.text} {one.mend}")
    return 0


def _rule(written: str) -> RotationRule:
    """Read a rule written like kind=artist,amount=90,firm=no."""
    values = {}
    for part in written.split(","):
        name, equals, value = part.partition("=")
        if not equals:
            raise SettingRefused(
                f"'{part}' is not like NAME=VALUE; a rule is written like kind=artist,amount=90"
            )
        # a trait has a sign of its own: trait=tempo=slow
        values[name.strip()] = value.strip()
    return rule_from(values)


def drop_clock(options: argparse.Namespace) -> int:
    """Take a format clock out."""
    formats = _sheet(options).formats
    found = find(formats.clocks.values(), options.clock, "format clock")
    with LibraryTransaction(Path(options.folder)) as library:
        remove_clock(library, found.id, formats)
    return _gone(options, found.id, f"The format clock “{found.name}” is gone.")


def _gone(options: argparse.Namespace, number: int, text: str) -> int:
    return answer(options, {"removed": number}, text)


def _clock_number(formats: FormatPlan, wanted: str | None) -> int:
    if wanted is None or wanted.casefold() == "none":
        return NOTHING
    return find(formats.clocks.values(), wanted, "format clock").id


def paint(options: argparse.Namespace) -> int:
    """Give hours of the week to a clock, or to none."""
    formats = _sheet(options).formats
    clock = _clock_number(formats, options.clock)
    grid = grid_from(options.hours)
    hours = [hour for hour in range(HOURS) if hour in grid]
    with LibraryTransaction(Path(options.folder)) as library:
        paint_week(library, dict.fromkeys(hours, clock))
    if options.json:
        print_json({"hours": hours, "clock": clock})
    else:
        name = f"“{formats.clocks[clock].name}”" if clock else "no format clock"
        print(f"{counted(len(hours), 'hour')} of the week ({grid.words()}): {name}.")
    return 0


def set_day(options: argparse.Namespace) -> int:
    """Make a day plan, or change the one of that name or number."""
    formats = _sheet(options).formats
    plans = formats.plans
    named = {options.name}
    was = next((p for p in plans.days.values() if named & {p.name, str(p.id)}), None)
    made = was or DayPlan(0, options.name)
    for part in options.hours:
        hours, equals, clock = part.partition("=")
        if not equals:
            raise SettingRefused(f"'{part}' is not like HOURS=CLOCK, such as 22-5=Night")
        base = clock.strip().casefold() == "base"
        number = AS_BASE if base else _clock_number(formats, clock.strip())
        made = replace(made, hours=painted(made.hours, hours_from(hours), number))
    if options.show is not None:
        shows = sorted((show_from(one) for one in options.show if one.strip()), key=lambda s: s.at)
        made = replace(made, shows=tuple(shows))
    made = replace(made, options=changed_group(made.options, "day", options.set))
    if options.rename:
        made = replace(made, name=options.rename)
    with LibraryTransaction(Path(options.folder)) as library:
        number, _ = save_day(library, made, plans)
    made = replace(made, id=number)
    return answer(
        options,
        {**day_values(made), "sentence": made.sentence()},
        f"day plan {number}  {made.name}: {made.sentence()}",
    )


def drop_day(options: argparse.Namespace) -> int:
    """Take a day plan out."""
    plans = _sheet(options).formats.plans
    found = find(plans.days.values(), options.plan, "day plan")
    with LibraryTransaction(Path(options.folder)) as library:
        remove_day(library, found.id, plans)
    return _gone(options, found.id, f"The day plan “{found.name}” is gone.")


def calendar(options: argparse.Namespace) -> int:
    """Give days to a day plan, or back to the week plan."""
    plans = _sheet(options).formats.plans
    none = options.plan is None or options.plan.casefold() == "none"
    plan = None if none else find(plans.days.values(), options.plan, "day plan")
    first = date_of(options.from_)
    last = date_of(options.to or options.from_)
    if first is None or last is None or last < first:
        raise InputFault(
            f"there is no day between {options.from_} and {options.to}; give two dates"
        )
    days = [first + timedelta(days=n) for n in range((last - first).days + 1)]
    with LibraryTransaction(Path(options.folder)) as library:
        set_calendar(library, dict.fromkeys(days, plan.id if plan else 0))
    if options.json:
        print_json({"days": [day.isoformat() for day in days], "plan": plan.id if plan else None})
    else:
        name = f"“{plan.name}”" if plan else "no day plan"
        print(f"{counted(len(days), 'day')}, {first} to {last}: {name}.")
    return 0


def rules(options: argparse.Namespace) -> int:
    """Set the station's rules of rotation, all of them."""
    made = [_rule(one) for one in options.rules]
    with LibraryTransaction(Path(options.folder)) as library:
        set_rules(library, made)
    held = _sheet(options).formats.rules
    if options.json:
        print_json([{**rule_values(one), "sentence": one.sentence()} for one in held])
    else:
        for one in held:
            print(one.sentence())
    return 0


def turn_card(options: argparse.Namespace) -> int:
    """Say when and how often items may air."""
    with LibraryTransaction(Path(options.folder)) as library:
        cards, _ = change_cards(
            library, options.carts, lambda card: changed_group(card, "turn", options.set)
        )
    if options.json:
        print_json([{"cart": cart, **card_values(card)} for cart, card in cards.items()])
    else:
        for cart, card in cards.items():
            print(f"{cart}: {card.sentence() or 'no limit of its own'}")
    return 0


def category(options: argparse.Namespace) -> int:
    """Say how a category rotates: its turn, its weight."""
    with LibraryTransaction(Path(options.folder)) as library:
        number = categories.number_of(library, options.name)
        if options.weight is not None:
            categories.set_weight(library, number, options.weight)
        if options.turn is not None:
            set_turn(library, number, Turn(options.turn))
    return answer(
        options,
        {"category": options.name, "turn": options.turn, "weight": options.weight},
        f"The category “{options.name}” rotates so now.",
    )

"""What each hour of the coming days is: the week plan, whole-day plans, the calendar.

One stated order decides what a day gets: the calendar, then the plan for holidays, then the plan
for its weekday, then the week plan. A plan may go by another one and say only what is different.
Days are broadcast days; hours are those of the clock on the wall.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import date, datetime, time, timedelta
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import date_of, group_of, unusual, weekdays_of, words_of
from nightly_spindle.core.base.timebase import parse_time_of_day
from nightly_spindle.core.base.wording import days_text
from nightly_spindle.core.calendar.week_grid import HOURS, hour_of_week

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    from nightly_spindle.core.calendar.log_periods import Slot

NOTHING = 0  # in place of a clock's number: another source covers the hour
AS_BASE = -1  # in a day plan: as the plan that it goes by says
NO_WEEK = (NOTHING,) * HOURS


@dataclass(frozen=True, slots=True)
class Show:
    """A fixed item at a time of the day; what it leaves of an hour, the hour's clock fills."""

    at: time
    cart: int

    @property
    def text(self) -> str:
        """The show as `show_from` reads it."""
        return f"{self.at:%H:%M:%S} {self.cart}"


def show_from(written: str) -> Show:
    """Read a show written like "20:00 1204"; SettingRefused when it cannot be."""
    at, _, cart = written.strip().partition(" ")
    if not cart.strip().isdecimal():
        raise SettingRefused(
            f"'{written.strip()}' is not a valid show; write time and cart: 20:00 1204"
        )
    return Show(parse_time_of_day(at), int(cart))


@dataclass(frozen=True, slots=True)
class DayOptions:
    """What can be set for a day plan."""

    base: float = number(0.0, "", 0.0, 1e9, "The number of the plan it is based on; 0 is none.")
    days: str = text("", "Used on these weekdays: mon-fri; empty is by the calendar only.")
    holidays: bool = flag(False, "Used on the station's holidays.")


@dataclass(frozen=True, slots=True)
class DayPlan:
    """A whole day: `hours` are 24 clock numbers by the hour on the wall, from 00 on."""

    id: int
    name: str
    hours: tuple[int, ...] = (AS_BASE,) * 24
    shows: tuple[Show, ...] = ()
    options: DayOptions = field(default_factory=DayOptions)

    @property
    def base(self) -> int:
        """The number of the plan that it goes by, 0 for none."""
        return int(self.options.base)

    @property
    def weekdays(self) -> frozenset[int]:
        """The weekdays that it is used on (0 is Monday)."""
        return weekdays_of(self.options.days) if self.options.days.strip() else frozenset()

    def sentence(self) -> str:
        """When it is used, as a plain sentence."""
        used = [days_text(sorted(self.weekdays))] if self.weekdays else []
        used += ["on holidays"] if self.options.holidays else []
        return f"Used {' and '.join(used)}." if used else "Used where the calendar says so."


@dataclass(frozen=True, slots=True)
class HourGets:
    """What an hour gets: a clock's number (0: none), and where it comes from, in words."""

    clock: int
    comes_from: str


@dataclass(frozen=True, slots=True)
class Plans:
    """The week plan (168 clock numbers, Monday 00:00 first), day plans by number, the calendar.

    The calendar says which plan a broadcast day has; `holidays` are days.
    """

    week: tuple[int, ...] = NO_WEEK
    days: Mapping[int, DayPlan] = field(default_factory=dict)
    calendar: Mapping[date, int] = field(default_factory=dict)
    holidays: frozenset[date] = frozenset()

    def plan_of(self, day: date) -> tuple[DayPlan | None, str]:
        """Return the plan that a day goes by, None for the week plan, and why, in words."""
        plan = self.days.get(self.calendar.get(day, 0))
        if plan is not None:
            return plan, f"“{plan.name}”, by the calendar"
        in_order = [self.days[number] for number in sorted(self.days)]
        if day in self.holidays:
            for plan in in_order:
                if plan.options.holidays:
                    return plan, f"“{plan.name}”, for holidays"
        for plan in in_order:
            if day.weekday() in plan.weekdays:
                return plan, f"“{plan.name}”, {days_text(sorted(plan.weekdays))}"
        return None, "the week plan"

    def hour(self, slot: Slot) -> HourGets:
        """Return what one hour gets."""
        plan, why = self.plan_of(slot.day)
        if plan is None:
            return HourGets(self.week[hour_of_week(slot.local.weekday(), slot.local.hour)], why)
        for one in self.lineage(plan):
            clock = one.hours[slot.local.hour]
            if clock != AS_BASE:
                return HourGets(clock, why)
        # the week plan lies under all: a plan says only what is different
        clock = self.week[hour_of_week(slot.local.weekday(), slot.local.hour)]
        return HourGets(clock, f"{why}, which leaves it to the week plan")

    def shows(self, day: date) -> tuple[Show, ...]:
        """Return the shows of a broadcast day: its plan's, else those of the one it goes by."""
        plan, _ = self.plan_of(day)
        for one in self.lineage(plan) if plan else ():
            if one.shows:
                return one.shows
        return ()

    def lineage(self, plan: DayPlan) -> list[DayPlan]:
        """Return a plan and those that it goes by, nearest first; a circle ends where it closes."""
        found, seen = [plan], {plan.id}
        while (after := self.days.get(found[-1].base)) is not None and after.id not in seen:
            found.append(after)
            seen.add(after.id)
        return found

    def circle(self, plan: DayPlan) -> list[DayPlan]:
        """Return the plans that go by each other in a circle, empty when none do."""
        line = self.lineage(plan)
        names = {one.id for one in line}
        return line if line[-1].base in names else []

    @property
    def clocks(self) -> frozenset[int]:
        """The numbers of the clocks that are used anywhere."""
        used = set(self.week)
        for plan in self.days.values():
            used |= set(plan.hours)
        return frozenset(used - {NOTHING, AS_BASE})

    @property
    def used(self) -> bool:
        """Whether any hour is planned at all."""
        return bool(self.clocks)


def show_start(day: date, at: time, day_start: time) -> datetime:
    """Return the local time at which a show of a broadcast day begins."""
    begins = day if at >= day_start else day + timedelta(days=1)
    return datetime.combine(begins, at)


def check_day(plan: DayPlan, plans: Plans) -> None:
    """SettingRefused with all that cannot be of a day plan among the others."""
    wrong = []
    if not plan.name.strip():
        wrong.append("it needs a name")
    if len(plan.hours) != 24:
        wrong.append(f"it has {len(plan.hours)} hours; a day plan has 24")
    if plan.base and plan.base not in plans.days:
        wrong.append(f"it is based on plan {plan.base}, which is not there")
    try:
        weekdays_of(plan.options.days)
    except SettingRefused as error:
        wrong.append(str(error))
    among = Plans(plans.week, {**plans.days, plan.id: plan}, plans.calendar, plans.holidays)
    circle = among.circle(plan) if plan.base else []
    if circle:
        names = " by ".join(f"“{one.name}”" for one in [*circle, circle[0]])
        wrong.append(f"it goes in a circle: {names}; let one of them go by none")
    if wrong:
        raise SettingRefused(f"day plan “{plan.name}”: {'; '.join(wrong)}")


def day_values(plan: DayPlan) -> dict[str, Any]:
    """Return a day plan as JSON values; `day_from` reads them back."""
    return {
        "id": plan.id,
        "name": plan.name,
        "hours": list(plan.hours),
        "shows": [show.text for show in plan.shows],
        "options": unusual(plan.options),
    }


def day_from(values: Mapping[str, Any]) -> DayPlan:
    """Read a day plan; SettingRefused tells what cannot be read."""
    wrong: list[str] = []
    options = group_of(DayOptions, values["options"], wrong)
    shows = []
    for written in values["shows"]:
        try:
            shows.append(show_from(written))
        except SettingRefused as error:
            wrong.append(str(error))
    if wrong:
        raise SettingRefused(f"day plan “{values['name']}”: {'; '.join(wrong)}")
    hours = tuple(int(hour) for hour in values["hours"])
    shows.sort(key=lambda show: show.at)
    return DayPlan(values["id"], values["name"], hours, tuple(shows), options)


def holidays_from(written: str) -> frozenset[date]:
    """Read days written like "2026-12-25, 2026-12-26"; SettingRefused says which is none."""
    found = (date_of(word) for word in words_of(written))
    return frozenset(day for day in found if day is not None)


def painted(hours: Sequence[int], chosen: Iterable[int], clock: int) -> tuple[int, ...]:
    """Return hours with the chosen ones (their places) given to a clock."""
    new = list(hours)
    for place in chosen:
        new[place] = clock
    return tuple(new)

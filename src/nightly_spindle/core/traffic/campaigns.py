"""Campaigns: what an advertiser has ordered, and how an order reads.

An order says what airs (copies that take turns), how much (so many a day, an hour, a week, in
total, or in every break), when (dates, hours of the week, within shows, in which breaks, and single
places by hand: all of it added up), and what it weighs against others.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import date_of, group_of, unreadable, unusual, words_of
from nightly_spindle.core.base.wording import counted, date_text, listed, span_text
from nightly_spindle.core.calendar.week_grid import WeekGrid, grid_from
from nightly_spindle.core.overlays.overlay_pools import TurnOrder

if TYPE_CHECKING:
    from collections.abc import Mapping
    from datetime import date

_MOST_COPIES = 200
Key = tuple[int, int]  # a break: the number of its pattern, and the instant (µs) it is due at


class Per(StrEnum):
    """What an order counts by."""

    DAY = "a day"
    HOUR = "an hour"
    WEEK = "a week"
    TOTAL = "in total"
    BREAK = "in every break"


class Position(StrEnum):
    """Where in its break a spot wants to be."""

    ANY = "anywhere"
    FIRST = "first"
    LAST = "last"


class Terms(StrEnum):
    """What is paid for it."""

    FIXED = "fixed price"
    BONUS = "bonus"


@dataclass(frozen=True, slots=True)
class CampaignOptions:
    """What can be set for a campaign."""

    advertiser: str = text("", "Whose it is.")
    product: str = text("", "What it is for.")
    group: str = text("", "Competitors bear the same word here: bakeries.")
    category: str = text("", "The category of its spots.")
    first: str = text("", "It airs from this day on: 2026-12-01.")
    last: str = text("", "It airs up to this day, inclusive.")
    amount: float = number(4.0, "", 0.0, 100_000.0, "How many spots.")
    per: Per = choice(Per.DAY, "What that counts by.")
    hours: str = text("", "In these hours: mon-fri 06-10, 16-19; empty is always, none is none.")
    shows: str = text("", "And within these timed events, while they hold the air.")
    breaks: str = text("", "Only in breaks of these patterns; empty is in all.")
    clocks: str = text("", "Only in hours of these format clocks; empty is in all.")
    importance: float = number(5.0, "", 1.0, 9.0, "What goes first where room is short.")
    position: Position = choice(Position.ANY, "Where in its break it wants to be.")
    apart_s: float = number(1800.0, "s", 0.0, 604_800.0, "The least time between two of its spots.")
    rivals_s: float = number(
        0.0, "s", 0.0, 86_400.0, "So far from competitors; 0 is never in the same break."
    )
    terms: Terms = choice(Terms.FIXED, "A bonus airs only where nothing paid for wants to.")
    order: TurnOrder = choice(TurnOrder.TURN, "In which order its copies take turns.")
    folder: str = text("", "The audio of this folder takes turns as well.")
    on_hold: bool = flag(False, "It is on hold: nothing of it airs.")


@dataclass(frozen=True, slots=True)
class Copy:
    """One piece of audio of a campaign, and when it is the one that airs.

    `hours` is a grid of the week, `first` and `last` are dates; empty means always.
    """

    cart: int
    weight: float = 1.0
    hours: str = ""
    first: str = ""
    last: str = ""

    def serves(self, day: date, hour: int) -> bool:
        """Whether it may air on a day, in that hour of the week."""
        first, last = date_of(self.first), date_of(self.last)
        if (first and day < first) or (last and day > last):
            return False
        return hour in grid_from(self.hours)


@dataclass(frozen=True, slots=True)
class Campaign:
    """An advertiser's order. `pins` are breaks that were chosen by hand.

    `in_folder` are the items of its folder, which whoever reads the station fills in.
    """

    id: int
    name: str
    copies: tuple[Copy, ...] = ()
    options: CampaignOptions = CampaignOptions()
    pins: tuple[Key, ...] = ()
    in_folder: tuple[int, ...] = field(default=(), compare=False)

    @property
    def first(self) -> date | None:
        """The first day of its flight."""
        return date_of(self.options.first)

    @property
    def last(self) -> date | None:
        """The last day of its flight."""
        return date_of(self.options.last)

    @property
    def grid(self) -> WeekGrid:
        """The hours of the week that are painted for it."""
        return grid_from(self.options.hours)

    @property
    def group(self) -> str:
        """What its competitors are known by, folded; empty for none."""
        return _folded(self.options.group)

    @property
    def category(self) -> str:
        """The category of its spots, folded."""
        return _folded(self.options.category)

    @property
    def rank(self) -> int:
        """What it weighs against others: its importance, a bonus below all of them."""
        importance = int(self.options.importance)
        return importance if self.options.terms is Terms.FIXED else importance - 10

    @property
    def order(self) -> TurnOrder:
        """In which order its copies take turns."""
        return self.options.order

    @property
    def members(self) -> tuple[Copy, ...]:
        """All copies, those of its folder among them."""
        own = {copy.cart for copy in self.copies}
        return (*self.copies, *(Copy(cart) for cart in self.in_folder if cart not in own))

    @property
    def carts(self) -> tuple[int, ...]:
        """The items that it can air."""
        return tuple(copy.cart for copy in self.members)

    def flies_on(self, day: date) -> bool:
        """Whether a day lies in its flight, and it is not on hold."""
        return self.flight_holds(day) and not self.options.on_hold

    def flight_holds(self, day: date) -> bool:
        """Whether a day lies within its flight dates."""
        first, last = self.first, self.last
        return (first is None or day >= first) and (last is None or day <= last)

    def serving(self, day: date, hour: int) -> Campaign:
        """Return it with the copies alone that may air on a day, in that hour of the week."""
        return replace(
            self, copies=tuple(c for c in self.members if c.serves(day, hour)), in_folder=()
        )

    def sentence(self) -> str:
        """The order as plain sentences."""
        options = self.options
        whose = options.advertiser or "No advertiser"
        what = f" ({options.product})" if options.product else ""
        much = f"{options.amount:g} {options.per}"
        if options.per is Per.BREAK:
            much = "one in every break"
            much += f" of {_either(options.breaks)}" if options.breaks else ""
        said = f"{whose}{what}: {much}{self._when()}."
        far = f"{span_text(options.apart_s)} apart" if options.apart_s else ""
        if options.group:
            rivals = (
                f"{span_text(options.rivals_s)} from others of “{options.group}”"
                if options.rivals_s
                else f"never in a break with others of “{options.group}”"
            )
            far = f"{far}, {rivals}" if far else rivals
        said += f" {far[0].upper()}{far[1:]}." if far else ""
        return f"{said} {self._copies()} {self._worth()}."

    def _when(self) -> str:
        options = self.options
        parts = []
        if self.first and self.last:
            parts.append(f"from {date_text(self.first)} to {date_text(self.last)}")
        elif self.first or self.last:
            edge = "from" if self.first else "up to"
            parts.append(f"{edge} {date_text(self.first or self.last)}")  # type: ignore[arg-type]
        if len(self.grid) or not options.shows:
            parts.append(self.grid.words())
        if options.shows:
            more = "and " if len(self.grid) else ""
            parts.append(f"{more}within {options.shows}")
        if options.breaks and options.per is not Per.BREAK:
            parts.append(f"in breaks of {_either(options.breaks)}")
        if options.clocks:
            parts.append(f"in hours of {_either(options.clocks)}")
        said = f", {', '.join(parts)}" if parts else ""
        pins = f", {counted(len(self.pins), 'place')} by hand" if self.pins else ""
        return f"{said}{pins}"

    def _copies(self) -> str:
        many = len(self.members)
        if not many:
            return "It has no audio yet."
        how = {
            TurnOrder.TURN: "in turn",
            TurnOrder.SHUFFLED: "shuffled",
            TurnOrder.WEIGHTED: "by weight",
        }
        said = "One copy" if many == 1 else f"{many} copies {how[self.options.order]}"
        wish = self.options.position
        return said + (f", {wish} in its break." if wish is not Position.ANY else ".")

    def _worth(self) -> str:
        options = self.options
        said = f"{str(options.terms).capitalize()}, importance {options.importance:g}"
        return f"On hold. {said}" if options.on_hold else said


@lru_cache(maxsize=1024)
def _folded(word: str) -> str:
    return " ".join(word.split()).casefold()


def shows_of(options: CampaignOptions) -> tuple[str, ...]:
    """Return the names of the timed events that it airs within, folded."""
    return words_of(options.shows)


def check_campaign(campaign: Campaign) -> None:
    """SettingRefused says all that is wrong with a campaign by itself."""
    options = campaign.options
    wrong = [] if campaign.name.strip() else ["a campaign needs a name"]
    wrong += unreadable(
        (date_of, options.first), (date_of, options.last), (grid_from, options.hours)
    )
    for copy in campaign.copies:
        found = unreadable((date_of, copy.first), (date_of, copy.last), (grid_from, copy.hours))
        if not 0.1 <= copy.weight <= 100:
            found.append(f"its weight is {copy.weight:g}; it must be between 0.1 and 100")
        wrong += [f"copy {copy.cart}: {text}" for text in found]
    if not wrong and campaign.first and campaign.last and campaign.first > campaign.last:
        wrong.append(f"it ends on {options.last}, before it begins on {options.first}")
    if len({copy.cart for copy in campaign.copies}) < len(campaign.copies):
        wrong.append("a copy stands in it twice; give it more weight instead")
    if len(campaign.copies) > _MOST_COPIES:
        wrong.append(f"a campaign has up to {_MOST_COPIES} copies")
    if options.per is Per.TOTAL and not (options.first and options.last):
        wrong.append("an order in total needs its first and its last day")
    if options.amount != int(options.amount):
        wrong.append(f"{options.amount:g} spots cannot air; give a whole number")
    if wrong:
        raise SettingRefused(f"campaign “{campaign.name}”: {'; '.join(wrong)}")


def campaign_values(campaign: Campaign) -> dict[str, Any]:
    """Return a campaign as plain values; what is as usual is left out."""
    copies = []
    for copy in campaign.copies:
        values: dict[str, Any] = {"cart": copy.cart, "weight": copy.weight}
        texts = {name: getattr(copy, name) for name in ("hours", "first", "last")}
        copies.append(values | {name: said for name, said in texts.items() if said})
    return {
        "id": campaign.id,
        "name": campaign.name,
        "copies": copies,
        "options": unusual(campaign.options),
        "pins": [{"break": pattern, "at_us": at_us} for pattern, at_us in campaign.pins],
    }


def campaign_from(values: Mapping[str, Any]) -> Campaign:
    """Return the campaign that `campaign_values` wrote; SettingRefused says what cannot be."""
    name, wrong = str(values.get("name", "")), list[str]()
    options = group_of(CampaignOptions, values.get("options", {}), wrong)
    copies = []
    for one in values.get("copies", ()):
        try:
            texts = {part: str(one.get(part, "")) for part in ("hours", "first", "last")}
            copies.append(Copy(int(one["cart"]), float(one.get("weight", 1.0)), **texts))
        except (KeyError, TypeError, ValueError, AttributeError):
            wrong.append(
                f"'{one}' is not a valid copy; it has a cart number, and may have a weight"
            )
    pins = []
    for one in values.get("pins", ()):
        try:
            pins.append((int(one["break"]), int(one["at_us"])))
        except (KeyError, TypeError, ValueError):
            wrong.append(f"'{one}' is not a valid place by hand; it has a break and an instant")
    if wrong:
        raise SettingRefused(f"campaign “{name}”: {'; '.join(wrong)}")
    made = Campaign(int(values.get("id", 0)), name, tuple(copies), options, tuple(pins))
    check_campaign(made)
    return made


def _either(names: str) -> str:
    """Return a text of names with commas between as "a, b or c"."""
    return listed([name.strip() for name in names.split(",") if name.strip()], "or")

"""What an item says of its own turns in rotation: when it may air, how often, what it is like."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import lru_cache
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import number, text
from nightly_spindle.core.base.errors import InputFault, SettingRefused
from nightly_spindle.core.base.short_texts import date_of, group_of, unreadable, unusual
from nightly_spindle.core.base.wording import listed
from nightly_spindle.core.calendar.week_grid import grid_from

if TYPE_CHECKING:
    from collections.abc import Mapping
    from datetime import date

    from nightly_spindle.core.calendar.week_grid import WeekGrid


@dataclass(frozen=True, slots=True)
class RotationCard:
    """An item's own limits in rotation; 0 and an empty text are no limit."""

    hours: str = text("", "Only in these hours of the week: mon-fri 06-10; empty is always.")
    first: str = text("", "From this day on: 2026-12-01.")
    last: str = text("", "Up to this day, inclusive.")
    most_a_day: float = number(0.0, "", 0.0, 500.0, "At most N plays a day; 0 is no limit.")
    rest_h: float = number(
        0.0, "h", 0.0, 8784.0, "It rests this long after each play (24 h a day)."
    )
    yesterday_min: float = number(
        0.0, "min", 0.0, 720.0, "Not this close to the time at which it aired yesterday."
    )
    weight: float = number(1.0, "", 0.01, 100.0, "Its share in its category, by weighted turn.")
    product: str = text("", "The product or brand that it is for, which keeps its distance.")
    traits: str = text("", "What it is like: tempo=slow, mood=sad, voice=female.")

    @property
    def grid(self) -> WeekGrid:
        """The hours of the week that it may air in."""
        return grid_from(self.hours)

    @property
    def first_day(self) -> date | None:
        """The first day that it may air on."""
        return date_of(self.first)

    @property
    def last_day(self) -> date | None:
        """The last day that it may air on."""
        return date_of(self.last)

    def sentence(self) -> str:
        """The limits in words, empty when there is none."""
        said = [self.grid.words()] if self.hours.strip() else []
        said += [f"from {self.first}"] if self.first.strip() else []
        said += [f"until {self.last}"] if self.last.strip() else []
        said += [f"at most {self.most_a_day:.0f} a day"] if self.most_a_day else []
        said += [f"after {self.rest_h:g} h of rest"] if self.rest_h else []
        if self.yesterday_min:
            said.append(f"not within {self.yesterday_min:g} min of its time yesterday")
        return listed(said)


ANY_TURN = RotationCard()


@dataclass(frozen=True, slots=True)
class _Read:
    traits: dict[str, str] = field(default_factory=dict)


@lru_cache(maxsize=4096)
def _read_traits(written: str) -> _Read:
    found = {}
    for part in written.split(","):
        name, equals, value = (piece.strip().casefold() for piece in part.partition("="))
        if not part.strip():
            continue
        if not (equals and name and value):
            raise SettingRefused(f"'{part.strip()}' is not a valid trait; write it like tempo=slow")
        found[name] = value
    return _Read(found)


def traits_of(card: RotationCard) -> Mapping[str, str]:
    """Return what an item is like, by name; SettingRefused says which part cannot be read."""
    return _read_traits(card.traits).traits


def card_values(card: RotationCard) -> dict[str, str]:
    """Return what differs from no limit, as JSON values; `card_from` reads it back."""
    return unusual(card)


def card_from(values: Mapping[str, Any]) -> RotationCard:
    """Read an item's own limits; InputFault tells all that cannot be."""
    wrong: list[str] = []
    card = group_of(RotationCard, values, wrong)
    wrong += unreadable(
        (grid_from, card.hours),
        (date_of, card.first),
        (date_of, card.last),
        (_read_traits, card.traits),
    )
    if not wrong and card.first_day and card.last_day and card.first_day > card.last_day:
        wrong.append(f"it may air from {card.first} to {card.last}, which is before it")
    if wrong:
        raise InputFault("; ".join(wrong))
    return card

"""The rules of rotation: what keeps its distance from what, firmly or by a weight.

A rule holds for the whole station or for one category; in a category both plays must be of it.
Firm rules are kept wherever any item allows it, soft ones as far as their weights buy.
"""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.short_texts import group_of, unusual
from nightly_spindle.core.base.wording import span_text

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence


class RuleSubject(StrEnum):
    """What a rule looks at."""

    ARTIST = "artist"
    TITLE = "title"
    ALBUM = "album"
    PRODUCT = "product"
    ITEM = "item"
    PLAYS = "plays a day"
    YESTERDAY = "yesterday"
    RUN = "in a row"


# those that keep two plays apart by a time, in minutes
APART = frozenset(
    {
        RuleSubject.ARTIST,
        RuleSubject.TITLE,
        RuleSubject.ALBUM,
        RuleSubject.PRODUCT,
        RuleSubject.ITEM,
    }
)
# what an item says itself, on its card, where it is broken
NOT_NOW = "It may not air at this hour or on this day."
HEARD_OFTEN = "It aired as often today as it may."
NOT_RESTED = "It has not rested as long as it is to."
YESTERDAY_TOO = "It aired near this time yesterday."
_MOST_MIN = 60.0 * 24 * 60


@dataclass(frozen=True, slots=True)
class RotationRule:
    """One rule. `amount` is minutes where it is a time, else a number of plays."""

    kind: RuleSubject = choice(RuleSubject.ARTIST, "What keeps its distance, or is counted.")
    amount: float = number(
        60.0, "", 0.0, _MOST_MIN, "Minutes between two plays; or how many at most."
    )
    category: str = text("", "Only within this category; empty is the whole station.")
    trait: str = text("", "Of rows: which trait, such as tempo, or tempo=slow for that one only.")
    firm: bool = flag(True, "It is kept wherever anything allows it.")
    weight: float = number(
        1.0, "", 0.01, 1000.0, "Of a preferred rule: what breaking it once costs."
    )

    @property
    def apart(self) -> bool:
        """Whether it keeps two plays apart by a time."""
        return self.kind in APART

    @property
    def seconds(self) -> float:
        """Its time, in seconds."""
        return self.amount * 60

    @property
    def name(self) -> str:
        """What it looks at, in a word or two."""
        of = f" in {self.category}" if self.category.strip() else ""
        return (
            f"{self.trait or 'trait'} in a row{of}"
            if self.kind is RuleSubject.RUN
            else (f"{self.kind}{of}")
        )

    def sentence(self) -> str:
        """The rule as a plain sentence."""
        of = f" of {self.category}" if self.category.strip() else ""
        how = "firm" if self.firm else f"preferred, weight {self.weight:g}"
        if self.kind is RuleSubject.ITEM:
            said = f"The same item{of} comes again after {span_text(self.seconds)}"
        elif self.apart:
            said = f"The same {self.kind}{of} comes again after {span_text(self.seconds)}"
        elif self.kind is RuleSubject.PLAYS:
            said = f"No item{of} airs more than {self.amount:.0f} times a day"
        elif self.kind is RuleSubject.YESTERDAY:
            said = f"No item{of} airs within {span_text(self.seconds)} of its time yesterday"
        else:
            name, _, value = self.trait.partition("=")
            what = f"{name.strip()} {value.strip()}" if value.strip() else f"the same {name}"
            said = f"No more than {self.amount:.0f}{of} in a row with {what}"
        return f"{said} ({how})."


def check_rule(rule: RotationRule) -> None:
    """SettingRefused with all that is wrong with a rule."""
    wrong = []
    if rule.kind is RuleSubject.RUN and not rule.trait.partition("=")[0].strip():
        wrong.append("it needs a trait, such as tempo")
    if rule.kind in {RuleSubject.RUN, RuleSubject.PLAYS} and rule.amount < 1:
        wrong.append("it allows none at all; at least 1")
    if rule.kind is RuleSubject.YESTERDAY and rule.amount > 720:
        wrong.append("12 h (720 min) is as far from yesterday's time as there is")
    if wrong:
        raise SettingRefused(f"rule “{rule.name}”: {'; '.join(wrong)}")


def rule_values(rule: RotationRule) -> dict[str, str]:
    """Return a rule as JSON values; `rule_from` reads them back."""
    return {"kind": str(rule.kind), **unusual(rule)}


def rule_from(values: Mapping[str, Any]) -> RotationRule:
    """Read a rule; SettingRefused tells all that cannot be."""
    wrong: list[str] = []
    rule = group_of(RotationRule, values, wrong)
    if wrong:
        raise SettingRefused(f"a rule of rotation: {'; '.join(wrong)}")
    check_rule(rule)
    return rule


def usual_rules(separation_s: float) -> tuple[RotationRule, ...]:
    """Return what holds where nobody has set rules: artist and title by the station's setting."""
    minutes = separation_s / 60
    return (RotationRule(RuleSubject.ARTIST, minutes), RotationRule(RuleSubject.TITLE, minutes))


def with_own(
    station: Sequence[RotationRule], own: Sequence[RotationRule]
) -> tuple[RotationRule, ...]:
    """Return the station's rules with a clock's own over them: the same kind and category."""

    def place(rule: RotationRule) -> tuple[str, str, str]:
        return (rule.kind, rule.category.strip().casefold(), rule.trait.strip().casefold())

    over = {place(rule) for rule in own}
    return (*(rule for rule in station if place(rule) not in over), *own)

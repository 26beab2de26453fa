"""Format clocks: the pattern of an hour, as a strip of slots.

A strip is read from the start of the hour on. What no slot fixes is filled with music by weights.
Written as text, slots stand with semicolons between:

    category Standards; item 1204; list News at eight; break Hourly; link Station links;
    music until 20:00; mark 30:00 Half past; fixed mark 45:00 Weather; music
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from enum import StrEnum
from typing import TYPE_CHECKING, Any

from nightly_spindle.core.base.declared import choice, flag, number, text
from nightly_spindle.core.base.errors import SettingRefused
from nightly_spindle.core.base.quoting import parted, quoted, unquoted
from nightly_spindle.core.base.short_texts import group_of, unusual
from nightly_spindle.core.base.wording import listed
from nightly_spindle.core.music.rotation_rules import RotationRule, rule_from, rule_values
from nightly_spindle.core.music.weight_shares import Shares

if TYPE_CHECKING:
    from collections.abc import Mapping, Sequence

HOUR_S = 3600.0
_MOST_SLOTS = 200
_AT = re.compile(r"(\d{1,2}):(\d{2})(?:\s+(.*))?")


class SlotKind(StrEnum):
    """What a slot of a format clock puts in."""

    CATEGORY = "category"
    ITEM = "item"
    LIST = "list"
    BREAK = "break"
    LINK = "link"
    MARK = "mark"
    MUSIC = "music"


# those that name something of the station
NAMING = frozenset({SlotKind.CATEGORY, SlotKind.LIST, SlotKind.BREAK, SlotKind.LINK})


@dataclass(frozen=True, slots=True)
class ClockSlot:
    """One slot. `name` is the category, list, break pattern or pool, of a mark what it says.

    `cart` is a fixed item's. `at_s` is where in the hour a mark stands, or up to where music by
    weights goes (0: up to the next mark or the end). `fixed`: a mark is met to the second.
    """

    kind: SlotKind
    name: str = ""
    cart: int = 0
    at_s: float = 0.0
    fixed: bool = False

    @property
    def text(self) -> str:
        """The slot as `slot_from` reads it."""
        if self.kind is SlotKind.ITEM:
            return f"item {self.cart}"
        if self.kind is SlotKind.MARK:
            said = f"mark {minute_text(self.at_s)} {quoted(self.name)}".strip()
            return f"fixed {said}" if self.fixed else said
        if self.kind is SlotKind.MUSIC:
            return f"music until {minute_text(self.at_s)}" if self.at_s else "music"
        return f"{self.kind} {quoted(self.name)}"

    @property
    def words(self) -> str:
        """The slot in words."""
        mark = f"mark {minute_text(self.at_s)} {self.name}".strip()
        said = {
            SlotKind.CATEGORY: f"one of “{self.name}”",
            SlotKind.ITEM: f"item {self.cart}",
            SlotKind.LIST: f"the next of the list “{self.name}”",
            SlotKind.BREAK: f"the break “{self.name}”",
            SlotKind.LINK: f"a link from “{self.name}”",
            SlotKind.MARK: f"fixed {mark}" if self.fixed else mark,
            SlotKind.MUSIC: "music by weights",
        }[self.kind]
        return (
            f"{said} until {minute_text(self.at_s)}"
            if (self.kind is SlotKind.MUSIC and self.at_s)
            else said
        )


def minute_text(seconds: float) -> str:
    """Return a place in the hour as minutes and seconds: "07:30"."""
    minutes, rest = divmod(round(seconds), 60)
    return f"{minutes:02}:{rest:02}"


def minute_from(written: str) -> float:
    """Read a place in the hour, seconds; SettingRefused when it is none."""
    match = _AT.fullmatch(written.strip())
    seconds = int(match[1]) * 60.0 + int(match[2]) if match else 0.0
    if match is None or match[3] or int(match[2]) > 59 or seconds > HOUR_S:
        raise SettingRefused(
            f"'{written.strip()}' is not a valid place in an hour; write minutes and seconds like "
            "07:30, up to 60:00"
        )
    return seconds


def slot_from(written: str) -> ClockSlot:
    """Read one slot as text; SettingRefused says what cannot be."""
    said = " ".join(written.split())
    fixed = said.casefold().startswith("fixed ")
    word, _, rest = (said[6:] if fixed else said).partition(" ")
    try:
        kind = SlotKind(word.casefold())
    except ValueError as error:
        raise SettingRefused(
            f"'{said}' is not a valid slot; one begins with {listed(list(SlotKind), 'or')}"
        ) from error
    if kind is SlotKind.ITEM:
        if not rest.isdecimal():
            raise SettingRefused(f"'{said}': an item is named by its cart number")
        return ClockSlot(kind, cart=int(rest))
    if kind is SlotKind.MUSIC:
        until = rest.casefold().removeprefix("until").strip()
        return ClockSlot(kind, at_s=minute_from(until) if until else 0.0)
    if kind is SlotKind.MARK:
        at, _, name = rest.partition(" ")
        return ClockSlot(kind, unquoted(name), at_s=minute_from(at), fixed=fixed)
    if not rest:
        raise SettingRefused(f"'{said}': the name of the {kind} is missing")
    return ClockSlot(kind, unquoted(rest))


def strip_from(written: str) -> tuple[ClockSlot, ...]:
    """Read a whole strip; SettingRefused tells all that cannot be."""
    slots, wrong = [], []
    for part in parted(written, ";\n"):
        try:
            slots.append(slot_from(part))
        except SettingRefused as error:
            wrong.append(str(error))
    if wrong:
        raise SettingRefused("; ".join(wrong))
    return tuple(slots)


def strip_text(slots: Sequence[ClockSlot]) -> str:
    """Return a strip as text; `strip_from` reads it back."""
    return "; ".join(slot.text for slot in slots)


@dataclass(frozen=True, slots=True)
class ClockOptions:
    """What can be set for a format clock besides its strip."""

    opens: float = number(0.0, "", 0.0, 1e9, "Cart number of what opens the hour; 0 is nothing.")
    closes: float = number(0.0, "", 0.0, 1e9, "Cart number of what closes it; 0 is nothing.")
    link_pool: str = text("", "The pool that links between songs come from; empty is none.")
    link_songs: float = number(2.0, "", 1.0, 100.0, "A link after every N songs.")
    shares: Shares = choice(Shares.PLAYS, "What its weights share out: plays or time on the air.")
    fixed_end: bool = flag(False, "The hour ends to the second, else roughly on time.")
    note: str = text("", "A note for yourself.")


@dataclass(frozen=True, slots=True)
class FormatClock:
    """The pattern of one hour.

    `weights` are (category, weight) for what no slot fixes; none: the categories' own weights.
    `rules` are its own, over the station's.
    """

    id: int
    name: str
    slots: tuple[ClockSlot, ...] = ()
    weights: tuple[tuple[str, float], ...] = ()
    rules: tuple[RotationRule, ...] = ()
    options: ClockOptions = field(default_factory=ClockOptions)

    @property
    def categories(self) -> frozenset[str]:
        """The categories that it names, folded."""
        named = {slot.name for slot in self.slots if slot.kind is SlotKind.CATEGORY}
        return frozenset(name.casefold() for name in (*named, *(name for name, _ in self.weights)))

    @property
    def carts(self) -> frozenset[int]:
        """The items that it names itself."""
        fixed = {slot.cart for slot in self.slots if slot.cart}
        ends = {int(self.options.opens), int(self.options.closes)} - {0}
        return frozenset(fixed | ends)

    def sentence(self) -> str:
        """The clock in a plain sentence."""
        said = [slot.words for slot in self.slots]
        if len(said) > 6:
            said = [*said[:5], f"{len(said) - 5} more"]
        parts = [f"{listed(said)}"] if said else []
        if self.weights:
            shares = ", ".join(f"{name} {weight:g}" for name, weight in self.weights)
            what = " of the time" if self.options.shares is Shares.TIME else ""
            parts.append(f"the rest by weights{what} ({shares})")
        else:
            parts.append("the rest by the weights of the categories")
        if self.options.link_pool.strip():
            every = f"{self.options.link_songs:.0f} songs"
            parts.append(f"a link from “{self.options.link_pool}” after every {every}")
        ends = "ends to the second" if self.options.fixed_end else "ends roughly on time"
        whole = f"{'; '.join(parts)}; the hour {ends}."
        return whole[0].upper() + whole[1:]


def check_clock(clock: FormatClock) -> None:
    """SettingRefused with all that cannot be of a clock, whatever is in the station."""
    wrong = []
    if not clock.name.strip():
        wrong.append("it needs a name")
    if len(clock.slots) > _MOST_SLOTS:
        wrong.append(f"it has {len(clock.slots)} slots; {_MOST_SLOTS} are the most")
    before = 0.0
    for slot in clock.slots:
        if slot.kind not in {SlotKind.MARK, SlotKind.MUSIC} or not slot.at_s:
            continue
        if slot.at_s < before:
            wrong.append(
                f"“{slot.text}” comes after {minute_text(before)}; put it in front or make it later"
            )
        before = max(before, slot.at_s)
    if clock.weights and not any(weight > 0 for _, weight in clock.weights):
        wrong.append("its weights are all zero; give one at least more")
    wrong += [f"the weight of “{name}” is below zero" for name, w in clock.weights if w < 0]
    if wrong:
        raise SettingRefused(f"format clock “{clock.name}”: {'; '.join(wrong)}")


def clock_values(clock: FormatClock) -> dict[str, Any]:
    """Return a clock as JSON values; `clock_from` reads them back."""
    return {
        "id": clock.id,
        "name": clock.name,
        "slots": [slot.text for slot in clock.slots],
        "weights": [{"category": name, "weight": weight} for name, weight in clock.weights],
        "rules": [rule_values(rule) for rule in clock.rules],
        "options": unusual(clock.options),
    }


def clock_from(values: Mapping[str, Any]) -> FormatClock:
    """Read a clock; SettingRefused tells all that cannot be."""
    wrong: list[str] = []
    slots, rules = [], []
    for written in values["slots"]:
        try:
            slots.append(slot_from(written))
        except SettingRefused as error:
            wrong.append(str(error))
    for rule in values["rules"]:
        try:
            rules.append(rule_from(rule))
        except SettingRefused as error:
            wrong.append(str(error))
    weights = tuple((one["category"], float(one["weight"])) for one in values["weights"])
    options = group_of(ClockOptions, values["options"], wrong)
    if wrong:
        raise SettingRefused(f"format clock “{values['name']}”: {'; '.join(wrong)}")
    clock = FormatClock(values["id"], values["name"], tuple(slots), weights, tuple(rules), options)
    check_clock(clock)
    return clock


def weights_from(written: str) -> tuple[tuple[str, float], ...]:
    """Read weights written like "Standards 50, New 30"; SettingRefused says which cannot be.

    A name with a comma or semicolon stands in quotes: "Soul, funk" 20.
    """
    found = []
    for part in parted(written, ",;\n"):
        name, _, weight = part.rpartition(" ")
        try:
            found.append((unquoted(name), float(weight)))
        except ValueError:
            found.append(("", 0.0))
        if not found[-1][0]:
            raise SettingRefused(f"'{part}' is not a valid weight; write it like Standards 50")
    return tuple(found)


def weights_text(weights: Sequence[tuple[str, float]]) -> str:
    """Return weights as text; `weights_from` reads them back."""
    return ", ".join(f"{quoted(name, ',;')} {weight:g}" for name, weight in weights)

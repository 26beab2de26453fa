"""What is wrong with the formats before anything is made, in sentences."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.wording import counted
from nightly_spindle.core.library.items import Item
from nightly_spindle.core.library.song_names import artists_of
from nightly_spindle.core.music.format_clocks import HOUR_S, SlotKind, minute_text
from nightly_spindle.core.music.formats import ALL_SONGS
from nightly_spindle.core.music.hour_segments import HourLength
from nightly_spindle.core.music.rotation_rules import RuleSubject

if TYPE_CHECKING:
    from collections.abc import Iterable, Iterator

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.core.music.formats import FormatPlan

_LEAST_S = 1.0  # an item shorter than this has no length to plan with
_SONG_S = 210.0  # what a song is taken to last (common practice, no source)


@dataclass(frozen=True, slots=True)
class FormatFinding:
    """One thing that is wrong: when, why, how to mend it. `clock` is the one it is about, or 0."""

    code: str
    severity: Severity
    text: str
    mend: str
    clock: int = 0


@dataclass(frozen=True, slots=True)
class KnownNames:
    """What is in the station: items by cart, folded names of lists, pools and break patterns.

    `lengths` is how long each clock's hour runs.
    """

    items: Mapping[int, Item]
    lists: Collection[str]
    pools: Collection[str]
    breaks: Collection[str]
    lengths: Mapping[int, HourLength]


def check_formats(formats: FormatPlan, known: KnownNames) -> list[FormatFinding]:
    """Return all that is wrong, clock by clock; then the plans."""
    found: list[FormatFinding] = []
    used = formats.plans.clocks
    for clock in formats.clocks.values():
        found += _names(clock, formats, known)
        found += _weights(clock, formats)
        found += _length(clock, known)
        if clock.id in used:
            found += _artists(clock, formats, known)
    found += _items(formats, known)
    found += _plans(formats)
    return found


def _names(clock: FormatClock, formats: FormatPlan, known: KnownNames) -> Iterator[FormatFinding]:
    """Say which slots name what is not there, or holds nothing."""
    there = {SlotKind.LIST: known.lists, SlotKind.LINK: known.pools, SlotKind.BREAK: known.breaks}
    for slot in clock.slots:
        name = slot.name.strip().casefold()
        wrong = ""
        if slot.kind is SlotKind.CATEGORY and name not in formats.categories:
            wrong = f"the category “{slot.name}” holds nothing"
        elif slot.kind in there and name not in there[slot.kind]:
            wrong = f"there is no {slot.kind} “{slot.name}”"
        elif slot.kind is SlotKind.ITEM and slot.cart not in known.items:
            wrong = f"no item has the cart number {slot.cart}"
        if wrong:
            yield FormatFinding(
                "clock-lacks",
                Severity.WARNING,
                f"In the format clock “{clock.name}” {wrong}; music by weights takes its place.",
                "Fill it, or change the slot.",
                clock.id,
            )
    pool = clock.options.link_pool.strip()
    if pool and pool.casefold() not in known.pools:
        yield FormatFinding(
            "clock-lacks",
            Severity.WARNING,
            f"The format clock “{clock.name}” takes its links from “{pool}”, which is not there; "
            "none will air.",
            "Choose another pool, or make it under Overlays.",
            clock.id,
        )


def _weights(clock: FormatClock, formats: FormatPlan) -> Iterator[FormatFinding]:
    empty = [
        name
        for name, weight in clock.weights
        if weight > 0 and name.casefold() not in formats.categories
    ]
    for name in empty:
        yield FormatFinding(
            "clock-lacks",
            Severity.WARNING,
            f"“{clock.name}” fills by weights from “{name}”, which holds nothing; the others "
            "share its part.",
            "Put items into it, or take its weight away.",
            clock.id,
        )


def _length(clock: FormatClock, known: KnownNames) -> Iterator[FormatFinding]:
    length = known.lengths.get(clock.id)
    if length is not None and length.shortest_s > HOUR_S:
        yield FormatFinding(
            "clock-long",
            Severity.WARNING,
            f"The format clock “{clock.name}” is longer than its hour: at its shortest it runs "
            f"{minute_text(length.shortest_s)}; what does not fit is left out.",
            "Remove slots.",
            clock.id,
        )


def _artists(clock: FormatClock, formats: FormatPlan, known: KnownNames) -> Iterator[FormatFinding]:
    """Say where a category has fewer artists than the artist's distance needs."""
    rules = [r for r in formats.rules_of(clock) if r.kind is RuleSubject.ARTIST and r.firm]
    if not rules:
        return
    weights = formats.weights_of(clock)
    total = sum(weights.values()) or 1.0
    for name, weight in weights.items():
        if name == ALL_SONGS or name not in formats.categories:
            continue
        inside = formats.categories[name]
        longest = max(
            (r.seconds for r in rules if r.category.strip().casefold() in {"", name}), default=0.0
        )
        need = longest / _SONG_S * weight / total
        have = _leads(known.items[cart] for cart in inside.carts if cart in known.items)
        if have < need:
            yield FormatFinding(
                "few-artists",
                Severity.WARNING,
                f"“{inside.name}” has {counted(have, 'artist')}; by its weight in “{clock.name}” "
                f"about {need:.0f} songs of it air within the artists' distance.",
                "Import more artists, shorten the distance, or make the rule a preferred one.",
                clock.id,
            )


def _leads(items: Iterable[Item]) -> int:
    return len({found[0] for item in items if (found := artists_of(item.artist, item.title))})


def _items(formats: FormatPlan, known: KnownNames) -> Iterator[FormatFinding]:
    carts = {cart for one in formats.categories.values() for cart in one.carts}
    short = [
        known.items[cart]
        for cart in sorted(carts)
        if cart in known.items and known.items[cart].measure.duration_s < _LEAST_S
    ]
    if short:
        more = f" and {len(short) - 1} more" if len(short) > 1 else ""
        yield FormatFinding(
            "no-length",
            Severity.WARNING,
            f"“{short[0].label}”{more} has no length; it counts as nothing in an hour.",
            "Import its audio again.",
        )


def _plans(formats: FormatPlan) -> Iterator[FormatFinding]:
    plans = formats.plans
    told: set[int] = set()
    for plan in plans.days.values():
        circle = plans.circle(plan) if plan.base else []
        if circle and plan.id not in told:
            told |= {one.id for one in circle}
            names = ", ".join(f"“{one.name}”" for one in circle)
            yield FormatFinding(
                "plan-circle",
                Severity.WARNING,
                f"The day plans {names} go by each other in a circle; where none of them says "
                "anything the week plan holds.",
                "Let one of them go by none.",
            )
    for number in sorted(plans.clocks - set(formats.clocks)):
        yield FormatFinding(
            "clock-gone",
            Severity.WARNING,
            f"Some hours have the format clock {number}, which is not there any more; they are "
            "as if they had none.",
            "Give those hours another clock.",
        )

"""What is wrong with the formats before anything is made, in sentences."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

from nightly_spindle.core.base.findings import Severity
from nightly_spindle.core.base.wording import counted, span_text
from nightly_spindle.core.library.items import Item, Kind
from nightly_spindle.core.library.song_names import artists_of, title_of
from nightly_spindle.core.music.format_clocks import HOUR_S, SlotKind, minute_text
from nightly_spindle.core.music.formats import ALL_SONGS
from nightly_spindle.core.music.hour_segments import HourLength
from nightly_spindle.core.music.rotation_rules import RuleSubject, usual_rules

if TYPE_CHECKING:
    from collections.abc import Iterator, Sequence

    from nightly_spindle.core.music.format_clocks import FormatClock
    from nightly_spindle.core.music.formats import FormatPlan
    from nightly_spindle.core.music.rotation_rules import RotationRule

_LEAST_S = 1.0  # an item shorter than this has no length to plan with
# which rules are looked at beforehand, and what they keep apart
_GROUPS = {
    RuleSubject.ARTIST: "Artists",
    RuleSubject.TITLE: "Titles",
    RuleSubject.ITEM: "Items",
}


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

    `lengths` is how long each clock's hour runs, `separation_s` what holds where no rule is set.
    """

    items: Mapping[int, Item]
    lists: Collection[str]
    pools: Collection[str]
    breaks: Collection[str]
    lengths: Mapping[int, HourLength]
    separation_s: float = 3600.0


def check_formats(formats: FormatPlan, known: KnownNames) -> list[FormatFinding]:
    """Return all that is wrong, clock by clock; then the plans."""
    found: list[FormatFinding] = []
    used = formats.plans.clocks
    groups = _Groups(formats, known)
    for clock in formats.clocks.values():
        found += _names(clock, formats, known)
        found += _weights(clock, formats)
        found += _length(clock, known)
        if clock.id in used:
            found += _too_little(clock, formats, known, groups)
    if not used:
        found += _too_little(None, formats, known, groups)
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


def _too_little(
    clock: FormatClock | None, formats: FormatPlan, known: KnownNames, groups: _Groups
) -> Iterator[FormatFinding]:
    """Say how far apart a category can keep its artists and titles, where rules ask for more.

    Songs that come round in turn leave those of a group of n as far apart as their number by n.
    """
    weights = formats.weights_of(clock)
    lengths = {name: groups.of(name).song_s for name in weights}
    weights = formats.play_weights(clock, lengths)
    total = sum(weights.values()) or 1.0
    for rule in formats.rules_of(clock) or usual_rules(known.separation_s):
        within = rule.category.strip().casefold()
        if not rule.firm or rule.kind not in _GROUPS:
            continue
        for name, weight in weights.items():
            if within not in {"", name} or not (songs := groups.of(name)).many:
                continue
            label, many = songs.largest[rule.kind]
            can_s = songs.many * max(songs.song_s, _LEAST_S) * total / weight / many
            if can_s < rule.seconds:
                # so many songs by others that the same ones are as far apart as they should be
                more = math.ceil(songs.many * (rule.seconds / can_s - 1))
                yield _finding(clock, formats, name, rule, can_s, label, many, songs.many, more)


class _Songs(NamedTuple):
    """The songs of a category: how many, how long on average (s), what most of them share."""

    many: int
    song_s: float
    largest: dict[RuleSubject, tuple[str, int]]


class _Groups:
    """The songs that fill by weights, category by category, each looked through once."""

    def __init__(self, formats: FormatPlan, known: KnownNames) -> None:
        self._formats, self._known = formats, known
        self._found: dict[str, _Songs] = {}

    def of(self, name: str) -> _Songs:
        """Return what there is to say of a category."""
        found = self._found.get(name)
        if found is None:
            songs = _songs(name, self._formats, self._known)
            mean = sum(item.measure.duration_s for item in songs) / len(songs) if songs else 0.0
            largest = {kind: _largest(songs, kind) for kind in _GROUPS}
            found = self._found[name] = _Songs(len(songs), mean, largest)
        return found


def _finding(
    clock: FormatClock | None,
    formats: FormatPlan,
    name: str,
    rule: RotationRule,
    can_s: float,
    label: str,
    many: int,
    of_all: int,
    more: int,
) -> FormatFinding:
    of = f" of “{formats.categories[name].name}”" if name != ALL_SONGS else ""
    where = f" in “{clock.name}”" if clock is not None else ""
    what = _GROUPS[rule.kind]
    counts = f" (“{label}” has {many} of {of_all})" if many > 1 else ""
    return FormatFinding(
        "few-artists" if rule.kind is RuleSubject.ARTIST else "few-songs",
        Severity.WARNING,
        f"{what}{of} can be kept {span_text(round(can_s / 60) * 60 or can_s)} apart{where}, not "
        f"{span_text(rule.seconds)}: too few songs{counts}.",
        f"Import about {counted(more, 'more song')}, ask for less, or make the rule a preferred "
        "one.",
        clock.id if clock is not None else 0,
    )


def _songs(name: str, formats: FormatPlan, known: KnownNames) -> list[Item]:
    """Return the songs that fill by a weight."""
    if name == ALL_SONGS and name not in formats.categories:
        return [item for item in known.items.values() if item.kind is Kind.SONG]
    inside = formats.categories.get(name)
    return [known.items[cart] for cart in inside.carts if cart in known.items] if inside else []


def _largest(items: Sequence[Item], kind: RuleSubject) -> tuple[str, int]:
    """Return the artist or title that most of some songs have, and of how many."""
    if kind is RuleSubject.ARTIST:
        names = [name for item in items for name in {*artists_of(item.artist, item.title)}]
        shown = {
            name: item.artist for item in items for name in artists_of(item.artist, item.title)
        }
    else:
        names = [title_of(item.title) for item in items]
        shown = {title_of(item.title): item.title for item in items}
    found = Counter(name for name in names if name).most_common(1)
    return (shown[found[0][0]], found[0][1]) if found else ("", 1)


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
